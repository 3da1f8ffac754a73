"""Decision rules: when a measured error counts as inside a tolerance, given the uncertainty of the measurement."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from metrology.faults import Fault, require_finite, require_positive
from metrology.judgement.student import is_beyond, student_cdf

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
    is_too_close: bool = False  # inside the tolerance but nearer to its edge than U reaches


def conformance_probability(error: float, tolerance: float, *, u: float, dof: float = math.inf, bias: float = 0.0) -> float:
    """Probability that the true error lies within +-tolerance, for standard uncertainty u of dof degrees of freedom.

    Normal, or Student's t where few readings are behind u (JCGM 101:2008, 6.4.9.4); bias: size of a known error that is not corrected,
    taken the way it does most harm. Source: JCGM 106:2012, 7.4 (two-sided tolerance interval).
    """
    size = abs(error) + bias
    if u == 0:
        return 1.0 if size <= tolerance * (1 + 1e-10) else 0.0
    inside = student_cdf((tolerance - size) / u, dof)
    far = (tolerance + size) / u
    return inside if is_beyond(far, dof, beside=inside) else inside - student_cdf(-far, dof)


def decide(
    error: float,
    tolerance: float,
    *,
    expanded: float,
    k: float = 2.0,
    rule: str = "simple",
    max_risk: float = 0.05,
    dof: float = math.inf,
    bias: float = 0.0,
) -> Decision:
    """Judge an error against a tolerance.

    error, tolerance, expanded: the same unit; bias: what of expanded is a known error added in full, dof: degrees of freedom behind the rest.
    Guard bands: simple 0; guard-u U; guard-1.65u 1.65 (U - bias) / k + bias;
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
    if not 0 <= bias <= expanded:
        raise Fault("out_of_range", f"bias is {bias:g}; accepted is 0 to expanded.", field="bias")
    u = (expanded - bias) / k
    tur = tolerance / expanded if expanded > 0 else math.inf
    p = conformance_probability(error, tolerance, u=u, dof=dof, bias=bias)
    guard = _guard_band(rule, tolerance, expanded=expanded, u=u, tur=tur, max_risk=max_risk, dof=dof, bias=bias)
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
    is_close = verdict == PASS and size + expanded > tolerance * (1 + 1e-10)
    return Decision(verdict, guard, max(limit, 0.0), tur, p, _reason(verdict, size, limit, tolerance, rule), is_close)


def _guard_band(rule: str, tolerance: float, *, expanded: float, u: float, tur: float, max_risk: float, dof: float, bias: float) -> float:
    if rule == "simple" or expanded == 0:
        return 0.0
    if rule == "guard-u":
        return expanded
    if rule == "guard-1.65u":
        return 1.65 * u + bias
    if rule == "tur-guard":
        return max(0.0, expanded * (1.04 - math.exp(0.38 * math.log(tur) - 0.54)))
    return tolerance - _probability_limit(
        tolerance, 1.0 - max_risk, partial(conformance_probability, tolerance=tolerance, u=u, dof=dof, bias=bias)
    )


def _probability_limit(tolerance: float, wanted: float, conforms: Callable[[float], float]) -> float:
    """The error at which the probability of conformance falls to `wanted`; below zero when even no error reaches it."""
    if conforms(0.0) < wanted:
        return -tolerance * 1e-6
    # With more risk accepted than one half, the limit may lie outside the tolerance: the tolerance holds.
    low, high = 0.0, tolerance
    for _ in range(60):
        middle = 0.5 * (low + high)
        if conforms(middle) >= wanted:
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
