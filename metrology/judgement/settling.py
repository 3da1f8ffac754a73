"""Has a signal settled? Judged against limits tied to the tolerance; never by eye alone.

Where a horizon is given, settled means that what is still to come is within the limit (`approach.py`). Elsewhere, as for gas that is timed by its
exposure: over a window, |slope| x window and the spread (two standard deviations about the fitted line) are both within the limit.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Sequence
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
    """How a signal stands. slope in units a second, spread is two standard deviations; settle_s, t90_s and t95_s from the change.

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


def judge_settling(
    samples: Sequence[Sample], rule: SettleRule, *, since: float, until_settled: float | None = None, approach: Approach | None = None
) -> Settle:
    """Judge samples (time in s, value), oldest first, after a change at `since`.

    approach: what was seen of them before, of a rule with a horizon; it is fed with those that are new.
    until_settled: when it was found settled first, as carried from sample to sample; it gives the time to settle.
    Fewer than five samples, or samples that do not fill nine tenths of the window, are never settled.
    """
    after = [s for s in samples if s[0] >= since]
    if not after:
        return Settle(NO_DATA, math.nan, math.nan, math.nan, rule.window_s, 0, None, math.nan, None, 0.0)
    now = after[-1][0]
    waited = now - since
    found = _by_window(after, rule)
    if rule.horizon_s:
        found = _by_approach(found, _seen(after, rule, since, approach))
    rising = found.mean >= after[0][1]
    at = until_settled if until_settled is not None else now if found.is_settled else None
    return Settle(
        status=SETTLED if found.is_settled else UNSTABLE if waited > rule.time_limit_s else NOT_YET,
        mean=found.mean,
        sd=found.sd,
        slope=found.slope,
        window_s=found.window_s,
        n=found.n,
        settle_s=max(0.0, at - rule.window_s - since) if at is not None else None,
        peak=max(v for _, v in after) if rising else min(v for _, v in after),
        t90_s=_t(0.9, after, since, found.mean, rule.limit),
        waited_s=waited,
        t95_s=_t(0.95, after, since, found.mean, rule.limit),
        bound=found.bound,
        u=found.u,
    )


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


def _by_window(after: Sequence[Sample], rule: SettleRule) -> _Found:
    """By the last window alone: what moves and what spreads in it."""
    window = [s for s in after if s[0] > after[-1][0] - rule.window_s - 1e-9]
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


def approach_of(rule: SettleRule, *, since: float) -> Approach:
    """What is seen of a response from its stimulus on, by a rule with a horizon."""
    return Approach(rule.limit, since=since, shortest_s=rule.window_s, horizon_s=rule.horizon_s)


def _seen(after: Sequence[Sample], rule: SettleRule, since: float, approach: Approach | None) -> Coming | None:
    """How the response stands after its last sample; each sample is taken in once."""
    seen = approach or approach_of(rule, since=since)
    known = seen.last[0] if seen.last else -math.inf
    new = after[bisect_right(after, known, key=lambda s: s[0]) :]
    for t, v in new:
        seen.add(t, v)
        seen.judge()
    return seen.coming


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


def _t(share: float, after: Sequence[Sample], since: float, final: float, limit: float) -> float | None:
    """Seconds until a share of the change was seen; None when there was no change worth timing."""
    first = after[0][1]
    change = final - first
    if abs(change) < 5.0 * limit:
        return None
    goal = first + share * change
    return next((t - since for t, v in after if (v - goal) * change >= 0), None)


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
        return f"{_pace(s, places, unit)}; where it will end can't be told yet."
    may = f"up to {s.bound:.{places}f} {unit} may still come, limit {limit} {unit}"
    if s.status == SETTLED:
        return f"It stands: {may}."
    if s.status == UNSTABLE:
        return f"Not settled after {s.waited_s:.0f} s: {may}. Look for a leak, a loose contact or a moving process."
    pace = abs(s.slope) * 60
    if pace * s.window_s / 60 < rule.limit / 2:  # it hardly moves: what is missing is certainty
        return f"It hardly moves; {may}. It is looked at a little longer."
    more = rule.horizon_s * math.log(s.bound / rule.limit) if s.bound > rule.limit else 0.0
    return f"{_pace(s, places, unit)}; {max(1.0, more):.0f} s more if it goes on as the slowest looked for, limit {limit} {unit}."


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
