"""Output of a transmitter, and its current loop."""

from __future__ import annotations

from metrology.calculations.registry import Result, calculator, transfer_of
from metrology.calculator_fields import Input
from metrology.quantities import loop
from metrology.quantities.transfer import ideal_output, input_for_output, input_fraction, require_output, require_span


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
