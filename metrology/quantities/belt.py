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


# Largest errors in service, % of the load: totalisation, and zero over a test at full load. OIML R 50-1:2014 (2.2, 3.8), NIST HB 44 2.21 (T.1, N.3).
BELT_CLASSES: dict[str, tuple[float, float]] = {
    "r50-0.2": (0.2, 0.02),
    "r50-0.5": (0.5, 0.05),
    "r50-1": (1.0, 0.1),
    "r50-2": (2.0, 0.2),
    "hb44": (0.25, 0.06),
    "hb44-0.1": (0.1, 0.024),  # its zero in proportion to that of class 0.25
}


def belt_total(kg_per_m: float, belt_length_m: float, *, revolutions: int) -> float:
    """Total in kg that a load per metre gives over whole revolutions.

    >>> belt_total(50.0, 60.0, revolutions=10)
    30000.0
    """
    require_positive(kg_per_m, "kg_per_m", "kg/m")
    require_positive(belt_length_m, "belt_length_m", "m")
    return kg_per_m * belt_length_m * revolutions
