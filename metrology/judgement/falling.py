"""A reading that still falls (or rises) to its end: where it will end, and when it is there.

One exponential on a floor. For each time constant floor and amplitude follow by least squares (variable projection: Golub, Pereyra 1973); what explains
the samples about as well is told as the range of the end. Of three readings equally far apart the end follows directly (Aitken 1926).
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

from metrology.faults import Fault

LEAST = 8
MOST = 60
ALIKE = 1.25  # sums of squares within this factor of the best explain it about as well
TAUS = 48
SLOWEST = 8.0  # time constants beyond so many times the watched time can't be told from a straight line


@dataclass(frozen=True)
class Fall:
    """Where it will end: end, from low to high; there_in: from the last reading until it is within the margin asked, None where that can't be told."""

    now: float
    end: float
    low: float
    high: float
    there_in: float | None

    def is_there(self, margin: float) -> bool:
        """Whether it stands within the margin of its end."""
        return abs(self.now - self.end) <= margin


def fit_fall(times: Sequence[float], values: Sequence[float], *, margin: float) -> Fall:
    """Fit end and pace to readings; times rise, any unit. margin: how near to its end counts as there, above zero, in the unit of the values.

    Raises a Fault for fewer than eight readings.
    """
    if len(times) < LEAST:
        raise Fault("too_few", f"{len(times)} readings; its course shows from {LEAST} on.", field="values")
    t, y = _thinned(times, values)
    span = t[-1] - t[0]
    tried = [_fitted(t, y, math.exp(math.log(span / 20) + k / (TAUS - 1) * math.log(20 * SLOWEST))) for k in range(TAUS)]
    best = min(tried, key=lambda f: f[0])
    noise = best[0] / max(1, len(y) - 3)
    alike = [f for f in tried if f[0] <= ALIKE * best[0] + 1e-12 * max(1.0, max(map(abs, y))) ** 2 + 4 * noise]
    _, end, amplitude, tau = best
    now = end + amplitude * math.exp(-span / tau)
    left = abs(now - end)
    there = 0.0 if left <= margin else tau * math.log(left / margin)
    is_told = max(f[3] for f in alike) < 0.9 * SLOWEST * span
    return Fall(now, end, min(f[1] for f in alike), max(f[1] for f in alike), there if is_told else None)


def _thinned(times: Sequence[float], values: Sequence[float]) -> tuple[list[float], list[float]]:
    """At most MOST points, each the mean of its part."""
    n = len(times)
    if n <= MOST:
        return [v - times[0] for v in times], list(values)
    edges = [round(k * n / MOST) for k in range(MOST + 1)]
    parts = list(itertools.pairwise(edges))
    return [sum(times[a:b]) / (b - a) - times[0] for a, b in parts], [sum(values[a:b]) / (b - a) for a, b in parts]


def _fitted(t: Sequence[float], y: Sequence[float], tau: float) -> tuple[float, float, float, float]:
    """(sum of squares, end, amplitude, tau) of the best floor and amplitude for a time constant."""
    e = [math.exp(-v / tau) for v in t]
    n = len(t)
    me, my = sum(e) / n, sum(y) / n
    see = sum((v - me) ** 2 for v in e)
    amplitude = sum((a - me) * (b - my) for a, b in zip(e, y, strict=True)) / see if see > 0 else 0.0
    end = my - amplitude * me
    return sum((end + amplitude * a - b) ** 2 for a, b in zip(e, y, strict=True)), end, amplitude, tau


def end_of_three(first: float, second: float, third: float, *, apart: float, margin: float) -> Fall | None:
    """Where three readings equally far apart will end (Aitken); None where they do not slow down, so that no end can be told."""
    one, two = second - first, third - second
    if not one or not 0 < two / one < 1:
        return None
    end = third - two * two / (two - one)
    tau = -apart / math.log(two / one)
    left = abs(third - end)
    return Fall(third, end, end, end, 0.0 if left <= margin else tau * math.log(left / margin))


def fall_words(f: Fall, *, margin: float, unit: str, allowed: float) -> str:
    """Where it will end and when, as a sentence; times in minutes. allowed: how far from zero it may be left, above zero."""
    end = f"{f.end:.3g} {unit}"
    if f.is_there(margin):
        return f"It stands at {f.now:.3g} {unit}."
    if f.there_in is None:
        return "It still moves, and its end can't be told yet. Watch on."
    spread = f" ({f.low:.3g} to {f.high:.3g})" if f.high - f.low > 2 * margin else ""
    when = "less than a minute" if f.there_in < 1 else f"about {f.there_in:.0f} min"
    where = (
        ""
        if abs(f.end) <= allowed
        else f" That is more than the {allowed:.3g} {unit} that may be left: find out why it does not come down."
    )
    return f"It still {'falls' if f.now > f.end else 'rises'}: it will end at about {end}{spread}, in {when}.{where}"
