"""What the page of a calculation is made of."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

WORDS = {"sqrt": "square root", "lel": "%LEL", "vol": "% vol"}


def option_words(option: str) -> str:
    """An option as people read it; codes of classes and solutions keep their figures together."""
    return WORDS.get(option) or re.sub(r"-(?!\d)", " ", option)


@dataclass(frozen=True)
class SheetField:
    """A field of a calculation. kind: number, text, choice, list (numbers), rows (one row a line, `columns` name its parts)."""

    name: str
    label: str
    unit: str = ""
    kind: str = "number"
    start: str = ""
    options: tuple[str, ...] = ()
    columns: tuple[str, ...] = ()
    column_units: tuple[str, ...] = ()  # of the first columns; empty where only who asks knows it
    required: bool = True


@dataclass(frozen=True)
class Plot:
    """A curve worth seeing: output over a field that runs from low to high; band: the output is a tolerance, plus and minus."""

    over: str
    output: str
    low: float
    high: float
    band: bool = False


@dataclass(frozen=True)
class Sheet:
    """The page of one calculation."""

    name: str
    title: str
    group: str
    fields: tuple[SheetField, ...]
    outputs: tuple[tuple[str, str, str], ...]  # name, label, unit
    formula: str
    source: str
    inverse: str = ""
    plot: Plot | None = None


def field(name: str, label: str, unit: str = "", start: str = "", **more: Any) -> SheetField:
    """A field for a number."""
    return SheetField(name, label, unit, start=start, **more)


def choice_field(name: str, label: str, options: tuple[str, ...], start: str = "", **more: Any) -> SheetField:
    """A field for a choice."""
    return SheetField(name, label, kind="choice", options=options, start=start or options[0], **more)
