"""When an instrument is due again: fixed, staircase, by its drift, or by its sensor's signal; always with the data behind it.

Methods 1 (staircase) and 3 (control by drift) after ILAC-G24 / OIML D 10:2022, clause 5; limits are policies.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import pairwise

from metrology.faults import Fault
from metrology.judgement.policy import Policy
from metrology.judgement.student import coverage_factor
from metrology.quantities.words import day_words

FIXED, STAIRCASE, DRIFT, SIGNAL = "fixed", "staircase", "drift", "signal"
SHORTEST_DAYS = 7


@dataclass(frozen=True)
class Result:
    """One finished calibration. Shares are the signed largest error in % of the tolerance, as found and as left."""

    on: date
    found_percent: float | None
    left_percent: float | None

    @property
    def passed(self) -> bool:
        """Whether the as-found lay inside the tolerance."""
        return self.found_percent is not None and abs(self.found_percent) <= 100.0


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
    last = results[-1].on
    if rule == FIXED:
        return _after(last, base_days, FIXED, f"every {base_days} days, last done {day_words(last)}")
    if rule == STAIRCASE:
        return _staircase(results, base_days, policy)
    if rule == DRIFT:
        return _drift(results, base_days, policy)
    if rule == SIGNAL:
        return _signal(last, base_days, replace_by)
    raise Fault("unknown_rule", f"'{rule}' is not a rule for intervals.", field="due_rule")


def _after(last: date, days: float, rule: str, why: str, data: tuple[str, ...] = ()) -> Due:
    whole = max(1, int(days + 1e-6))
    return Due(last + timedelta(days=whole), rule, why, whole, data)


def _staircase(results: Sequence[Result], base: int, p: Policy) -> Due:
    days, row, steps = float(base), 0, list[str]()
    longest = base * p.longest_factor
    for r in results:
        if r.found_percent is None:
            continue
        if not r.passed:
            days, row = max(SHORTEST_DAYS, days * p.shorten_factor), 0
            steps.append(f"{day_words(r.on)}: as found {r.found_percent:+.0f} % of tolerance, a fail; shortened to {days:.0f} days")
            continue
        row += 1
        if row >= p.least_results and days < longest:
            days, row = min(longest, days * p.extend_factor), 0
            steps.append(f"{day_words(r.on)}: {p.least_results} passes in a row; extended to {days:.0f} days")
        else:
            steps.append(f"{day_words(r.on)}: as found {r.found_percent:+.0f} % of tolerance, pass {row} of {p.least_results}")
    why = f"staircase from {base} days stands at {days:.0f}; {steps[-1] if steps else 'no as-found yet'}"
    return _after(results[-1].on, days, STAIRCASE, why, tuple(steps))


def drift_rates(results: Sequence[Result]) -> list[float]:
    """Drift of each interval, from as left to the next as found, in % of tolerance a day."""
    out = []
    for before, after in pairwise(results):
        days = (after.on - before.on).days
        if days > 0 and before.left_percent is not None and after.found_percent is not None:
            out.append((after.found_percent - before.left_percent) / days)
    return out


def _drift(results: Sequence[Result], base: int, p: Policy) -> Due:
    last, rates = results[-1], drift_rates(results)
    if len(rates) < p.least_results or last.left_percent is None:
        why = f"every {base} days: the drift rule needs {p.least_results} intervals with as found and as left, there are {len(rates)}"
        return _after(last.on, base, DRIFT, why)
    n = len(rates)
    mean = math.fsum(rates) / n
    spread = math.sqrt(math.fsum((r - mean) ** 2 for r in rates) / (n - 1))
    # One-sided: the share of the distribution beyond one bound only.
    reach = coverage_factor(2 * p.reliability - 1, n - 1) * spread * math.sqrt(1 + 1 / n)
    up, down = mean + reach, -mean + reach
    times = [(100.0 - last.left_percent) / up if up > 0 else math.inf, (100.0 + last.left_percent) / down if down > 0 else math.inf]
    days = min(max(SHORTEST_DAYS, min(times)), base * p.longest_factor)
    data = tuple(f"{day_words(r.on)}: {rate * 30:+.1f} % of tolerance in 30 days" for r, rate in zip(results[1:], rates, strict=False))
    why = (
        f"drift of {mean * 30:+.1f} % of tolerance in 30 days over {n} intervals; with {100 * p.reliability:g} % reliability "
        f"it reaches the tolerance after {min(times):.0f} days"
    )
    if min(times) > days:
        why += f", held to {days:.0f} at most"
    return _after(last.on, days, DRIFT, why, data)


def _signal(last: date, base: int, replace_by: date | None) -> Due:
    plain = last + timedelta(days=base)
    if replace_by is None or replace_by >= plain:
        more = f"; its sensor should last until {day_words(replace_by)}" if replace_by else "; its signal gives no forecast yet"
        return _after(last, base, SIGNAL, f"every {base} days, last done {day_words(last)}{more}")
    day = max(replace_by, last + timedelta(days=SHORTEST_DAYS))
    return _after(last, (day - last).days, SIGNAL, f"its sensor's signal is expected to be at its end on {day_words(replace_by)}")
