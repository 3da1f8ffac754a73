"""What may be wrong with a transmitter, each with the evidence for it: one fault, two at once, one reading, or nothing."""

from __future__ import annotations

import math

from metrology.judgement.causes.hypothesis import Hypothesis
from metrology.judgement.causes.kinks import kinked
from metrology.judgement.causes.laws import other_laws
from metrology.judgement.causes.limits import clipped, stuck
from metrology.judgement.causes.rows import INPUT, OUTPUT, Curve
from metrology.judgement.causes.shapes import of_shapes


def hypotheses(curve: Curve) -> list[Hypothesis]:
    """All of them, each noise and domain for itself; the same fault comes more than once and is added up by who asks."""
    domains = (INPUT, OUTPUT) if curve.transfer.kind == "sqrt" else (INPUT,)
    found: list[Hypothesis] = []
    for domain in domains:
        found += of_shapes(curve, domain, math.log(1 / len(domains)))
    return [*found, *other_laws(curve), *clipped(curve), *stuck(curve), *kinked(curve)]
