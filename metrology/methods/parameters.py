"""Parameters of a smart transmitter: what there is, what may be set to what, and how two sets differ."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from metrology.faults import Fault, Faults
from metrology.quantities.device_units import NAMES
from metrology.quantities.typed import parse_typed, same_unit
from metrology.quantities.units import canonical, convert, convert_width

FORMAT = "verify-loop-parameters/1"
TRIMMED = "trimmed"  # entered by such an act: the steps that follow prove it


_TRIM = (
    "A trim can't be undone from here: the device forgets how it was. What it reads from now on has to be proved, and the instrument is due until it "
    "is calibrated."
)
_RANGE = "The range is set to what is applied now; what the control system makes of the signal changes at once."


@dataclass(frozen=True)
class Act:
    """Something that is done to a device at once. label: on its button; words: on the record, with {value} and {unit}.

    asks: the unit of its value: "" none, "mA", or "pv" for the instrument's own. low, high: of a current, what makes sense: a trim moves an end by
    a little, a loop test stays inside what NAMUR NE 43:2003 knows. is_trim: it changes what the device reads. warns: asked once before it is sent.
    """

    key: str
    label: str
    words: str
    asks: str = ""
    low: float | None = None
    high: float | None = None
    is_trim: bool = False
    warns: str = ""


ACTS: dict[str, Act] = {
    a.key: a
    for a in (
        Act("lrv_live", "LRV is the pressure applied now", "set LRV to the pressure that was applied", warns=_RANGE),
        Act("urv_live", "URV is the pressure applied now", "set URV to the pressure that was applied", warns=_RANGE),
        Act("zero_trim", "Trim the sensor\u2019s zero", "trimmed the sensor's zero", is_trim=True, warns=_TRIM),
        Act("lower_trim", "Trim the low end to", "trimmed the sensor's low end at {value} {unit}", "pv", is_trim=True, warns=_TRIM),
        Act("upper_trim", "Trim the high end to", "trimmed the sensor's high end at {value} {unit}", "pv", is_trim=True, warns=_TRIM),
        Act("fix_output", "Loop test: hold the output at", "held the output at {value} mA", "mA", 3.5, 23.0),
        Act(
            "trim_output_low",
            "Output trim at 4 mA, measured",
            "trimmed the output's low end, measured {value} mA",
            "mA",
            3.0,
            5.0,
            True,
            _TRIM,
        ),
        Act(
            "trim_output_high",
            "Output trim at 20 mA, measured",
            "trimmed the output's high end, measured {value} mA",
            "mA",
            18.0,
            22.0,
            True,
            _TRIM,
        ),
        Act("follow", "End the loop test", "let the output follow the process again"),
        Act("protect", "Write protection on", "put write protection on"),
        Act("unprotect", "Write protection off", "took write protection off"),
    )
}
HELD, FOLLOWS = "fix_output", "follow"  # a loop test and its end
TRIMS = frozenset(a.key for a in ACTS.values() if a.is_trim)
# By the side that is set and its end: what the device is told, and what its number is: the point applied, the current held, or what was measured.
TRIM_ACTS: dict[str, dict[str, tuple[tuple[str, str], ...]]] = {
    "trim_sensor": {"zero": (("lower_trim", "applied"),), "span": (("upper_trim", "applied"),)},
    "trim_output": {
        "zero": (("fix_output", "ideal"), ("trim_output_low", "measured"), ("follow", "")),
        "span": (("fix_output", "ideal"), ("trim_output_high", "measured"), ("follow", "")),
    },
}


def require_possible(act: Act, value: float, unit: str, device: Mapping[str, Any]) -> None:
    """Refuse a value that can't be: a current far from its end, a value of the instrument outside what its sensor measures (lrl, url of the device)."""
    low, high = (act.low, act.high) if act.asks == "mA" else (device.get("lrl"), device.get("url"))
    if low is None or high is None or min(low, high) <= value <= max(low, high):
        return
    told = f"{value:g} {unit} can't be right here; {min(low, high):g} to {max(low, high):g} {unit} can. Nothing was sent. Look at the meter again."
    raise Fault("out_of_range", told, field="value")


@dataclass(frozen=True)
class Parameter:
    """A parameter. kind: text, number, choice, flag. longest: characters of a text. live: it moves by itself, not compared."""

    name: str
    label: str
    kind: str
    is_settable: bool = False
    unit: str = ""
    longest: int = 0
    options: tuple[tuple[str, str], ...] = ()
    live: bool = False


UNITS = tuple((u, u) for u in NAMES)
TRANSFERS = (("linear", "linear"), ("sqrt", "square root"))
PARAMETERS = (
    Parameter("tag", "Tag", "text", is_settable=True, longest=8),
    Parameter("descriptor", "Descriptor", "text", is_settable=True, longest=16),
    Parameter("message", "Message", "text", is_settable=True, longest=32),
    Parameter("unit", "Unit", "choice", is_settable=True, options=UNITS),
    Parameter("lrv", "LRV", "number", is_settable=True),
    Parameter("urv", "URV", "number", is_settable=True),
    Parameter("damping", "Damping", "number", is_settable=True, unit="s"),
    Parameter("transfer", "Transfer", "choice", is_settable=True, options=TRANSFERS),
    Parameter("lrl", "Sensor limit, lower", "number"),
    Parameter("url", "Sensor limit, upper", "number"),
    Parameter("min_span", "Smallest span", "number"),
    Parameter("write_protect", "Write protection", "flag"),
    Parameter("manufacturer", "Manufacturer, by its number", "text"),
    Parameter("device_type", "Model, by its number", "text"),
    Parameter("revision", "Revision", "text"),
    Parameter("serial", "Device number", "text"),
    Parameter("diagnostics", "It says of itself", "text", live=True),
    Parameter("pv", "Digital value", "number", live=True),
    Parameter("ma", "Loop current", "number", unit="mA", live=True),
)
BY_NAME = {p.name: p for p in PARAMETERS}
_PACKED = set("@ABCDEFGHIJKLMNOPQRSTUVWXYZ[\\]^_ !\"#$%&'()*+,-./0123456789:;<=>?")


def read_values(raw: Mapping[str, Any], *, settable_only: bool = False) -> dict[str, Any]:
    """A set of parameters from texts or plain data, each checked alone; raises all Faults found."""
    values: dict[str, Any] = {}
    faults: list[Fault] = []
    for name, given in raw.items():
        p = BY_NAME.get(name)
        if p is None or (settable_only and not p.is_settable):
            faults.append(Fault("unknown_parameter", f"'{name}' can't be {'set' if p else 'found here'}.", field=name))
            continue
        try:
            values[name] = _read(p, given)
        except Fault as fault:
            faults.append(fault)
    if faults:
        raise faults[0] if len(faults) == 1 else Faults(faults)
    return values


def _read(p: Parameter, given: Any) -> Any:
    text = str(given).strip()
    if p.kind == "flag":
        return given is True or text.lower() in ("true", "on", "yes", "1")
    if p.kind == "number":
        return parse_typed(text, name=p.label, unit=p.unit, field=p.name).value
    if p.kind == "choice":
        text = canonical(text) if p.name == "unit" else text
        if text not in dict(p.options):
            raise Fault("unknown_choice", f"{p.label} is '{text}'; accepted are {', '.join(dict(p.options))}.", field=p.name)
        return text
    if p.longest and (len(text) > p.longest or not set(text.upper()) <= _PACKED):
        raise Fault("bad_text", f"{p.label} takes at most {p.longest} plain letters and figures; '{text}' does not fit.", field=p.name)
    return text.upper() if p.longest in (8, 16, 32) else text


def with_ends(values: Mapping[str, Any], typed: Mapping[str, Any], device: Mapping[str, Any]) -> dict[str, Any]:
    """Edits with both ends of the range where the unit changes: an end that was typed is in the new unit, also where its number stays; the other is carried
    over from what the device holds.
    """
    if not _new_unit(values, device):
        return dict(values)
    told = in_unit(device, str(values["unit"]))
    return {**values, **{end: typed.get(end, told.get(end)) for end in ("lrv", "urv") if end in typed or end in told}}


def _new_unit(values: Mapping[str, Any], device: Mapping[str, Any]) -> bool:
    return bool(values.get("unit")) and bool(device.get("unit")) and not same_unit(str(values["unit"]), str(device["unit"]))


def in_unit(device: Mapping[str, Any], unit: str) -> dict[str, Any]:
    """What a device holds with its range and limits in another unit; as it is where the units can't be converted."""
    own = str(device.get("unit") or unit)
    try:
        ends = {n: _short(convert(float(device[n]), own, to_unit=unit)) for n in ("lrv", "urv", "lrl", "url") if n in device}
        width = {"min_span": convert_width(float(device["min_span"]), own, to_unit=unit)} if "min_span" in device else {}
    except Fault:
        return {k: v for k, v in device.items() if k not in ("lrv", "urv")}
    return {**device, **ends, **width}


def _short(value: float) -> float:
    """To the nine digits that a device keeps and more."""
    return float(f"{value:.9g}")


def check_pending(pending: Mapping[str, Any], device: Mapping[str, Any]) -> None:
    """Refuse values that the device can't take: a range outside its sensor limits, a span too small, a damping out of reach."""
    changes_unit = _new_unit(pending, device)
    after = {**(in_unit(device, str(pending["unit"])) if changes_unit else device), **pending}
    faults = []
    lrl, url, smallest = (float(after.get(k, d)) for k, d in (("lrl", -math.inf), ("url", math.inf), ("min_span", 0.0)))
    lrv, urv = float(after.get("lrv", 0)), float(after.get("urv", 1))
    for name, value in (("lrv", lrv), ("urv", urv)):
        if name in pending and not lrl <= value <= url:
            faults.append(
                Fault("outside_limits", f"{BY_NAME[name].label} {value:g} lies outside the sensor limits {lrl:g} to {url:g}.", field=name)
            )
    if abs(urv - lrv) < smallest or urv == lrv:
        faults.append(Fault("span_too_small", f"The span would be {abs(urv - lrv):g}; the device takes {smallest:g} or more.", field="urv"))
    damping = pending.get("damping")
    if damping is not None and not 0 <= damping <= 100:
        faults.append(Fault("out_of_range", f"Damping is {damping:g} s; accepted is 0 to 100 s.", field="damping"))
    if changes_unit and not {"lrv", "urv"} <= set(pending):
        told = f"{device['unit']} can't be converted to {pending['unit']}. Type LRV and URV in the new unit with it."
        faults.append(Fault("unit_alone", told, field="unit"))
    if faults:
        raise faults[0] if len(faults) == 1 else Faults(faults)


def same(name: str, a: Any, b: Any) -> bool:
    """Whether two values of a parameter are the same to what a device keeps (single precision)."""
    if isinstance(a, int | float) and isinstance(b, int | float) and not isinstance(a, bool) and not isinstance(b, bool):
        return math.isclose(a, b, rel_tol=2e-6, abs_tol=1e-6)
    return same_unit(str(a), str(b)) if name == "unit" else bool(a == b)


def differences(a: Mapping[str, Any], b: Mapping[str, Any]) -> tuple[tuple[str, Any, Any], ...]:
    """(name, in a, in b) of each parameter that both hold and that differs; live ones are left out."""
    return tuple(
        (p.name, a[p.name], b[p.name])
        for p in PARAMETERS
        if not p.live and p.name in a and p.name in b and not same(p.name, a[p.name], b[p.name])
    )


def words(name: str, value: Any) -> str:
    """A value as people read it."""
    p = BY_NAME[name]
    if p.kind == "flag":
        return "on" if value else "off"
    if p.kind == "number":
        return f"{value:.6g}{f' {p.unit}' if p.unit else ''}"
    return str(dict(p.options).get(value, value)) or "(empty)"
