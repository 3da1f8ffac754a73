"""What people enter in a step: texts of sensible length, fields checked, every complaint with its field."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from metrology.faults import Fault
from metrology.methods.steps import CHOSEN, Field
from metrology.quantities.typed import parse_typed, refuse_open, suggest_slip
from metrology.quantities.words import letters_of

MAX_TEXT = 2000
SURE = " (asked about, and confirmed)"
CONFIRMED = "confirmed"  # beside the values: names of fields whose unlikely number really is so, one after the other with a comma


def text_of(payload: Mapping[str, Any], name: str, *, label: str, required: bool = True) -> str:
    """A trimmed text of sensible length."""
    raw = payload.get(name, "")
    text = raw.strip() if isinstance(raw, str) else ""
    if required and len(text) < 2:
        raise Fault("missing", f"{label} is missing. Write it in a few words.", field=name)
    if len(text) > MAX_TEXT:
        raise Fault("too_long", f"{label} is {len(text)} characters long; at most {MAX_TEXT} are kept. Shorten it.", field=name)
    return text


def check_fields(fields: tuple[Field, ...], raw: Any, faults: list[Fault]) -> dict[str, str]:
    """The values of a step's fields, checked; each complaint is added to `faults`. Unlikely numbers that were confirmed are named beside the values."""
    given = raw if isinstance(raw, Mapping) else {}
    values: dict[str, str] = {}
    sure, unlikely = set(str(given.get(CONFIRMED) or "").split(",")), []
    for field in fields:
        text = str(given.get(field.name, "") or "").strip()
        if field.kind in CHOSEN:
            continue
        try:
            excused = _is_excused(field, given)
            is_reasoned = bool(field.excused_by) and len(str(given.get(field.excused_by, "") or "").strip()) >= 2
            values[field.name] = "" if excused and not text else _check_field(field, text, is_reasoned=is_reasoned)
            if _is_unlikely(field, values[field.name]):
                unlikely.append(field.name)
                if field.name not in sure:
                    faults.append(_asked_about(field, values[field.name]))
        except Fault as fault:
            faults.append(fault)
    return {**values, CONFIRMED: ",".join(unlikely)} if unlikely else values


def _is_excused(field: Field, given: Mapping[str, Any]) -> bool:
    """Whether it may stay empty, by what another field of the step says."""
    name, wanted = field.unless
    said = str(given.get(name) or "").strip() if name else ""
    return bool(said) if wanted == "*" else bool(name) and said in wanted.split("|")


def entered(values: Mapping[str, str]) -> dict[str, str]:
    """The values that go into the setup: those of fields."""
    return {name: value for name, value in values.items() if name != CONFIRMED}


def told(values: Mapping[str, Any]) -> dict[str, Any]:
    """Values as a record tells them: those that were asked about say so."""
    sure = set(str(values.get(CONFIRMED) or "").split(","))
    return {k: f"{v}{SURE}" if k in sure else v for k, v in values.items() if k != CONFIRMED}


def _is_unlikely(field: Field, text: str) -> bool:
    if field.likely is None or not text:
        return False
    low, high = field.likely
    return not low <= float(text) <= high


def _asked_about(field: Field, text: str) -> Fault:
    """Is that really so? With the likelier number, where there is one."""
    low, high = field.likely or (0.0, 0.0)
    unit = f" {field.unit}" if field.unit else ""
    if field.doubt:
        told = f"{field.label} is {text}{unit}. {field.doubt} If it really is so, say so: it goes on the record."
        return Fault("unlikely_value", told, field=field.name, can_confirm=True)
    is_narrow = high - low <= 0.2 * max(abs(low), abs(high))  # over a wide range a likelier number would be a guess
    slip = suggest_slip(text, low=low, high=high, expected=(low + high) / 2, close=(high - low) / 2) if is_narrow else None
    ask = f"Did you mean {slip}{unit}?" if slip else "Look again."
    told = f"{field.label} is {text}{unit}; {low:g} to {high:g}{unit} is to be expected. {ask} If it really is so, say so: it goes on the record."
    return Fault("unlikely_value", told, field=field.name, can_confirm=True, suggestion=slip)


def _check_field(field: Field, text: str, *, is_reasoned: bool = False) -> str:
    if not text:
        if field.required:
            raise Fault("missing", f"{field.label} is missing.", field=field.name)
        return ""
    if len(text) > MAX_TEXT:
        raise Fault("too_long", f"{field.label} is {len(text)} characters long; at most {MAX_TEXT} are kept.", field=field.name)
    if field.kind == "number":
        typed = parse_typed(text, name=field.label, unit=field.unit, field=field.name)
        low, high = field.likely or (field.low, field.high)
        if typed.is_open(low, high):
            refuse_open(typed, text, name=field.label, field=field.name)
        is_outside = (field.low is not None and typed.value < field.low) or (field.high is not None and typed.value > field.high)
        if is_outside and not is_reasoned:
            unit = f" {field.unit}" if field.unit else ""
            raise Fault(
                "out_of_range",
                f"{field.label} is {typed.text}{unit}; accepted is {field.low:g} to {field.high:g}{unit}. {field.why}".strip(),
                field=field.name,
            )
        return typed.text
    if field.unlike and letters_of(text) == letters_of(field.unlike):
        raise Fault("same_as_before", f"{field.label}: '{text}' is that of the old one. Read the plate of the new one.", field=field.name)
    if field.kind == "identity":
        if text == field.expected or letters_of(text) == letters_of(field.expected) != "":
            return field.expected
        raise Fault(
            "wrong_instrument",
            f"{field.label}: '{text}' is not what the register has. Stop: this may be the wrong one. Look at the plate again, or have the register "
            "corrected.",
            field=field.name,
        )
    if field.kind == "choice" and text not in dict(field.options):
        raise Fault("unknown_choice", f"{field.label}: choose one of {', '.join(dict(field.options).values())}.", field=field.name)
    if field.kind == "choice" and field.expected and text != field.expected:
        raise Fault("wrong_choice", f"{field.label}: {dict(field.options)[text]}. {field.why}".strip(), field=field.name)
    return text
