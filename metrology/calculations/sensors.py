"""Thermocouples, platinum, pH electrodes."""

from __future__ import annotations

from metrology.calculations.registry import Result, calculator
from metrology.calculator_fields import Input
from metrology.quantities import acidity, temperature


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
