"""Courses that ageing may take, weighed by what results make of each: none is believed alone while another explains them about as well.

A course runs evenly in a power of the value (1 a straight line, 0 its logarithm: an exponential, below 0 one that levels off) or of the time
(above 1: one that speeds up). Each is fixed by its values on the first and on the last day, fitted by least squares in the value itself
(Gauss-Newton), and weighed by its likelihood over a grid of scatters with what the two free values cost (Laplace). Scatter is never taken for less
than a quarter percent: a few results that happen to lie on a line say nothing of how well the next one will. Nor for less than they show: where no
course comes nearer than a coarser grid would tell, the grid is coarser.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from statistics import NormalDist

from metrology.judgement.student import normal_cdf

STRAIGHT, EXPONENTIAL, SPEEDING_UP, LEVELLING_OFF = "straight line", "exponential", "speeding up", "levelling off"
SCATTERS = tuple(0.25 * 24 ** (n / 9) for n in range(10))  # % of the first value, 0.25 to 6, evenly in the logarithm
INSIDE = 2.5  # %: a scatter that is seen lies no higher in the grid, which is stretched where it would
CONCEIVABLE = 1 / 20
NEGLIGIBLE = 1e-4  # a course of less weight changes no limit
BEYOND = 1e6  # %: no value is larger, and a course that runs away is there
LEAST_VALUE = 0.1  # %: what is lower is as good as nothing, and has no logarithm
STEPS = 3  # of Gauss and Newton: the start is what was read on the first and last day


@dataclass(frozen=True)
class Shape:
    """A way to age. power: of the value; clock: the power of the time; chance: before anything is known."""

    kind: str
    power: float
    clock: float
    chance: float

    def even(self, value: float) -> float:
        """What changes evenly with the clock."""
        return math.log(value) if self.power == 0 else float(value**self.power)

    def value(self, even: float) -> float:
        """The value again; nothing is left where a falling course has run out, and it is BEYOND where a rising one has."""
        if self.power == 0:
            return math.exp(min(even, math.log(BEYOND)))
        if even <= 0:
            return 0.0 if self.power > 0 else BEYOND
        return float(min(even ** (1.0 / self.power), BEYOND))

    def pace(self, value: float) -> float:
        """How much of the even quantity goes by for one of the value."""
        return float((self.power or 1.0) * min(max(value, LEAST_VALUE), BEYOND) ** (self.power - 1.0))


SHAPES = (
    Shape(LEVELLING_OFF, -2.0, 1.0, 0.03),
    Shape(LEVELLING_OFF, -1.0, 1.0, 0.05),
    Shape(LEVELLING_OFF, -0.5, 1.0, 0.03),
    Shape(EXPONENTIAL, 0.0, 1.0, 0.25),
    Shape(EXPONENTIAL, 0.5, 1.0, 0.06),
    Shape(STRAIGHT, 1.0, 1.0, 0.36),
    Shape(SPEEDING_UP, 1.0, 1.25, 0.06),
    Shape(SPEEDING_UP, 1.0, 1.5, 0.05),
    Shape(SPEEDING_UP, 1.0, 1.8, 0.04),
    Shape(SPEEDING_UP, 1.0, 2.1, 0.03),
    Shape(SPEEDING_UP, 1.0, 2.5, 0.02),
    Shape(SPEEDING_UP, 1.0, 3.0, 0.02),
)
STEADY_OR_FASTER = tuple(s for s in SHAPES if s.power == 1.0)  # what a value may do that has no natural zero


@dataclass(frozen=True)
class Course:
    """A shape fitted to results: first and last value, and the covariance of both for a scatter of one.

    share: its probability among all courses. scatters: how likely which scatter is under it, as (scatter, weight).
    """

    shape: Shape
    since: float
    days: float
    first: float
    last: float
    covariance: tuple[float, float, float]
    share: float
    scatters: tuple[tuple[float, float], ...]

    def at(self, day: float) -> float:
        """Its value on a day, in % of the first of its life."""
        begin, end = self.shape.even(self.first), self.shape.even(self.last)
        return self.shape.value(begin + (end - begin) * self._clock(day))

    def spread(self, day: float) -> float:
        """How far one further result may lie from it, for a scatter of one: its own, and that of the fit."""
        u, pace = self._clock(day), self.shape.pace(self.at(day))
        a, b = (1 - u) * self.shape.pace(self.first) / pace, u * self.shape.pace(self.last) / pace
        aa, ab, bb = self.covariance
        return math.sqrt(1.0 + aa * a * a + 2 * ab * a * b + bb * b * b)

    def scatter_at(self, probability: float) -> float:
        """What a result of no spread but its scatter exceeds with a probability."""
        return _bisect(lambda x: self._below(x) - (1 - probability), 0.0, 8 * self.scatters[-1][0])

    def low_day(self, level: float, *, scatter: float, within: int) -> float | None:
        """The first day, counted like the results, on which it may have come down to a level; None where it does not within so many days."""
        last = self.since + self.days

        def is_down(after: int) -> bool:
            day = last + after
            return self.at(day) - (scatter * self.spread(day) if scatter else 0.0) <= level

        if is_down(0):
            return last
        if not is_down(within):
            return None
        above, down = 0, within
        while down - above > 1:
            middle = (above + down) // 2
            above, down = (above, middle) if is_down(middle) else (middle, down)
        return last + down

    def _clock(self, day: float) -> float:
        return float(((day - self.since) / self.days) ** self.shape.clock)

    def _below(self, x: float) -> float:
        return math.fsum(w * normal_cdf(x / s) for s, w in self.scatters)


def courses_through(days: Sequence[float], values: Sequence[float], shapes: Sequence[Shape] = SHAPES) -> list[Course]:
    """Every shape fitted to results in order of their days, at least three on two days, above zero; the likeliest first, shares adding to one."""
    held = [_held(v) for v in values]
    free = len(days) - 2
    fitted = [_fitted(shape, days, held) for shape in shapes]
    stretched = max(1.0, math.sqrt(min(f.squares for f in fitted) / free) / INSIDE)
    weighed = [_weighed(f, [s * stretched for s in SCATTERS], free) for f in fitted]
    top = max(likely for _, likely in weighed)
    total = math.fsum(math.exp(likely - top) for _, likely in weighed)
    return sorted((replace(c, share=math.exp(likely - top) / total) for c, likely in weighed), key=lambda c: c.share, reverse=True)


def earliest_down(courses: Sequence[Course], level: float, *, confidence: float, within: int) -> float | None:
    """The first day on which one more result may lie at a level, on any course that is conceivable; None where none does within so many days.

    Conceivable is what explains the results at least a twentieth as well as the best does.
    """
    best = max(c.share / c.shape.chance for c in courses)
    conceivable = [c for c in courses if c.share / c.shape.chance >= CONCEIVABLE * best]
    found = [c.low_day(level, scatter=c.scatter_at(1 - confidence), within=within) for c in conceivable]
    return min((d for d in found if d is not None), default=None)


def share_of(courses: Iterable[Course], kind: str) -> float:
    """The probability of all courses of a kind."""
    return math.fsum(c.share for c in courses if c.shape.kind == kind)


def bands_on(courses: Sequence[Course], days: Iterable[float], *, confidence: float) -> list[tuple[float, float]]:
    """Between what one further result on each of the days lies with a confidence, all courses by their shares."""
    tail = (1 - confidence) / 2
    reach = NormalDist().inv_cdf(1 - tail)
    counting = [(c, c.scatter_at(tail) / reach) for c in courses if c.share > NEGLIGIBLE]
    return [_band([(c.share, c.at(day), scatter * c.spread(day)) for c, scatter in counting], tail) for day in days]


def _band(parts: Sequence[tuple[float, float, float]], tail: float) -> tuple[float, float]:
    """The limits that a mixture of normal distributions (share, mean, deviation) is beyond by `tail` on either side."""
    low, high = min(m - 8 * s for _, m, s in parts), max(m + 8 * s for _, m, s in parts)
    total = math.fsum(w for w, _, _ in parts)

    def beyond(share: float) -> float:
        return _bisect(lambda x: sum(w * normal_cdf((x - m) / s) for w, m, s in parts) - share * total, low, high)

    return max(0.0, beyond(tail)), max(0.0, beyond(1 - tail))


@dataclass(frozen=True)
class _Fit:
    """A shape through results: its values on the first and last day, their sums of squares and products, and the squares that are left."""

    shape: Shape
    since: float
    days: float
    first: float
    last: float
    sums: tuple[float, float, float]
    squares: float


def _fitted(shape: Shape, days: Sequence[float], values: Sequence[float]) -> _Fit:
    since, span = days[0], days[-1] - days[0]
    clock = [((d - since) / span) ** shape.clock for d in days]
    first, last = values[0], values[-1]
    for _ in range(STEPS):
        begin, end, at_first, at_last = shape.even(first), shape.even(last), shape.pace(first), shape.pace(last)
        aa = ab = bb = a_r = b_r = 0.0
        for u, v in zip(clock, values, strict=True):
            fit = shape.value(begin + (end - begin) * u)
            pace = shape.pace(fit)
            a, b, r = (1 - u) * at_first / pace, u * at_last / pace, v - fit
            aa, ab, bb, a_r, b_r = aa + a * a, ab + a * b, bb + b * b, a_r + a * r, b_r + b * r
        det = aa * bb - ab * ab
        first, last = _held(first + (bb * a_r - ab * b_r) / det), _held(last + (aa * b_r - ab * a_r) / det)
    begin, end = shape.even(first), shape.even(last)
    squares = sum((v - shape.value(begin + (end - begin) * u)) ** 2 for u, v in zip(clock, values, strict=True))
    return _Fit(shape, since, span, first, last, (aa, ab, bb), squares)


def _weighed(f: _Fit, scatters: Sequence[float], free: int) -> tuple[Course, float]:
    """The course of a fit, and the logarithm of its weight."""
    logs = [-free * math.log(s) - f.squares / (2 * s * s) for s in scatters]
    top = max(logs)
    weights = [math.exp(x - top) for x in logs]
    total = math.fsum(weights)
    aa, ab, bb = f.sums
    det = aa * bb - ab * ab
    told = tuple((s, w / total) for s, w in zip(scatters, weights, strict=True))
    course = Course(f.shape, f.since, f.days, f.first, f.last, (bb / det, -ab / det, aa / det), 0.0, told)
    if f.shape.power < 0 and f.last >= f.first:
        return course, -math.inf  # what does not fall does not level off
    return course, math.log(f.shape.chance) + top + math.log(total) - math.log(det) / 2


def _held(value: float) -> float:
    return min(max(value, LEAST_VALUE), BEYOND)


def _bisect(rising: Callable[[float], float], low: float, high: float) -> float:
    """Where a rising function passes zero, to a ten-thousandth of where it is looked for."""
    for _ in range(26):
        middle = (low + high) / 2
        low, high = (middle, high) if rising(middle) < 0 else (low, middle)
    return (low + high) / 2
