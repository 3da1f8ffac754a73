"""A batch of several sensors over several blocks with one reader: whose turn is when, and what overlapping saves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

MAX_SENSORS = 4


@dataclass(frozen=True)
class Stop:
    """One point of one block: how long the block heads for it, how long it soaks, how many sensors are read there; seconds."""

    block: str
    point: float
    travel_s: float
    soak_s: float
    sensors: tuple[str, ...]


@dataclass(frozen=True)
class Turn:
    """A stop in time: heading from start_s, ready at ready_s, read from read_s to done_s."""

    stop: Stop
    start_s: float
    ready_s: float
    read_s: float
    done_s: float


@dataclass(frozen=True)
class BatchPlan:
    """All turns in the order they are read, and how long it takes overlapped and one block after the other."""

    turns: tuple[Turn, ...]
    finish_s: float
    one_after_another_s: float

    @property
    def saved_s(self) -> float:
        """What overlapping saves."""
        return self.one_after_another_s - self.finish_s


def plan_batch(blocks: Sequence[Sequence[Stop]], *, read_s: float) -> BatchPlan:
    """Plan the stops of each block, in their order; one sensor takes read_s to read, and only one is read at a time.

    The block that is ready first is read first; a block heads for its next point as soon as it has been read.
    """
    waiting = [list(stops) for stops in blocks if stops]
    starts = [0.0] * len(waiting)
    turns: list[Turn] = []
    free = 0.0
    while any(waiting):
        ready = [(starts[n] + stops[0].travel_s + stops[0].soak_s, n) for n, stops in enumerate(waiting) if stops]
        at, n = min(ready)
        stop = waiting[n].pop(0)
        begin = max(at, free)
        done = begin + read_s * len(stop.sensors)
        turns.append(Turn(stop, starts[n], at, begin, done))
        starts[n] = free = done
    every = [s for stops in blocks for s in stops]
    alone = sum((s.travel_s + s.soak_s) * len(s.sensors) + read_s * len(s.sensors) for s in every)
    return BatchPlan(tuple(turns), max((t.done_s for t in turns), default=0.0), alone)
