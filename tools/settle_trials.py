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
    """Of approaches inside the horizon: share with more than a tenth of the tolerance left, how many with more than a quarter, how many never settled, the
    share covered by U, median lateness past 1.5 times the earliest right moment, s, and past the window that it was told from as well; of slower ones the
    share with more than a tenth left.
    """

    over_tenth: float
    over_quarter: int
    never: int
    covered: float
    late_s: float
    later_than_window_s: float
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


@dataclass(frozen=True)
class _Settled:
    """When it was called so, how much was left, how far the value was off in its standard uncertainties, and from what window it was told, s."""

    at: float
    left: float
    off: float
    window_s: float


def _play(c: _Course, rng: random.Random) -> _Settled | None:
    """None where it never is."""
    seen, t = Approach(LIMIT, since=0.0, resolution=c.display), 0.0
    while t < LONGEST_S:
        if rng.random() > 0.03:  # else it dropped out
            v = c.at(t) + rng.gauss(0, c.noise)
            seen.add(t, round(v / c.display) * c.display if c.display else v)
            found = seen.judge()
            if found and found.is_settled:
                return _Settled(t, abs(c.end - c.at(t)), abs(found.value - c.end) / found.u, found.window_s)
        t += c.every * rng.uniform(0.85, 1.15)
    return None


def run_trials(count: int, seed: int) -> Told:
    """So many courses from a seed."""
    rng = random.Random(seed)
    inside: list[tuple[_Settled, float]] = []
    slower: list[float] = []
    never = 0
    for _ in range(count):
        course = _draw(rng)
        came = _play(course, rng)
        if course.slowest > HORIZON_S:
            slower += [came.left] if came else []
        elif came is None:
            never += 1
        else:
            inside.append((came, came.at - 1.5 * _right(course)))
    return Told(
        sum(came.left > 0.1 * TOLERANCE for came, _ in inside) / max(1, len(inside)),
        sum(came.left > 0.25 * TOLERANCE for came, _ in inside),
        never,
        sum(came.off <= 2 for came, _ in inside) / max(1, len(inside)),
        _middle([late for _, late in inside]),
        _middle([late - came.window_s for came, late in inside]),
        sum(left > 0.1 * TOLERANCE for left in slower) / max(1, len(slower)),
    )


def _middle(values: list[float]) -> float:
    return sorted(values)[len(values) // 2] if values else 0.0
