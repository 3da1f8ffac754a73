"""Normal and Student-t distributions, exact for any real number of degrees of freedom."""

from __future__ import annotations

import math
from functools import lru_cache
from statistics import NormalDist

from metrology.faults import Fault, require_positive

_NORMAL = NormalDist()


def normal_cdf(z: float) -> float:
    """P(Z <= z) of the standard normal distribution."""
    return 0.5 * math.erfc(-z / math.sqrt(2.0))


@lru_cache(maxsize=4096)
def _log_gammas(a: float, b: float) -> float:
    return math.lgamma(a + b) - math.lgamma(a) - math.lgamma(b)


def incomplete_beta(a: float, b: float, *, x: float) -> float:
    """Regularised incomplete beta function I_x(a, b), by Lentz's continued fraction; 0 <= x <= 1.

    Source: NIST Digital Library of Mathematical Functions, 8.17.22.
    """
    if x <= 0.0:
        return 0.0
    if x >= 1.0:
        return 1.0
    if x > (a + 1.0) / (a + b + 2.0):
        return 1.0 - incomplete_beta(b, a, x=1.0 - x)
    front = math.exp(_log_gammas(a, b) + a * math.log(x) + b * math.log1p(-x)) / a
    tiny = 1e-300
    c, d = 1.0, 1.0 - (a + b) * x / (a + 1.0)
    d = 1.0 / (d if abs(d) > tiny else tiny)
    f = d
    for m in range(1, 500):
        at = a + 2 * m
        term = m * (b - m) * x / ((at - 1) * at)
        d = 1.0 + term * d
        d = 1.0 / (tiny if -tiny <= d <= tiny else d)
        c = 1.0 + term / c
        c = tiny if -tiny <= c <= tiny else c
        f *= c * d
        term = -(a + m) * (a + b + m) * x / (at * (at + 1))
        d = 1.0 + term * d
        d = 1.0 / (tiny if -tiny <= d <= tiny else d)
        c = 1.0 + term / c
        c = tiny if -tiny <= c <= tiny else c
        f *= c * d
        if -1e-15 < c * d - 1.0 < 1e-15:
            break
    return front * f


def student_cdf(t: float, dof: float) -> float:
    """P(T <= t) of Student's t with `dof` > 0 degrees of freedom (infinite allowed)."""
    if math.isinf(dof):
        return normal_cdf(t)
    tail = 0.5 * incomplete_beta(0.5 * dof, 0.5, x=dof / (dof + t * t))
    return 1.0 - tail if t >= 0 else tail


def is_beyond(t: float, dof: float, *, beside: float) -> bool:
    """Whether what lies beyond t > 0 of Student's t is too little to change `beside` in its last digit; by a bound, at a fraction of the cost.

    For dof > 1 the tail is at most density(t) (dof + t^2) / (t (dof - 1)), since x / t >= 1 beyond t.
    """
    if not dof > 1.0 or not t > 1.0:
        return False
    bound = _density(t, dof) if math.isinf(dof) else _density(t, dof) * (dof + t * t) / (t * (dof - 1.0))
    return bound < beside * 2.0**-56


def coverage_factor(coverage: float, dof: float = math.inf, *, beside: float = 0.0) -> float:
    """Two-sided coverage factor k: P(-k - beside <= T <= k) = coverage, for 0 < coverage < 1, dof > 0 and beside >= 0.

    beside: what the interval reaches further on the other side, as with a known error added in full to both; 0 for the usual factor.

    Source: JCGM 100:2008 (GUM) G.3 and table G.2; exact for non-integer degrees of freedom.

    >>> round(coverage_factor(0.95, 10), 2)
    2.23
    """
    if not 0.0 < coverage < 1.0:
        raise Fault("out_of_range", f"coverage is {coverage:g}; accepted is above 0 and below 1.", field="coverage")
    if math.isnan(dof):
        raise Fault("not_finite", "dof is not a number.", field="dof")
    dof = math.inf if dof > 1e7 else dof
    if math.isinf(dof) and beside == 0:
        return _NORMAL.inv_cdf(0.5 + coverage / 2.0)
    if not math.isinf(dof):
        require_positive(dof, "dof")
    if dof >= 1.0:
        return _from_below(coverage, dof, beside)
    target = 0.5 + coverage / 2.0
    low, high = 0.0, 1.0
    while student_cdf(high, dof) < target:
        high *= 2.0
        if high > 1e12:
            raise Fault("out_of_range", f"coverage {coverage:g} with dof {dof:g} has no usable factor.", field="dof")
    for _ in range(200):
        middle = 0.5 * (low + high)
        if student_cdf(middle, dof) < target:
            low = middle
        else:
            high = middle
    return 0.5 * (low + high)


def _from_below(coverage: float, dof: float, beside: float) -> float:
    """Newton's steps from a point that is at most as far: above zero the distribution bends down, so that no step goes too far."""
    t = _near(coverage if beside > 0 else 0.5 + coverage / 2.0, dof)
    for _ in range(200):
        missing = coverage - student_cdf(t, dof) + student_cdf(-t - beside, dof)
        step = missing / (_density(t, dof) + _density(t + beside, dof))
        t += step
        if abs(step) < 1e-12 * (1 + abs(t)):
            break
    return t


def _near(share: float, dof: float) -> float:
    """A quantile by the first terms of its expansion in 1 / dof (Abramowitz and Stegun, 26.7.5), which is short of it; the normal one of few dof."""
    z = _NORMAL.inv_cdf(share) if share > 0.5 else 0.0
    if math.isinf(dof) or dof < 5:
        return z
    z2 = z * z
    return z + z * (z2 + 1) / (4 * dof) + z * (3 + z2 * (16 + 5 * z2)) / (96 * dof**2)


def _density(t: float, dof: float) -> float:
    if math.isinf(dof):
        return _NORMAL.pdf(t)
    return math.exp(_log_top(dof) - 0.5 * (dof + 1) * math.log1p(t * t / dof))


@lru_cache(maxsize=4096)
def _log_top(dof: float) -> float:
    return math.lgamma(0.5 * (dof + 1)) - math.lgamma(0.5 * dof) - 0.5 * math.log(dof * math.pi)
