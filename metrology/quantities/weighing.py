"""Vessels on load cells, and legal steps of permissible error by number of divisions."""

from __future__ import annotations

from dataclasses import dataclass

from metrology.faults import Fault, require_positive, require_range


@dataclass(frozen=True)
class VesselSignal:
    """Live capacity in kg, signal in uV per kg and per division, number of divisions in the live capacity."""

    live_capacity_kg: float
    uv_per_kg: float
    uv_per_division: float
    divisions: float


def vessel_signal(
    supports: float,
    cell_capacity_kg: float,
    *,
    sensitivity_mv_v: float,
    excitation_v: float,
    dead_load_kg: float,
    division_kg: float,
) -> VesselSignal:
    """Signal of a vessel on `supports` load cells.

    live = n C - dead; uV/kg = 1000 S U / (n C); divisions = live / d. Raises a Fault when the dead load
    uses up the cells.
    """
    require_range(supports, 1, 24, field="supports")
    if int(supports) != supports:
        raise Fault("not_whole", f"supports is {supports:g}; it must be a whole number.", field="supports")
    require_positive(cell_capacity_kg, "cell_capacity_kg", "kg")
    require_range(sensitivity_mv_v, 0.01, 100.0, field="sensitivity_mv_v", unit="mV/V")
    require_range(excitation_v, 0.1, 50.0, field="excitation_v", unit="V")
    require_positive(division_kg, "division_kg", "kg")
    total = supports * cell_capacity_kg
    require_range(dead_load_kg, 0.0, total * (1 - 1e-9), field="dead_load_kg", unit="kg")
    live = total - dead_load_kg
    uv_per_kg = 1000.0 * sensitivity_mv_v * excitation_v / total
    return VesselSignal(live, uv_per_kg, uv_per_kg * division_kg, live / division_kg)


# OIML R 76-1:2006 table 6: (upper load in e, permissible error in e) on initial verification.
R76: dict[str, tuple[tuple[float, float], ...]] = {
    "r76-i": ((50_000, 0.5), (200_000, 1.0), (float("inf"), 1.5)),
    "r76-ii": ((5_000, 0.5), (20_000, 1.0), (100_000, 1.5)),
    "r76-iii": ((500, 0.5), (2_000, 1.0), (10_000, 1.5)),
    "r76-iiii": ((50, 0.5), (200, 1.0), (1_000, 1.5)),
}
# NIST Handbook 44, 2.20 table 6: (upper load in d, maintenance tolerance in d); acceptance is half of it.
HB44: dict[str, tuple[tuple[float, float], ...]] = {
    "hb44-i": ((50_000, 1.0), (200_000, 2.0), (float("inf"), 3.0)),
    "hb44-ii": ((5_000, 1.0), (20_000, 2.0), (float("inf"), 3.0)),
    "hb44-iii": ((500, 1.0), (2_000, 2.0), (4_000, 3.0), (float("inf"), 5.0)),
    "hb44-iiii": ((50, 1.0), (200, 2.0), (400, 3.0), (float("inf"), 5.0)),
}
# OIML R 50-1:2014 table 1: permissible error of a totalised load in percent, initial verification; in service is double.
R50 = {"r50-0.2": 0.10, "r50-0.5": 0.25, "r50-1": 0.5, "r50-2": 1.0}
# NIST Handbook 44, 2.21: belt-conveyor scale systems, acceptance and maintenance alike.
HB44_BELT = {"hb44-belt": 0.25, "hb44-belt-0.1": 0.1}  # class in percent of the totalised load
SCALE_SCHEMES = (*R76, *HB44, "hb44-iiil", *R50, *HB44_BELT)
STAGES = {"initial": "initial", "acceptance": "initial", "in-service": "in-service", "maintenance": "in-service"}


def scale_tolerance(scheme: str, load_divisions: float, *, stage: str = "initial") -> float:
    """Permissible error in divisions, plus or minus, for a load given in divisions.

    scheme: r76-i .. r76-iiii, hb44-i .. hb44-iiii, hb44-iiil (rail, truck, vessel scales), r50-0.2 .. r50-2
    (belt, class percent of the totalised load), hb44-belt (class 0.25), hb44-belt-0.1. stage: initial (acceptance) or in-service (maintenance).
    Sources: OIML R 76-1:2006 table 6 and 3.5.2; OIML R 50-1:2014; NIST Handbook 44, 2.20 table 6 and 2.21.

    >>> scale_tolerance("r76-iii", 1500)
    1.0
    """
    key = str(scheme).strip().lower().replace("_", "-")
    if key not in SCALE_SCHEMES:
        raise Fault("unknown_scheme", f"scheme is {scheme!r}; known are {', '.join(SCALE_SCHEMES)}.", field="scheme")
    when = STAGES.get(str(stage).strip().lower().replace("_", "-"))
    if when is None:
        raise Fault("unknown_stage", f"stage is {stage!r}; accepted are initial and in-service.", field="stage")
    in_service = when == "in-service"
    if key in R76:
        top = R76[key][-1][0]
        require_range(load_divisions, 0.0, min(top, 1e9), field="load_divisions")
        return _step(R76[key], load_divisions) * (2.0 if in_service else 1.0)
    require_range(load_divisions, 0.0, 1e9, field="load_divisions")
    if key in HB44_BELT:
        return HB44_BELT[key] / 100.0 * load_divisions
    if key in R50:
        return R50[key] * (2.0 if in_service else 1.0) / 100.0 * load_divisions
    in_thousands = 1.0 if load_divisions <= 500 else float(-(-load_divisions // 500))
    maintenance = in_thousands if key == "hb44-iiil" else _step(HB44[key], load_divisions)
    return maintenance if in_service else maintenance / 2.0


def _step(steps: tuple[tuple[float, float], ...], load: float) -> float:
    return next(error for top, error in steps if load <= top)
