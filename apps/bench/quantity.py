"""One quantity read live: its trace in its own unit, what was seen of it since the stimulus, and how it stands in words."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from apps.bench.poller import Trace
from metrology.judgement.settling import Response, Sample, SettleRule
from metrology.methods.slots import Quantity
from metrology.quantities.units import convert
from metrology.quantities.words import minutes, number


@dataclass
class Live:
    """One quantity read live at the present slot."""

    quantity: Quantity
    trace: Trace
    rule: SettleRule
    settled_at: float | None = None
    response: Response | None = None  # since it was begun, or begun anew
    taken_back: int = 0  # how often the trace had been taken back when that began
    frozen_s: float = 0.0  # how long it has shown the very same number, where it was never still before

    def seen_since(self, began: float) -> Response:
        """What was seen of the response since it began, up to now; anew where it began anew."""
        if self.response is None or self.response.since != began or self.taken_back != self.trace.doubted:
            self.response, self.taken_back = Response(self.rule, since=began), self.trace.doubted
        last = self.response.last
        for t, v in self.samples(last[0] if last else began):
            if last is None or t > last[0]:
                self.response.add(t, v)
        return self.response

    def samples(self, since: float) -> list[Sample]:
        """Samples from a time on, in the quantity's unit."""
        own, unit = self.trace.signal["unit"], self.quantity.unit
        rows = self.trace.since(since)
        return rows if own == unit else [(t, convert(v, own, to_unit=unit)) for t, v in rows]


def has_run(q: Quantity, seen: Response) -> bool:
    """Whether a counter of a test was seen to begin anew, and has come to its end; true of everything else."""
    if not q.begins_anew:
        return True
    return seen.last is not None and seen.least <= 0.5 * q.expected and q.low <= seen.last[1] <= q.high


def counting_words(q: Quantity, seen: Response) -> str:
    """How a counter of a test stands."""
    if seen.last is None:
        return "No samples yet."
    last = seen.last[1]
    if q.low <= last <= q.high and seen.least > 0.5 * q.expected:
        return "It shows the test before this one. Start the test."
    return f"{last:g} of {q.expected:g} {q.unit}."


def gone_words(live: Live, now: float) -> str:
    """What is wrong with a source that is lost, and how long ago it last told something; empty of one that is there. An old value is no reading."""
    lost, samples = live.trace.lost, live.trace.samples
    if not lost or not samples:
        return lost
    t, v = samples[-1]
    return f"{lost} Last seen {minutes(now - t)} ago at {number(v, live.quantity.decimals)} {live.quantity.unit}."


class SinceThen(Mapping[str, list[Sample]]):
    """The samples of quantities from a time on, looked up when they are asked for."""

    def __init__(self, quantities: Mapping[str, Live], since: float) -> None:
        self._quantities, self._since = quantities, since

    def __getitem__(self, name: str) -> list[Sample]:
        return self._quantities[name].samples(self._since)

    def __iter__(self) -> Iterator[str]:
        return iter(self._quantities)

    def __len__(self) -> int:
        return len(self._quantities)
