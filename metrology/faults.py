"""The one exception of the core: what happened, to which field, and what to do."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any


class Fault(ValueError):
    """A refusal or an impossible input, told in a sentence that a technician understands.

    `code` is stable and for programs, `message` is for people, `field` names the input at fault
    (or is empty), `context` carries what the interface may offer, such as a suggested value.
    """

    def __init__(self, code: str, message: str, *, field: str = "", **context: Any) -> None:
        super().__init__(message)
        self.code = code
        self.message = message
        self.field = field
        self.context: Mapping[str, Any] = context

    def as_dict(self) -> dict[str, Any]:
        """The fault as plain data: code, message, field, details."""
        return {"code": self.code, "message": self.message, "field": self.field, "details": dict(self.context)}


class Faults(Fault):
    """All the faults of one form at once."""

    def __init__(self, faults: list[Fault]) -> None:
        first = faults[0]
        super().__init__(first.code, " ".join(f.message for f in faults), field=first.field)
        self.faults = faults

    def as_dict(self) -> dict[str, Any]:
        """The first fault's code, all messages, and each fault in the details."""
        return {
            "code": "several_faults" if len(self.faults) > 1 else self.code,
            "message": self.message,
            "field": self.field,
            "details": {"faults": [f.as_dict() for f in self.faults]},
        }


def require_finite(value: float, field: str) -> float:
    """Return `value`, or raise a Fault naming `field` when it is infinite or not a number."""
    if not math.isfinite(value):
        raise Fault("not_finite", f"{field} is {value}; it must be an ordinary finite number.", field=field)
    return value


def require_range(value: float, low: float, high: float, *, field: str, unit: str = "") -> float:
    """Return `value` when low <= value <= high, else raise a Fault with the value and the limits."""
    require_finite(value, field)
    if not low <= value <= high:
        u = f" {unit}" if unit else ""
        raise Fault(
            "out_of_range",
            f"{field} is {value:g}{u}; accepted is {low:g} to {high:g}{u}.",
            field=field,
            low=low,
            high=high,
        )
    return value


def require_positive(value: float, field: str, unit: str = "") -> float:
    """Return `value` when it is finite and above zero, else raise a Fault."""
    require_finite(value, field)
    if value <= 0:
        u = f" {unit}" if unit else ""
        raise Fault("not_positive", f"{field} is {value:g}{u}; it must be above 0{u}.", field=field)
    return value
