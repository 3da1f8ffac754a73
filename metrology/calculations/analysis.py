"""Online analyzers: conductivity, chromatograms, come-down, cross-effects."""

from __future__ import annotations

from metrology.calculations.registry import Result, calculator
from metrology.calculator_fields import Input
from metrology.faults import Fault
from metrology.judgement.comedown import fit_come_down, forecast, forecast_words
from metrology.quantities import chromatography, conductivity, crosseffects


@calculator("conductivity", "Conductivity referred to 25 °C, and of a standard solution at its temperature.")
def _conductivity(given: Input) -> Result:
    temp_c = given.number("temp_c")
    mode = given.choice("mode", conductivity.MODES, default="linear")
    factor = conductivity.to_reference(temp_c, mode, percent_per_c=given.number("percent_per_c", default=2.0))
    solution = given.choice("solution", tuple(conductivity.SOLUTIONS), default="") if given.has("solution") else ""
    out: Result = {"factor": factor}
    if given.has("value"):
        out["at_25_c"] = given.number("value") * factor
    if solution:
        out["solution_us_cm"] = conductivity.solution_conductivity(solution, temp_c)
    if len(out) == 1:
        raise Fault("missing", "value is missing; give a reading to refer to 25 °C, or a solution.", field="value")
    return out


@calculator("cell-constant", "Cell constant from a reading in a standard solution.")
def _cell_constant(given: Input) -> Result:
    temp_c = given.number("temp_c")
    solution = given.choice("solution", (*conductivity.SOLUTIONS, "other"))
    is_own = solution == "other"
    own = given.number("true_us_cm") if is_own or given.has("true_us_cm") else 0.0
    true = own if is_own else conductivity.solution_conductivity(solution, temp_c)
    now = given.number("constant_now", default=1.0)
    read = given.number("read_us_cm")
    new = now * conductivity.cell_constant(true, read)
    return {"constant": new, "solution_us_cm": true, "change_percent": 100 * (new / now - 1)}


@calculator("peak-resolution", "Resolution of two neighbouring peaks.")
def _peak_resolution(given: Input) -> Result:
    value = chromatography.resolution(given.number("t1"), given.number("t2"), w1=given.number("w1"), w2=given.number("w2"))
    return {"resolution": value, "is_baseline": value >= 1.5}


@calculator("response-factor", "Response factor, and how far two injections are apart.")
def _response_factor(given: Input) -> Result:
    signal = given.number("signal")
    concentration = given.number("concentration")
    out: Result = {"factor": chromatography.response_factor(signal, concentration)}
    if given.has("again"):
        out["apart_percent"] = chromatography.apart_percent(signal, given.number("again"))
    if given.has("sample_signal"):
        out["sample"] = given.number("sample_signal") / out["factor"]
    return out


@calculator("carry-over", "What a blank still shows of the standard before it.")
def _carry_over(given: Input) -> Result:
    value = chromatography.carry_over(given.number("standard"), given.number("blank"))
    limit = given.number("limit_percent", default=1.0)
    return {"percent": value, "is_inside": value <= limit * (1 + 1e-9)}


@calculator("come-down", "When a trace that was flooded will be under its target.")
def _come_down(given: Input) -> Result:
    rows = [(row.number("minutes"), row.number("value")) for row in given.rows("readings")]
    target = given.number("target")
    found = fit_come_down([t for t, _ in rows], [v for _, v in rows])
    f = forecast(found, target)
    return {
        "minutes": f.likely,
        "at_earliest": f.early,
        "at_latest": f.late,
        "heads_for": f.end,
        "fast_minutes": found.fast_tau,
        "slow_minutes": found.slow_tau,
        "says": forecast_words(f, target, given.text("unit", default="ppm")),
    }


@calculator("cross-effects", "The order of setting components that disturbs least, from a matrix of cross-effects.")
def _cross_effects(given: Input) -> Result:
    tolerances: dict[str, float] = {}
    for row in given.rows("components"):
        name = row.text("name")
        if name in tolerances:
            raise Fault("doubled", f"components has '{name}' twice.", field="components")
        tolerances[name] = row.number("tolerance")
    effects = [(row.text("set"), row.text("moves"), row.number("by")) for row in given.rows("effects")]
    found = crosseffects.least_disturbing(tolerances, effects)
    return {
        "order": [{"place": n, "set": name} for n, name in enumerate(found.names, 1)],
        "left": [{"set": a, "moves": b, "tolerances": v} for a, b, v in found.left],
        "circular": [{"one": a, "other": b} for a, b in found.circular],
        "says": found.says,
    }
