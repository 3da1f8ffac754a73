"""Belt weighers: whole revolutions and simulated load."""

from __future__ import annotations

import math

from metrology.faults import require_positive


def belt_revolutions(belt_length_m: float, speed_m_s: float, *, minutes: float) -> tuple[int, float]:
    """(whole revolutions, duration in s) for at least `minutes`: n = ceil(speed x time / length).

    >>> belt_revolutions(60.0, 1.5, minutes=10.0)
    (15, 600.0)
    """
    require_positive(belt_length_m, "belt_length_m", "m")
    require_positive(speed_m_s, "speed_m_s", "m/s")
    require_positive(minutes, "minutes", "min")
    revolutions = max(1, math.ceil(speed_m_s * minutes * 60.0 / belt_length_m - 1e-9))
    return revolutions, revolutions * belt_length_m / speed_m_s


def belt_load(test_weight_kg: float, idler_pitch_m: float, *, speed_m_s: float) -> tuple[float, float]:
    """(kg per m, t/h) that a test weight stands for: kg/m = weight / idler pitch; t/h = 3.6 x kg/m x speed.

    >>> belt_load(50.0, 1.0, speed_m_s=2.0)
    (50.0, 360.0)
    """
    require_positive(test_weight_kg, "test_weight_kg", "kg")
    require_positive(idler_pitch_m, "idler_pitch_m", "m")
    require_positive(speed_m_s, "speed_m_s", "m/s")
    kg_per_m = test_weight_kg / idler_pitch_m
    return kg_per_m, 3.6 * kg_per_m * speed_m_s
