"""The come-down of a signal that was flooded: two exponentials on a floor, and when it will be under a target.

The faster one is the gas around the sensor, the slower one what comes out of walls, dead legs and electrolyte. Both are fitted by variable projection:
for each pair of time constants the amplitudes follow by least squares, weighted by the size of the reading (Golub, Pereyra 1973).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from metrology.faults import Fault

LEAST, MOST = 8, 36  # points a fit rests on, and the most that are used
HORIZON = 40.0  # so many times as long as it was watched a forecast is believed
ALIKE = 1.1  # fits whose scatter is within this factor of the best, and LEAST_SCATTER of it, are told as the spread of the forecast
LEAST_SCATTER = 0.0005
LONG = 3.0
SLOW_STEPS = 12


@dataclass(frozen=True)
class ComeDown:
    """A fitted come-down: floor + fast e^(-t/fast_tau) + slow e^(-t/slow_tau), t from the first point. scatter: of the fit, share of the reading.

    likely: the fits that explain the points about as well, itself among them.
    """

    floor: float
    fast: float
    fast_tau: float
    slow: float
    slow_tau: float
    scatter: float
    watched: float
    now: float
    likely: tuple[ComeDown, ...] = ()

    def at(self, t: float) -> float:
        """The fitted value at a time after the first point."""
        return self.floor + self.fast * math.exp(-t / self.fast_tau) + self.slow * math.exp(-t / self.slow_tau)

    def reaches(self, target: float) -> float | None:
        """When it is under a target, counted from the first point; None when it will not get there within what can be told."""
        end = self.watched * HORIZON
        if self.at(end) > target:
            return None
        low, high = 0.0, end
        for _ in range(60):
            middle = (low + high) / 2
            low, high = (middle, high) if self.at(middle) > target else (low, middle)
        return high


@dataclass(frozen=True)
class Forecast:
    """When a come-down will be under its target, from the last point on. early, late: by the fits that serve; None: not by any, not by all.

    end: what it heads for. is_long: it was watched for three of the slow time constants or more, so that its end shows.
    """

    is_under: bool
    likely: float | None
    early: float | None
    late: float | None
    end: float
    is_long: bool


def fit_come_down(times: Sequence[float], values: Sequence[float]) -> ComeDown:
    """Fit a come-down to times (rising, any unit) and values (above zero).

    Raises a Fault for fewer than eight points, times that do not rise, values that are not above zero, or a signal that does not fall.
    """
    if len(times) != len(values) or len(times) < LEAST:
        raise Fault("too_few", f"{len(times)} points; a come-down needs {LEAST} or more.", field="values")
    if any(b <= a for a, b in pairwise(times)):
        raise Fault("not_rising", "The times must rise.", field="times")
    if min(values) <= 0 or not all(map(math.isfinite, values)):
        raise Fault("not_positive", "A reading that is not above zero can't be part of a come-down.", field="values")
    t, y = _thinned(times, values)
    if y[-1] >= y[0]:
        raise Fault("not_falling", "It does not fall: this is no come-down. Look for a leak, or for gas that is still on.", field="values")
    return _search(t, y)


def _thinned(times: Sequence[float], values: Sequence[float]) -> tuple[list[float], list[float]]:
    """At most MOST points, each the geometric mean of its part: an exponential stays the one it is."""
    n = len(times)
    if n <= MOST:
        return [v - times[0] for v in times], list(values)
    edges = [round(k * n / MOST) for k in range(MOST + 1)]
    parts = list(pairwise(edges))
    return [sum(times[a:b]) / (b - a) - times[0] for a, b in parts], [math.exp(sum(map(math.log, values[a:b])) / (b - a)) for a, b in parts]


def _search(t: list[float], y: list[float]) -> ComeDown:
    """For each slow time constant the fast one that goes best with it; the best of them, with all that explain the points about as well."""
    span = t[-1] - t[0]
    slow = _grid(math.log(span / 15), math.log(span * 8), SLOW_STEPS)
    profile = [found for tau in slow if (found := _best_fast(t, y, tau, span)) is not None]
    if not profile:
        raise Fault("no_fit", "It does not come down like anything known: look for a leak, or for gas that is still on.", field="values")
    best = min(profile, key=lambda c: c.scatter)
    for width in (0.44, 0.2, 0.07, 0.025):  # finer around the best; the first is a step of the grid
        near = _grid(math.log(best.slow_tau) - width, math.log(best.slow_tau) + width, 5)
        profile += [found for tau in near if (found := _best_fast(t, y, tau, span)) is not None]
        best = min(profile, key=lambda c: c.scatter)
    alike = tuple(c for c in profile if c.scatter <= ALIKE * best.scatter + LEAST_SCATTER)
    return ComeDown(**{**best.__dict__, "likely": alike})


def _best_fast(t: list[float], y: list[float], slow_tau: float, span: float) -> ComeDown | None:
    low, high = math.log(span / 60), math.log(0.7 * slow_tau)
    best: ComeDown | None = None
    for steps in (6, 5, 5, 5):
        tried = [found for tau in _grid(low, high, steps) if (found := _amplitudes(t, y, tau, slow_tau)) is not None]
        best = min([*tried, *([best] if best else [])], key=lambda c: c.scatter, default=None)
        if best is None:
            return None
        width = (high - low) / (steps - 1)
        low, high = math.log(best.fast_tau) - width, min(math.log(best.fast_tau) + width, math.log(0.7 * slow_tau))
    return best


def _grid(low: float, high: float, steps: int) -> list[float]:
    return [math.exp(low + (high - low) * k / (steps - 1)) for k in range(steps)]


def _amplitudes(t: list[float], y: list[float], fast_tau: float, slow_tau: float) -> ComeDown | None:
    """Floor and amplitudes for a pair of time constants; none of them below zero."""
    columns = [[1.0] * len(t), [math.exp(-v / fast_tau) for v in t], [math.exp(-v / slow_tau) for v in t]]
    for used in ((0, 1, 2), (1, 2), (0, 2)):
        solved = _least_squares([columns[k] for k in used], y)
        if solved is not None and all(v >= 0 for v in solved):
            a = [0.0, 0.0, 0.0]
            for k, v in zip(used, solved, strict=True):
                a[k] = v
            fitted = [sum(a[k] * columns[k][n] for k in range(3)) for n in range(len(t))]
            scatter = math.sqrt(sum((f / v - 1) ** 2 for f, v in zip(fitted, y, strict=True)) / len(y))
            return ComeDown(a[0], a[1], fast_tau, a[2], slow_tau, scatter, t[-1], fitted[-1])
    return None


def _least_squares(columns: list[list[float]], y: list[float]) -> list[float] | None:
    """Amplitudes that fit best, each point weighted by its size; None where the columns are too alike."""
    n = len(columns)
    scaled = [[c / v for c, v in zip(column, y, strict=True)] for column in columns]
    rows = [[sum(map(float.__mul__, scaled[i], scaled[j])) for j in range(n)] + [sum(scaled[i])] for i in range(n)]
    for i in range(n):
        pivot = max(range(i, n), key=lambda r: abs(rows[r][i]))
        rows[i], rows[pivot] = rows[pivot], rows[i]
        if abs(rows[i][i]) < 1e-12 * len(y):
            return None
        for r in range(n):
            if r != i:
                share = rows[r][i] / rows[i][i]
                rows[r] = [a - share * b for a, b in zip(rows[r], rows[i], strict=True)]
    return [rows[i][n] / rows[i][i] for i in range(n)]


def forecast(found: ComeDown, target: float) -> Forecast:
    """When it will be under a target, from the last point on, in the unit of the times."""
    reached = [c.reaches(target) for c in found.likely or (found,)]
    left = [max(0.0, r - found.watched) for r in reached if r is not None]
    mine = found.reaches(target)
    late = None if len(left) < len(reached) else max(left, default=None)
    return Forecast(
        found.now <= target,
        None if mine is None else max(0.0, mine - found.watched),
        min(left, default=None),
        late,
        found.at(found.watched * HORIZON),
        all(found.watched >= LONG * c.slow_tau for c in found.likely or (found,)),
    )


def forecast_words(f: Forecast, target: float, unit: str) -> str:
    """The forecast as a sentence; times in minutes."""
    if f.is_under:
        return f"It is under {target:g} {unit}."
    if f.early is None and f.is_long:
        told = f"It will not get under {target:g} {unit}: it heads for {f.end:.3g} {unit}."
        return f"{told} Look for a leak or plastic in the line, a wet sample, a longer time in air."
    if f.early is None:
        return f"It still falls; whether it gets under {target:g} {unit} can't be told yet. Watch on."
    if f.late is None or f.late > 4 * f.early + 5:
        return f"Under {target:g} {unit} in {f.early:.0f} min at the earliest; how much later can't be told yet. Watch on."
    return f"Under {target:g} {unit} in about {f.likely or f.early:.0f} min ({f.early:.0f} to {f.late:.0f} min)."
