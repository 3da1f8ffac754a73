"""The named calculations: one door for the command line, HTTP and the page."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from typing import Any

from metrology.calculations import analysis, judging, materials, sensors, signals, weighing
from metrology.calculations.registry import CALCULATORS, Result
from metrology.calculations.sheets import BY_NAME, SHEETS
from metrology.calculator_fields import Input, shown
from metrology.faults import Fault
from metrology.quantities.typed import parse_typed
from metrology.quantities.units import convert, quantity_of

__all__ = ["CALCULATORS", "SHEETS", "calculate", "plot_points", "analysis", "judging", "materials", "sensors", "signals", "weighing"]


def calculate(name: str, data: Mapping[str, Any]) -> Result:
    """Run the calculation `name` on `data`; raises a Fault for an unknown name, an unknown or bad field."""
    try:
        entry = CALCULATORS[name]
    except KeyError:
        raise Fault("unknown_calculator", f"name is {shown(name)}; known are {', '.join(CALCULATORS)}.", field="name") from None
    given = Input(_in_own_units(name, data) if isinstance(data, Mapping) else data, units=_units(name))
    try:
        result = entry.run(given)
    except Fault:
        raise
    except (ArithmeticError, ValueError):  # too large, too small, or a division by what is as good as nothing
        raise Fault(
            "out_of_range", "With these numbers the result is too large or too small to compute. See them for a slip of units."
        ) from None
    given.refuse_unknown()
    return {key: _plain(value) for key, value in result.items()}


def _units(name: str) -> dict[str, str]:
    """The units of a calculation's fields, and of the columns of its rows: "%" of what may be left unsaid, one of two is for who asks to say."""
    fields = BY_NAME[name].fields
    columns = {column: unit for f in fields for column, unit in zip(f.columns, f.column_units, strict=False)}
    every = {**columns, **{f.name: f.unit for f in fields if f.kind in ("number", "list")}}
    return {name: unit.partition(" of ")[0] for name, unit in every.items() if " or " not in unit}


_WITH_UNIT = re.compile(r"^\s*([-+−]?[\d.,]+(?:[eE][-+]?\d+)?)\s*([^\d\s].*?)\s*$")


def _in_own_units(name: str, data: Mapping[str, Any]) -> dict[str, Any]:
    """The data with numbers that carry another unit of the same quantity brought to the field's own: "212 F" becomes 100 °C.

    What does not read as a number with a known unit stays as it is, and is refused by its field.
    """
    own = {f.name: f.unit for f in BY_NAME[name].fields if f.kind == "number" and quantity_of(f.unit)}
    out = dict(data)
    for field, unit in own.items():
        found = _WITH_UNIT.match(out[field]) if isinstance(out.get(field), str) else None
        if found is None:
            continue
        try:
            typed = parse_typed(found.group(1), name=field, field=field)
            out[field] = convert(typed.value, found.group(2), to_unit=unit)
        except Fault as fault:
            if fault.code == "unit_mismatch":
                told = f"{field} is {shown(data[field])}; {unit} or another unit of the same quantity is accepted."
                raise Fault("wrong_unit", told, field=field) from fault
    return out


def _plain(value: Any) -> Any:
    """Infinite and undefined numbers become null, since JSON has no word for them."""
    if isinstance(value, float) and not math.isfinite(value):
        return None
    if isinstance(value, dict):
        return {k: _plain(v) for k, v in value.items()}
    if isinstance(value, list):
        return [_plain(v) for v in value]
    return value


SAMPLES = 121


def _end(given: Mapping[str, Any], name: str, default: float) -> float:
    raw = given.get(name, "")
    return parse_typed(str(raw), name=name, field=name).value if str(raw).strip() else default


def plot_points(name: str, data: Mapping[str, Any]) -> list[tuple[float, float]]:
    """The curve of a calculation's plot with the other fields as given; places where it has no value are left out.

    Raises a Fault for a calculation without a plot, and for the ends of a range that are no numbers.
    """
    if not isinstance(data, Mapping):
        raise Fault("not_an_object", "The fields must be an object of named values.", field="data")
    sheet = BY_NAME.get(name)
    if sheet is None or sheet.plot is None:
        raise Fault("no_plot", f"'{name}' has no plot.", field="name")
    p = sheet.plot
    low, high = p.low, p.high
    if p.over == "value":
        given = _in_own_units(name, data)
        low, high = sorted(_end(given, end, default) for end, default in (("lrv", p.low), ("urv", p.high)))
    points = []
    for n in range(SAMPLES):
        x = low + (high - low) * n / (SAMPLES - 1)
        try:
            y = calculate(name, {**data, p.over: x})[p.output]
        except Fault:
            continue
        if isinstance(y, int | float):
            points.append((x, float(y)))
    return points
