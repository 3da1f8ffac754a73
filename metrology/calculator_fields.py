"""Reading the input of a calculation: each field checked, each complaint naming field, value and what is accepted."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping, Sequence
from typing import Any

from metrology.faults import Fault
from metrology.quantities.typed import Typed, parse_typed, plain_digits, refuse_open
from metrology.quantities.units import quantity_of

MAX_ROWS = 10_000
LONGEST_SHOWN = 60
# Fields in the unit of what is applied, and of what comes out: those of one side share their unit, which nobody but the asker knows.
SIDES = {
    name: side for side, names in {"input": ("lrv", "urv", "value", "applied"), "output": ("output", "indicated")}.items() for name in names
}
ENDLESS = ("inf", "+inf", "-inf", "infinity", "nan")


def unit_in(raw: str) -> str:
    """What follows the number of a text."""
    return plain_digits(raw).strip().lstrip("+-0123456789.,eE").strip()


def shown(raw: Any) -> str:
    """What was given, as a message tells it: short, and as it would be typed."""
    text = f"'{raw}'" if isinstance(raw, str) else json.dumps(raw, default=str, ensure_ascii=False)
    return text if len(text) <= LONGEST_SHOWN else f"{text[:LONGEST_SHOWN]}…"


class Input:
    """The fields given to a calculation. Remembers which were asked for, so that a misspelt one is refused.

    units: those of fields and of columns of rows, which may follow their numbers. said: of fields whose unit is not known, the one that was said first.
    """

    def __init__(
        self, data: Mapping[str, Any], path: str = "", *, units: Mapping[str, str] | None = None, said: dict[str, str] | None = None
    ) -> None:
        if not isinstance(data, Mapping):
            raise Fault("not_an_object", f"{path or 'input'} must be an object of named fields.", field=path)
        self._data = data
        self._path = path
        self._asked: set[str] = set()
        self._rows: list[Input] = []
        self._units = units or {}
        self._said = {} if said is None else said

    def _name(self, field: str) -> str:
        return f"{self._path}.{field}" if self._path else field

    def has(self, field: str) -> bool:
        """True when the field was given."""
        self._asked.add(field)
        return self._data.get(field) is not None

    def _take(self, field: str, accepts: str) -> Any:
        if not self.has(field):
            raise Fault("missing", f"{self._name(field)} is missing; {accepts} is needed.", field=self._name(field))
        return self._data[field]

    def number(self, field: str, *, default: float | None = None, endless: bool = False) -> float:
        """A finite number (infinity only where `endless`), or the default when absent."""
        if default is not None and not self.has(field):
            return default
        return self._number(self._take(field, "a number"), self._name(field), endless)

    def _number(self, raw: Any, name: str, endless: bool = False) -> float:
        value = math.nan
        if isinstance(raw, int | float) and not isinstance(raw, bool):
            try:
                value = float(raw)
            except OverflowError:
                value = math.inf
        elif isinstance(raw, str):
            try:
                endless_text = raw.strip().lower() in ENDLESS
                typed = Typed(raw, float(raw)) if endless_text else parse_typed(raw, name=name, unit=self._unit(name, raw), field=name)
            except Fault as fault:
                if fault.code == "wrong_unit" and quantity_of(unit_in(raw)):
                    raise
                raise Fault("not_a_number", f"{name} is {shown(raw)}; a finite number is accepted.", field=name) from None
            if typed.is_open(None, None):
                refuse_open(typed, raw, name=name, field=name)
            value = typed.value
        else:
            raise Fault("not_a_number", f"{name} is {shown(raw)}; a finite number is accepted.", field=name)
        if not math.isfinite(value) and not (endless and value == math.inf):
            raise Fault("not_finite", f"{name} is {shown(raw)}; a finite number is accepted, -1e308 to 1e308.", field=name)
        return value

    def _unit(self, name: str, raw: str) -> str:
        """The unit that may follow a number; empty where none is known and none is said."""
        own = name.rpartition(".")[2].partition("[")[0]
        if self._units.get(own):
            return self._units[own]
        side = SIDES.get(own, own)
        if side == "input" and not self._path and (known := self._data.get("from") or self._data.get("unit")):
            return str(known)
        said = unit_in(raw)
        return self._said.setdefault(side, said) if side in self._said or quantity_of(said) else ""

    def text(self, field: str, *, default: str | None = None) -> str:
        """A text, or the default when absent."""
        if default is not None and not self.has(field):
            return default
        raw = self._take(field, "a text")
        if not isinstance(raw, str | int | float) or isinstance(raw, bool):
            raise Fault("not_text", f"{self._name(field)} is {shown(raw)}; a text is accepted.", field=self._name(field))
        return str(raw)

    def choice(self, field: str, options: Sequence[str], *, default: str | None = None) -> str:
        """One of the options (any case), or the default when absent."""
        value = self.text(field, default=default).strip().lower()
        if value not in options:
            raise Fault(
                "unknown_choice",
                f"{self._name(field)} is {shown(value)}; accepted are {', '.join(options)}.",
                field=self._name(field),
                options=list(options),
            )
        return value

    def flag(self, field: str) -> bool:
        """True for true, 1, yes; False for false, 0, no or when absent."""
        if not self.has(field):
            return False
        raw = str(self._data[field]).strip().lower()
        if raw not in ("true", "1", "yes", "false", "0", "no"):
            raise Fault("not_a_flag", f"{self._name(field)} is {shown(raw)}; accepted are true and false.", field=self._name(field))
        return raw in ("true", "1", "yes")

    def _list(self, field: str, most: int = MAX_ROWS) -> list[Any]:
        raw = self._take(field, "a list")
        if not isinstance(raw, list) or not 1 <= len(raw) <= most:
            raise Fault(
                "not_a_list",
                f"{self._name(field)} must be a list of 1 to {most} entries (use --json on the command line).",
                field=self._name(field),
            )
        return raw

    def numbers(self, field: str) -> list[float]:
        """A list of finite numbers; a text of numbers separated by blanks or semicolons is accepted too."""
        raw = self._take(field, "a list of numbers")
        if isinstance(raw, str):
            raw = [part for part in raw.strip("[]").replace(";", " ").replace(", ", " ").split() if part]
            if len(raw) == 1:
                raw = raw[0].split(",")
            return [self._number(v, f"{self._name(field)}[{i}]") for i, v in enumerate(raw)]
        return [self._number(v, f"{self._name(field)}[{i}]") for i, v in enumerate(self._list(field))]

    def rows(self, field: str) -> list[Input]:
        """A list of objects, each an Input of its own."""
        rows = [self._row(row, f"{self._name(field)}[{i}]") for i, row in enumerate(self._list(field))]
        self._rows.extend(rows)
        return rows

    def _row(self, row: Mapping[str, Any], path: str) -> Input:
        return Input(row, path, units=self._units, said=self._said)

    def pairs(self, field: str, names: tuple[str, str], *, most: int) -> list[tuple[float, float]]:
        """A list of two numbers each, at most so many, given as lists of two or as rows with these names."""
        out = []
        for n, raw in enumerate(self._list(field, most)):
            at = f"{self._name(field)}[{n}]"
            if isinstance(raw, Mapping):
                row = self._row(raw, at)
                out.append((row.number(names[0]), row.number(names[1])))
                row.refuse_unknown()
            elif isinstance(raw, (list, tuple)) and len(raw) == 2:
                first, second = (self._number(x, at, False) for x in raw)
                out.append((first, second))
            else:
                raise Fault("not_a_pair", f"{at} is {shown(raw)}; a pair of {names[0]} and {names[1]} is accepted.", field=at)
        return out

    def refuse_unknown(self) -> None:
        """Raise a Fault when a field was given that nothing asked for."""
        for field in self._data:
            if field not in self._asked:
                raise Fault(
                    "unknown_field",
                    f"{self._name(field)} is not a field of this calculation; its fields are {', '.join(sorted(self._asked))}.",
                    field=self._name(field),
                )
        for row in self._rows:
            row.refuse_unknown()
