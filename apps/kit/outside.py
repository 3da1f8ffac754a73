"""What the pages of the kit ask of those who use it: whom an item serves, what counts on it.

Runs and rounds put themselves in here when they start; the kit knows none of them.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import Any

Uses = Callable[[str, Any, date], list[dict[str, Any]]]
Stops = Callable[[str], list[dict[str, str]]]
Check = Callable[[str, Any], dict[str, Any] | None]
CHECKED: list[Check] = []  # how an item is checked in by a run
USES: list[Uses] = []
STOPS: list[Stops] = []


def item_uses(group: str, item: Any, today: date) -> list[dict[str, Any]]:
    """Whom an item of a group serves."""
    return [row for told in USES for row in told(group, item, today)]


def item_check(group: str, item: Any) -> dict[str, Any] | None:
    """How an item is checked in by a run; None where it is checked by a list."""
    return next((told for check in CHECKED if (told := check(group, item)) is not None), None)


def item_stops(code: str) -> list[dict[str, str]]:
    """What counts on an item now, and would stop without it."""
    return [row for told in STOPS for row in told(code)]
