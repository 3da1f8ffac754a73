"""Magnetic flow meters: velocity in the pipe, and how well the liquid must conduct for the electrodes to be heard.

Sources: ISO 20456:2017 (electromagnetic flow meters for conductive liquids); resistance of a disc electrode in a half-space, R = 1 / (2 k d)
(Holm, Electric Contacts, 1967).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from metrology.faults import require_positive, require_range


def pipe_velocity(flow_m3_h: float, diameter_mm: float) -> float:
    """Mean velocity in a full round pipe, m/s: flow over area. diameter_mm: inner, 1 to 5000.

    >>> round(pipe_velocity(100, 100), 4)
    3.5368
    """
    require_range(flow_m3_h, -1e7, 1e7, field="flow_m3_h", unit="m3/h")
    require_range(diameter_mm, 1.0, 5000.0, field="diameter_mm", unit="mm")
    return flow_m3_h / 3600 / (math.pi / 4 * (diameter_mm / 1000) ** 2)


@dataclass(frozen=True)
class Heard:
    """Resistance of the electrodes and of what listens, ohm; what of the signal is lost, %; the least conductivity for the limit, uS/cm."""

    source_ohm: float
    input_ohm: float
    loss_percent: float
    least_us_cm: float


def conductivity_limit(
    conductivity_us_cm: float,
    *,
    electrode_mm: float = 10.0,
    input_mohm: float = 100.0,
    cable_m: float = 0.0,
    cable_pf_m: float = 100.0,
    frequency_hz: float = 6.25,
    limit_percent: float = 0.1,
) -> Heard:
    """What a badly conducting liquid takes from the signal.

    Two disc electrodes in a liquid of conductivity k stand for R = 1 / (k d). The amplifier's input, with the cable's capacitance at the frequency
    of the field beside it, divides the signal: loss = R / (R + Z). electrode_mm: diameter, 0.5 to 100; limit_percent: loss that is accepted.
    """
    require_positive(conductivity_us_cm, "conductivity_us_cm", "uS/cm")
    require_range(electrode_mm, 0.5, 100.0, field="electrode_mm", unit="mm")
    require_range(input_mohm, 0.001, 1e6, field="input_mohm", unit="Mohm")
    require_range(cable_m, 0.0, 1000.0, field="cable_m", unit="m")
    require_range(cable_pf_m, 0.0, 1000.0, field="cable_pf_m", unit="pF/m")
    require_range(frequency_hz, 0.1, 1000.0, field="frequency_hz", unit="Hz")
    require_range(limit_percent, 0.001, 10.0, field="limit_percent", unit="%")
    per_us = 1 / (1e-4 * electrode_mm / 1000)  # ohm at 1 uS/cm, which is 1e-4 S/m
    z = input_mohm * 1e6
    if cable_m * cable_pf_m > 0:
        cable = 1 / (2 * math.pi * frequency_hz * cable_m * cable_pf_m * 1e-12)
        z = 1 / (1 / z + 1 / cable)
    source = per_us / conductivity_us_cm
    share = limit_percent / 100
    return Heard(source, z, 100 * source / (source + z), per_us * (1 - share) / (share * z))
