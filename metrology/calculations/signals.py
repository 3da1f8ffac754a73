"""Output of a transmitter, and its current loop."""

from __future__ import annotations

from metrology.calculations.registry import Result, calculator, transfer_of
from metrology.calculator_fields import Input
from metrology.quantities import level, loop
from metrology.quantities.transfer import ideal_output, input_for_output, input_fraction, require_output, require_span
from metrology.quantities.units import UNITS, convert, quantity_of


@calculator("signal", "Output of a transmitter for a value in its range.")
def _signal(given: Input) -> Result:
    lrv, urv, value = given.number("lrv"), given.number("urv"), given.number("value")
    lo, hi = given.number("output_lo", default=4.0), given.number("output_hi", default=20.0)
    transfer = transfer_of(given)
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
    transfer = transfer_of(given)
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


@calculator("convert", "One unit of a quantity to another.")
def _convert(given: Input) -> Result:
    units = tuple(u for names in UNITS.values() for u in names)
    by_name = {u.lower(): u for u in reversed(units)}

    def unit(field: str) -> str:
        text = given.text(field).strip()
        return text if text in units else by_name.get(text.lower(), text)

    from_unit, to_unit = unit("from"), unit("to")
    return {"value": convert(given.number("value"), from_unit, to_unit=to_unit), "unit": to_unit, "quantity": quantity_of(from_unit) or ""}


@calculator("level-head", "Range of a level transmitter by the head of the liquid, with a dry or a wet leg.")
def _level_head(given: Input) -> Result:
    found = level.level_head(
        given.number("low_m"),
        given.number("high_m"),
        density=given.number("density"),
        leg=given.choice("leg", (level.DRY, level.WET), default=level.DRY),
        leg_density=given.number("leg_density", default=1000.0),
        leg_height_m=given.number("leg_height_m", default=0.0),
        mount_m=given.number("mount_m", default=0.0),
        line_density=given.number("line_density") if given.has("line_density") else None,
        gravity=given.number("gravity", default=level.G),
    )
    return {"lrv_kpa": found.lrv_kpa, "urv_kpa": found.urv_kpa, "span_kpa": found.urv_kpa - found.lrv_kpa, "says": found.says}
