"""Levelling: jobs moved inside their windows, from weeks that hold more than there are hours to weeks with room. Pure: weeks are numbers, from 0."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

CLOSE = 1e-9


class Load(NamedTuple):
    """One job: the week it stands in, its hours, and the weeks in which it may be done."""

    key: str
    week: int
    hours: float
    earliest: int
    latest: int


class Move(NamedTuple):
    """A job put into another week."""

    key: str
    before: int
    after: int


def level(loads: Sequence[Load], fixed: Sequence[float], there: Sequence[float]) -> list[Move]:
    """Moves after which fewer hours are over. fixed: hours of each week that can't be moved; there: hours there.

    Week after week: what is over goes to the nearest week with room for the whole job, short jobs last, so that few are moved. No job leaves its
    window, no week that had room is filled beyond its hours.
    """
    total = list(fixed)
    for job in loads:
        total[job.week] += job.hours
    moves: list[Move] = []
    for week in range(len(there)):
        if total[week] - there[week] <= CLOSE:
            continue
        mine = sorted((j for j in loads if j.week == week), key=lambda j: (-j.hours, j.key))
        for job in mine:
            over = total[week] - there[week]
            if over <= CLOSE:
                break
            found = _nearest(job, total, there)
            if found is not None:
                total[week] -= job.hours
                total[found] += job.hours
                moves.append(Move(job.key, week, found))
    return moves


def _nearest(job: Load, total: Sequence[float], there: Sequence[float]) -> int | None:
    """The nearest week of its window that has room for it, the earlier one of two; None where there is none."""
    window = range(max(0, job.earliest), min(job.latest, len(there) - 1) + 1)
    free = [w for w in window if w != job.week and total[w] + job.hours <= there[w] + CLOSE]
    return min(free, key=lambda w: (abs(w - job.week), w), default=None)
