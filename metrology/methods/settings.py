"""Settings of a method: what it needs to know of an instrument beyond its range, as one dataclass of its own.

The register keeps them as texts under the fields' names. Each field's metadata (`asked`) makes the form, the column of an import, the check and
the printed line, so a method that asks for something new touches no other file. A field marked as a policy can also be set for the whole plant
or for a method, and is printed on every record.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, fields
from typing import Any, ClassVar, TypeVar

from metrology.faults import Fault, require_range
from metrology.quantities.typed import parse_typed

T = TypeVar("T", bound="Settings")
Options = tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class Asked:
    """How a setting is asked for. kind: text, number, flag, choice. low, high: of a number.

    read: text to value where it is more than a number or a choice; show: value to words, with its unit; load: plain data of an event back to its type.
    was: its name in runs begun before it had this one.
    """

    label: str
    kind: str = "number"
    unit: str = ""
    hint: str = ""
    options: Options = ()
    low: float | None = None
    high: float | None = None
    is_policy: bool = False
    was: str = ""
    read: Callable[[str], Any] | None = None
    show: Callable[[Any], str] | None = None
    load: Callable[[Any], Any] | None = None


def asked(label: str, kind: str = "number", *, default: Any, **more: Any) -> Any:
    """A field of a settings dataclass, with how it is asked for."""
    return field(default=default, metadata={"asked": Asked(label, kind, **more)})


@dataclass(frozen=True)
class Settings:
    """The base of all settings: nothing. never_asked: inherited settings that an instrument of this kind does not have."""

    never_asked: ClassVar[frozenset[str]] = frozenset()

    def check(self) -> None:
        """Raise a Fault where the fields don't hold together; each alone was looked at already."""


@dataclass(frozen=True)
class SettingField:
    """A setting with its name and what it is when nothing was given."""

    name: str
    asked: Asked
    default: Any


def setting_fields(kind: type[Settings]) -> tuple[SettingField, ...]:
    """The settings of a method in their order."""
    return tuple(
        SettingField(f.name, f.metadata["asked"], f.default if f.default is not dataclasses.MISSING else None)
        for f in fields(kind)
        if "asked" in f.metadata and f.name not in kind.never_asked
    )


def read_settings(kind: type[T], raw: Mapping[str, Any]) -> T:
    """Settings from the register's texts, checked; what another method asks is passed over. Raises a Fault naming the field."""
    values = {}
    for f in setting_fields(kind):
        given = raw.get(f.name)
        text = given if isinstance(given, bool) else "" if given is None else str(given).strip()
        if text != "":
            values[f.name] = read_one(f, text)
    made = kind(**values)
    made.check()
    return made


def read_one(f: SettingField, text: Any) -> Any:
    """One setting from its text."""
    a = f.asked
    if a.kind == "flag":
        return text is True or str(text).lower() in ("true", "1", "yes")
    if a.kind == "choice":
        if str(text) not in dict(a.options):
            raise Fault("unknown_choice", f"{a.label} is '{text}'; choose one that is offered.", field=f.name)
        return a.read(str(text)) if a.read else str(text)
    if a.kind == "number":
        value = parse_typed(str(text), name=a.label, unit=a.unit, field=f.name).value
        if a.low is not None and a.high is not None:
            require_range(value, a.low, a.high, field=f.name, unit=a.unit)
        return value
    return a.read(str(text)) if a.read else str(text)


def load_settings(kind: type[T], payload: Mapping[str, Any]) -> T:
    """Settings back from the first event of a run, where they stand as plain data; what it does not know is passed over."""
    values = {}
    for f in fields(kind):
        how = f.metadata.get("asked")
        name = how.was if how and how.was and f.name not in payload else f.name
        if name in payload:
            values[f.name] = how.load(payload[name]) if how and how.load else payload[name]
    return kind(**values)


def setting_words(settings: Settings, *, policies: bool) -> list[tuple[str, str]]:
    """(label, value) of each setting: the policies with their values, or what differs from its default of the others."""
    out = []
    for f in setting_fields(type(settings)):
        value = getattr(settings, f.name)
        if f.asked.is_policy != policies or (not policies and value == f.default):
            continue
        unit = "" if f.asked.show else f.asked.unit
        out.append((f.asked.label, f"{_words(f.asked, value)} {unit}".strip()))
    return out


def _words(a: Asked, value: Any) -> str:
    if a.show:
        return a.show(value)
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return dict(a.options).get(f"{value:g}", f"{value:g}")
    if isinstance(value, tuple):
        return " ".join(f"{v:g}" for v in value)
    return str(dict(a.options).get(str(value), value))
