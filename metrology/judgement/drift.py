"""Drift: a straight line through results over time, and what it predicts."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from metrology.faults import Fault, require_finite
from metrology.judgement.student import coverage_factor


@dataclass(frozen=True)
class Line:
    """A least-squares line y = intercept + slope x with its uncertainties (GUM H.3)."""

    slope: float
    intercept: float
    s_slope: float
    s_intercept: float
    r: float  # correlation of intercept and slope, as in GUM H.3
    correlation_xy: float  # correlation of the data themselves
    s_residual: float
    dof: int
    mean_x: float
    sxx: float
    n: int

    def predict(self, x: float) -> float:
        """The line's value at x."""
        return self.intercept + self.slope * x

    def s_predict(self, x: float) -> float:
        """Standard uncertainty of the line's value at x: s sqrt(1/n + (x - mean)^2 / Sxx)."""
        return self.s_residual * math.sqrt(1.0 / self.n + (x - self.mean_x) ** 2 / self.sxx)

    def s_next(self, x: float) -> float:
        """Standard uncertainty of one further result at x, its own scatter included."""
        return math.hypot(self.s_predict(x), self.s_residual)


def fit_line(x: Sequence[float], y: Sequence[float]) -> Line:
    """Least-squares line through at least three points of which two differ in x.

    Sums are centred on the mean of x to keep digits. Source: JCGM 100:2008 (GUM) H.3.2.
    """
    if len(x) != len(y):
        raise Fault("unequal", f"x holds {len(x)} values and y holds {len(y)}; they must be as many.", field="y")
    if len(x) < 3:
        raise Fault("too_few_points", f"x holds {len(x)} values; at least 3 are needed for a line with uncertainty.", field="x")
    for i, (a, b) in enumerate(zip(x, y, strict=True)):
        require_finite(a, f"x[{i}]")
        require_finite(b, f"y[{i}]")
    n = len(x)
    mx, my = math.fsum(x) / n, math.fsum(y) / n
    sxx = math.fsum((a - mx) ** 2 for a in x)
    if sxx == 0:
        raise Fault("no_spread", f"Every x is {x[0]:g}; at least two must differ.", field="x")
    sxy = math.fsum((a - mx) * (b - my) for a, b in zip(x, y, strict=True))
    syy = math.fsum((b - my) ** 2 for b in y)
    slope = sxy / sxx
    intercept = my - slope * mx
    residual = math.sqrt(math.fsum((b - intercept - slope * a) ** 2 for a, b in zip(x, y, strict=True)) / (n - 2))
    return Line(
        slope=slope,
        intercept=intercept,
        s_slope=residual / math.sqrt(sxx),
        s_intercept=residual * math.sqrt(1.0 / n + mx * mx / sxx),
        r=-mx / math.sqrt(sxx / n + mx * mx),
        correlation_xy=sxy / math.sqrt(sxx * syy) if syy > 0 else 0.0,
        s_residual=residual,
        dof=n - 2,
        mean_x=mx,
        sxx=sxx,
        n=n,
    )


def prediction_band(line: Line, x: float, *, confidence: float = 0.95) -> float:
    """Half-width of the confidence band of the line at x: t x s_predict. Source: GUM H.3.4 with G.3."""
    return coverage_factor(confidence, line.dof) * line.s_predict(x)
