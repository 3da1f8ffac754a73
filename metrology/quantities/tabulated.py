"""Values of a table against temperature."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from metrology.faults import require_finite, require_range


def of_table(points: Sequence[tuple[float, float]], temp_c: float) -> float:
    """The value of a table (temperature in C, value; rising in temperature) at temp_c; raises a Fault outside it."""
    require_finite(temp_c, "temp_c")
    require_range(temp_c, points[0][0], points[-1][0], field="temp_c", unit="°C")
    for (t1, k1), (t2, k2) in pairwise(points):
        if temp_c <= t2:
            return k1 + (k2 - k1) * (temp_c - t1) / (t2 - t1)
    return points[-1][1]
