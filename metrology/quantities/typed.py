"""Numbers as people type them: comma or point, a unit after them, slips of the finger."""

from __future__ import annotations

import math
import re
import unicodedata
from dataclasses import dataclass
from functools import lru_cache

from metrology.faults import Fault

_NUMBER = re.compile(r"^([+\-−]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+\-]?\d{1,4})?)\s*(.*)$", re.DOTALL)
_SAME_UNIT = {
    "°c": "c",
    "degc": "c",
    "deg c": "c",
    "℃": "c",
    "°f": "f",
    "degf": "f",
    "deg f": "f",
    "ω": "ohm",
    "ohms": "ohm",
    "%": "%",
    "percent": "%",
    "milliamp": "ma",
    "volt": "v",
    "volts": "v",
    "litre": "l",
    "liter": "l",
    "µ": "u",
    "µs/cm": "us/cm",
    "μs/cm": "us/cm",
    "m³/h": "m3/h",
    "kg/cm²": "kg/cm2",
    "in h2o": "inh2o",
}


@dataclass(frozen=True)
class Typed:
    """A number with the text it was typed as. thousands: what it would be if its comma parted thousands, where that can be."""

    text: str
    value: float
    thousands: float | None = None

    def is_open(self, low: float | None, high: float | None) -> bool:
        """Whether both readings of its comma can be, within limits where there are any."""
        if self.thousands is None:
            return False
        return all((low is None or v >= low) and (high is None or v <= high) for v in (self.value, self.thousands))

    @property
    def resolution(self) -> float:
        """The step of the last typed digit: 0.01 for '12.04'."""
        mantissa, _, exponent = self.text.lower().partition("e")
        _, _, decimals = mantissa.partition(".")
        return float(10.0 ** (int(exponent or 0) - len(decimals)))


_GROUPED = re.compile(r"^[+-]?[1-9]\d{0,2},\d{3}$")


def plain_digits(text: str) -> str:
    """Digits, signs and blanks as a keyboard has them: those of other scripts, full-width ones, the minus of a text processor, hard blanks."""
    if text.isascii():
        return text
    made = unicodedata.normalize("NFKC", text).replace("\u2212", "-").replace("\u2013", "-")
    return "".join(str(unicodedata.decimal(c)) if c.isdecimal() else c for c in made)


def refuse_open(typed: Typed, text: str, *, name: str, field: str) -> None:
    """Refuse a number whose comma may part decimals or thousands."""
    told = f"{name} is '{text.strip()}': {typed.value:g} or {typed.thousands:g}? Type it with a point, or without the comma."
    raise Fault("open_comma", told, field=field)


def same_unit(a: str, b: str) -> bool:
    """True when two unit texts mean the same unit (case and customary spellings aside)."""

    def fold(u: str) -> str:
        key = u.strip().lower()
        return _SAME_UNIT.get(key, key)

    return fold(a) == fold(b) and not _other_prefix(a.strip(), b.strip())


_BY_CASE = ("pa", "ohm", "hz", "w")  # units of which both a thousandth and a million times are in use


def _other_prefix(a: str, b: str) -> bool:
    """Whether one is milli and the other mega: mPa and MPa."""
    return a[:1] != b[:1] and {a[:1], b[:1]} == {"m", "M"} and a[1:].lower() in _BY_CASE


@lru_cache(maxsize=16384)
def parse_typed(text: str, *, name: str, unit: str = "", field: str = "") -> Typed:
    """Read a typed number. Comma or point decimals; the right unit may follow, another unit is refused.

    Raises a Fault that quotes what was typed, for an empty text, a word, an endless number, or a wrong unit.

    >>> parse_typed("12,04 mA", name="The reading", unit="mA").value
    12.04
    """
    raw = plain_digits(text).strip()
    u = f" {unit}" if unit else ""
    if not raw:
        raise Fault("empty", f"{name} is empty. Type the number in{u or ' figures'}.", field=field)
    if len(raw) > 60:
        raise Fault("too_long", f"{name} is {len(raw)} characters long; type one number of at most 60.", field=field)
    found = _NUMBER.match(raw)
    if not found:
        raise Fault("not_a_number", f"{name} is '{raw}', which is not a number. Type it in figures, like 12.04{u}.", field=field)
    digits, rest = found.group(1).replace(",", "."), found.group(2).strip()
    if rest and not (unit and same_unit(rest, unit)):
        if re.match(r"^[.,\d]", rest):
            raise Fault("not_a_number", f"{name} is '{raw}', which is not one number. Use one comma or point.", field=field)
        want = f"it is asked in {unit}" if unit else "no unit belongs here"
        raise Fault("wrong_unit", f"{name} is '{raw}', but {want}. Convert it, or type the number alone.", field=field, unit=unit)
    value = float(digits)
    if not math.isfinite(value):
        raise Fault("not_finite", f"{name} is '{raw}', too large to be a measurement. Type it again.", field=field)
    grouped = _GROUPED.match(found.group(1))
    return Typed(digits, value, float(found.group(1).replace(",", "")) if grouped else None)


def suggest_slip(text: str, *, low: float, high: float, expected: float, close: float) -> str | None:
    """A likelier number when `text` may be a slip: decimal point lost or moved, digits transposed, one doubled or lost.

    Only numbers within low..high and within `close` of what is expected are offered, the nearest first.

    >>> suggest_slip("1204", low=3.6, high=22.0, expected=12.0, close=1.0)
    '12.04'
    """
    sign, body = ("-", text[1:]) if text[:1] == "-" else ("", text.lstrip("+"))
    if "e" in body.lower() or not 1 <= len(body) <= 12:
        return None
    digits = body.replace(".", "")
    point = body.index(".") if "." in body else len(body)
    candidates: set[str] = set()

    def place(ds: str, at: int) -> None:
        if 0 < at <= len(ds):
            candidates.add(sign + (ds[:at] + "." + ds[at:]).rstrip("."))

    for at in range(1, len(digits) + 1):
        place(digits, at)
    for i in range(len(digits) - 1):
        place(digits[:i] + digits[i + 1] + digits[i] + digits[i + 2 :], point)
    for i in range(len(digits)):
        place(digits[:i] + digits[i + 1 :], point if i >= point else point - 1)
    for extra in "0123456789":
        for i in range(len(digits) + 1):
            place(digits[:i] + extra + digits[i:], point + 1 if i < point or (i == point and "." not in body) else point)
    good = [c for c in candidates if c != text and low <= float(c) <= high and abs(float(c) - expected) <= close]
    return min(good, key=lambda c: (abs(float(c) - expected), c), default=None)
