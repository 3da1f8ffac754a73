"""Units of a smart transmitter by their code: the protocol's public table of engineering units (HART common table 2), as far as they are known here."""

from __future__ import annotations

from metrology.quantities.units import quantity_of

CODES = {
    1: "inH2O (20 C)", 2: "inHg", 3: "ftH2O", 4: "mmH2O", 5: "mmHg", 6: "psi", 7: "bar", 8: "mbar", 9: "g/cm2", 10: "kg/cm2", 11: "Pa", 12: "kPa",
    13: "Torr", 14: "atm", 15: "ft3/min", 16: "gal/min", 17: "l/min", 19: "m3/h", 24: "l/s", 26: "ft3/s", 28: "m3/s", 29: "m3/d", 32: "°C", 33: "°F",
    34: "°R", 35: "K", 36: "mV", 37: "ohm", 38: "Hz", 39: "mA", 44: "ft", 45: "m", 47: "in", 48: "cm", 49: "mm", 57: "%", 58: "V", 59: "pH", 60: "g",
    61: "kg", 62: "t", 63: "lb", 66: "mS/cm", 67: "uS/cm", 70: "g/s", 71: "g/min", 72: "g/h", 73: "kg/s", 74: "kg/min", 75: "kg/h", 76: "kg/d",
    78: "t/h", 79: "t/d", 80: "lb/s", 81: "lb/min", 82: "lb/h", 91: "g/cm3", 92: "kg/m3", 130: "ft3/h", 131: "m3/min", 138: "l/h", 237: "MPa",
    238: "inH2O (4 C)", 239: "mmH2O (4 C)",
}  # fmt: skip
NAMES = tuple(CODES.values())


def units_beside(unit: str) -> tuple[str, ...]:
    """The units of a device that measure the same as one; all of them where that one is not known."""
    wanted = quantity_of(unit)
    return tuple(u for u in NAMES if quantity_of(u) == wanted) if wanted else NAMES
