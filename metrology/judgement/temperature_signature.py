"""What is wrong with a temperature sensor: leads, cold junction, drifted element, changed wires, immersion, another curve, one bad reading.

Each cause is a law of its own in the sensor's own unit: the same ohm or microvolt everywhere, a share of the resistance, a pull towards the air.
In degrees it is that law over the slope of the sensor's curve; the causes are then weighed as those of a transmitter are (`causes`).
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from metrology.judgement.causes.evidence import AtNoise, Design
from metrology.judgement.causes.explain import NONE, Explanation, shares_of
from metrology.judgement.causes.hypothesis import FLOOR, MOST_READINGS, NOISE, SCATTER, Hypothesis, log_fault, log_healthy, log_odd
from metrology.judgement.causes.telling import is_nothing, named, signature, undecided
from metrology.judgement.signature import Signature
from metrology.quantities.temperature import sensor_signal_beyond

AIR_C = 22.0
# How often each is met, and how large its law is on a healthy sensor in tolerances (one standard deviation).
PLATINUM = {"lead-resistance": (0.2, 0.12), "r0-drift": (0.2, 0.15), "immersion": (0.15, 0.06), "curve": (0.08, 0.06)}
THERMOCOUPLE = {"cold-junction": (0.2, 0.15), "inhomogeneity": (0.15, 0.05), "immersion": (0.2, 0.06), "curve": (0.05, 0.1)}
ANY = {"zero-shift": (0.2, 0.15), "span-error": (0.2, 0.15), "immersion": (0.12, 0.06), "linearity": (0.08, 0.08)}
HEALTHY, OUTLIER, UNSTEADY, TWO = 0.2, 0.12, 0.1, 0.05
ONE_WAY = {"immersion", "inhomogeneity"}  # they can only pull one way
TITLES = {
    "lead-resistance": "leads", "r0-drift": "a drifted element", "immersion": "immersion", "curve": "another curve", "cold-junction": "cold junction",
    "inhomogeneity": "changed wires", "zero-shift": "zero shift", "span-error": "span error", "linearity": "linearity", "outlier": "one reading off",
    "unsteady": "unsteady", NONE: "nothing wrong",
}  # fmt: skip


@dataclass(frozen=True)
class SensorPoint:
    """One comparison: reference temperature and error in C, and the slope of the sensor's curve there (ohm or mV per C)."""

    t90_c: float
    error_c: float
    slope: float


@dataclass(frozen=True)
class Sensor:
    """What the comparisons are of. kind "pt", "tc-k" or empty; tolerance in C; air_c: what a sensor that is not deep enough is pulled to."""

    points: tuple[SensorPoint, ...]
    tolerance: float
    kind: str
    r0: float = 100.0
    wires: int = 4
    air_c: float = AIR_C

    @property
    def is_failed(self) -> bool:
        """Whether a comparison is outside the tolerance."""
        return max(abs(p.error_c) for p in self.points) > self.tolerance

    @property
    def laws(self) -> dict[str, tuple[float, ...]]:
        """Error in C at each comparison by each cause, one C where it is largest."""
        ts = [p.t90_c for p in self.points]
        low, high = min(ts), max(ts)
        share = [(t - low) / (high - low) for t in ts]
        laws = {"immersion": [self.air_c - t for t in ts]}
        if self.kind == "pt":
            laws |= {
                "lead-resistance": [1 / p.slope for p in self.points],
                "r0-drift": [sensor_signal_beyond("pt", p.t90_c, r0=self.r0) / p.slope for p in self.points],
                "curve": [x * (1 - x) for x in share],
            }
        elif self.kind:
            laws |= {
                "cold-junction": [1 / p.slope for p in self.points],
                "inhomogeneity": [1 - 2 * x for x in share],
                "curve": [t - min(low, 0.0) for t in ts],
            }
        else:
            laws |= {"zero-shift": [1.0 for _ in ts], "span-error": share, "linearity": [x * (1 - x) for x in share]}
        return {code: tuple(v / max(map(abs, law)) for v in law) for code, law in laws.items()}

    @property
    def met(self) -> dict[str, tuple[float, float]]:
        """How often each cause is met, and how much of it a healthy sensor has."""
        return PLATINUM if self.kind == "pt" else THERMOCOUPLE if self.kind else ANY


def find_sensor_signatures(
    points: Sequence[SensorPoint], *, tolerance: float, sensor: str, r0: float = 100.0, wires: int = 4, air_c: float = AIR_C
) -> tuple[Signature, ...]:
    """The named causes, likeliest first; tolerance in C, sensor as "pt" or "tc-k". Empty where nothing is wrong, or in fewer than three temperatures."""
    s = Sensor(tuple(points), tolerance, sensor, r0, wires, air_c)
    if len({round(p.t90_c, 1) for p in points}) < 3 or max(abs(p.error_c) for p in points) <= FLOOR * tolerance:
        return ()
    told = shares_of(list(_hypotheses(s)))
    if is_nothing(told, is_failed=s.is_failed):
        return ()
    found = []
    for c in named(told):
        says, action, seen = _words(s, c.code, c.best)
        found.append(signature(told, c, TITLES, says=says, action=action, seen=seen))
    return (undecided(told, TITLES, _would_tell(told)), *found) if told.is_undecided else tuple(found)


def _would_tell(told: Explanation) -> str:
    """The one more comparison, or look, that tells the two likeliest causes apart."""
    codes = {c.code for c in told.candidates[:2]}
    ways = (
        ({"immersion"}, "Push it deeper, or into a deeper well, and read the top again: only immersion changes with depth."),
        ({"outlier", "unsteady"}, "Take the point that is furthest off again: what is the sensor's own comes back."),
        ({"lead-resistance", "cold-junction"}, "Read at 0 °C, or measure the leads and the terminals by themselves."),
    )
    return next(
        (words for needs, words in ways if needs & codes), "Add a point between the others: a law of the sensor's own goes through it."
    )


def _hypotheses(s: Sensor) -> Iterator[Hypothesis]:
    codes = list(s.laws)
    rows = list(zip(*s.laws.values(), strict=True))
    design = Design([p.error_c for p in s.points], rows, [s.met[c][1] * s.tolerance for c in codes])
    mixed = [[1.0 if i == j else 0.0 for j in range(len(codes))] for i in range(len(codes))]
    for noise in NOISE:
        at = design.at(noise * s.tolerance).weigh(mixed)
        each = at.healthy - math.log(len(NOISE))
        yield Hypothesis((NONE,), each + log_healthy(HEALTHY, is_failed=s.is_failed))
        yield from _laws(s, at, codes, each)
        yield from _one_reading(s, at, each)
    for scatter in SCATTER:
        each = design.at(scatter * s.tolerance).healthy - math.log(len(SCATTER))
        yield Hypothesis(("unsteady",), each + math.log(UNSTEADY), (scatter,))


def _laws(s: Sensor, at: AtNoise, codes: list[str], each: float) -> Iterator[Hypothesis]:
    floor = FLOOR * s.tolerance
    for j, code in enumerate(codes):
        size, gain, width = at.one(j)
        if abs(size) >= floor and (size > 0 or code not in ONE_WAY):
            ways = math.log(2) if code in ONE_WAY else 0.0
            yield Hypothesis((code,), each + gain + width + log_fault(size, s.tolerance) + ways + math.log(s.met[code][0]), (size,))
        for k in range(j):
            a, b, gain, width = at.two(k, j)
            pulls = all(v > 0 or c not in ONE_WAY for v, c in ((a, codes[k]), (b, code)))
            if min(abs(a), abs(b)) >= floor and pulls and "curve" not in (codes[k], code):
                log = each + gain + width + log_fault(a, s.tolerance) + log_fault(b, s.tolerance) + math.log(TWO / len(codes))
                yield Hypothesis((codes[k], code), log, (a, b))


def _one_reading(s: Sensor, at: AtNoise, each: float) -> Iterator[Hypothesis]:
    n = len(s.points)
    if n < 4:
        return  # of three points any may be the one that is off
    for o in map(at.reading, at.doubtful(MOST_READINGS)):
        if abs(o.size) >= FLOOR * s.tolerance:
            log = each + log_odd(o, s.tolerance) + math.log(OUTLIER / n)
            yield Hypothesis(("outlier",), log, (o.size,), about=str(o.k))


Words = tuple[str, str, tuple[str, ...]]


def _words(s: Sensor, code: str, best: Hypothesis) -> Words:
    """What it says, what to do first, what was seen."""
    size = best.sizes[best.codes.index(code)]
    low, high = min(s.points, key=lambda p: p.t90_c), max(s.points, key=lambda p: p.t90_c)
    ends = f"{low.error_c:+.2f} °C at {low.t90_c:.0f} °C, {high.error_c:+.2f} °C at {high.t90_c:.0f} °C."
    flattest = min(abs(p.slope) for p in s.points)
    if code == "lead-resistance":
        wired = "a 2-wire connection carries its leads" if s.wires == 2 else "a lead or contact carries resistance"
        return (
            f"The same {size * flattest:+.3f} ohm everywhere: {wired}.",
            "Check wiring and terminals; compensate 2-wire leads.",
            (f"In degrees that is {ends}",),
        )
    if code == "r0-drift":
        moved = 100 * size / max(sensor_signal_beyond("pt", p.t90_c, r0=s.r0) / p.slope for p in s.points)
        return (
            f"The error grows with the resistance: R0 has moved by {moved:+.2f} %.",
            "The element has drifted or is strained: replace it, or load matching coefficients where a transmitter takes them.",
            (ends,),
        )
    if code == "cold-junction":
        return (
            f"The same {1000 * size * flattest:+.0f} \u00b5V everywhere: the cold junction is not compensated as thought.",
            "Check the cold-junction temperature, the extension wire and its polarity.",
            (f"In degrees that is {ends}",),
        )
    if code == "outlier":
        p = s.points[int(best.about)]
        return (
            f"One comparison is off and the others lie in line: a reading or typing mistake at {p.t90_c:.1f} °C.",
            "Strike it with a reason and take that point again.",
            (f"It is {size:+.2f} °C away from where the others put it.",),
        )
    said, action = PLAIN[code]
    return said.format(low=low.error_c, high=high.error_c, air=s.air_c), action, (ends,)


WHICH_PART = "Find out which part of the chain is off: sensor, leads or conversion."
PLAIN = {
    "immersion": (
        "It is pulled towards the air, the more the further it is from {air:.0f} °C: immersion or conduction along the stem.",
        "Push it deeper, fill the gap in the well, or use a deeper block or a bath; then read again before anything is replaced.",
    ),
    "inhomogeneity": (
        "It reads high at the low end ({low:+.2f} °C) and low at the high end ({high:+.2f} °C): its wires have changed.",
        "Replace it; more depth or another block does not cure it.",
    ),
    "curve": (
        "The error runs from {low:+.2f} °C to {high:+.2f} °C: its curve is not the standard one.",
        "Check that type and class are what the register says; replace it if they are.",
    ),
    "unsteady": (
        "The errors follow no law of a sensor: contact, moisture, or not settled.",
        "Check contacts and insulation, soak longer, then repeat.",
    ),
    "zero-shift": ("The error is {low:+.2f} to {high:+.2f} °C: the same everywhere.", WHICH_PART),
    "span-error": ("The error runs from {low:+.2f} °C to {high:+.2f} °C.", WHICH_PART),
    "linearity": ("The error bows: {low:+.2f} °C at the bottom, {high:+.2f} °C at the top.", "Check the characterisation: sensor type, coefficients."),
}  # fmt: skip
