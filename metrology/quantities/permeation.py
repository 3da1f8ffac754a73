"""Oxygen that comes through the wall of a line, or stays behind in a regulator: what it adds to a trace."""

from __future__ import annotations

import math

from metrology.faults import require_finite, require_positive

CM_HG_PER_KPA = 0.750062
AIR_OXYGEN_KPA = 21.2  # of dry air at 101.325 kPa
# Permeability to oxygen near 25 °C in barrer, 1e-10 cm3(STP) cm / (cm2 s cmHg): Polymer Handbook, 4th ed., section VI.
BARRER = {"rubber": 23.3, "PTFE": 4.2, "PTFE-lined": 4.2, "polyethylene": 2.9}
TIGHT = ("stainless", "copper", "aluminium", "brass", "glass")
TYPICAL_BORE_MM, TYPICAL_OUTSIDE_MM = 4.0, 6.0


def is_tight(material: str) -> bool:
    """Whether a material lets no gas through its wall."""
    return any(m in material for m in TIGHT) and "lined" not in material


def permeation_ppm(
    material: str, length_m: float, *, flow_l_min: float, bore_mm: float = TYPICAL_BORE_MM, outside_mm: float = TYPICAL_OUTSIDE_MM
) -> float:
    """Oxygen in ppm that the wall of a line adds at a flow; an estimate, for room temperature and air outside.

    permeability x 2 pi length / ln(outside / bore) x partial pressure / flow. A plastic that has no value here is taken as PTFE. Metals and glass
    add nothing. Raises a Fault for lengths and flows that are none, and where the outside is not wider than the bore.

    >>> round(permeation_ppm("PTFE", 1.5, flow_l_min=0.5), 1)
    1.9
    """
    require_positive(length_m, "length_m", "m")
    require_positive(flow_l_min, "flow_l_min", "l/min")
    require_positive(bore_mm, "bore_mm", "mm")
    require_positive(outside_mm - bore_mm, "outside_mm", "mm")
    if is_tight(material):
        return 0.0
    permeability = 1e-10 * BARRER.get(material, BARRER["PTFE"])
    through = permeability * 2 * math.pi * 100 * length_m / math.log(outside_mm / bore_mm) * AIR_OXYGEN_KPA * CM_HG_PER_KPA  # cm3(STP)/s
    return 1e6 * through * 60 / (1000 * flow_l_min)


def residuals(gauge_kpa: float, start_ppm: float, *, cycles: int, atmosphere_kpa: float = 101.325) -> tuple[float, ...]:
    """What is left after each cycle of filling to gauge_kpa and venting, the start first: start x (P_atm / (P_atm + P_gauge))^n.

    >>> [round(v) for v in residuals(300.0, 209000.0, cycles=2)]
    [209000, 52768, 13323]
    """
    require_positive(gauge_kpa, "gauge_kpa", "kPa")
    require_positive(start_ppm, "start_ppm", "ppm")
    require_positive(atmosphere_kpa, "atmosphere_kpa", "kPa")
    ratio = atmosphere_kpa / (atmosphere_kpa + gauge_kpa)
    return tuple(start_ppm * ratio**n for n in range(cycles + 1))


def swept_ppm(start_ppm: float, *, volumes: float, dead_share: float) -> float:
    """What a simple purge leaves: the swept part falls by e a volume, what stands in dead legs (a share of the volume) stays and bleeds out.

    Raises a Fault for what is not finite or below zero.
    """
    for name, value in (("volumes", volumes), ("dead_share", dead_share)):
        require_finite(value, name)
    require_positive(start_ppm, "start_ppm", "ppm")
    return start_ppm * ((1 - dead_share) * math.exp(-max(0.0, volumes)) + max(0.0, dead_share))
