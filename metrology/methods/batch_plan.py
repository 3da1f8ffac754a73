"""A batch of several sensors over several blocks with one reader: whose turn is when, and what overlapping saves."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from metrology.faults import Fault
from metrology.quantities.units import convert

MAX_SENSORS = 4


@dataclass(frozen=True)
class Member:
    """A sensor in a block: how hot its points get and how hot it may get, in unit; its reference probe, and how hot that may get, in probe_unit."""

    tag: str
    block: str
    unit: str
    top: float
    bears: float
    probe: str = ""
    probe_unit: str = ""
    probe_bears: float = math.inf


def require_apart(members: Sequence[Member]) -> None:
    """Refuse what can't stand together: a sensor or probe in a block that would go past what it bears, and one probe in two blocks at a time."""
    places: dict[str, str] = {}
    for m in members:
        there = places.setdefault(m.probe, m.block) if m.probe else m.block
        if there != m.block:
            told = f"The probe {m.probe} would have to be in {there} and in {m.block} at a time. Choose another one in one of the runs."
            raise Fault("probe_twice", told, field="runs")
    for m in members:
        for other in (o for o in members if o.block == m.block):
            _require_bearable(m.tag, m.bears, m.unit, other)
            if m.probe and math.isfinite(m.probe_bears):
                _require_bearable(f"the probe {m.probe}", m.probe_bears, m.probe_unit, other)


def _require_bearable(what: str, bears: float, unit: str, other: Member) -> None:
    point = convert(other.top, other.unit, to_unit=unit)
    if point > bears + 1e-9 * max(1.0, abs(bears)):
        told = (
            f"{other.block} would go to {point:g} {unit} for {other.tag}; {what} in it bears {bears:g} {unit} by the register. Take it out of the "
            "block, or let it go alone."
        )
        raise Fault("weakest_sensor", told, field="runs")


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
