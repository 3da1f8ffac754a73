"""Comparisons of temperature sensors with one fault or none, written down from the laws of the faults, and what is named for each.

No simulated sensor is stepped: resistance by the standard's polynomial and an approximation of the thermocouple's slope of their own are used,
conduction pulls along an exponential of the depth, changed wires follow a hump, and readings are rounded as a thermometer shows them.
"""

from __future__ import annotations

import math
import random
from collections import Counter
from dataclasses import dataclass

from metrology.judgement.temperature_signature import AIR_C, SensorPoint, find_sensor_signatures

A, B = 3.9083e-3, -5.775e-7
HEALTHY = "healthy"
PLATINUM = ("lead-resistance", "r0-drift", "immersion", "outlier", "unsteady")
THERMOCOUPLE = ("cold-junction", "inhomogeneity", "immersion", "outlier", "unsteady")


@dataclass(frozen=True)
class Trial:
    """What it had, what was told first, and whether it was called undecided."""

    truth: str
    kind: str
    first: str
    named: tuple[str, ...]
    count: int

    @property
    def is_right(self) -> bool:
        """Named first; nothing named where nothing was wrong. Of three comparisons any may be the one that is off."""
        return self.first == {HEALTHY: "none", "outlier": "outlier" if self.count > 3 else "unsteady"}.get(self.truth, self.truth)


def _slope(kind: str, t: float) -> float:
    return 100 * (A + 2 * B * t) if kind == "pt" else 0.0394 + 4e-6 * t - 4e-9 * t * t


def _law(truth: str, kind: str, t: float, low: float, high: float, rng: random.Random) -> float:
    """The error of a fault in C, one where it is largest."""
    if truth == "lead-resistance":
        return (A + 2 * B * low) / (A + 2 * B * t)
    if truth == "r0-drift":
        return (1 + A * t + B * t * t) / (A + 2 * B * t) / ((1 + A * high + B * high * high) / (A + 2 * B * high))
    if truth == "cold-junction":
        return _slope(kind, low) / _slope(kind, t)
    if truth == "immersion":
        return (AIR_C + rng.gauss(0, 0.5) - t) / max(abs(AIR_C - low), abs(AIR_C - high))
    if truth == "inhomogeneity":
        x = (t - low) / (high - low)
        return math.cos(math.pi * x) if rng.random() < 0.5 else 1 - 2 * x
    return 0.0


def judged(truth: str, kind: str, size: float, rng: random.Random, count: int = 5) -> Trial:
    """One sensor with a fault of `size` tolerances at its largest."""
    low, high = (0.0, rng.choice((100.0, 150.0, 250.0))) if kind == "pt" else (0.0, rng.choice((200.0, 400.0, 800.0)))
    tolerance = rng.choice((0.15, 0.35, 0.8)) if kind == "pt" else rng.choice((1.1, 2.5))
    noise = rng.uniform(0.01, 0.06) * tolerance
    hump, sign = rng.getstate(), rng.choice((-1, 1)) if truth in ("lead-resistance", "r0-drift", "cold-junction") else 1
    odd = rng.randrange(count)
    little = rng.gauss(0, 0.06) * tolerance, rng.gauss(0, 0.06) * tolerance
    points = []
    for n in range(count):
        t = low + (high - low) * n / (count - 1) + rng.gauss(0, 0.1)
        same = random.Random()
        same.setstate(hump)  # one hump for all points of one sensor
        error = sign * size * tolerance * _law(truth, kind, t, low, high, same) + little[0] + little[1] * t / high + rng.gauss(0, noise)
        error += rng.choice((-1, 1)) * 2 * size * tolerance if truth == "outlier" and n == odd else 0.0
        error += rng.gauss(0, 0.7 * size * tolerance) if truth == "unsteady" else 0.0
        points.append(SensorPoint(t, round(error, 3), _slope(kind, t)))
    if truth != HEALTHY and max(abs(p.error_c) for p in points) < 0.75 * tolerance:
        return judged(truth, kind, size, rng, count)  # it came out as no fault
    found = find_sensor_signatures(points, tolerance=tolerance, sensor="pt" if kind == "pt" else "tc-k")
    codes = tuple(s.code for s in found)
    return Trial(truth, kind, codes[0] if codes else "none", codes, count)


def run_trials(cases: int, size: float, seed: int = 2102, count: int = 5) -> list[Trial]:
    """Faults drawn evenly, and a quarter as many healthy ones with errors up to 0.6 of the tolerance."""
    rng = random.Random(seed)
    every = [(code, "pt") for code in PLATINUM] + [(code, "tc") for code in THERMOCOUPLE]
    trials = [judged(*every[n % len(every)], size, rng, count) for n in range(cases)]
    return trials + [judged(HEALTHY, rng.choice(("pt", "tc")), 0.0, rng, count) for _ in range(math.ceil(cases / 4))]


def shares(trials: list[Trial]) -> tuple[float, float, float]:
    """Share of faults named right, of faults named right or called undecided, and of healthy ones that got a name."""
    faulty, sound = [t for t in trials if t.truth != HEALTHY], [t for t in trials if t.truth == HEALTHY]
    right = sum(t.is_right for t in faulty) / len(faulty)
    return right, sum(t.is_right or t.first == "undecided" for t in faulty) / len(faulty), sum(not t.is_right for t in sound) / len(sound)


def confusion(trials: list[Trial]) -> str:
    """What each was called."""
    rows = []
    for truth, kind in dict.fromkeys((t.truth, t.kind) for t in trials):
        mine = [t for t in trials if (t.truth, t.kind) == (truth, kind)]
        other = Counter(" ".join(t.named[:2]) for t in mine if not t.is_right)
        rows.append(
            f"  {truth:<18} {kind:<4} {len(mine):>4} {100 * sum(t.is_right for t in mine) / len(mine):>6.1f} %   {dict(other.most_common(4))}"
        )
    return "\n".join(rows)
