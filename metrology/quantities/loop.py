"""The 4-20 mA current loop: sense resistor, supply budget, digital communication."""

from __future__ import annotations

from dataclasses import dataclass

from metrology.faults import require_positive, require_range

COMMUNICATION_MIN_OHM = 230.0
NORMAL_MAX_MA = 20.0
FAULT_MAX_MA = 23.0


def sense_voltage(ma: float, *, ohms: float = 250.0) -> float:
    """Voltage in V over a sense resistor: I R. Current 0 to 30 mA.

    >>> sense_voltage(20.0)
    5.0
    """
    require_range(ma, 0.0, 30.0, field="ma", unit="mA")
    require_positive(ohms, "ohms", "ohm")
    return ma * ohms / 1000.0


@dataclass(frozen=True)
class LoopBudget:
    """What is left for the transmitter at the highest current, in V, and whether a communicator can talk."""

    available_v: float
    margin_v: float
    communicates: bool
    reason: str


def loop_budget(supply_v: float, lift_off_v: float, *, ohms: float, max_ma: float = NORMAL_MAX_MA) -> LoopBudget:
    """Voltage left at the transmitter at max_ma, margin over its lift-off voltage, and digital communication.

    available = supply - I_max R; margin = available - lift-off. A communicator needs at least 230 ohm
    in the loop (bench supplies have almost none) and a margin of zero or more.
    """
    require_range(supply_v, 1.0, 100.0, field="supply_v", unit="V")
    require_range(lift_off_v, 0.0, 100.0, field="lift_off_v", unit="V")
    require_range(ohms, 0.0, 10_000.0, field="ohms", unit="ohm")
    require_range(max_ma, 1.0, 30.0, field="max_ma", unit="mA")
    available = supply_v - max_ma * ohms / 1000.0
    margin = available - lift_off_v
    if margin < 0:
        reason = f"At {max_ma:g} mA the transmitter is {-margin:.2f} V short. Raise the supply or take resistance out."
    elif ohms < COMMUNICATION_MIN_OHM:
        reason = f"{ohms:g} ohm is too little for a digital communicator; it needs at least {COMMUNICATION_MIN_OHM:g} ohm."
    else:
        reason = "Enough voltage at the highest current, enough resistance for a digital communicator."
    return LoopBudget(available, margin, margin >= 0 and ohms >= COMMUNICATION_MIN_OHM, reason)
