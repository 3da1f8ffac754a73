"""How much was still to come when a response was called settled, over courses that the rule was not written on.

Each trial draws a chain of two first-order lags and a damped second order in front of it, a creep, a dead time, a noise, a jittered sampling with
drop-outs, and a display; the rule itself knows a line through a window and a slowest approach. Approaches slower than the horizon are drawn too and
told apart: they are what it can't see for sure.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable
from dataclasses import dataclass

from metrology.judgement.approach import HORIZON_S, Approach

TOLERANCE, LIMIT = 1.0, 0.1
LONGEST_S = 900.0


@dataclass(frozen=True)
class Told:
    """Of approaches inside the horizon: shares with more than a tenth and a quarter of the tolerance left, never settled, covered by U, median lateness
    past 1.5 times the earliest right moment, s; of slower ones the share with more than a tenth left.
    """

    over_tenth: float
    over_quarter: int
    never: int
    covered: float
    late_s: float
    slower_over_tenth: float


@dataclass(frozen=True)
class _Course:
    at: Callable[[float], float]
    end: float
    slowest: float
    noise: float
    every: float
    display: float


def _lag(tau: float, t: float) -> float:
    return 1 - math.exp(-t / tau) if t > 0 else 0.0


def _draw(rng: random.Random) -> _Course:
    step = rng.choice((-1, 1)) * rng.uniform(20, 100) * TOLERANCE
    tau = math.exp(rng.uniform(math.log(0.2), math.log(40)))
    second = tau * rng.uniform(0.05, 0.6)
    damping, is_damped = rng.uniform(0.1, 1.0), rng.random() < 0.4
    omega = 1.0 / max(0.2, tau * damping)  # its envelope falls with tau
    creep = rng.uniform(0.005, 0.1) if rng.random() < 0.5 else 0.0
    slow = math.exp(rng.uniform(math.log(10), math.log(300)))
    dead = rng.uniform(0, 3)

    def fast(t: float) -> float:
        if t <= 0:
            return 0.0
        if is_damped and damping < 0.999:
            d = omega * math.sqrt(1 - damping**2)
            return 1 - math.exp(-damping * omega * t) * (math.cos(d * t) + damping * omega / d * math.sin(d * t))
        return 1 - (tau * math.exp(-t / tau) - second * math.exp(-t / second)) / (tau - second)

    def at(t: float) -> float:
        return step * ((1 - creep) * fast(t - dead) + creep * _lag(slow, t - dead))

    every = math.exp(rng.uniform(math.log(0.1), math.log(2.0)))
    display = rng.uniform(0.02, 0.2) if rng.random() < 0.4 else 0.0
    return _Course(at, step, max(tau, slow if creep else 0.0), rng.uniform(0, 0.2), every, display)


def _right(c: _Course) -> float:
    """The moment from which on no more than the limit is to come."""
    last, t = 0.0, 0.0
    while t < LONGEST_S:
        last = t if abs(c.end - c.at(t)) > LIMIT else last
        t += 0.25
    return last


def _play(c: _Course, rng: random.Random) -> tuple[float, float, float] | None:
    """When it was called settled, how much was left, and how far the value was off in its standard uncertainties."""
    seen, t = Approach(LIMIT, since=0.0, resolution=c.display), 0.0
    while t < LONGEST_S:
        if rng.random() > 0.03:  # else it dropped out
            v = c.at(t) + rng.gauss(0, c.noise)
            seen.add(t, round(v / c.display) * c.display if c.display else v)
            found = seen.judge()
            if found and found.is_settled:
                return t, abs(c.end - c.at(t)), abs(found.value - c.end) / found.u
        t += c.every * rng.uniform(0.85, 1.15)
    return None


def run_trials(count: int, seed: int) -> Told:
    """So many courses from a seed."""
    rng = random.Random(seed)
    inside: list[tuple[float, float, float, float]] = []
    slower: list[float] = []
    never = 0
    for _ in range(count):
        course = _draw(rng)
        came = _play(course, rng)
        if course.slowest > HORIZON_S:
            slower += [came[1]] if came else []
        elif came is None:
            never += 1
        else:
            inside.append((*came, _right(course)))
    late = sorted(t - 1.5 * right for t, _, _, right in inside)
    return Told(
        sum(left > 0.1 * TOLERANCE for _, left, _, _ in inside) / max(1, len(inside)),
        sum(left > 0.25 * TOLERANCE for _, left, _, _ in inside),
        never,
        sum(off <= 2 for _, _, off, _ in inside) / max(1, len(inside)),
        late[len(late) // 2] if late else 0.0,
        sum(left > 0.1 * TOLERANCE for left in slower) / max(1, len(slower)),
    )
