"""The columns of an instrument file: every field of the register, of the methods' details and of the policies, under one name each."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass
from typing import Any

from apps.plant.register import FIELDS, REGISTER
from metrology.judgement.policy import POLICY_FIELDS
from metrology.methods.registry import all_settings
from metrology.methods.setup import INSTRUMENT

UNIT_IN_HEADER = re.compile(r"^(.*?)\s*[\[(]([^\])]+)[\])]\s*$")
EMPTY_IS_DEFAULT = ("number", "choice", "flag", "whole", "second")


@dataclass(frozen=True)
class Column:
    """One column. key: the field, with 'details.' or 'policy.' before those of a method or a policy."""

    key: str
    label: str


def all_columns() -> tuple[Column, ...]:
    own = [(f.name, f.label) for f in REGISTER]
    details = [(f"details.{name}", f.asked.label) for name, (f, _) in all_settings(INSTRUMENT).items()]
    policies = [(f"policy.{f.name}", f.label) for f in POLICY_FIELDS]
    count = Counter(label.casefold() for _, label in (*own, *details, *policies))
    return tuple(Column(k, label if count[label.casefold()] == 1 or k in FIELDS else k) for k, label in (*own, *details, *policies))


def _by_name() -> dict[str, Column]:
    return {name.casefold(): c for c in reversed(all_columns()) for name in (c.key, c.label)}


def find_column(header: str) -> Column | None:
    """The column of a header: by its label or its name, in whatever case, with spaces or underscores."""
    plain = " ".join(header.split()).casefold()
    known = _by_name()
    return known.get(plain) or known.get(plain.replace(" ", "_"))


def unit_of_header(header: str) -> tuple[str, str]:
    """A header and the unit written behind it: 'LRV [bar]' is LRV in bar."""
    if find_column(header):
        return header, ""
    found = UNIT_IN_HEADER.match(header)
    return (found.group(1), found.group(2).strip()) if found else (header, "")


def put(data: dict[str, Any], key: str, text: str, *, clears: bool = False) -> bool:
    """Put a cell into a form; whether it was taken. An empty cell clears a text, and leaves alone what can't be empty."""
    group, _, name = key.rpartition(".")
    if group:
        data[group] = {**data.get(group, {}), name: _flagged(text)}
        return True
    if not text and not clears and FIELDS[name].kind in EMPTY_IS_DEFAULT:
        return False
    data[name] = text
    return True


def _flagged(text: str) -> Any:
    return {"yes": True, "no": False}.get(text, text) if isinstance(text, str) else text


def get(data: dict[str, Any], key: str) -> str:
    """A column's text of a form."""
    group, _, name = key.rpartition(".")
    value = data.get(group, {}).get(name, "") if group else data.get(name, "")
    return ("yes" if value else "no") if isinstance(value, bool) else str(value)
