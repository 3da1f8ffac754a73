"""When an instrument is due again: fixed, staircase, by its drift, or by its sensor's signal; always with the data behind it.

Methods 1 (staircase) and 3 (control by drift) after ILAC-G24 / OIML D 10:2022, clause 5; limits are policies.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import pairwise

from metrology.faults import Fault
from metrology.judgement.policy import Policy
from metrology.judgement.wandering import Look, Wandering
from metrology.quantities.words import day_words

FIXED, STAIRCASE, DRIFT, SIGNAL = "fixed", "staircase", "drift", "signal"
RULES = (FIXED, STAIRCASE, DRIFT, SIGNAL)
SHORTEST_DAYS = 7
LIMIT_PERCENT = 100.0 * (1 + 1e-9)


@dataclass(frozen=True)
class Result:
    """One finished calibration. Shares are the signed largest error in % of the tolerance, as found and as left.

    is_failed: it failed as found by what has no share, such as a trip that came late.
    """

    on: date
    found_percent: float | None
    left_percent: float | None
    is_failed: bool = False

    @property
    def failed(self) -> bool:
        """Whether it failed as found; one that was not read as found did not."""
        return self.is_failed or (self.found_percent is not None and abs(self.found_percent) > 100.0)


@dataclass(frozen=True)
class Due:
    """The day an instrument is due, the rule that made it, and the sentence that says so. data: what it rests on."""

    on: date
    rule: str
    why: str
    interval_days: int
    data: tuple[str, ...] = ()


def next_due(rule: str, results: Sequence[Result], *, base_days: int, policy: Policy, replace_by: date | None = None) -> Due:
    """When it is due after the last of `results` (oldest first). base_days: the interval of the register, 1 to 3650.

    replace_by: when its sensor should be replaced, for the signal rule. Raises a Fault for an unknown rule or no result.
    An interval is never made longer on fewer than `least_results` results.
    """
    if not results:
        raise Fault("no_results", "Without a finished calibration there is nothing to count from.", field="results")
    last, left = results[-1].on, results[-1].left_percent
    if rule not in RULES:
        raise Fault("unknown_rule", f"'{rule}' is not a rule for intervals.", field="due_rule")
    if left is not None and abs(left) > LIMIT_PERCENT:
        return Due(last, rule, f"left outside its tolerance ({left:+.0f} % of it) on {day_words(last)}: due at once", 0)
    if rule == FIXED:
        return _after(last, base_days, FIXED, f"every {base_days} days, last done {day_words(last)}")
    if rule == STAIRCASE:
        return _staircase(results, base_days, policy)
    if rule == DRIFT:
        return _after_a_fail(_drift(results, base_days, policy), results[-1], base_days, policy)
    return _signal(last, base_days, replace_by)


def _after(last: date, days: float, rule: str, why: str, data: tuple[str, ...] = ()) -> Due:
    whole = max(1, int(days + 1e-6))
    return Due(last + timedelta(days=whole), rule, why, whole, data)


def _staircase(results: Sequence[Result], base: int, p: Policy) -> Due:
    days, row, steps = float(base), 0, list[str]()
    longest = base * p.longest_factor
    for r in results:
        if r.failed:
            days, row = max(SHORTEST_DAYS, days * p.shorten_factor), 0
            what = "failed as found" if r.is_failed else f"as found {r.found_percent:+.0f} % of tolerance, a fail"
            steps.append(f"{day_words(r.on)}: {what}; shortened to {days:.0f} days")
            continue
        if r.found_percent is None:
            continue
        if abs(r.found_percent) >= p.extend_below:
            row = 0
            steps.append(f"{day_words(r.on)}: as found {r.found_percent:+.0f} % of tolerance, a pass too near the limit to make it longer")
            continue
        row += 1
        if row >= p.least_results and days < longest:
            days, row = min(longest, days * p.extend_factor), 0
            steps.append(f"{day_words(r.on)}: {p.least_results} passes in a row; extended to {days:.0f} days")
        else:
            steps.append(f"{day_words(r.on)}: as found {r.found_percent:+.0f} % of tolerance, pass {row} of {p.least_results}")
    why = f"staircase from {base} days stands at {days:.0f}; {steps[-1] if steps else 'no as-found yet'}"
    return _after(results[-1].on, days, STAIRCASE, why, tuple(steps))


def _drift(results: Sequence[Result], base: int, p: Policy) -> Due:
    """As long as the risk to be found outside stays within what is wanted, from drift, wandering and scatter together."""
    last, first = results[-1], results[0].on
    told = [r for r in results if r.found_percent is not None or r.left_percent is not None]
    intervals = sum(r.found_percent is not None for r in told[1:])
    if not intervals or last.left_percent is None:
        return _after(
            last.on, base, DRIFT, f"every {base} days: the drift rule needs an interval from as left to as found, there is none yet"
        )
    seen = Wandering([Look((r.on - first).days / base, r.found_percent, r.left_percent) for r in told])
    risk, alone = 1.0 - p.reliability, seen.by_scatter
    longest = p.longest_factor if intervals >= p.least_results else 1.0
    over = f"{intervals} {'interval' if intervals == 1 else 'intervals'}"
    each = f"{round(seen.drift * 30 / base, 1) + 0.0:+.1f} % of tolerance in 30 days, scatter {seen.scatter:.0f} %, over {over}"
    data = tuple(
        f"{day_words(after.on)}: {before.left_percent:+.0f} to {after.found_percent:+.0f} % of tolerance in {(after.on - before.on).days} days"
        for before, after in pairwise(told)
        if before.left_percent is not None and after.found_percent is not None
    )
    if alone > risk:
        why = f"every {base} days: {each}; it may be found outside at any time, which a shorter interval does not cure: look at its scatter"
        return _after(last.on, base, DRIFT, why, data)
    days = max(min(SHORTEST_DAYS, base), seen.good_for(risk, longest) * base)
    whole = int(days + 1e-6)
    if seen.outside(0.0) > risk:
        left = f"left at {last.left_percent:+.0f} % of its tolerance"
        why = f"{each}; {left} it may be found outside at any time: set it, or look again in {whole} days"
        return _after(last.on, days, DRIFT, why, data)
    why = f"drift of {each}; with {100 * p.reliability:g} % reliability it is inside for {whole} days"
    if days >= longest * base - 1:
        why += ", the longest it may be" if longest > 1 else f"; it needs {p.least_results} intervals to be made longer"
    return _after(last.on, days, DRIFT, why, data)


def _after_a_fail(due: Due, last: Result, base: int, p: Policy) -> Due:
    """Found outside, it is looked at again sooner than the register has it: one result does not tell drift from scatter."""
    most = max(min(SHORTEST_DAYS, base), base * p.shorten_factor)
    if not last.failed or due.interval_days <= most:
        return due
    found = "failed as found" if last.is_failed else f"found at {last.found_percent:+.0f} % of its tolerance"
    return _after(last.on, most, DRIFT, f"{found}: looked at again after {most:.0f} days at the latest; {due.why}", due.data)


def _signal(last: date, base: int, replace_by: date | None) -> Due:
    plain = last + timedelta(days=base)
    if replace_by is None or replace_by >= plain:
        more = f"; its sensor should last until {day_words(replace_by)}" if replace_by else "; its signal gives no forecast yet"
        return _after(last, base, SIGNAL, f"every {base} days, last done {day_words(last)}{more}")
    day = max(replace_by, last + timedelta(days=SHORTEST_DAYS))
    return _after(last, (day - last).days, SIGNAL, f"its sensor's signal is expected to be at its end on {day_words(replace_by)}")
