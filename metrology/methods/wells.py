"""Which temperature sensor goes into which well, beside which reference probe: proposed from what each of them covers and bears.

A block goes to the highest point of whatever stands in it, so that everything in it must bear that; a probe is in one block at a time; a block has so
many wells beside the probe's own. Of what can be done, the fewest blocks are taken, then the steadiest blocks and the best probes.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import permutations, product

from metrology.quantities.units import convert

UNSAID_WELLS = 4  # of a block whose register does not say
C = "°C"


@dataclass(frozen=True)
class Sensor:
    """A sensor to be placed: its lowest and highest point and what it bears, in unit. block: the one it stands wired in, or that was chosen; empty: any."""

    tag: str
    unit: str
    low: float
    high: float
    bears: float
    block: str = ""

    def in_celsius(self) -> Sensor:
        """The same in °C."""
        low, high, bears = (convert(v, self.unit, to_unit=C) for v in (self.low, self.high, self.bears))
        return replace(self, unit=C, low=low, high=high, bears=bears)


@dataclass(frozen=True)
class Place:
    """A block or a probe of the kit: what it covers, in °C; wells of a block beside the probe's own; u: gradient of a block or U of a probe, in °C."""

    code: str
    low: float
    high: float
    u: float = 0.0
    wells: int = 0

    @property
    def room(self) -> int:
        """How many sensors it takes."""
        return self.wells or UNSAID_WELLS


@dataclass(frozen=True)
class Placed:
    """A sensor in a well."""

    tag: str
    block: str
    well: int
    probe: str


@dataclass(frozen=True)
class Proposal:
    """Who stands where, in the order asked; and of each that finds no place, why."""

    placed: tuple[Placed, ...]
    left: Mapping[str, str]


def propose_wells(sensors: Sequence[Sensor], blocks: Sequence[Place], probes: Sequence[Place]) -> Proposal:
    """Place as many of the sensors as can stand at a time; a handful of sensors, blocks and probes is tried through."""
    asked = [s.in_celsius() for s in sensors]
    fitting = [[b for b in blocks if _fits(s, b) and s.block in ("", b.code)] for s in asked]
    best: tuple[tuple[float, ...], tuple[Place | None, ...], dict[str, Place]] | None = None
    for chosen in product(*([*options, None] for options in fitting)):
        together = {b.code: [s for s, at in zip(asked, chosen, strict=True) if at is b] for b in chosen if b is not None}
        if not all(_bear_each_other(group) and len(group) <= _of(blocks, code).room for code, group in together.items()):
            continue
        taken = _probes_for(together, probes)
        if taken is None:
            continue
        cost = _cost(chosen, together, taken)
        if best is None or cost < best[0]:
            best = cost, chosen, taken
    assert best is not None  # nothing placed at all is one of the ways
    _, chosen, taken = best
    counts: dict[str, int] = {}
    placed = []
    for s, at in zip(asked, chosen, strict=True):
        if at is not None:
            counts[at.code] = counts.get(at.code, 0) + 1
            placed.append(Placed(s.tag, at.code, counts[at.code], taken[at.code].code))
    left = {s.tag: _why(s, blocks, probes, asked) for s, at in zip(asked, chosen, strict=True) if at is None}
    return Proposal(tuple(placed), left)


def _cost(chosen: Sequence[Place | None], together: Mapping[str, list[Sensor]], taken: Mapping[str, Place]) -> tuple[float, ...]:
    """What is worse comes later: sensors without a place, blocks, then gradients and probes."""
    return (
        sum(at is None for at in chosen),
        len(together),
        sum(at.u for at in chosen if at is not None),
        sum(taken[code].u for code in together),
    )


def _of(places: Sequence[Place], code: str) -> Place:
    return next(p for p in places if p.code == code)


def _fits(sensor: Sensor, place: Place) -> bool:
    slack = 1e-9 * max(1.0, abs(place.high))
    return place.low - slack <= sensor.low and sensor.high <= place.high + slack


def _bear_each_other(group: Sequence[Sensor]) -> bool:
    top = max(s.high for s in group)
    return all(top <= s.bears + 1e-9 * max(1.0, abs(s.bears)) for s in group)


def _probes_for(together: Mapping[str, list[Sensor]], probes: Sequence[Place]) -> dict[str, Place] | None:
    """One probe a block that covers all of its points; None where they don't suffice."""
    best: dict[str, Place] | None = None
    for way in permutations(probes, len(together)):
        if all(_fits(s, p) for p, group in zip(way, together.values(), strict=True) for s in group):
            found = dict(zip(together, way, strict=True))
            if best is None or sum(p.u for p in way) < sum(p.u for p in best.values()):
                best = found
    return best


def _why(sensor: Sensor, blocks: Sequence[Place], probes: Sequence[Place], asked: Sequence[Sensor]) -> str:
    """Why a sensor finds no place beside the others."""
    span = f"{sensor.low:g} to {sensor.high:g} {C}"
    mine = [b for b in blocks if sensor.block in ("", b.code)]
    at = f"{sensor.block} does not cover" if sensor.block else "No block that is in service covers"
    if not any(_fits(sensor, b) for b in mine):
        return f"{at} {span}."
    if not any(_fits(sensor, p) for p in probes):
        return f"No reference probe that is in service covers {span}."
    hotter = [s.tag for s in asked if s is not sensor and s.high > sensor.bears * (1 + 1e-9)]
    colder = [s.tag for s in asked if s is not sensor and sensor.high > s.bears * (1 + 1e-9)]
    if sensor.block and (hotter or colder):
        told = f"would have it past what {sensor.tag} bears" if hotter else f"would not bear its {sensor.high:g} {C}"
        told = f"{', '.join(hotter or colder)} {told}"
        return f"It stands in {sensor.block}, and {told}. Let it go in a round of its own."
    return "There are not wells, blocks and probes enough for all at a time. Let it go in the next round."
