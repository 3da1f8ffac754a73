"""pH buffers against temperature, and the slope of a glass electrode."""

from __future__ import annotations

from dataclasses import dataclass

from metrology.faults import Fault, require_finite, require_range

GAS_CONSTANT = 8.314462618  # J/(mol K), CODATA 2018
FARADAY = 96485.33212  # C/mol, CODATA 2018
LN10 = 2.302585092994046

TEMPERATURES_C = (5.0, 10.0, 15.0, 20.0, 25.0, 30.0, 35.0, 40.0, 45.0, 50.0)

# Primary: DIN 19266:2015 / NIST certified values (phthalate, equimolal phosphate, borax).
# Technical: the rounded set customary in the United States, as printed on the bottles.
BUFFERS: dict[str, dict[str, tuple[float, ...]]] = {
    "nist": {
        "4.005": (3.998, 3.997, 3.998, 4.000, 4.005, 4.011, 4.018, 4.027, 4.038, 4.050),
        "6.865": (6.951, 6.923, 6.900, 6.881, 6.865, 6.853, 6.844, 6.838, 6.834, 6.833),
        "9.180": (9.395, 9.332, 9.276, 9.225, 9.180, 9.139, 9.102, 9.068, 9.038, 9.011),
    },
    "technical": {
        "4.01": (4.01, 4.00, 4.00, 4.00, 4.01, 4.01, 4.02, 4.03, 4.04, 4.06),
        "7.00": (7.09, 7.06, 7.04, 7.02, 7.00, 6.99, 6.98, 6.97, 6.97, 6.97),
        "10.01": (10.25, 10.18, 10.12, 10.06, 10.01, 9.97, 9.93, 9.89, 9.86, 9.83),
    },
}
SET_NAMES = {
    "nist": "nist",
    "din": "nist",
    "din19266": "nist",
    "nist-din": "nist",
    "nist/din": "nist",
    "primary": "nist",
    "technical": "technical",
    "us": "technical",
    "tech": "technical",
}


def buffer_ph(set_name: str, nominal: float, temp_c: float) -> float:
    """pH of a buffer at temp_c, 5 to 50 °C, straight lines between the 5 °C steps of the table.

    set_name: nist (also din, din19266, primary) or technical (also us). nominal: value at 25 °C,
    matched to 0.02 pH. Source: DIN 19266 / NIST certified values; technical set as printed on bottles.

    >>> buffer_ph("nist", 4.005, 25.0)
    4.005
    """
    key = SET_NAMES.get(str(set_name).strip().lower().replace("_", "-").replace(" ", ""))
    if key is None:
        known = ", ".join(sorted(SET_NAMES))
        raise Fault("unknown_buffer_set", f"set is {set_name!r}; known are {known}.", field="set")
    require_finite(nominal, "nominal")
    require_range(temp_c, TEMPERATURES_C[0], TEMPERATURES_C[-1], field="temp_c", unit="°C")
    name = min(BUFFERS[key], key=lambda n: abs(float(n) - nominal))
    if abs(float(name) - nominal) > 0.021:
        raise Fault(
            "unknown_buffer",
            f"nominal is {nominal:g}; set {key} holds {', '.join(BUFFERS[key])}.",
            field="nominal",
        )
    values = BUFFERS[key][name]
    i = min(int((temp_c - TEMPERATURES_C[0]) // 5), len(values) - 2)
    return values[i] + (values[i + 1] - values[i]) * (temp_c - TEMPERATURES_C[i]) / 5.0


def theoretical_slope(temp_c: float) -> float:
    """Nernst slope in mV per pH, negative: -ln(10) R T / F. Valid -5 to 150 °C.

    >>> round(theoretical_slope(25.0), 2)
    -59.16
    """
    require_range(temp_c, -5.0, 150.0, field="temp_c", unit="°C")
    return -1000.0 * LN10 * GAS_CONSTANT * (temp_c + 273.15) / FARADAY


@dataclass(frozen=True)
class ElectrodeLimits:
    """Limits of a glass electrode; percent of the theoretical slope, and mV of offset at pH 7."""

    good_low_percent: float = 92.0
    good_high_percent: float = 102.0
    watch_low_percent: float = 85.0
    contaminated_percent: float = 103.0
    same_buffer_percent: float = 20.0
    offset_mv: float = 30.0


@dataclass(frozen=True)
class ElectrodeSlope:
    """Result of a two-buffer calibration; slope in mV/pH, offset in mV at pH 7."""

    slope_mv_per_ph: float
    theoretical_mv_per_ph: float
    efficiency_percent: float
    offset_mv: float
    verdict: str
    reason: str


def electrode_slope(
    e1_mv: float, ph1: float, *, e2_mv: float, ph2: float, temp_c: float, limits: ElectrodeLimits | None = None
) -> ElectrodeSlope:
    """Slope, efficiency and offset at pH 7 of an electrode from two buffers, with the traps named.

    slope = (E1 - E2) / (pH1 - pH2); efficiency = 100 slope / theoretical; offset = E1 + slope (7 - pH1).
    Raises a Fault when both buffers have the same pH. Verdict: good, watch, replace, swapped, same-buffer,
    contaminated.
    """
    lim = limits or ElectrodeLimits()
    for value, name in ((e1_mv, "e1_mv"), (e2_mv, "e2_mv")):
        require_range(value, -2000.0, 2000.0, field=name, unit="mV")
    for value, name in ((ph1, "ph1"), (ph2, "ph2")):
        require_range(value, -2.0, 16.0, field=name)
    if abs(ph1 - ph2) < 0.1:
        raise Fault(
            "same_buffer",
            f"ph2 is {ph2:g}, ph1 is {ph1:g}; two buffers at least 0.1 pH apart are needed for a slope.",
            field="ph2",
        )
    slope = (e1_mv - e2_mv) / (ph1 - ph2)
    theory = theoretical_slope(temp_c)
    efficiency = 100.0 * slope / theory
    offset = e1_mv + slope * (7.0 - ph1)
    verdict, reason = _electrode_verdict(efficiency, offset, lim)
    return ElectrodeSlope(slope, theory, efficiency, offset, verdict, reason)


def _electrode_verdict(efficiency: float, offset: float, lim: ElectrodeLimits) -> tuple[str, str]:
    if abs(efficiency) < lim.same_buffer_percent:
        return "same-buffer", "Both buffers gave nearly the same mV: same buffer twice, or coated or cracked glass."
    if efficiency < 0:
        return "swapped", "The slope has the wrong sign: the buffers were swapped."
    if efficiency > lim.contaminated_percent:
        return "contaminated", f"Slope above {lim.contaminated_percent:g} %: a buffer is contaminated or the wrong one."
    if efficiency < lim.watch_low_percent:
        return "replace", f"Slope below {lim.watch_low_percent:g} %: aged or coated glass."
    if not lim.good_low_percent <= efficiency <= lim.good_high_percent:
        return "watch", f"Slope outside {lim.good_low_percent:g} to {lim.good_high_percent:g} %."
    if abs(offset) > lim.offset_mv:
        return "watch", f"Offset beyond {lim.offset_mv:g} mV at pH 7: look at the reference system."
    return "good", "Slope and offset are inside their limits."
