"""Thermocouples (ITS-90, NIST Monograph 175 / IEC 60584-1:2013) and platinum resistances (IEC 60751:2022)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from metrology.faults import Fault, require_finite, require_positive, require_range
from metrology.quantities.thermocouple_tables import K_EXPONENTIAL, REFERENCE_FUNCTIONS

# IEC 60751:2022, clause 4: coefficients of the Callendar-Van Dusen equation for industrial platinum.
CVD_A = 3.9083e-3
CVD_B = -5.775e-7
CVD_C = -4.183e-12
PT_LOW_C, PT_HIGH_C = -200.0, 850.0

# Where the type B curve turns: below it the electromotive force falls with temperature.
_B_MINIMUM_C = 21.020262


def _pieces(kind: str) -> tuple[tuple[float, float, tuple[float, ...]], ...]:
    try:
        return REFERENCE_FUNCTIONS[kind.upper()]
    except (KeyError, AttributeError):
        known = ", ".join(REFERENCE_FUNCTIONS)
        raise Fault("unknown_thermocouple", f"type is {kind!r}; known are {known}.", field="type") from None


def thermocouple_range(kind: str) -> tuple[float, float]:
    """Valid temperatures of a thermocouple type in C, lowest and highest."""
    pieces = _pieces(kind)
    return pieces[0][0], pieces[-1][1]


def _emf(kind: str, t90_c: float) -> float:
    pieces = _pieces(kind)
    coefficients = next(c for _, high, c in pieces if t90_c <= high or high == pieces[-1][1])
    emf = 0.0
    for c in reversed(coefficients):
        emf = emf * t90_c + c
    if kind.upper() == "K" and t90_c > 0:
        a0, a1, a2 = K_EXPONENTIAL
        emf += a0 * math.exp(a1 * (t90_c - a2) ** 2)
    return emf


def thermocouple_emf(kind: str, t90_c: float, *, cold_junction_c: float = 0.0) -> float:
    """Electromotive force in mV of a thermocouple between t90_c and its cold junction.

    E = E_ref(t90) - E_ref(t_cj). Type letter B E J K N R S T; both temperatures inside the type's range.
    Source: NIST Monograph 175, reference functions.

    >>> round(thermocouple_emf("K", 100.0), 3)
    4.096
    """
    low, high = thermocouple_range(kind)
    require_range(t90_c, low, high, field="t90_c", unit="°C")
    require_range(cold_junction_c, low, high, field="cold_junction_c", unit="°C")
    return _emf(kind, t90_c) - _emf(kind, cold_junction_c)


def thermocouple_temperature(kind: str, emf_mv: float, *, cold_junction_c: float = 0.0) -> float:
    """Temperature in C that gives emf_mv against a cold junction: the reference function inverted by bisection.

    Inverting the function itself (instead of the published approximate inverses) covers the whole
    range and closes to better than 1e-9 °C. Type B is inverted on its rising branch, above 21 °C.
    Source: NIST Monograph 175.

    >>> round(thermocouple_temperature("K", 4.096), 1)
    100.0
    """
    low, high = thermocouple_range(kind)
    require_range(cold_junction_c, low, high, field="cold_junction_c", unit="°C")
    if kind.upper() == "B":
        low = _B_MINIMUM_C
    offset = _emf(kind, cold_junction_c)
    total = require_finite(emf_mv, "emf_mv") + offset
    e_low, e_high = _emf(kind, low), _emf(kind, high)
    # A value rounded to the table's microvolt may lie just outside the ends of the function.
    if not e_low - 6e-4 <= total <= e_high + 6e-4:
        raise Fault(
            "out_of_range",
            f"emf_mv is {emf_mv:g} mV; type {kind.upper()} with its cold junction at {cold_junction_c:g} °C "
            f"gives {e_low - offset:.3f} to {e_high - offset:.3f} mV.",
            field="emf_mv",
            low=e_low - offset,
            high=e_high - offset,
        )
    for _ in range(80):
        middle = 0.5 * (low + high)
        if _emf(kind, middle) < total:
            low = middle
        else:
            high = middle
    return 0.5 * (low + high)


def pt_resistance(t90_c: float, *, r0: float = 100.0) -> float:
    """Resistance in ohm of an industrial platinum element, -200 to 850 °C.

    R = R0 (1 + A t + B t^2) from 0 °C up; below, R0 (1 + A t + B t^2 + C (t - 100) t^3).
    Source: IEC 60751:2022, clause 4.

    >>> round(pt_resistance(100.0), 2)
    138.51
    """
    require_range(t90_c, PT_LOW_C, PT_HIGH_C, field="t90_c", unit="°C")
    require_positive(r0, "r0", "ohm")
    t = t90_c
    ratio = 1 + CVD_A * t + CVD_B * t * t
    if t < 0:
        ratio += CVD_C * (t - 100.0) * t**3
    return r0 * ratio


def pt_temperature(ohm: float, *, r0: float = 100.0) -> float:
    """Temperature in C of an industrial platinum element of resistance `ohm`; the inverse of `pt_resistance`.

    Above 0 °C the quadratic is solved, below it the quartic is bisected. Source: IEC 60751:2022, clause 4.

    >>> round(pt_temperature(138.5055), 3)
    100.0
    """
    require_positive(r0, "r0", "ohm")
    low, high = pt_resistance(PT_LOW_C, r0=r0), pt_resistance(PT_HIGH_C, r0=r0)
    slack = r0 * 1e-4  # tables are rounded to 0.01 ohm in 100
    require_range(ohm, low - slack, high + slack, field="ohm", unit="ohm")
    if ohm >= r0:
        return (-CVD_A + math.sqrt(CVD_A**2 - 4 * CVD_B * (1 - ohm / r0))) / (2 * CVD_B)
    a, b = PT_LOW_C, 0.0
    for _ in range(80):
        middle = 0.5 * (a + b)
        if pt_resistance(middle, r0=r0) < ohm:
            a = middle
        else:
            b = middle
    return 0.5 * (a + b)


def sensor_signal(sensor: str, t90_c: float, *, r0: float = 100.0, cold_junction_c: float = 0.0) -> float:
    """Signal of a sensor at a temperature: ohm for "pt", mV for "tc-k" and the like against its cold junction."""
    if sensor == "pt":
        return pt_resistance(t90_c, r0=r0)
    return thermocouple_emf(sensor.removeprefix("tc-"), t90_c, cold_junction_c=cold_junction_c)


def sensor_temperature(sensor: str, signal: float, *, r0: float = 100.0, cold_junction_c: float = 0.0) -> float:
    """Temperature in C that a sensor's signal (ohm or mV) stands for; the inverse of `sensor_signal`."""
    if sensor == "pt":
        return pt_temperature(signal, r0=r0)
    return thermocouple_temperature(sensor.removeprefix("tc-"), signal, cold_junction_c=cold_junction_c)


@dataclass(frozen=True)
class Platinum:
    """Callendar-Van Dusen coefficients of one element: R = R0 (1 + A t + B t^2 + C (t - 100) t^3), the C term below 0 °C only."""

    r0: float
    a: float = CVD_A
    b: float = CVD_B
    c: float = CVD_C

    def resistance(self, t90_c: float) -> float:
        """Resistance in ohm at a temperature, -200 to 850 °C."""
        t = require_range(t90_c, PT_LOW_C, PT_HIGH_C, field="t90_c", unit="°C")
        ratio = 1 + self.a * t + self.b * t * t
        return self.r0 * (ratio + (self.c * (t - 100.0) * t**3 if t < 0 else 0.0))

    def temperature(self, ohm: float) -> float:
        """Temperature in C for a resistance: the curve inverted by bisection over -200 to 850 °C."""
        low, high = PT_LOW_C, PT_HIGH_C
        require_range(ohm, self.resistance(low), self.resistance(high), field="ohm", unit="ohm")
        for _ in range(80):
            middle = 0.5 * (low + high)
            low, high = (middle, high) if self.resistance(middle) < ohm else (low, middle)
        return 0.5 * (low + high)


def fit_platinum(points: Sequence[tuple[float, float]]) -> Platinum:
    """R0, A and B that fit (temperature in C, ohm) best, by least squares; C stays that of IEC 60751.

    Three or more different temperatures are needed for all three; with two, B stays that of IEC 60751, and R0 and A
    are fitted. Raises a Fault for fewer. Source: IEC 60751:2022, clause 4, linear in R0, R0 A and R0 B.
    """
    places = {round(t, 1) for t, _ in points}
    if len(places) < 2:
        raise Fault("too_few_points", "Fitting coefficients needs readings at two different temperatures or more.", field="points")
    keep_b = len(places) < 3
    scale = max(abs(t) for t, _ in points)  # keeps the normal equations well conditioned
    rows, wanted = [], []
    for t, ohm in points:
        low = CVD_C * (t - 100.0) * t**3 if t < 0 else 0.0
        x = t / scale
        rows.append([1.0 + low + (CVD_B * t * t if keep_b else 0.0), x] + ([] if keep_b else [x * x]))
        wanted.append(ohm)
    solved = _least_squares(rows, wanted)
    r0 = solved[0]
    b = CVD_B if keep_b else solved[2] / r0 / scale**2
    return Platinum(r0, solved[1] / r0 / scale, b)


def _least_squares(rows: Sequence[Sequence[float]], wanted: Sequence[float]) -> list[float]:
    """Solution of the normal equations by elimination with pivoting."""
    n = len(rows[0])
    m = [
        [math.fsum(r[i] * r[j] for r in rows) for j in range(n)] + [math.fsum(r[i] * w for r, w in zip(rows, wanted, strict=True))]
        for i in range(n)
    ]
    for i in range(n):
        top = max(range(i, n), key=lambda k: abs(m[k][i]))
        m[i], m[top] = m[top], m[i]
        if abs(m[i][i]) < 1e-12:
            raise Fault("too_few_points", "These points do not settle the coefficients; take them further apart.", field="points")
        for k in range(n):
            if k != i:
                f = m[k][i] / m[i][i]
                m[k] = [a - f * b for a, b in zip(m[k], m[i], strict=True)]
    return [m[i][n] / m[i][i] for i in range(n)]


@dataclass(frozen=True)
class SensorClass:
    """A tolerance class of a sensor: +-max(absolute, fraction * |t|) or +-(absolute + fraction * |t|)."""

    low_c: float
    high_c: float
    absolute_c: float
    fraction: float
    form: str  # "sum", "greater" or "r-s-1"


# IEC 60751:2022 table 3 (wire-wound elements, and film elements, which hold in a narrower range) and IEC 60584-1:2013 table 12.
SENSOR_CLASSES: dict[str, SensorClass] = {
    "pt-aa": SensorClass(-50, 250, 0.1, 0.0017, "sum"),
    "pt-a": SensorClass(-100, 450, 0.15, 0.002, "sum"),
    "pt-b": SensorClass(-196, 600, 0.3, 0.005, "sum"),
    "pt-c": SensorClass(-196, 600, 0.6, 0.01, "sum"),
    "pt-aa-film": SensorClass(0, 150, 0.1, 0.0017, "sum"),
    "pt-a-film": SensorClass(-30, 300, 0.15, 0.002, "sum"),
    "pt-b-film": SensorClass(-50, 500, 0.3, 0.005, "sum"),
    "pt-c-film": SensorClass(-50, 600, 0.6, 0.01, "sum"),
    "tc-t-1": SensorClass(-40, 350, 0.5, 0.004, "greater"),
    "tc-t-2": SensorClass(-40, 350, 1.0, 0.0075, "greater"),
    "tc-t-3": SensorClass(-200, 40, 1.0, 0.015, "greater"),
    "tc-e-1": SensorClass(-40, 800, 1.5, 0.004, "greater"),
    "tc-e-2": SensorClass(-40, 900, 2.5, 0.0075, "greater"),
    "tc-e-3": SensorClass(-200, 40, 2.5, 0.015, "greater"),
    "tc-j-1": SensorClass(-40, 750, 1.5, 0.004, "greater"),
    "tc-j-2": SensorClass(-40, 750, 2.5, 0.0075, "greater"),
    "tc-k-1": SensorClass(-40, 1000, 1.5, 0.004, "greater"),
    "tc-k-2": SensorClass(-40, 1200, 2.5, 0.0075, "greater"),
    "tc-k-3": SensorClass(-200, 40, 2.5, 0.015, "greater"),
    "tc-n-1": SensorClass(-40, 1000, 1.5, 0.004, "greater"),
    "tc-n-2": SensorClass(-40, 1200, 2.5, 0.0075, "greater"),
    "tc-n-3": SensorClass(-200, 40, 2.5, 0.015, "greater"),
    "tc-r-1": SensorClass(0, 1600, 1.0, 0.003, "r-s-1"),
    "tc-r-2": SensorClass(0, 1600, 1.5, 0.0025, "greater"),
    "tc-s-1": SensorClass(0, 1600, 1.0, 0.003, "r-s-1"),
    "tc-s-2": SensorClass(0, 1600, 1.5, 0.0025, "greater"),
    "tc-b-2": SensorClass(600, 1700, 1.5, 0.0025, "greater"),
    "tc-b-3": SensorClass(600, 1700, 4.0, 0.005, "greater"),
}


def sensor_tolerance(sensor: str, t90_c: float) -> float:
    """Tolerance in C, plus or minus, of a sensor class at a temperature, inside the range the class is defined for.

    Sources: IEC 60751:2022 table 3 (pt-aa, pt-a, pt-b, pt-c; with -film: film elements); IEC 60584-1:2013 table 12 (tc-TYPE-CLASS).

    >>> round(sensor_tolerance("pt-a", 100.0), 3)
    0.35
    """
    try:
        c = SENSOR_CLASSES[sensor.lower()]
    except (KeyError, AttributeError):
        known = ", ".join(SENSOR_CLASSES)
        raise Fault("unknown_sensor", f"sensor is {sensor!r}; known are {known}.", field="sensor") from None
    require_range(t90_c, c.low_c, c.high_c, field="t90_c", unit="°C")
    if c.form == "sum":
        return c.absolute_c + c.fraction * abs(t90_c)
    if c.form == "r-s-1":
        return c.absolute_c if t90_c <= 1100 else c.absolute_c + c.fraction * (t90_c - 1100)
    return max(c.absolute_c, c.fraction * abs(t90_c))


def class_covers(sensor: str, t90_c: float) -> bool:
    """Whether a class is defined at a temperature."""
    c = SENSOR_CLASSES[sensor.lower()]
    return c.low_c <= t90_c <= c.high_c


BEYOND = 0.05  # of a curve: how far past its ends it is drawn on by a straight line, to read a sensor that is a little off at them
_LEAST_PER_C = {"pt": 0.01, "tc": 2e-4}  # ohm or mV per C: where a curve stands still, as type B near 21 C, it tells nothing finer


def sensor_range(sensor: str) -> tuple[float, float]:
    """Temperatures of a sensor's curve in C, lowest and highest; sensor is pt or tc-TYPE."""
    return (PT_LOW_C, PT_HIGH_C) if sensor == "pt" else thermocouple_range(sensor[3:])


def _slope(sensor: str, end: float, *, r0: float) -> float:
    """ohm or mV per C just inside an end of the curve; type B, which falls from 0 to 21 C, is taken to rise by what is worth telling."""
    low, high = sensor_range(sensor)
    inner = min(max(end, low + 1.0), high - 1.0)
    slope = (sensor_signal(sensor, inner, r0=r0) - sensor_signal(sensor, end, r0=r0)) / (inner - end)
    return max(slope, _LEAST_PER_C[sensor[:2]])


def sensor_signal_beyond(sensor: str, t90_c: float, *, r0: float = 100.0, cold_junction_c: float = 0.0) -> float:
    """A sensor's signal at a temperature; past an end of its curve on the straight line there. For limits of what is believed, not for a point."""
    low, high = sensor_range(sensor)
    end = min(max(t90_c, low), high)
    at_end = sensor_signal(sensor, end, r0=r0, cold_junction_c=cold_junction_c)
    return at_end if end == t90_c else at_end + _slope(sensor, end, r0=r0) * (t90_c - end)


def sensor_temperature_beyond(sensor: str, signal: float, *, near: float, r0: float = 100.0, cold_junction_c: float = 0.0) -> float:
    """The temperature a signal stands for; past an end of the curve, but not by more than a twentieth of it, on the straight line there.

    near: where it was read. Type B gives the same signal at two temperatures below 42 C and nothing that can be told apart: within 3 uV of what belongs
    to `near` it is taken for that. Raises a Fault for a signal further away.
    """
    low, high = sensor_range(sensor)
    if sensor == "tc-b" and near < 50.0:
        there = sensor_signal(sensor, max(near, low), cold_junction_c=cold_junction_c)
        if abs(signal - there) <= 3.001e-3:
            return max(near, low)
    try:
        return sensor_temperature(sensor, signal, r0=r0, cold_junction_c=cold_junction_c)
    except Fault:
        for end in (low, high):
            at_end = sensor_signal(sensor, end, r0=r0, cold_junction_c=cold_junction_c)
            beyond = (signal - at_end) / _slope(sensor, end, r0=r0)
            if 0 <= (beyond if end == high else -beyond) <= BEYOND * (high - low):
                return end + beyond
        raise


def sensor_sensitivity(sensor: str, t90_c: float, *, r0: float = 100.0) -> float:
    """ohm or mV per C at a temperature of the curve, never less than what is worth telling."""
    low, high = sensor_range(sensor)
    a, b = max(low, t90_c - 0.5), min(high, t90_c + 0.5)
    if b <= a:  # past an end: what holds there
        a, b = (high - 1.0, high) if t90_c > high else (low, low + 1.0)
    change = abs(sensor_signal(sensor, b, r0=r0) - sensor_signal(sensor, a, r0=r0)) / (b - a)
    return max(change, _LEAST_PER_C[sensor[:2]])


def require_sensor_covers(sensor: str, low_c: float, high_c: float) -> None:
    """Refuse a range that the sensor's curve does not reach."""
    low, high = sensor_range(sensor)
    if not low <= min(low_c, high_c) <= max(low_c, high_c) <= high:
        told = f"The curve of this sensor goes from {low:g} to {high:g} °C; the range asks for {min(low_c, high_c):g} to {max(low_c, high_c):g} °C."
        raise Fault("beyond_curve", told, field="urv" if max(low_c, high_c) > high else "lrv", low=low, high=high)
