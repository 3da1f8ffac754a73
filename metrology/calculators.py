"""The named calculations: one door for the command line, HTTP and the page."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from metrology.calculations import judging, materials, sensors, signals
from metrology.calculations.registry import CALCULATORS, Result
from metrology.calculations.sheets import BY_NAME, SHEETS
from metrology.calculator_fields import Input
from metrology.faults import Fault

__all__ = ["CALCULATORS", "SHEETS", "calculate", "plot_points", "judging", "materials", "sensors", "signals"]


def calculate(name: str, data: Mapping[str, Any]) -> Result:
    """Run the calculation `name` on `data`; raises a Fault for an unknown name, an unknown or bad field."""
    try:
        entry = CALCULATORS[name]
    except KeyError:
        raise Fault("unknown_calculator", f"name is {name!r}; known are {', '.join(CALCULATORS)}.", field="name") from None
    given = Input(data)
    try:
        result = entry.run(given)
    except OverflowError:
        raise Fault("out_of_range", "The result is too large to compute; check the input for a slip of units.") from None
    given.refuse_unknown()
    return {key: _plain(value) for key, value in result.items()}


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


def plot_points(name: str, data: Mapping[str, Any]) -> list[tuple[float, float]]:
    """The curve of a calculation's plot with the other fields as given; places where it has no value are left out."""
    sheet = BY_NAME.get(name)
    if sheet is None or sheet.plot is None:
        raise Fault("no_plot", f"'{name}' has no plot.", field="name")
    p = sheet.plot
    low, high = p.low, p.high
    if p.over == "value":
        low, high = sorted((float(data.get("lrv", p.low)), float(data.get("urv", p.high))))
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
