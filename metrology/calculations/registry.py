"""The registry of the named calculations, and what they share."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from metrology.calculator_fields import Input
from metrology.quantities.transfer import Transfer

Result = dict[str, Any]
_TRANSFERS = ("linear", "sqrt", "reverse")


@dataclass(frozen=True)
class Calculator:
    """A named calculation: what it is for, and its function."""

    name: str
    purpose: str
    run: Callable[[Input], Result]


CALCULATORS: dict[str, Calculator] = {}


def calculator(name: str, purpose: str) -> Callable[[Callable[[Input], Result]], Callable[[Input], Result]]:
    """Register a function under its fixed name."""

    def register(function: Callable[[Input], Result]) -> Callable[[Input], Result]:
        CALCULATORS[name] = Calculator(name, purpose, function)
        return function

    return register


def transfer_of(given: Input) -> Transfer:
    """The transfer function that the fields `transfer` and `cutoff_percent` describe."""
    kind = given.choice("transfer", _TRANSFERS, default="linear")
    return Transfer(kind, given.number("cutoff_percent", default=0.0))
