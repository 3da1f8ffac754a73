"""Conversion between the units of one quantity, for matching a reference standard to an instrument."""

from __future__ import annotations

from metrology.faults import Fault
from metrology.quantities.typed import same_unit

# Factor to the first unit of each quantity; offset only for temperature. NIST SP 811, appendix B.
_FACTORS: dict[str, dict[str, tuple[float, float]]] = {
    "pressure": {
        "kPa": (1.0, 0.0),
        "Pa": (1e-3, 0.0),
        "MPa": (1e3, 0.0),
        "mPa": (1e-6, 0.0),
        "hPa": (0.1, 0.0),
        "bar": (100.0, 0.0),
        "mbar": (0.1, 0.0),
        "psi": (6.894757293168, 0.0),
        "inH2O": (0.24908891, 0.0),  # conventional, 1000 kg/m3
        "inH2O (4 C)": (0.2490819, 0.0),
        "inH2O (20 C)": (0.2486423, 0.0),
        "mH2O": (9.80665, 0.0),
        "ftH2O": (2.98906692, 0.0),
        "mmHg": (0.133322387415, 0.0),  # 13 595.1 kg/m3, 0 °C
        "inHg": (3.38638864, 0.0),
        "Torr": (101.325 / 760, 0.0),
        "atm": (101.325, 0.0),
        "mmH2O": (0.00980665, 0.0),
        "mmH2O (4 C)": (0.00980638, 0.0),
        "kg/cm2": (98.0665, 0.0),
        "g/cm2": (0.0980665, 0.0),
    },
    "temperature": {"°C": (1.0, 0.0), "K": (1.0, -273.15), "°F": (5 / 9, -160 / 9), "°R": (5 / 9, -273.15)},
    "current": {"mA": (1.0, 0.0), "A": (1000.0, 0.0), "uA": (1e-3, 0.0)},
    "voltage": {"V": (1.0, 0.0), "mV": (1e-3, 0.0)},
    "frequency": {"Hz": (1.0, 0.0), "kHz": (1000.0, 0.0)},
    "mass": {"kg": (1.0, 0.0), "g": (1e-3, 0.0), "lb": (0.45359237, 0.0), "t": (1000.0, 0.0)},
    "length": {"m": (1.0, 0.0), "mm": (1e-3, 0.0), "cm": (0.01, 0.0), "in": (0.0254, 0.0), "ft": (0.3048, 0.0)},
    "resistance": {"ohm": (1.0, 0.0), "kohm": (1000.0, 0.0), "Mohm": (1e6, 0.0)},
    "flow": {
        "m3/h": (1.0, 0.0),
        "m3/s": (3600.0, 0.0),
        "l/s": (3.6, 0.0),
        "l/min": (0.06, 0.0),
        "l/h": (1e-3, 0.0),
        "gal/min": (0.003785411784 * 60, 0.0),  # US gallon
        "ft3/min": (0.028316846592 * 60, 0.0),
        "ft3/h": (0.028316846592, 0.0),
        "ft3/s": (0.028316846592 * 3600, 0.0),
        "m3/min": (60.0, 0.0),
        "m3/d": (1 / 24, 0.0),
    },
    "mass flow": {
        "kg/h": (1.0, 0.0),
        "t/h": (1000.0, 0.0),
        "kg/min": (60.0, 0.0),
        "kg/s": (3600.0, 0.0),
        "g/min": (0.06, 0.0),
        "lb/h": (0.45359237, 0.0),
        "lb/min": (0.45359237 * 60, 0.0),
        "lb/s": (0.45359237 * 3600, 0.0),
        "g/s": (3.6, 0.0),
        "g/h": (1e-3, 0.0),
        "kg/d": (1 / 24, 0.0),
        "t/d": (1000 / 24, 0.0),
    },
    "conductivity": {"uS/cm": (1.0, 0.0), "mS/cm": (1000.0, 0.0), "S/m": (10_000.0, 0.0), "mS/m": (10.0, 0.0)},
    "percent": {"%": (1.0, 0.0)},
}


UNITS: dict[str, tuple[str, ...]] = {quantity: tuple(units) for quantity, units in _FACTORS.items()}


def canonical(unit: str) -> str:
    """The one way a unit is written here: C, degC and °C are °C. One that is not known stays as it is."""
    return next((u for units in _FACTORS.values() for u in units if same_unit(unit, u)), unit)


def quantity_of(unit: str) -> str | None:
    """Name of the quantity that a unit measures, or None when it is not known here."""
    for quantity, units in _FACTORS.items():
        if any(same_unit(unit, u) for u in units):
            return quantity
    return None


def _factor(unit: str, field: str) -> tuple[str, float, float]:
    for quantity, units in _FACTORS.items():
        for name, (scale, offset) in units.items():
            if name == unit:
                return quantity, scale, offset
    for quantity, units in _FACTORS.items():
        for name, (scale, offset) in units.items():
            if same_unit(name, unit):
                return quantity, scale, offset
    raise Fault("unknown_unit", f"The unit '{unit}' is not known for conversion.", field=field)


def convert(value: float, from_unit: str, *, to_unit: str) -> float:
    """Value in another unit of the same quantity; the same unit passes even when it is not in the table.

    >>> convert(1.0, "bar", to_unit="kPa")
    100.0
    """
    if from_unit == to_unit or same_unit(from_unit, to_unit):
        return value
    quantity, scale, offset = _factor(from_unit, "from_unit")
    other, to_scale, to_offset = _factor(to_unit, "to_unit")
    if quantity != other:
        raise Fault("unit_mismatch", f"{from_unit} measures {quantity} and {to_unit} measures {other}.", field="unit")
    return (value * scale + offset - to_offset) / to_scale


def convert_width(width: float, from_unit: str, *, to_unit: str) -> float:
    """A difference (an uncertainty, a resolution) in another unit: scale only, no offset."""
    if from_unit == to_unit:
        return width
    return convert(width, from_unit, to_unit=to_unit) - convert(0.0, from_unit, to_unit=to_unit)
