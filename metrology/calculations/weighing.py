"""Weighing and magnetic flow meters: gravity, buoyancy, weights, corner test, substitution, creep, the sheet of a vessel."""

from __future__ import annotations

from metrology.calculations.registry import Result, calculator
from metrology.calculator_fields import Input
from metrology.faults import Fault, require_range
from metrology.quantities import loading, magmeter, masses

WAYS = {
    loading.WEIGHTS: "weights alone",
    loading.SUBSTITUTION: "weights with substitution",
    loading.COMPUTED: "worked out from the cells, then proved",
}


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
    top, division, weights = given.number("max_kg"), given.number("division_kg"), given.number("weights_kg", default=0.0)
    plan = loading.plan_vessel(
        cells,
        top,
        division=division,
        weights=weights,
        u_weights=given.number("u_weights_percent", default=0.005) / 100 * weights,
        u_cells_percent=given.number("u_cells_percent", default=0.1),
        least_share=given.number("least_share_percent", default=10.0),
        can_fill=given.choice("can_fill", ("yes", "no"), default="yes") == "yes",
    )
    least_uv = given.number("least_uv", default=0.5)
    is_enough = plan.uv_per_division >= least_uv * (1 - 1e-12)
    return {
        "live_capacity_kg": cells.live_kg,
        "spare_kg": cells.live_kg - top,
        "uv_per_division": plan.uv_per_division,
        "is_signal_enough": is_enough,
        "divisions": top / division,
        "least_test_load_kg": plan.least_kg,
        "suffices": list(plan.u_at_top),
        "best": plan.best,
        "u_at_max_kg": dict(plan.u_at_top),
        "zero_mv_v": cells.mv_v(0.0),
        "max_mv_v": cells.mv_v(top),
        "says": _vessel_words(
            cells, top, plan, weights, f"{'enough' if is_enough else 'too little'} for the indicator ({least_uv:g} \u00b5V)"
        ),
        "plan": [
            {"step": n, "do": p.do, "load": f"{p.load_kg:g} kg", "U, k = 2": f"{2 * p.u_kg:.3g} kg"} for n, p in enumerate(plan.steps, 1)
        ],
    }


def _vessel_words(cells: loading.Cells, top: float, plan: loading.VesselPlan, weights: float, signal: str) -> str:
    by_way = "; ".join(f"{WAYS[way]} {2 * u:.3g} kg" for way, u in plan.u_at_top.items())
    return (
        f"{cells.live_kg:g} kg of the cells are left for product, {cells.live_kg - top:g} kg more than Max. A division is {plan.uv_per_division:.3g} "
        f"\u00b5V, {signal}. A test load counts from {plan.least_kg:g} kg on; {weights:g} kg are to hand. U at Max: {by_way}. Best: {WAYS[plan.best]}."
    )
