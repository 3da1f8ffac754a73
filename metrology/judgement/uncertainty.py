"""Combining uncertainty: JCGM 100:2008 (GUM)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

from metrology.faults import Fault, require_finite, require_positive
from metrology.judgement.student import coverage_factor

# GUM 4.3.7 (rectangular), 4.3.9 (triangular), and the arcsine distribution of a cyclic quantity.
DIVISORS = {
    "normal": 1.0,
    "rectangular": math.sqrt(3.0),
    "triangular": math.sqrt(6.0),
    "u-shaped": math.sqrt(2.0),
}
IN_FULL = "in full"  # an error that is known and not corrected: added to U as it is (GUM F.2.4.5)


@dataclass(frozen=True)
class Component:
    """One contribution.

    value: half-width, expanded or standard uncertainty, in the unit of the quantity (0 or more).
    divisor: turns value into a standard uncertainty; by default that of the distribution.
    sensitivity: d(result) / d(quantity). dof: degrees of freedom (infinite for a stated limit). is_random: another one in each reading, so that it
    averages out over several; the rest is the same in all of them.
    """

    name: str
    value: float
    distribution: str = "normal"
    divisor: float | None = None
    sensitivity: float = 1.0
    dof: float = math.inf
    is_random: bool = False

    @property
    def standard(self) -> float:
        """Standard uncertainty in the unit of the result: |c| value / divisor."""
        return 0.0 if self.distribution == IN_FULL else abs(self.sensitivity) * self.value / (self.divisor or DIVISORS[self.distribution])

    @property
    def in_full(self) -> float:
        """What is added to U as it is, in the unit of the result."""
        return abs(self.sensitivity) * self.value if self.distribution == IN_FULL else 0.0


@dataclass(frozen=True)
class Uncertainty:
    """Combined standard uncertainty, effective degrees of freedom, coverage factor, expanded uncertainty; bias: what of U is added in full."""

    combined: float
    effective_dof: float
    k: float
    expanded: float
    bias: float = 0.0


def in_mean(components: Sequence[Component], count: int) -> list[Component]:
    """The components of the mean of `count` readings: what is another one in each of them averages out, what they share does not (GUM 4.2.3)."""
    return [_scaled(c, 1 / count) if c.is_random else c for c in components]


def in_difference(components: Sequence[Component], share: float) -> list[Component]:
    """The components of what readings do not share, such as the difference of two of them: `share` times the variance of what is random, no more."""
    return [_scaled(c, share) for c in components if c.is_random]


def _scaled(component: Component, variance: float) -> Component:
    return replace(component, sensitivity=component.sensitivity * math.sqrt(variance))


def check_component(component: Component) -> Component:
    """The component, or a Fault naming what is wrong with it."""
    divisor = 1.0 if component.divisor is None else component.divisor
    known = component.distribution in DIVISORS or component.distribution == IN_FULL
    if known and 0 <= component.value < math.inf and 0 < divisor < math.inf and math.isfinite(component.sensitivity) and component.dof > 0:
        return component
    name = f"components[{component.name}]"
    if component.distribution not in (*DIVISORS, IN_FULL):
        raise Fault(
            "unknown_distribution",
            f"{name}.distribution is {component.distribution!r}; accepted are {', '.join((*DIVISORS, IN_FULL))}.",
            field=f"{name}.distribution",
        )
    if require_finite(component.value, f"{name}.value") < 0:
        raise Fault("negative", f"{name}.value is {component.value:g}; it must be 0 or more.", field=f"{name}.value")
    if component.divisor is not None:
        require_positive(component.divisor, f"{name}.divisor")
    require_finite(component.sensitivity, f"{name}.sensitivity")
    if not component.dof > 0:
        raise Fault("not_positive", f"{name}.dof is {component.dof:g}; it must be above 0.", field=f"{name}.dof")
    return component


@lru_cache(maxsize=4096)
def _factor(coverage: float, dof: float, beside: float) -> float:
    return coverage_factor(coverage, dof, beside=beside)


def combine(components: Sequence[Component], *, coverage: float = 0.9545, digits: int = 17) -> Uncertainty:
    """Root sum of squares, Welch-Satterthwaite degrees of freedom, and the expanded uncertainty.

    u_c^2 = sum u_i^2 (GUM 5.1.2, uncorrelated); nu_eff = u_c^4 / sum(u_i^4 / nu_i) (GUM G.4.1);
    U = k u_c with k from Student's t at nu_eff (GUM G.3.2). Known errors b that are not corrected are added in full (GUM F.2.4.5):
    U = k u_c + |b|, k so that the coverage is still the one wanted, because such an error lies on one side only.
    digits: to which nu_eff counts; the many readings of a set then share their factors. Raises a Fault for an empty list or all zeros.
    """
    if not components:
        raise Fault("empty", "components is empty; at least one is needed.", field="components")
    parts = [(check_component(c).standard, c.dof) for c in components]
    variance = math.fsum(u * u for u, _ in parts)
    bias = math.fsum(c.in_full for c in components)
    if variance == 0 and bias == 0:
        raise Fault("all_zero", "Every component is zero; there is no uncertainty to combine.", field="components")
    combined = math.sqrt(variance)
    spread = math.fsum((u / combined) ** 4 / nu for u, nu in parts) if combined else 0.0
    dof = 1.0 / spread if spread > 0 else math.inf
    k = _factor(coverage, float(f"{dof:.{digits}g}"), float(f"{2 * bias / combined if combined else 0.0:.{digits}g}"))
    return Uncertainty(combined, dof, k, k * combined + bias, bias)
