"""Where an instrument will stand: what earlier calibrations say of its drift, its wandering and its scatter, without choosing one of them.

A state (offset, drift, its acceleration) is carried from result to result (Kalman filter) under each of a grid of scatters and wanderings; what the
results make of each is its weight. Two results days apart tell scatter, many intervals tell wandering, a row of growing errors tells drift; what
they can't tell apart stays mixed. Everything is in % of tolerance; time is in intervals of the register, so that the priors say what an interval
that was well chosen expects.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

SCATTERS = (4.0, 8.0, 15.0, 27.0, 45.0, 75.0)  # % of tolerance, s of one largest error
WALKS = (0.0, 6.0, 12.0, 22.0, 38.0, 62.0)  # % of tolerance in one interval, s of what it wanders
DRIFT_PRIOR, BEND_PRIOR = 45.0, 20.0  # s of drift (% an interval) and of its change (% an interval, an interval)
ADJUSTED = 0.5  # % of tolerance: from there on as left is another state than as found
FARTHEST = 400.0  # beyond it a result tells no more than that it was far out


@dataclass(frozen=True)
class Look:
    """One calibration: t in intervals of the register; found and left in % of tolerance, None where it was not read."""

    t: float
    found: float | None
    left: float | None


@dataclass
class _State:
    """Means of offset, drift and bend with their covariances, under one scatter and wandering."""

    scatter: float
    walk: float
    x: float = 0.0
    v: float = 0.0
    a: float = 0.0
    xx: float = 0.0
    xv: float = 0.0
    xa: float = 0.0
    vv: float = DRIFT_PRIOR**2
    va: float = 0.0
    aa: float = BEND_PRIOR**2
    log: float = 0.0

    def set(self, left: float) -> None:
        """It was set, or is seen for the first time: the offset is what was left, the drift stays as it is known."""
        self.x, self.xx, self.xv, self.xa = left, self.scatter**2, 0.0, 0.0

    def wait(self, dt: float) -> None:
        """Time goes by."""
        h = dt * dt / 2
        self.x, self.v = self.x + self.v * dt + self.a * h, self.v + self.a * dt
        xx = self.xx + 2 * dt * self.xv + 2 * h * self.xa + dt * dt * self.vv + 2 * dt * h * self.va + h * h * self.aa + self.walk**2 * dt
        xv = self.xv + dt * self.xa + dt * self.vv + dt * dt * self.va + h * self.va + h * dt * self.aa
        self.xa = self.xa + dt * self.va + h * self.aa
        self.vv = self.vv + 2 * dt * self.va + dt * dt * self.aa
        self.va = self.va + dt * self.aa
        self.xx, self.xv = xx, xv

    def see(self, y: float) -> None:
        """A result; how little it was to be expected counts against this scatter and wandering."""
        s = self.xx + self.scatter**2
        r = y - self.x
        self.log -= 0.5 * (r * r / s + math.log(s))
        kx, kv, ka = self.xx / s, self.xv / s, self.xa / s
        self.x, self.v, self.a = self.x + kx * r, self.v + kv * r, self.a + ka * r
        xx, xv, xa = self.xx, self.xv, self.xa
        self.xx, self.xv, self.xa = xx - kx * xx, xv - kx * xv, xa - kx * xa
        self.vv, self.va, self.aa = self.vv - kv * xv, self.va - kv * xa, self.aa - ka * xa

    def at(self, dt: float) -> tuple[float, float]:
        """Mean and standard deviation of a result after some time."""
        h = dt * dt / 2
        mean = self.x + self.v * dt + self.a * h
        var = self.xx + 2 * dt * self.xv + 2 * h * self.xa + dt * dt * self.vv + 2 * dt * h * self.va + h * h * self.aa
        return mean, math.sqrt(var + self.walk**2 * dt + self.scatter**2)


@lru_cache(maxsize=1)
def _priors() -> tuple[tuple[float, float, float], ...]:
    """(scatter, walk, log weight): small ones are likelier."""
    return tuple((n, w, -math.log1p((n / 15.0) ** 2) - 1.3 * math.log1p((w / 13.0) ** 2)) for n in SCATTERS for w in WALKS)


class Wandering:
    """What a row of calibrations says of the time after the last of them."""

    def __init__(self, looks: Sequence[Look]) -> None:
        """looks: oldest first, at least one with a number."""
        self.states = [_State(n, w, log=prior) for n, w, prior in _priors()]
        t, is_known = looks[0].t, False
        for look in looks:
            for s in self.states:
                if is_known and look.t > t:
                    s.wait(look.t - t)
                self._look(s, look, is_known)
            is_known, t = True, look.t
        top = max(s.log for s in self.states)
        weights = [math.exp(s.log - top) for s in self.states]
        total = math.fsum(weights)
        self.weights = [w / total for w in weights]

    @staticmethod
    def _look(s: _State, look: Look, is_known: bool) -> None:
        found = None if look.found is None else max(-FARTHEST, min(FARTHEST, look.found))
        if found is not None and is_known:
            s.see(found)
        left = look.left if look.left is not None else found if not is_known else None
        was_set = left is not None and (found is None or not is_known or abs(left - found) > ADJUSTED)
        if was_set and left is not None:
            s.set(max(-FARTHEST, min(FARTHEST, left)))

    def outside(self, dt: float) -> float:
        """Probability that it is found outside its tolerance after dt intervals."""
        share = 0.0
        for s, weight in zip(self.states, self.weights, strict=True):
            mean, sd = s.at(dt)
            share += weight * 0.5 * (math.erfc((100.0 - mean) / (sd * math.sqrt(2))) + math.erfc((100.0 + mean) / (sd * math.sqrt(2))))
        return share

    @property
    def by_scatter(self) -> float:
        """Probability that it is found outside by its scatter alone, were it left without error."""
        return math.fsum(w * math.erfc(100.0 / (s.scatter * math.sqrt(2))) for s, w in zip(self.states, self.weights, strict=True))

    @property
    def drift(self) -> float:
        """Expected drift in % of tolerance an interval."""
        return math.fsum(w * s.v for s, w in zip(self.states, self.weights, strict=True))

    @property
    def scatter(self) -> float:
        """Expected scatter of one result in % of tolerance."""
        return math.fsum(w * s.scatter for s, w in zip(self.states, self.weights, strict=True))

    def good_for(self, limit: float, longest: float) -> float:
        """Intervals until the probability to be outside passes the limit; at most `longest`."""
        low, step = 0.0, longest / 50
        while low < longest and self.outside(low + step) <= limit:
            low += step
        if low >= longest - 1e-12:
            return longest
        high = low + step
        for _ in range(20):
            middle = (low + high) / 2
            low, high = (middle, high) if self.outside(middle) <= limit else (low, middle)
        return low
