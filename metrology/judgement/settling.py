"""Has a signal settled? Judged against limits tied to the tolerance; never by eye alone.

Where a horizon is given, settled means that what is still to come is within the limit (`approach.py`). Elsewhere, as for gas that is timed by its
exposure: over a window, |slope| x window and the spread (two standard deviations about the fitted line) are both within the limit.
"""

from __future__ import annotations

import math
from bisect import bisect_left
from collections import deque
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from metrology.faults import Fault, require_positive
from metrology.judgement.approach import Approach, Coming

SETTLED, NOT_YET, UNSTABLE, NO_DATA, FROZEN = "settled", "not yet", "unstable", "no data", "frozen"
OK, NO_RESPONSE, OUT_OF_ACCEPTANCE = "ok", "no response", "out of acceptance"
Sample = tuple[float, float]


@dataclass(frozen=True)
class SettleRule:
    """When a signal counts as settled. window_s and time_limit_s in seconds, limit in the unit of the signal.

    horizon_s: the slowest approach that is looked for; 0: a window tells by itself.
    """

    window_s: float
    limit: float
    time_limit_s: float
    horizon_s: float = 0.0

    def __post_init__(self) -> None:
        require_positive(self.window_s, "window_s", "s")
        require_positive(self.limit, "limit")
        if self.time_limit_s <= self.window_s:
            raise Fault("bad_rule", "The time limit must be longer than the settle window.", field="time_limit_s")


@dataclass(frozen=True)
class Settle:
    """How a signal stands. slope in units a second, spread is two standard deviations; settle_s, t90_s and t95_s from the change, waited_s from where
    the response began.

    bound: how much may still come, u: standard uncertainty of the mean with that; None where a window tells by itself.
    """

    status: str
    mean: float
    sd: float
    slope: float
    window_s: float
    n: int
    settle_s: float | None
    peak: float
    t90_s: float | None
    waited_s: float
    t95_s: float | None = None
    bound: float | None = None
    u: float | None = None

    @property
    def spread(self) -> float:
        """Two standard deviations about the line through the window."""
        return 2.0 * self.sd


class Response:
    """What a signal has done since a change, taken in sample by sample: telling how it stands costs the same however long it waits.

    since: the change, s; samples from before it are passed over. first, last: (time, value), None before there is one; least, most: of the values.
    """

    def __init__(self, rule: SettleRule, *, since: float) -> None:
        self.rule, self.since = rule, since
        self.first: Sample | None = None
        self.last: Sample | None = None
        self._window: deque[Sample] = deque()
        self._highs: list[Sample] = []  # each higher than all before it
        self._lows: list[Sample] = []
        self._approach = Approach(rule.limit, since=since, shortest_s=rule.window_s, horizon_s=rule.horizon_s) if rule.horizon_s else None

    @property
    def least(self) -> float:
        """The lowest value."""
        return self._lows[-1][1]

    @property
    def most(self) -> float:
        """The highest value."""
        return self._highs[-1][1]

    def add(self, t: float, v: float) -> None:
        """Take the next sample in; times rise."""
        if t < self.since:
            return
        sample = (t, v)
        self.first, self.last = self.first or sample, sample
        self._window.append(sample)
        while self._window[0][0] <= t - self.rule.window_s - 1e-9:
            self._window.popleft()
        if not self._highs or v > self.most:
            self._highs.append(sample)
        if not self._lows or v < self.least:
            self._lows.append(sample)
        if self._approach:
            self._approach.add(t, v)
            self._approach.judge()

    def judge(self, *, until_settled: float | None = None) -> Settle:
        """How it stands. until_settled: when it was found settled first, as carried from sample to sample; it gives the time to settle.

        Fewer than five samples, or samples that do not fill nine tenths of the window, are never settled.
        """
        rule, since = self.rule, self.since
        if self.first is None or self.last is None:
            return Settle(NO_DATA, math.nan, math.nan, math.nan, rule.window_s, 0, None, math.nan, None, 0.0)
        waited = self.last[0] - (self._approach.began if self._approach else since)
        found = _by_window(self._window, rule)
        if self._approach:
            found = _by_approach(found, self._approach.coming)
        at = until_settled if until_settled is not None else self.last[0] if found.is_settled else None
        return Settle(
            status=SETTLED if found.is_settled else UNSTABLE if waited > rule.time_limit_s else NOT_YET,
            mean=found.mean,
            sd=found.sd,
            slope=found.slope,
            window_s=found.window_s,
            n=found.n,
            settle_s=max(0.0, at - rule.window_s - since) if at is not None else None,
            peak=self.most if found.mean >= self.first[1] else self.least,
            t90_s=self._seconds_to(0.9, found.mean),
            waited_s=waited,
            t95_s=self._seconds_to(0.95, found.mean),
            bound=found.bound,
            u=found.u,
        )

    def _seconds_to(self, share: float, final: float) -> float | None:
        """Seconds until a share of the change was seen; None when there was no change worth timing."""
        first = self._highs[0][1]
        change = final - first
        if abs(change) < 5.0 * self.rule.limit:
            return None
        goal, sign = first + share * change, math.copysign(1.0, change)
        passed = self._highs if change > 0 else self._lows
        n = bisect_left(passed, sign * goal, key=lambda s: sign * s[1])
        return passed[n][0] - self.since if n < len(passed) else None


def judge_settling(samples: Iterable[Sample], rule: SettleRule, *, since: float, until_settled: float | None = None) -> Settle:
    """Judge samples (time in s, value), oldest first, after a change at `since`, as `Response.judge`."""
    response = Response(rule, since=since)
    for t, v in samples:
        response.add(t, v)
    return response.judge(until_settled=until_settled)


@dataclass(frozen=True)
class _Found:
    """What a signal was found to be over a window."""

    is_settled: bool
    mean: float
    sd: float
    slope: float
    window_s: float
    n: int
    bound: float | None = None
    u: float | None = None


def _by_window(window: Sequence[Sample], rule: SettleRule) -> _Found:
    """By the last window alone: what moves and what spreads in it."""
    mean, slope, sd = line_through(window)
    fills = len(window) >= 5 and window[-1][0] - window[0][0] >= 0.9 * rule.window_s
    is_settled = fills and abs(slope) * rule.window_s <= rule.limit and 2.0 * sd <= rule.limit
    return _Found(is_settled, mean, sd, slope, rule.window_s, len(window))


def _by_approach(last: _Found, coming: Coming | None) -> _Found:
    """By how much is still to come; until that can be told, and of the mean until it has settled, as the last window has it."""
    if coming is None:
        return replace(last, is_settled=False)
    mean = coming.value if coming.is_settled else last.mean
    return _Found(coming.is_settled, mean, coming.sd, coming.slope, coming.window_s, coming.n, coming.bound, coming.u)


def line_through(window: Sequence[Sample]) -> tuple[float, float, float]:
    """Mean, slope a second, and standard deviation about the least-squares line (n - 2 degrees of freedom)."""
    n = len(window)
    t0 = window[0][0]
    mt = math.fsum(t - t0 for t, _ in window) / n
    mean = math.fsum(v for _, v in window) / n
    stt = math.fsum((t - t0 - mt) ** 2 for t, _ in window)
    slope = math.fsum((t - t0 - mt) * (v - mean) for t, v in window) / stt if stt > 0 else 0.0
    left = math.fsum((v - mean - slope * (t - t0 - mt)) ** 2 for t, v in window)
    return mean, slope, math.sqrt(left / (n - 2)) if n > 2 else 0.0


def settle_words(s: Settle, rule: SettleRule, unit: str) -> str:
    """How it stands, with the numbers behind it."""
    if s.status == NO_DATA:
        return "No samples yet."
    if s.bound is not None or rule.horizon_s:
        return _coming_words(s, rule, unit)
    creep = abs(s.slope) * rule.window_s
    places, limit = _places(rule)
    numbers = f"moves {creep:.{places}f} {unit} and spreads {s.spread:.{places}f} {unit} in {rule.window_s:g} s, limit {limit} {unit}"
    if s.status == SETTLED:
        return f"It {numbers}."
    if s.status == UNSTABLE:
        return f"Not settled after {s.waited_s:.0f} s; it {numbers}. Look for a leak, a loose contact or a moving process."
    if s.n < 5 or s.waited_s < rule.window_s:
        return f"The window of {rule.window_s:g} s is filling."
    return f"It {numbers}."


def _places(rule: SettleRule) -> tuple[int, str]:
    """As many places as show a tenth of the limit, and the limit; a technician reads no powers of ten."""
    places = max(0, 1 - math.floor(math.log10(rule.limit))) if rule.limit > 0 else 3
    limit = f"{rule.limit:.{places}f}"
    return places, limit.rstrip("0").rstrip(".") if places else limit


def _coming_words(s: Settle, rule: SettleRule, unit: str) -> str:
    """How much is still to come, and at what pace."""
    places, limit = _places(rule)
    if s.bound is None:
        if s.status == UNSTABLE:
            return f"Not settled after {s.waited_s:.0f} s: it swings or jumps. Look for a leak, a loose contact or a moving process."
        if s.n < 5 or s.waited_s < rule.window_s:
            return f"The window of {rule.window_s:g} s is filling."
        return f"{'It hardly moves' if _hardly_moves(s, rule) else _pace(s, places, unit)}; where it will end can't be told yet."
    may = f"up to {s.bound:.{places}f} {unit} may still come, limit {limit} {unit}"
    if s.status == SETTLED:
        return f"It stands: {may}."
    if s.status == UNSTABLE:
        return f"Not settled after {s.waited_s:.0f} s: {may}. Look for a leak, a loose contact or a moving process."
    if _hardly_moves(s, rule):  # what is missing is certainty
        return f"It hardly moves; {may}. It is looked at a little longer."
    more = rule.horizon_s * math.log(s.bound / rule.limit) if s.bound > rule.limit else 0.0
    return f"{_pace(s, places, unit)}; {max(1.0, more):.0f} s more if it goes on as the slowest looked for, limit {limit} {unit}."


def _hardly_moves(s: Settle, rule: SettleRule) -> bool:
    return abs(s.slope) * s.window_s < rule.limit / 2


def _pace(s: Settle, places: int, unit: str) -> str:
    return f"Still {'rising' if s.slope > 0 else 'falling'} {abs(s.slope) * 60:.{places}f} {unit} a minute"


def classify_response(moved: float, expected: float, *, error: float, acceptance: float, is_settled: bool, least: float = 0.10) -> str:
    """ok, no response, unstable or out of acceptance, for a stimulus.

    moved: change seen, expected: change that was to come (same unit); least: share of it below which nothing has answered.
    error and acceptance in the same unit: how far from where it should be, and how far it may be to be adjusted at all.
    """
    if expected and abs(moved) < least * abs(expected):
        return NO_RESPONSE
    if not is_settled:
        return UNSTABLE
    return OUT_OF_ACCEPTANCE if abs(error) > acceptance else OK
