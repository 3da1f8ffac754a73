"""What is judged: for each rule, the function and the cases it is told of."""

from __future__ import annotations

from metrology.tests.as_judged import courses, figures, kit, signatures
from metrology.tests.as_judged.asked import Judged

JUDGED: Judged = {**courses.JUDGED, **figures.JUDGED, **kit.JUDGED, **signatures.JUDGED}
