"""A thermometer in a well: how much runs along its stem, and how long its warmth takes across the gap."""

from __future__ import annotations

import math

from metrology.faults import require_positive

DECADES_EACH_5 = 2.0  # the error falls a hundredfold with every five diameters of immersion
HEAT = 3.6e6  # of steel and of what fills a sheath, J/(m3 K)
AIR = 0.03  # conductivity of the air in the gap around 50 C, W/(m K)
USUAL_GAP_MM = 0.5  # a well is bored so much wider than the sensor where nothing else is said
SOAK, LEAST_MIN = 3.0, 1.0  # time constants that a point soaks after everything stands still; never less than a minute


def conduction_c(difference_c: float, *, depth_mm: float, stem_mm: float) -> float:
    """Most that conduction along the stem may pull a thermometer towards the air, C, at a difference between well and air.

    The pull falls with immersion as a fin's does: 1 % of the difference at five diameters, 0.01 % at ten. depth_mm: of immersion, less the
    sensing element where that is long. Source: Nicholas and White, Traceable Temperatures, 2nd ed., 4.4.1 (rule of immersion).

    >>> round(conduction_c(100.0, depth_mm=30.0, stem_mm=6.0), 6)
    1.0
    """
    require_positive(depth_mm, "depth_mm")
    require_positive(stem_mm, "stem_mm")
    return abs(difference_c) * 10 ** (-DECADES_EACH_5 * depth_mm / (5 * stem_mm))


def time_constant_s(stem_mm: float, *, well_mm: float = 0.0) -> float:
    """How slowly a sensor follows its well through the gap of air, s: its heat over what the gap lets through, c d g / (4 k).

    well_mm: bore of the well; half a millimetre wider than the stem where it is 0 or no wider than the stem.

    >>> round(time_constant_s(6.0))
    45
    """
    require_positive(stem_mm, "stem_mm")
    gap = (well_mm - stem_mm if well_mm > stem_mm else USUAL_GAP_MM) / 2
    return HEAT * stem_mm * 1e-3 * gap * 1e-3 / (4 * AIR)


def soak_min(stem_mm: float, *, well_mm: float = 0.0) -> float:
    """How long a point soaks after everything stands still, min: three time constants, up to the next half minute; a minute where nothing is known."""
    if stem_mm <= 0:
        return LEAST_MIN
    return max(LEAST_MIN, math.ceil(round(SOAK * time_constant_s(stem_mm, well_mm=well_mm) / 30, 9)) / 2)
