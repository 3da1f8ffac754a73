"""Weighing and magnetic flow meters: gravity, buoyancy, weights, corner test, substitution, creep, the sheet of a vessel."""

from __future__ import annotations

import math

from metrology.calculations.registry import Result, calculator
from metrology.calculator_fields import Input
from metrology.faults import Fault, require_positive, require_range
from metrology.quantities import loading, magmeter, masses

WAYS = {"weights": "weights alone", "substitution": "weights with substitution", "computed": "worked out from the cells, then proved"}


@calculator("gravity", "Acceleration of free fall by latitude and height.")
def _gravity(given: Input) -> Result:
    g = masses.gravity(given.number("latitude_deg"), given.number("height_m", default=0.0))
    other = given.number("set_at", default=loading.STANDARD_GRAVITY)
    require_range(other, 9.7, 9.9, field="set_at", unit="m/s2")
    return {"g_m_s2": g, "off_percent": 100 * (g / other - 1)}


@calculator("air-density", "Density of the air by temperature, pressure and humidity.")
def _air_density(given: Input) -> Result:
    kpa, humidity = given.number("pressure_kpa", default=101.325), given.number("humidity_percent", default=50.0)
    return {"air_kg_m3": masses.air_density(given.number("temp_c"), kpa, humidity)}


@calculator("air-buoyancy", "True mass of what lies on a scale that was set with weights.")
def _air_buoyancy(given: Input) -> Result:
    factor = masses.buoyancy_factor(
        given.number("density"), given.number("air_density", default=masses.AIR), given.number("weights_density", default=masses.STEEL)
    )
    shown = given.number("shown_kg")
    return {"factor": factor, "true_kg": shown * factor, "correction_kg": shown * (factor - 1)}


@calculator("weight-tolerance", "How far a weight of a class may be off.")
def _weight_tolerance(given: Input) -> Result:
    nominal = given.number("nominal_kg")
    kg = masses.weight_tolerance(nominal, given.text("class"))
    return {"tolerance_mg": 1e6 * kg, "tolerance_kg": kg, "percent": 100 * kg / nominal}


@calculator("corner-spread", "How evenly the supports of a vessel carry a load.")
def _corner_spread(given: Input) -> Result:
    shares, spread, worst = loading.corner_spread(given.numbers("signals"))
    return {"shares_percent": list(shares), "spread_percent": spread, "furthest": worst + 1, "furthest_percent": shares[worst]}


@calculator("substitution-uncertainty", "Uncertainty of a load built up with the same weights several times.")
def _substitution(given: Input) -> Result:
    n = given.number("steps")
    if n != int(n):
        raise Fault("not_whole", f"steps is {n:g}; it must be a whole number.", field="steps")
    u = loading.substitution_u(int(n), given.number("u_weights"), given.number("u_reading"))
    return {"u": u, "expanded": 2 * u}


@calculator("creep", "A load that stays on a scale for 30 min.")
def _creep(given: Input) -> Result:
    c = loading.judge_creep(given.number("at_0"), given.number("at_15"), given.number("at_30"), division=given.number("division_kg"))
    return {"in_30_divisions": c.in_30, "from_15_divisions": c.from_15, "verdict": "pass" if c.is_inside else "fail"}


@calculator("pipe-velocity", "Velocity in a full pipe.")
def _pipe_velocity(given: Input) -> Result:
    return {"velocity_m_s": magmeter.pipe_velocity(given.number("flow_m3_h"), given.number("diameter_mm"))}


@calculator("mag-conductivity", "How well a liquid must conduct for a magnetic flow meter.")
def _mag_conductivity(given: Input) -> Result:
    k = given.number("conductivity_us_cm")
    h = magmeter.conductivity_limit(
        k,
        electrode_mm=given.number("electrode_mm", default=10.0),
        input_mohm=given.number("input_mohm", default=100.0),
        cable_m=given.number("cable_m", default=0.0),
        cable_pf_m=given.number("cable_pf_m", default=100.0),
        frequency_hz=given.number("frequency_hz", default=6.25),
        limit_percent=given.number("limit_percent", default=0.1),
    )
    verdict = "pass" if k >= h.least_us_cm * (1 - 1e-9) else "fail"
    return {
        "source_ohm": h.source_ohm,
        "input_ohm": h.input_ohm,
        "loss_percent": h.loss_percent,
        "least_us_cm": h.least_us_cm,
        "verdict": verdict,
    }


@calculator("vessel-plan", "Vessel on load cells: what is left, what is to hand, and how its test load is built up.")
def _vessel_plan(given: Input) -> Result:
    supports = given.number("supports")
    if supports != int(supports):
        raise Fault("not_whole", f"supports is {supports:g}; it must be a whole number.", field="supports")
    require_range(supports, 1, 24, field="supports")
    each = given.numbers("sensitivities")
    if len(each) not in (1, int(supports)):
        told = f"sensitivities has {len(each)} entries for {supports:g} supports: give one for each cell, from its certificate, or one for all."
        raise Fault("cell_missing", told, field="sensitivities")
    cells = loading.Cells(
        tuple(each) if len(each) > 1 else tuple(each) * int(supports),
        given.number("cell_capacity_kg"),
        given.number("excitation_v"),
        given.number("dead_load_kg"),
        given.number("gravity", default=loading.STANDARD_GRAVITY),
    )
    top, division = given.number("max_kg"), given.number("division_kg")
    require_positive(top, "max_kg", "kg")
    require_positive(division, "division_kg", "kg")
    if top > cells.live_kg * (1 + 1e-12):
        told = f"max_kg is {top:g}: the cells have {cells.live_kg:g} kg left beside the dead load. A load beyond that breaks them."
        raise Fault("beyond_capacity", told, field="max_kg")
    least_uv, share = given.number("least_uv", default=0.5), given.number("least_share_percent", default=10.0)
    require_range(share, 0.1, 100.0, field="least_share_percent", unit="%")
    weights, u_cells = given.number("weights_kg", default=0.0), given.number("u_cells_percent", default=0.1)
    require_range(weights, 0.0, 1e6, field="weights_kg", unit="kg")
    require_range(u_cells, 0.001, 10.0, field="u_cells_percent", unit="%")
    u_weights = given.number("u_weights_percent", default=0.005) / 100 * weights
    u_reading = division / math.sqrt(12)
    least = share / 100 * cells.total_kg
    uv = cells.uv(division)
    can_fill = given.choice("can_fill", ("yes", "no"), default="yes") == "yes"
    u_at_top, plan = {}, []
    if weights >= least * (1 - 1e-12):
        load = min(weights, top)
        u_at_top["weights"] = top / load * math.hypot(u_weights * load / weights, math.sqrt(2) * u_reading)
    if 0 < weights < top and can_fill and math.ceil(top / weights) <= loading.MOST_STEPS:
        plan = loading.substitution_plan(weights, top, u_weights=u_weights, u_reading=u_reading)
        u_at_top["substitution"] = plan[-1].u_kg
    u_at_top["computed"] = u_cells / 100 * top
    best = min(u_at_top, key=lambda w: u_at_top[w])
    says = _vessel_words(cells, top, uv, least_uv, least, weights, u_at_top, best)
    return {
        "live_capacity_kg": cells.live_kg,
        "spare_kg": cells.live_kg - top,
        "uv_per_division": uv,
        "is_signal_enough": uv >= least_uv * (1 - 1e-12),
        "divisions": top / division,
        "least_test_load_kg": least,
        "suffices": [w for w in WAYS if w in u_at_top],
        "best": best,
        "u_at_max_kg": u_at_top,
        "zero_mv_v": cells.mv_v(0.0),
        "max_mv_v": cells.mv_v(top),
        "says": says,
        "plan": [{"step": n, "do": p.do, "load": f"{p.load_kg:g} kg", "U, k = 2": f"{2 * p.u_kg:.3g} kg"} for n, p in enumerate(plan, 1)],
    }


def _vessel_words(
    cells: loading.Cells, top: float, uv: float, least_uv: float, least: float, weights: float, u: dict[str, float], best: str
) -> str:
    out = [f"{cells.live_kg:g} kg of the cells are left for product, {cells.live_kg - top:g} kg more than Max."]
    enough = "enough for" if uv >= least_uv * (1 - 1e-12) else "too little for"
    out.append(f"A division is {uv:.3g} \u00b5V, {enough} the indicator ({least_uv:g} \u00b5V).")
    out.append(f"A test load counts from {least:g} kg on; {weights:g} kg are to hand.")
    out.append("U at Max: " + "; ".join(f"{WAYS[w]} {2 * u[w]:.3g} kg" for w in WAYS if w in u) + f". Best: {WAYS[best]}.")
    return " ".join(out)
