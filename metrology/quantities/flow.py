"""Flow meters: the stored zero of a Coriolis meter against the zero observed under blocked-in conditions."""

from __future__ import annotations

from dataclasses import dataclass

from metrology.faults import require_finite, require_positive


@dataclass(frozen=True)
class ZeroCheck:
    """What a zero difference means at normal and at minimum flow, in percent of that flow."""

    difference: float
    error_percent_normal: float
    error_percent_minimum: float
    verdict: str
    reason: str


def coriolis_zero(stored: float, observed: float, *, stability: float, normal_flow: float, minimum_flow: float) -> ZeroCheck:
    """Compare the observed zero with the stored zero; all five in the same flow unit.

    error = 100 (observed - stored) / flow. Pass while |observed - stored| is within the zero stability
    the maker states: then the stored zero is better left alone.
    """
    require_finite(stored, "stored")
    require_finite(observed, "observed")
    require_positive(stability, "stability")
    require_positive(normal_flow, "normal_flow")
    require_positive(minimum_flow, "minimum_flow")
    difference = observed - stored
    inside = abs(difference) <= stability * (1 + 1e-12)
    reason = (
        "The observed zero agrees with the stored zero within the zero stability: leave it."
        if inside
        else "The observed zero differs by more than the zero stability: check that flow is really blocked, then repeat."
    )
    return ZeroCheck(
        difference,
        100.0 * difference / normal_flow,
        100.0 * difference / minimum_flow,
        "pass" if inside else "fail",
        reason,
    )
