"""What people's accounts ask of the plant, without knowing it."""

from __future__ import annotations

from collections.abc import Callable

SIGNING, ADMINISTRATION = "signing", "administration"
# Asked for what a one-time code is wanted besides the password: none, signing, administration or both.
CODES_WANTED: list[Callable[[], str]] = []


def is_code_wanted(for_what: str) -> bool:
    """Whether the plant wants a one-time code for signing, or for administration."""
    return any(ask() in (for_what, "both") for ask in CODES_WANTED)
