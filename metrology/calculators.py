"""The named calculations: one registry behind the command line, HTTP and the page.

Each entry maps a name to its fields and a function that takes the parsed input and gives plain data.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from metrology.calculator_fields import Input
from metrology.faults import Fault
from metrology.judgement.decision import FAIL, PASS, RULES, decide
from metrology.judgement.drift import fit_line, prediction_band
from metrology.judgement.errors import Point, measure_point, statistics
from metrology.judgement.signature import Curve, find_signatures
from metrology.judgement.uncertainty import Component, combine
from metrology.quantities import acidity, belt, buoyancy, flow, gas, loop, temperature, weighing
from metrology.quantities.transfer import (
    Transfer,
    ideal_output,
    input_for_output,
    input_fraction,
    require_output,
    require_span,
)

Result = dict[str, Any]
_TRANSFERS = ("linear", "sqrt", "reverse")


@dataclass(frozen=True)
class Calculator:
    """A named calculation: what it is for, and its function."""

    name: str
    purpose: str
    run: Callable[[Input], Result]


CALCULATORS: dict[str, Calculator] = {}


def calculator(name: str, purpose: str) -> Callable[[Callable[[Input], Result]], Callable[[Input], Result]]:
    """Register a function under its fixed name."""

    def register(function: Callable[[Input], Result]) -> Callable[[Input], Result]:
        CALCULATORS[name] = Calculator(name, purpose, function)
        return function

    return register


def calculate(name: str, data: Mapping[str, Any]) -> Result:
    """Run the calculation `name` on `data`; raises a Fault for an unknown name, an unknown or bad field."""
    try:
        entry = CALCULATORS[name]
    except KeyError:
        raise Fault("unknown_calculator", f"name is {name!r}; known are {', '.join(CALCULATORS)}.", field="name") from None
    given = Input(data)
    try:
        result = entry.run(given)
    except OverflowError:
        raise Fault("out_of_range", "The result is too large to compute; check the input for a slip of units.") from None
    given.refuse_unknown()
    return {key: _plain(value) for key, value in result.items()}


def _plain(value: Any) -> Any:
    """Infinite and undefined numbers become null, since JSON has no word for them."""
    if isinstance(value, float) and not math.isfinite(value):
        return None
    if isinstance(value, dict):
        return {k: _plain(v) for k, v in value.items()}
    if isinstance(value, list):
        return [_plain(v) for v in value]
    return value


def _transfer(given: Input) -> Transfer:
    kind = given.choice("transfer", _TRANSFERS, default="linear")
    return Transfer(kind, given.number("cutoff_percent", default=0.0))


@calculator("signal", "Output of a transmitter for a value in its range.")
def _signal(given: Input) -> Result:
    lrv, urv, value = given.number("lrv"), given.number("urv"), given.number("value")
    lo, hi = given.number("output_lo", default=4.0), given.number("output_hi", default=20.0)
    transfer = _transfer(given)
    output = ideal_output(value, transfer, lrv=lrv, urv=urv, output_lo=lo, output_hi=hi)
    return {
        "percent": 100.0 * (value - lrv) / require_span(lrv, urv),
        "output": output,
        "output_percent": 100.0 * (output - lo) / require_output(lo, hi),
    }


@calculator("signal-inverse", "Value in the range that an output stands for.")
def _signal_inverse(given: Input) -> Result:
    lrv, urv, output = given.number("lrv"), given.number("urv"), given.number("output")
    lo, hi = given.number("output_lo", default=4.0), given.number("output_hi", default=20.0)
    transfer = _transfer(given)
    y = (output - lo) / require_output(lo, hi)
    return {
        "percent": 100.0 * input_fraction(transfer, y),
        "value": input_for_output(output, transfer, lrv=lrv, urv=urv, output_lo=lo, output_hi=hi),
        "output_percent": 100.0 * y,
    }


@calculator("loop", "Sense voltage, or the voltage budget of a current loop.")
def _loop(given: Input) -> Result:
    if given.has("ma"):
        return {"volts": loop.sense_voltage(given.number("ma"), ohms=given.number("ohms", default=250.0))}
    fault = given.flag("fault_current")
    budget = loop.loop_budget(
        given.number("supply_v"),
        given.number("lift_off_v"),
        ohms=given.number("ohms"),
        max_ma=given.number("max_ma", default=loop.FAULT_MAX_MA if fault else loop.NORMAL_MAX_MA),
    )
    return {
        "available_v": budget.available_v,
        "margin_v": budget.margin_v,
        "communicates": budget.communicates,
        "reason": budget.reason,
    }


@calculator("thermocouple-emf", "Electromotive force of a thermocouple, ITS-90.")
def _thermocouple_emf(given: Input) -> Result:
    emf = temperature.thermocouple_emf(
        given.text("type"), given.number("t90_c"), cold_junction_c=given.number("cold_junction_c", default=0.0)
    )
    return {"emf_mv": emf}


@calculator("thermocouple-temperature", "Temperature of a thermocouple from its voltage, ITS-90.")
def _thermocouple_temperature(given: Input) -> Result:
    t90 = temperature.thermocouple_temperature(
        given.text("type"), given.number("emf_mv"), cold_junction_c=given.number("cold_junction_c", default=0.0)
    )
    return {"t90_c": t90}


@calculator("pt-resistance", "Resistance of a platinum element, IEC 60751.")
def _pt_resistance(given: Input) -> Result:
    return {"ohm": temperature.pt_resistance(given.number("t90_c"), r0=given.number("r0", default=100.0))}


@calculator("pt-temperature", "Temperature of a platinum element, IEC 60751.")
def _pt_temperature(given: Input) -> Result:
    return {"t90_c": temperature.pt_temperature(given.number("ohm"), r0=given.number("r0", default=100.0))}


@calculator("sensor-tolerance", "Tolerance of a sensor class at a temperature.")
def _sensor_tolerance(given: Input) -> Result:
    return {"tolerance_c": temperature.sensor_tolerance(given.text("sensor"), given.number("t90_c"))}


@calculator("ph-buffer", "pH of a buffer at a temperature.")
def _ph_buffer(given: Input) -> Result:
    return {"ph": acidity.buffer_ph(given.text("set"), given.number("nominal"), given.number("temp_c"))}


@calculator("ph-slope", "Slope, efficiency and offset of a pH electrode from two buffers.")
def _ph_slope(given: Input) -> Result:
    s = acidity.electrode_slope(
        given.number("e1_mv"), given.number("ph1"), e2_mv=given.number("e2_mv"), ph2=given.number("ph2"), temp_c=given.number("temp_c")
    )
    return {
        "slope_mv_per_ph": s.slope_mv_per_ph,
        "theoretical_mv_per_ph": s.theoretical_mv_per_ph,
        "efficiency_percent": s.efficiency_percent,
        "offset_mv": s.offset_mv,
        "verdict": s.verdict,
        "reason": s.reason,
    }


@calculator("gas-convert", "Concentration between ppm, % vol and %LEL, on either LEL basis.")
def _gas_convert(given: Input) -> Result:
    found = gas.find_gas(given.text("gas"))
    basis = given.choice("basis", tuple(gas.BASES), default="iec")
    value = gas.gas_convert(
        given.number("value"),
        found,
        from_unit=given.choice("from", ("ppm", "vol", "lel")),
        to_unit=given.choice("to", ("ppm", "vol", "lel")),
        basis=basis,
    )
    return {
        "value": value,
        "lel_percent_vol": gas.lel_percent_vol(found, basis),
        "basis": basis,
        "source": gas.BASES[basis],
    }


@calculator("gas-reference-voltage", "Reference voltage that stands for a gas concentration on a channel.")
def _gas_reference_voltage(given: Input) -> Result:
    return {"volts": gas.reference_voltage(given.number("concentration"), given.number("range"), full_scale_v=given.number("full_scale_v"))}


@calculator("gas-volume", "Litres of gas for a number of exposures.")
def _gas_volume(given: Input) -> Result:
    return {"litres": gas.gas_volume(given.number("flow_l_min"), given.number("minutes"), exposures=given.number("exposures", default=1.0))}


@calculator("purge-cycles", "Fill-and-vent cycles to purge a regulator.")
def _purge_cycles(given: Input) -> Result:
    cycles, residual = gas.purge_cycles(
        given.number("gauge_kpa"),
        given.number("start_ppm"),
        target_ppm=given.number("target_ppm"),
        atmosphere_kpa=given.number("atmosphere_kpa", default=101.325),
    )
    return {"cycles": cycles, "residual_ppm": residual}


@calculator("displacer", "Buoyancy and apparent weight of a displacer.")
def _displacer(given: Input) -> Result:
    weight = given.number("weight")
    if given.has("volume"):
        volume = given.number("volume")
    else:
        if not given.has("diameter"):
            raise Fault("missing", "volume is missing; give volume, or diameter and length, above 0.", field="volume")
        volume = buoyancy.cylinder_volume(given.number("diameter"), given.number("length"))
    lift, apparent = buoyancy.displacer_load(
        weight,
        volume,
        density=given.number("density"),
        upper_density=given.number("upper_density", default=0.0),
        percent=given.number("percent"),
    )
    return {"buoyancy": lift, "apparent_weight": apparent, "volume": volume}


@calculator("belt-revolutions", "Whole belt revolutions for a target time.")
def _belt_revolutions(given: Input) -> Result:
    n, duration = belt.belt_revolutions(given.number("belt_length_m"), given.number("speed_m_s"), minutes=given.number("minutes"))
    return {"revolutions": n, "duration_s": duration}


@calculator("belt-load", "Load per metre and rate that a test weight stands for.")
def _belt_load(given: Input) -> Result:
    kg_per_m, rate = belt.belt_load(given.number("test_weight_kg"), given.number("idler_pitch_m"), speed_m_s=given.number("speed_m_s"))
    return {"kg_per_m": kg_per_m, "t_per_h": rate}


@calculator("vessel-signal", "Signal of a vessel on load cells.")
def _vessel_signal(given: Input) -> Result:
    supports = given.number("supports")
    s = weighing.vessel_signal(
        supports,
        given.number("cell_capacity_kg"),
        sensitivity_mv_v=given.number("sensitivity_mv_v"),
        excitation_v=given.number("excitation_v"),
        dead_load_kg=given.number("dead_load_kg"),
        division_kg=given.number("division_kg"),
    )
    return {
        "live_capacity_kg": s.live_capacity_kg,
        "uv_per_kg": s.uv_per_kg,
        "uv_per_division": s.uv_per_division,
        "divisions": s.divisions,
    }


@calculator("scale-tolerance", "Permissible error of a scale in divisions, OIML or Handbook 44.")
def _scale_tolerance(given: Input) -> Result:
    return {
        "tolerance_divisions": weighing.scale_tolerance(
            given.text("scheme"), given.number("load_divisions"), stage=given.text("stage", default="initial")
        )
    }


@calculator("duplicate", "Difference of two results against a limit.")
def _duplicate(given: Input) -> Result:
    a, b, limit = given.number("a"), given.number("b"), given.number("limit_percent")
    if limit <= 0:
        raise Fault("not_positive", f"limit_percent is {limit:g}; it must be above 0.", field="limit_percent")
    mean = (a + b) / 2.0
    if mean == 0:
        raise Fault("zero_mean", f"a is {a:g} and b is {b:g}; their mean is 0 and has no percent.", field="a")
    difference = 100.0 * abs(a - b) / abs(mean)
    return {"difference_percent": difference, "agrees": difference <= limit * (1 + 1e-12)}


@calculator("points", "Errors and statistics of a set of transmitter readings.")
def _points(given: Input) -> Result:
    lrv, urv = given.number("lrv"), given.number("urv")
    lo, hi = given.number("output_lo", default=4.0), given.number("output_hi", default=20.0)
    transfer = _transfer(given)
    tolerance = given.number("tolerance_percent")
    if tolerance <= 0:
        raise Fault("tolerance_not_positive", f"tolerance_percent is {tolerance:g}; it must be above 0.", field="tolerance_percent")
    points: list[Point] = []
    for row in given.rows("readings"):
        points.append(
            measure_point(
                row.number("applied"),
                row.number("indicated"),
                lrv=lrv,
                urv=urv,
                transfer=transfer,
                output_lo=lo,
                output_hi=hi,
                direction=row.choice("direction", ("up", "down"), default="up"),
            )
        )
        row.number("cycle", default=1.0)
    stats = statistics(points)
    signatures = find_signatures(Curve(tuple(points), tolerance, transfer, lrv, urv, ""))
    inside = abs(stats.max_error) <= tolerance * (1 + 1e-10)
    return {
        "points": [
            {
                "applied": p.applied,
                "indicated": p.indicated,
                "direction": p.direction,
                "ideal": p.ideal,
                "error_percent": p.error_percent,
                "verdict": PASS if abs(p.error_percent) <= tolerance * (1 + 1e-10) else FAIL,
            }
            for p in points
        ],
        "max_error": stats.max_error,
        "zero_error": stats.zero_error,
        "span_error": stats.span_error,
        "hysteresis": stats.hysteresis if stats.hysteresis is not None else 0.0,
        "linearity_independent": stats.linearity_independent,
        "linearity_terminal": stats.linearity_terminal,
        "linearity_zero_based": stats.linearity_zero_based,
        "verdict": PASS if inside else FAIL,
        "signature": signatures[0].code if signatures else "none",
        "signatures": [
            {"code": s.code, "says": s.says, "first_action": s.first_action, "confidence": s.confidence, "evidence": list(s.evidence)}
            for s in signatures
        ],
    }


@calculator("uncertainty", "Combined and expanded uncertainty, GUM.")
def _uncertainty(given: Input) -> Result:
    components = []
    for i, row in enumerate(given.rows("components")):
        divisor = row.number("divisor") if row.has("divisor") else row.number("k") if row.has("k") else None
        components.append(
            Component(
                name=row.text("name", default=str(i + 1)),
                value=row.number("value"),
                distribution=row.text("distribution", default="normal").lower(),
                divisor=divisor,
                sensitivity=row.number("sensitivity", default=1.0),
                dof=row.number("dof", default=math.inf, endless=True),
            )
        )
    u = combine(components, coverage=given.number("coverage", default=0.9545))
    return {"combined": u.combined, "effective_dof": u.effective_dof, "k": u.k, "expanded": u.expanded}


@calculator("decision", "Verdict on an error under a decision rule.")
def _decision(given: Input) -> Result:
    d = decide(
        given.number("error"),
        given.number("tolerance"),
        expanded=given.number("expanded"),
        k=given.number("k", default=2.0),
        rule=given.choice("rule", tuple(RULES), default="simple"),
        max_risk=given.number("max_risk", default=0.05),
    )
    return {
        "verdict": d.verdict,
        "guard_band": d.guard_band,
        "acceptance_limit": d.acceptance_limit,
        "tur": d.tur,
        "p_conform": d.p_conform,
        "reason": d.reason,
    }


@calculator("drift", "Straight line through results, and its prediction.")
def _drift(given: Input) -> Result:
    line = fit_line(given.numbers("x"), given.numbers("y"))
    at, confidence = given.number("at"), given.number("confidence", default=0.95)
    return {
        "slope": line.slope,
        "intercept": line.intercept,
        "s_slope": line.s_slope,
        "s_intercept": line.s_intercept,
        "r": line.r,
        "s_residual": line.s_residual,
        "predicted": line.predict(at),
        "s_predicted": line.s_predict(at),
        "band": prediction_band(line, at, confidence=confidence),
        "correlation_xy": line.correlation_xy,
        "s_next_result": line.s_next(at),
        "dof": line.dof,
    }


@calculator("coriolis-zero", "Stored against observed zero of a Coriolis meter.")
def _coriolis_zero(given: Input) -> Result:
    z = flow.coriolis_zero(
        given.number("stored"),
        given.number("observed"),
        stability=given.number("stability"),
        normal_flow=given.number("normal_flow"),
        minimum_flow=given.number("minimum_flow"),
    )
    return {
        "error_percent_normal": z.error_percent_normal,
        "error_percent_minimum": z.error_percent_minimum,
        "verdict": z.verdict,
        "reason": z.reason,
    }
