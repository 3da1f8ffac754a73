"""How often an instrument is found outside before it is due by a rule, over courses that no rule was written on.

Each trial draws a course (straight, random walk, steps, accelerating, still), a scatter, when it is looked at, whether it is adjusted each time or
only when it is outside, plays some calibrations of it, asks the rule when it is due, and looks again on that day. The drift rule itself knows a linear
state with a bend and Gaussian wandering; steps, growing rates by age and the mixture of adjusting are not its model.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date, timedelta

from metrology.judgement.interval import DRIFT, Result, next_due
from metrology.judgement.policy import Policy

COURSES = ("straight", "walk", "steps", "accelerating", "still")
MOVING = COURSES[:-1]
BASE = 200
FROM = date(2020, 1, 1)
PARTS = 20  # of an interval: how finely a course is played


@dataclass(frozen=True)
class Told:
    """What came of one course: the share found outside on the day it was due, and the median interval in those of the register."""

    outside: float
    median: float


def _course(kind: str, rng: random.Random) -> Callable[[float, float, float], float]:
    """(offset, age, step) to the offset after the step; time in intervals of the register, offsets in % of tolerance."""
    life, sign, walk = rng.uniform(0.9, 6.0), rng.choice((-1, 1)), rng.uniform(5.0, 60.0)
    rate, size = rng.uniform(0.1, 0.6), rng.uniform(20.0, 80.0)

    def go(x: float, age: float, h: float) -> float:
        if kind == "straight":
            return x + sign * 100 / life * h
        if kind == "walk":
            return x + rng.gauss(0, walk * math.sqrt(h))
        if kind == "steps":
            return x + (rng.gauss(0, size) if rng.random() < rate * h else 0.0)
        if kind == "accelerating":
            return x + sign * (20 / life + 30 * age / life**1.2) * h
        return x

    return go


def _wait(go: Callable[[float, float, float], float], x: float, age: float, dt: float) -> float:
    for n in range(PARTS):
        x = go(x, age + n * dt / PARTS, dt / PARTS)
    return x


def _trial(kind: str, results: int, rng: random.Random, rule: str) -> tuple[bool, float]:
    go, scatter, adjusts = _course(kind, rng), rng.uniform(2.0, 15.0), rng.random() < 0.5
    x, age = rng.gauss(0, scatter / 2), 0.0
    rows = [Result(FROM, None, x)]
    for _ in range(results):
        dt = rng.uniform(0.8, 1.2)
        x, age = _wait(go, x, age, dt), age + dt
        found = left = x + rng.gauss(0, scatter)
        if adjusts or abs(found) > 100:
            x = left = rng.gauss(0, 0.7 * scatter)
        rows.append(Result(FROM + timedelta(days=round(age * BASE)), found, left))
    share = next_due(rule, rows, base_days=BASE, policy=Policy()).interval_days / BASE
    return abs(_wait(go, x, age, share) + rng.gauss(0, scatter)) > 100, share


def run_trials(each: int, seed: int, results: int = 4, rule: str = DRIFT) -> dict[str, Told]:
    """So many trials of each course, with so many results before the rule is asked."""
    out = {}
    for n, kind in enumerate(COURSES):
        rng = random.Random(seed + n)
        seen = [_trial(kind, results, rng, rule) for _ in range(each)]
        shares = sorted(s for _, s in seen)
        out[kind] = Told(sum(bad for bad, _ in seen) / each, shares[each // 2])
    return out


def outside_of_moving(told: dict[str, Told]) -> float:
    """The share found outside before it was due, of all courses that move."""
    return sum(told[kind].outside for kind in MOVING) / len(MOVING)
