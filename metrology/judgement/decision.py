"""Decision rules: when a measured error counts as inside a tolerance, given the uncertainty of the measurement."""

from __future__ import annotations

import math
from dataclasses import dataclass

from metrology.faults import Fault, require_finite, require_positive
from metrology.judgement.student import normal_cdf

RULES = {
    "simple": "plain limit",
    "guard-u": "guard band of U",
    "guard-1.65u": "guard band of 1.65 u",
    "tur-guard": "guard band by TUR",
    "probability": "conformance probability",
}
PASS, MARGINAL, FAIL = "pass", "marginal", "fail"


@dataclass(frozen=True)
class Decision:
    """Verdict with what it rests on; limits in the unit of the error, p_conform 0 to 1."""

    verdict: str
    guard_band: float
    acceptance_limit: float
    tur: float
    p_conform: float
    reason: str

    @property
    def is_too_close(self) -> bool:
        """True when the error is inside the tolerance but nearer to its edge than U reaches."""
        return self.verdict == PASS and self.p_conform < 0.9772


def conformance_probability(error: float, tolerance: float, *, u: float) -> float:
    """Probability that the true error lies within +-tolerance, for a normal distribution of standard uncertainty u.

    Source: JCGM 106:2012, 7.4 (two-sided tolerance interval).
    """
    if u == 0:
        return 1.0 if abs(error) <= tolerance else 0.0
    return normal_cdf((tolerance - error) / u) - normal_cdf((-tolerance - error) / u)


def decide(error: float, tolerance: float, *, expanded: float, k: float = 2.0, rule: str = "simple", max_risk: float = 0.05) -> Decision:
    """Judge an error against a tolerance.

    error, tolerance, expanded: the same unit. Guard bands: simple 0; guard-u U; guard-1.65u 1.65 U / k;
    tur-guard U (1.04 - exp(0.38 ln TUR - 0.54)), never below 0; probability: the error at which the
    probability of conformance falls to 1 - max_risk. Verdict pass up to the acceptance limit, marginal up to
    the tolerance, fail beyond. Raises a Fault for a tolerance or k of zero or less, a negative U, an unknown rule.
    Sources: ILAC-G8:09/2019; ISO 14253-1:2017; ANSI/NCSL Z540.3-2006 handbook, method 6; JCGM 106:2012.

    >>> decide(0.4, 0.5, expanded=0.2, rule="guard-u").verdict
    'marginal'
    """
    require_finite(error, "error")
    require_positive(tolerance, "tolerance")
    require_positive(k, "k")
    if require_finite(expanded, "expanded") < 0:
        raise Fault("negative", f"expanded is {expanded:g}; it must be 0 or more.", field="expanded")
    if not 0 < max_risk < 1:
        raise Fault("out_of_range", f"max_risk is {max_risk:g}; accepted is above 0 and below 1.", field="max_risk")
    if rule not in RULES:
        raise Fault("unknown_rule", f"rule is {rule!r}; known are {', '.join(RULES)}.", field="rule")
    u = expanded / k
    tur = tolerance / expanded if expanded > 0 else math.inf
    p = conformance_probability(error, tolerance, u=u)
    guard = _guard_band(rule, tolerance, expanded=expanded, u=u, tur=tur, max_risk=max_risk)
    limit = tolerance - guard
    # Ten digits: an error typed as exactly the limit must not fail on the last bit of a float.
    size = abs(error)
    inside = size <= limit + 1e-10 * tolerance
    if size > tolerance * (1 + 1e-10):
        verdict = FAIL
    elif inside and limit >= 0:
        verdict = PASS
    else:
        verdict = MARGINAL
    return Decision(verdict, guard, max(limit, 0.0), tur, p, _reason(verdict, size, limit, tolerance, rule))


def _guard_band(rule: str, tolerance: float, *, expanded: float, u: float, tur: float, max_risk: float) -> float:
    if rule == "simple" or expanded == 0:
        return 0.0
    if rule == "guard-u":
        return expanded
    if rule == "guard-1.65u":
        return 1.65 * u
    if rule == "tur-guard":
        return max(0.0, expanded * (1.04 - math.exp(0.38 * math.log(tur) - 0.54)))
    return tolerance - _probability_limit(tolerance, u, 1.0 - max_risk)


def _probability_limit(tolerance: float, u: float, wanted: float) -> float:
    """The error at which the probability of conformance falls to `wanted`; below zero when even no error reaches it."""
    if conformance_probability(0.0, tolerance, u=u) < wanted:
        return -tolerance * 1e-6
    # With more risk accepted than one half, the limit may lie outside the tolerance: the tolerance holds.
    low, high = 0.0, tolerance
    for _ in range(100):
        middle = 0.5 * (low + high)
        if conformance_probability(middle, tolerance, u=u) >= wanted:
            low = middle
        else:
            high = middle
    return low


def _reason(verdict: str, size: float, limit: float, tolerance: float, rule: str) -> str:
    if verdict == FAIL:
        return f"{size:.3g} is outside the tolerance of {tolerance:.3g}."
    if verdict == PASS:
        return f"{size:.3g} is inside the acceptance limit of {limit:.3g} ({RULES[rule]})."
    if limit < 0:
        return f"The uncertainty is too large for this tolerance: with {RULES[rule]} nothing can be accepted."
    return f"{size:.3g} is inside the tolerance of {tolerance:.3g} but outside the acceptance limit of {limit:.3g}."
