"""Parts of a run's outcome and view that are worked out once and kept while what they are made of stands as it stood."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, TypeVar

from metrology.run.state import RunState

T = TypeVar("T")


def kept(state: RunState, name: str, made_of: Sequence[Any], make: Callable[[], T]) -> T:
    """The part of that name: the one kept when it was made of the very same things, else made now. It is only read, never changed.

    The things are compared by identity, words and numbers by what they say: events make new objects of whatever they change and leave the others alone.
    """
    before = state.told.get(name)
    if before is not None and len(before[0]) == len(made_of) and all(map(_is_same, before[0], made_of)):
        part: T = before[1]
        return part
    part = make()
    state.told[name] = (tuple(made_of), part)
    return part


def _is_same(a: Any, b: Any) -> bool:
    return a is b or (isinstance(a, str | int) and a == b)
