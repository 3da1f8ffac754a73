"""Safety functions in numbers: how often a proof test finds one that would not have acted, and how likely that makes a failure on demand.

Sources: IEC 61511-1:2016, 11.9 and 16.2.9 (reliability data, what is found is compared with what was assumed); ISA-TR84.00.02-2022 and
IEC 61508-6:2010, annex B (simplified equations: constant rates, equal parts, repair time left out, common cause by a beta factor). They hold while
rate times test interval is small; nothing here replaces the assessment by those licensed for it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from metrology.faults import Fault, require_range
from metrology.judgement.voting import read_scheme

HOURS_A_YEAR = 8760.0
LOW, HIGH = "low", "high"
MODES = {LOW: "Low demand, less than once a year", HIGH: "High demand, or continuous"}
LEVELS = (1, 2, 3, 4)
BELOW = {LOW: (1e-1, 1e-2, 1e-3, 1e-4), HIGH: (1e-5, 1e-6, 1e-7, 1e-8)}  # what a figure of each level stays below


def incomplete_gamma(a: float, x: float) -> float:
    """Regularised lower incomplete gamma function P(a, x) for a > 0 and x >= 0.

    Source: NIST Digital Library of Mathematical Functions, 8.11.4 (series) and 8.9.2 (continued fraction).
    """
    if x <= 0.0:
        return 0.0
    front = math.exp(a * math.log(x) - x - math.lgamma(a))
    if x < a + 1.0:
        term = total = 1.0 / a
        n = a
        while term > total * 1e-16:
            n += 1.0
            term *= x / n
            total += term
        return front * total
    tiny = 1e-300
    b = x + 1.0 - a
    c, d = 1.0 / tiny, 1.0 / b
    f = d
    for i in range(1, 1000):
        an = -i * (i - a)
        b += 2.0
        d = 1.0 / (an * d + b)
        c = b + an / c
        f *= c * d
        if abs(c * d - 1.0) < 1e-15:
            break
    return 1.0 - front * f


def chi_square_quantile(p: float, dof: float) -> float:
    """Value that chi-square with dof > 0 degrees of freedom stays below with probability p, 0 < p < 1."""
    low, high = 0.0, max(10.0, 4.0 * dof)
    while incomplete_gamma(dof / 2, high / 2) < p:
        high *= 2.0
    for _ in range(200):
        middle = (low + high) / 2
        low, high = (middle, high) if incomplete_gamma(dof / 2, middle / 2) < p else (low, middle)
    return (low + high) / 2


@dataclass(frozen=True)
class Bounds:
    """An estimate per unit of exposure with the bounds of its two-sided interval."""

    estimate: float
    low: float
    high: float


def count_bounds(count: int, exposure: float, *, confidence: float = 0.9) -> Bounds:
    """How many a unit of exposure, where count were seen over all of it: count/exposure with chi-square bounds.

    count >= 0; exposure > 0; confidence of the two-sided interval, 0 to 1. Source: IEC 60605-4:2001, 5.2 (time terminated).
    """
    if count < 0 or exposure <= 0:
        raise Fault("bad_value", "Failures are counted from 0, over an exposure of more than 0.", field="count")
    rest = (1 - confidence) / 2
    low = chi_square_quantile(rest, 2 * count) / 2 / exposure if count else 0.0
    return Bounds(count / exposure, low, chi_square_quantile(1 - rest, 2 * count + 2) / 2 / exposure)


def upper_rate(count: int, exposure: float, *, confidence: float = 0.7) -> float:
    """The rate that is not exceeded with one-sided confidence; 70 % as IEC 61508-2:2010, 7.4.9.5 asks of data from the field."""
    return chi_square_quantile(confidence, 2 * count + 2) / 2 / exposure


@dataclass(frozen=True)
class Assumed:
    """What was assumed of a function when it was designed.

    voting: like 1oo2, of its sensors. test_hours: between proof tests. coverage: share of dangerous undetected failures that a proof test finds, 0 to 1;
    life_hours: until everything is renewed, which finds the rest. beta: share of failures with a common cause, 0 to 1. other: of logic solver and
    final element together, in the same measure as the result.
    """

    voting: str
    mode: str
    test_hours: float
    coverage: float = 1.0
    life_hours: float = 20 * HOURS_A_YEAR
    beta: float = 0.0
    other: float = 0.0

    def __post_init__(self) -> None:
        require_range(self.test_hours, 1, 30 * HOURS_A_YEAR, field="proof_days", unit="h")
        require_range(self.coverage, 0.01, 1, field="coverage_percent")
        require_range(self.beta, 0, 1, field="beta_percent")
        if self.mode not in MODES:
            raise Fault("unknown_choice", f"Demand mode '{self.mode}'; choose one of {', '.join(MODES.values())}.", field="mode")
        self.scheme  # noqa: B018  a vote that can't be read is told at once

    @property
    def scheme(self) -> tuple[int, int]:
        """Needed and all; one sensor where no vote is given."""
        return read_scheme(self.voting) or (1, 1)


def failure_on_demand(rate: float, a: Assumed) -> float:
    """Average probability of failure on demand (low demand), or dangerous failures an hour (high demand or continuous).

    rate: of dangerous failures that nothing but a proof test finds, of one part, 1/h. M out of N fail when N - M + 1 have failed.
    """
    require_range(rate, 0, 1, field="rate_per_hour", unit="1/h")
    need, among = a.scheme
    gone = among - need + 1
    ways = math.comb(among, gone)
    hours = a.coverage * a.test_hours + (1 - a.coverage) * a.life_hours
    common = a.beta if gone > 1 else 0.0
    own = rate * (1 - common)
    if a.mode == LOW:
        return ways * (own * hours) ** gone / (gone + 1) + common * rate * hours / 2 + a.other
    return ways * own**gone * hours ** (gone - 1) + common * rate + a.other


def level_of(value: float, mode: str) -> int:
    """The integrity level whose band a figure lies in or below: 1 to 4, 0 where it reaches none. Source: IEC 61511-1:2016, tables 4 and 5."""
    return sum(value < top for top in BELOW[mode])
