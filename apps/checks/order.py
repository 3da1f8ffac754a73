"""The order of a round: from area to area by the shorter way, and never two of one vote one after the other where it can be helped."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

Ways = Mapping[tuple[str, str], int]


@dataclass(frozen=True)
class Stop:
    """A detector: its tag, its area's code, and what it must not be on hold together with."""

    tag: str
    area: str
    groups: frozenset[str] = frozenset()


def in_order(stops: Sequence[Stop], ways: Ways, start: str) -> list[Stop]:
    """All stops, area by area from where one starts, the nearest area next; in an area those of one group apart.

    ways: minutes between two areas, by their codes in the order of the alphabet.
    """
    left = {s.area for s in stops}
    out: list[Stop] = []
    here = start
    while left:
        here = min(left, key=lambda area: (_way(ways, here, area), area))
        left.remove(here)
        out += _apart(sorted((s for s in stops if s.area == here), key=lambda s: s.tag), out[-1] if out else None)
    return out


def _way(ways: Ways, a: str, b: str) -> int:
    return 0 if a == b else ways[min(a, b), max(a, b)]


def _apart(stops: list[Stop], last: Stop | None) -> list[Stop]:
    """The stops of an area, each time the first that shares no group with the one before; of those the one whose group has most left."""
    out: list[Stop] = []
    while stops:
        before = out[-1] if out else last
        free = [s for s in stops if before is None or not s.groups & before.groups] or stops
        chosen = max(free, key=lambda s: (sum(bool(s.groups & other.groups) for other in stops if other is not s), -stops.index(s)))
        stops.remove(chosen)
        out.append(chosen)
    return out
