"""How much of a response is still to come, and how sure that is: judged sample by sample from everything since the stimulus.

Over windows that reach back over a good part of the time since the response began, a line is laid through the samples. What may still come is at least its
slope times the horizon, the slowest approach that is looked for; a slope that is sure reaches as far as its own decline says. A window that rings, turns
round, or still holds the stimulus itself, tells nothing; nor does a narrow one that the approach came to sooner than anything comes that does not swing.
A pulsation that goes on as it is does not keep a signal from having settled, and counts in the uncertainty. The method and what it can't see are in the
methods document; its trials are `tools/settle_trials.py`.
"""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right
from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from metrology.faults import require_positive

HORIZON_S = 30.0  # (P) the slowest approach that is looked for, where nothing else is said
Z = 0.6  # standard errors of the slope that are added to it
TURNS = 2.0  # standard errors between the slopes of both halves from which one that rises and one that falls are a turn, and no scatter
SHARES = (0.35, 0.42, 0.5, 0.6, 0.7, 0.78, 0.85)  # of the time since it began: the windows that are looked at, the shortest first
BINS = 24  # a window holds so many bins at least
LEVELS = 14
FEWEST = 6  # bins that a line is laid through
FAR = 10.0  # so many horizons a slope that is sure is carried on at most
SURE = 3.0  # standard errors from which a slope is sure
IN_A_ROW, APART_S = 2, 0.5  # samples that must say so, the last so many s after the first at least
BEGUN = 0.05  # of a change: once so much of it was seen, it has begun, and the time counts from there
WORTH = 25.0  # limits: a smaller change has no beginning that could be told from noise
NARROW = 0.55  # of the time since it began: what narrower windows say counts only where the approach did not break off before them
PARTS = (0.15, 0.2, 0.25, 0.3, 0.35, 0.4, 0.5)  # of the window: the equal times over which that is looked at
BEGINS = (4.0, 3.5, 3.0, 2.5)  # of these, before the window: where they begin
SLOWS = 2.0  # times that one change is of the next before it may break off; an even pace that stops comes to two at most
BREAKS = 0.5  # the share by which changes over equal times shrink must not fall to less than this of itself
APART = 1.5  # standard errors from which it has
SWING = 10.0  # limits: a swing that goes so far beyond where it stands is seen
DIES = 1.25  # times that one is of the next: less is a pulsation
COURSE = 120  # bins at most in which all of it is looked at for swings
RINGING = 3.0  # a structure left in the residuals beyond the limit over this is no scatter
RECENT, FEW_DIGITS = 40, 8  # a display is taken to step where its last samples are of so few values
LARGEST_STEP = 20.0  # limits: what is farther apart is a jump of the signal and no step of its display
Mean = tuple[float, int]  # of so many samples
Row = tuple[float, float, int, float]  # time before now, mean, count, sum of squares within


class _Bin:
    """Samples of a stretch of time: how many, and the sums of their times, values and squares."""

    __slots__ = ("key", "n", "t", "v", "vv")

    def __init__(self, key: int) -> None:
        self.key, self.n, self.t, self.v, self.vv = key, 0, 0.0, 0.0, 0.0

    def add(self, t: float, v: float) -> None:
        self.n, self.t, self.v, self.vv = self.n + 1, self.t + t, self.v + v, self.vv + v * v

    def row(self, now: float) -> Row:
        return self.t / self.n - now, self.v / self.n, self.n, max(0.0, self.vv - self.v * self.v / self.n)


@dataclass(frozen=True)
class Coming:
    """How a response stands. value: best estimate of where it ends; to_come: from where it is now, signed; bound: how much it may be, with confidence.

    u: standard uncertainty of value: rest of the approach, scatter, pulsation, display step. slope a second; window_s, n: what it was judged over.
    """

    is_settled: bool
    value: float
    to_come: float
    bound: float
    u: float
    slope: float
    window_s: float
    n: int
    sd: float


class Approach:
    """The samples since a stimulus, in bins of doubling width, so that a decision costs the same however long it waits.

    limit: how much may still come, in the unit of the signal. shortest_s: the shortest window. resolution: what the display steps by, seen by itself where
    its samples show it. Raises a Fault where limit, shortest_s or horizon_s is not above 0.
    """

    def __init__(
        self, limit: float, *, since: float, shortest_s: float = 5.0, resolution: float = 0.0, horizon_s: float = HORIZON_S
    ) -> None:
        require_positive(limit, "limit")
        require_positive(shortest_s, "shortest_s", "s")
        require_positive(horizon_s, "horizon_s", "s")
        self.limit, self.since, self.shortest, self.horizon, self.given = limit, since, shortest_s, horizon_s, resolution
        self._levels: list[list[_Bin]] = [[] for _ in range(LEVELS)]
        self._recent: deque[float] = deque(maxlen=RECENT)
        self._changes: list[float] = []
        # How far it was from the first sample, and when it left what was nearer: each farther than all before.
        self._records: list[tuple[float, float]] = []
        self._agreed, self._since = 0, since
        self.last: tuple[float, float] | None = None
        self.first: tuple[float, float] | None = None
        self.coming: Coming | None = None

    def add(self, t: float, v: float) -> None:
        """One more sample, at a time in s; one from before the stimulus, or from before the last, is passed over."""
        if t < self.since or (self.last and t <= self.last[0]):
            return
        if self.last and v != self.last[1]:
            self._changes.append(t)
        self.first = self.first or (t, v)
        far = abs(v - self.first[1])
        if not self._records or far > self._records[-1][0]:
            self._records.append((far, self.last[0] if self.last else t))
        self.last = (t, v)
        self._recent.append(v)
        width = self.shortest / BINS
        for bins in self._levels:
            key = math.floor((t - self.since) / width)
            if not bins or bins[-1].key != key:
                bins.append(_Bin(key))
            bins[-1].add(t, v)
            width *= 2

    @property
    def resolution(self) -> float:
        """What the display steps by: as given, or as its last samples show it; 0 where it does not."""
        values = sorted(set(self._recent))
        if len(self._recent) < 10 or not 1 < len(values) <= FEW_DIGITS:
            return self.given
        step = min(b - a for a, b in pairwise(values))
        return max(self.given, step) if step <= LARGEST_STEP * self.limit else self.given

    @property
    def began(self) -> float:
        """When what is seen began: when it left its first value, or the stimulus where it has hardly moved."""
        if self.first is None or self.last is None or (far := abs(self.last[1] - self.first[1])) < WORTH * self.limit:
            return self.since
        return max(self.since, self._records[bisect_right(self._records, BEGUN * far, key=lambda r: r[0])][1])

    def judge(self) -> Coming | None:
        """How it stands after the last sample; None while there are too few samples to say anything."""
        if self.last is None:
            return None
        elapsed, step = self.last[0] - self.began, self.resolution
        limit = max(self.limit, step / 2)
        found: Coming | None = None
        broke_off, stood = False, self.coming is not None and self.coming.is_settled
        for window in dict.fromkeys(max(self.shortest, share * elapsed) for share in SHARES):
            is_narrow = window < NARROW * elapsed
            seen = self._over(window, step) if window <= elapsed * 1.02 and not (is_narrow and broke_off) else None
            if seen and is_narrow and seen.bound < limit and not stood and self._breaks_off(window, seen.sd**2, step):
                broke_off = True
            elif seen and (found is None or seen.bound < found.bound):
                found = seen
            if found and found.bound < limit:
                break
        self._agreed = self._agreed + 1 if found and found.bound < limit else 0
        if self._agreed <= 1:
            self._since = self.last[0]
        if found and self._agreed >= IN_A_ROW and self.last[0] - self._since >= APART_S - 1e-9:
            found = replace(found, is_settled=True)
        self.coming = found
        return found

    def _rows(self, window: float) -> list[Row]:
        assert self.last is not None
        level = max(0, min(LEVELS - 1, math.ceil(math.log2(window / self.shortest) - 1e-9)))
        now, out = self.last[0], []
        for found in reversed(self._levels[level]):
            row = found.row(now)
            if row[0] < -window:
                break
            out.append(row)
        out.reverse()
        return out

    def _over(self, window: float, step: float) -> Coming | None:
        """What one window says; None where it is not filled, rings, or holds more than a line and its scatter."""
        rows = self._rows(window)
        if len(rows) < FEWEST or rows[-1][0] - rows[0][0] < 0.8 * window - self.shortest / BINS:
            return None
        line = _line(rows)
        left = [v - line.at(t) for t, v, _, _ in rows]
        about = math.fsum(r[2] * x * x for r, x in zip(rows, left, strict=True)) / (len(rows) - 2)
        noise = _noise(rows, line.n)
        if not self._is_clean(left, about, noise, line.n / len(rows), step) or _turns(rows, noise + step * step / 12):
            return None
        variance = max(about, noise)
        if step:
            assert self.last is not None
            since = self.last[0] - window
            variance += step * step / 12 * line.n / max(2.0, len(self._turned(since)) + 1)
        se = math.sqrt(variance / line.stt)
        reach = self._reach(rows, line.slope, se, variance, window)
        unseen = Z * se * self.horizon * math.exp(-window / 2 / self.horizon)  # by its end an approach has come down from its mean slope
        bound = abs(line.slope) * reach + unseen
        scatter = math.sqrt(variance / line.n + variance / line.stt * line.t * line.t)
        rest = line.slope * self.horizon / 2
        u = math.sqrt(scatter**2 + step**2 / 12 + (bound / 2) ** 2)
        return Coming(False, line.at(0.0) + rest, rest, bound, u, line.slope, -rows[0][0], line.n, math.sqrt(variance))

    def _breaks_off(self, window: float, variance: float, step: float) -> bool:
        """Whether it came to the window sooner than anything comes that does not swing, or still rings by the decay of what was seen: it may be on its way
        back, and a creep make up for it.
        """
        assert self.last is not None
        starts, began = self.last[0] - window, self.began
        if self.last[0] < self._rings_until(began):
            return True
        for length in (part * window for part in PARTS):
            for begin in (starts - k * length for k in BEGINS):
                if begin >= began and _falls_short(self._means(begin, length), variance, step):
                    return True
        return False

    def _rings_until(self, began: float) -> float:
        """When a swing that was seen is within the limit by its own decay; when it began where none was."""
        assert self.first is not None and self.last is not None
        level = max(0, min(LEVELS - 1, math.ceil(math.log2(max(1.0, (self.last[0] - began) * BINS / self.shortest / COURSE)))))
        bins, width = self._levels[level], self.shortest / BINS * 2.0**level
        course = [(b.t / b.n, b.v / b.n) for b in bins[bisect_left(bins, math.floor((began - self.since) / width), key=lambda b: b.key) :]]
        swings = _swings(course, (began, self.first[1]), SWING * self.limit)
        if len(swings) < 2:
            return began
        (then, before), (at, far) = swings[-2:]
        shrinks = abs(before / far)
        return at + (at - then) * math.log(abs(far) / self.limit) / math.log(shrinks) if shrinks > DIES else began

    def _means(self, begin: float, length: float) -> list[Mean]:
        """Means over five equal times one after the other, from a time on; fewer where there are none in one of them."""
        level = max(0, min(LEVELS - 1, math.floor(math.log2(length * BINS / self.shortest / 6))))
        bins, width = self._levels[level], self.shortest / BINS * 2.0**level
        first, many = round((begin - self.since) / width), max(1, round(length / width))  # by whole bins, so that the times are equal
        ends = [bisect_left(bins, first + n * many, key=lambda b: b.key) for n in range(6)]
        parts = [bins[i:j] for i, j in pairwise(ends) if i < j]
        return [(math.fsum(b.v for b in part) / (n := sum(b.n for b in part)), n) for part in parts]

    def _turned(self, since: float) -> Sequence[float]:
        """When the display showed another value, since a time."""
        n = len(self._changes)
        while n and self._changes[n - 1] > since:
            n -= 1
        return self._changes[n:]

    def _is_clean(self, left: Sequence[float], about: float, noise: float, a_bin: float, step: float) -> bool:
        """Whether a line and its scatter are all there is, or what is beside them goes on unchanged, as a pulsation does and a ringing does not."""
        structure = max(0.0, (about - noise) / a_bin)
        slack = noise * math.sqrt(2.0 / (len(left) - 2)) * 2.0 / a_bin + step * step / 12
        if structure - slack <= (self.limit / RINGING) ** 2:
            return True
        half = len(left) // 2
        early, late = (math.sqrt(math.fsum(x * x for x in part) / len(part)) for part in (left[:half], left[half:]))
        crossings = sum(1 for a, b in pairwise(left) if a * b < 0)
        return crossings >= 4 and late >= 0.7 * early

    def _reach(self, rows: Sequence[Row], slope: float, se: float, variance: float, window: float) -> float:
        """How far a slope is carried on: to the horizon; one that is sure to where its decline between the halves of the window says."""
        half = len(rows) // 2
        if abs(slope) <= SURE * se or half < FEWEST // 2:
            return self.horizon
        early, late = _line(rows[:half]), _line(rows[half:])
        if not early.stt or not late.stt or early.slope * late.slope <= 0:
            return FAR * self.horizon
        falls = (abs(early.slope) - math.sqrt(variance / early.stt)) / (abs(late.slope) + math.sqrt(variance / late.stt))
        return max(self.horizon, min(FAR * self.horizon, window / 2 / math.log(falls))) if falls > 1 else FAR * self.horizon


@dataclass(frozen=True)
class _Line:
    """A weighted least-squares line: through (t, v), with so many samples and their spread in time."""

    n: int
    t: float
    v: float
    stt: float
    slope: float

    def at(self, t: float) -> float:
        return self.v + self.slope * (t - self.t)


def _line(rows: Sequence[Row]) -> _Line:
    n = sum(r[2] for r in rows)
    t = sum(r[2] * r[0] for r in rows) / n
    v = sum(r[2] * r[1] for r in rows) / n
    stt = sum(r[2] * (r[0] - t) ** 2 for r in rows)
    slope = sum(r[2] * (r[0] - t) * (r[1] - v) for r in rows) / stt if stt else 0.0
    return _Line(n, t, v, stt, slope)


def _turns(rows: Sequence[Row], variance: float) -> bool:
    """Whether it turns round in a window: a line through an overshoot is flat, and yet it is on its way back. variance: of one sample."""
    half = len(rows) // 2
    early, late = _line(rows[:half]), _line(rows[half:])
    if not early.stt or not late.stt or early.slope * late.slope >= 0:
        return False
    return abs(late.slope - early.slope) > TURNS * math.sqrt(variance * (1 / early.stt + 1 / late.stt))


def _swings(course: Sequence[tuple[float, float]], start: tuple[float, float], least: float) -> list[tuple[float, float]]:
    """Where it turned round beyond where it is now, to the one side and to the other, by more than `least`: when, and how far. Its start is the first."""
    now = course[-1][1]
    swings = [(start[0], start[1] - now)]
    for (_, a), (t, b), (_, c) in zip(course, course[1:], course[2:], strict=False):
        far = b - now
        if (b - a) * (c - b) > 0 or (b - a) * far <= 0 or abs(far) <= least:
            continue
        if far * swings[-1][1] < 0:
            swings.append((t, far))
        elif abs(far) > abs(swings[-1][1]):
            swings[-1] = (t, far)
    return swings


def _falls_short(means: Sequence[Mean], variance: float, step: float) -> bool:
    """Whether the last of four changes over equal times is too small for an approach that does not swing.

    Those of an exponential shrink by the same share each, and by less where a creep follows it; a pace that stops at once, as a pump does, is no swing
    either. variance: of one sample; step: of the display.
    """
    if len(means) < 5:
        return False
    before, first, second, third = (b - a for (a, _), (b, _) in pairwise(means))
    if first * second <= 0 or first * before <= 0 or abs(before) < SLOWS * abs(first):
        return False
    _, _, n2, n3, n4 = (n for _, n in means)
    least, pulls = BREAKS * second * second / first, 2 * BREAKS * second / first
    se = math.sqrt(step * step / 6 + variance * (1 / n4 + 1 / n3) + pulls * pulls * variance * (1 / n3 + 1 / n2))
    return (least - third) * math.copysign(1.0, second) > APART * se


def _noise(rows: Sequence[Row], n: int) -> float:
    """Variance of one sample about a smooth course: within the bins, or from second differences where a bin holds hardly more than one."""
    if n > 1.5 * len(rows):
        return math.fsum(r[3] for r in rows) / (n - len(rows))
    bends = [a[1] - 2 * b[1] + c[1] for a, b, c in zip(rows, rows[1:], rows[2:], strict=False)]
    return math.fsum(x * x for x in bends) / len(bends) / 6 * n / len(rows)
