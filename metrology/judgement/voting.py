"""What one channel on hold does to the vote of its group (IEC 61511-1:2016, voting architectures MooN)."""

from __future__ import annotations

import re

from metrology.faults import Fault

SCHEME = re.compile(r"([1-9])oo([1-9])")


def read_scheme(text: str, *, field: str = "voting") -> tuple[int, int] | None:
    """Needed and all, of a text like 2oo3; None where nothing is given. Raises a Fault for anything else."""
    if not text.strip():
        return None
    found = SCHEME.fullmatch(text.strip().lower())
    if not found or int(found[1]) > int(found[2]):
        raise Fault("bad_vote", f"'{text}': a vote is written like 2oo3, two out of three.", field=field)
    return int(found[1]), int(found[2])


def vote_words(text: str, group: str, *, held: int = 1) -> str:
    """What is left of the vote while `held` of its channels are on hold, as a sentence; empty where no vote is known."""
    scheme = read_scheme(text)
    if scheme is None:
        return ""
    needed, all_of = scheme
    left, name = all_of - held, f"{group}, {needed} of {all_of}" if group else f"{needed} of {all_of}"
    if left < needed:
        return f"{name}: with {held} on hold only {max(left, 0)} can vote, so the trip can't come. It is disabled until the hold is off."
    if left == needed:
        each = "the other one alone must see it" if left == 1 else f"all {left} others must see it"
        return f"{name}: on hold it becomes {needed} of {left}, {each}, and none may fail."
    return f"{name}: on hold it becomes {needed} of {left}."
