"""Figures and registers: uncertainty, decisions, intervals, policies, references, kit."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import date, timedelta
from typing import Any

from metrology.judgement import (
    consequence,
    decision,
    demand,
    drift,
    impact,
    interval,
    policy,
    reference,
    sensor_life,
    student,
    tolerance,
    trend,
    uncertainty,
    voting,
    wandering,
)
from metrology.judgement.errors import error_in_bases, measure_point
from metrology.judgement.tolerance import describe, tolerance_percent
from metrology.quantities.transfer import Transfer
from metrology.tests.as_judged.around import around
from metrology.tests.as_judged.asked import Asked, Judged, each, turned

TODAY = date(2026, 6, 1)


def _points() -> Asked:
    rows = []
    for kind in ("linear", "reverse", "sqrt"):
        for applied in (0.0, 10.0, 33.0, 50.0, 99.0, 105.0):
            rows.append(
                {
                    "applied": applied,
                    "indicated": 4 + 0.158 * applied,
                    "lrv": 0.0,
                    "urv": 100.0,
                    "transfer": Transfer(kind),
                    "output_lo": 4.0,
                    "output_hi": 20.0,
                }
            )
    return turned(rows)


def _based(**given: Any) -> Any:
    division = given.pop("division", 0.0)
    return error_in_bases(
        measure_point(**given), division=division, **{k: v for k, v in given.items() if k not in ("applied", "indicated")}
    )


def _due() -> Asked:
    def history(*rows: tuple[float | None, float | None, int]) -> tuple[interval.Result, ...]:
        return tuple(interval.Result(TODAY - timedelta(days=back), found, left) for found, left, back in rows)

    lives = (
        history((None, 0.0, 400)),
        history((20.0, 20.0, 1100), (30.0, 30.0, 730), (38.0, 38.0, 365), (50.0, 5.0, 0)),
        history((10.0, 10.0, 1100), (-10.0, -10.0, 730), (5.0, 5.0, 365), (-5.0, -5.0, 0)),
        history((120.0, 10.0, 700), (90.0, 90.0, 365), (110.0, 110.0, 0)),
        history((5.0, 5.0, 20), (6.0, 6.0, 13), (5.0, 5.0, 0)),
        history((0.0, 0.0, 1460), (5.0, 5.0, 1095), (20.0, 20.0, 730), (45.0, 45.0, 365), (80.0, 80.0, 0)),
    )
    rules = (interval.FIXED, interval.STAIRCASE, interval.DRIFT, interval.SIGNAL)
    asked = [{"rule": r, "results": h, "base_days": 365, "replace_by": TODAY} for r in rules for h in lives]
    by_policy = [
        {"rule": r, "results": lives[1], "base_days": 365, "policy": policy.Policy()} for r in (interval.STAIRCASE, interval.DRIFT)
    ]
    return turned([*asked, *by_policy])


def _next_due(policy: Any = policy.Policy(), **given: Any) -> Any:  # noqa: B008 -- it is frozen
    return interval.next_due(policy=policy, **given)


def _lives() -> Asked:
    def points(course: Callable[[float], float], n: int) -> tuple[sensor_life.SignalPoint, ...]:
        return tuple(sensor_life.SignalPoint(90.0 * k, round(course(90.0 * k) * (1 + 0.01 * (-1) ** k), 4)) for k in range(n))

    straight, bent = (lambda d: 1 - d / 1500), (lambda d: math.exp(-d / 900))
    return turned(
        [{"points": points(c, n), "end_percent": 50.0} for c in (straight, bent, lambda d: 1.0, lambda d: 0.3) for n in (1, 2, 3, 5, 8)]
    )


def _decisions() -> Asked:
    rows = [
        {"error": e, "tolerance": 1.0, "expanded": u, "k": 2.0, "rule": rule, "max_risk": 0.05, "dof": dof, "bias": bias}
        for e in (0.0, 0.6, -0.8, 0.95, 1.0, -1.05, 1.4)
        for u in (0.0, 0.1, 0.4, 1.2)
        for rule in decision.RULES
        for dof in (3.0, math.inf)
        for bias in (0.0, 0.1)
    ]
    return (*each(rows), *((f"turned {how}", given) for how, given in turned(rows[100::97])))


def _budgets() -> Asked:
    part = uncertainty.Component
    rows = (
        (part("a", 0.1, "normal", dof=4.0), part("b", 0.2, "rectangular", sensitivity=-1.5)),
        (part("a", 0.1, "standard", dof=3.0, is_random=True), part("b", 0.05, "triangular")),
        (part("a", 0.1, "standard"), part("bias", 0.3, uncertainty.IN_FULL)),
        (part("a", 0.02, "normal", divisor=3.0, sensitivity=0.5),),
        (),
    )
    return turned([{"components": r, "coverage": c} for r in rows for c in (0.9545, 0.95, 0.99)])


def _averaged(components: Sequence[uncertainty.Component], coverage: float) -> tuple[uncertainty.Uncertainty, ...]:
    one, apart = uncertainty.in_mean(components, 3), uncertainty.in_difference(components, 1.5)
    return tuple(uncertainty.combine(parts, coverage=coverage) for parts in (one, apart) if parts)


def _ended() -> Asked:
    good = consequence.Ended("VL-1", date(2026, 3, 1), False, True, "calibration", False, "pass", "leave")
    bad = replace(good, label="VL-2", left="fail", decision="replace")
    rows = ((good,), (bad,), (good, bad), (bad, good), (replace(bad, is_voided=True),), (good, replace(bad, adjusted=True, is_voided=True)))
    more = ((bad, replace(good, sets=False, method="check")), (replace(good, left="", decision=""), bad), (replace(bad, stand_in="XX-1"),))
    return turned([{"ended": r} for r in (*rows, *more)])


def _looks() -> Asked:
    look = wandering.Look
    rows = (
        (look(0.0, None, 0.0), look(1.0, 10.0, 10.0), look(2.0, 25.0, 0.0)),
        (look(0.0, 5.0, 5.0),),
        (look(0.0, 0.0, 0.0), look(0.1, 30.0, None), look(1.1, -20.0, -20.0)),
    )
    return turned([{"looks": r} for r in rows])


def _wandered(looks: Any) -> Any:
    w = wandering.Wandering(looks)
    return w.outside(0.5), w.outside(2.0), w.by_scatter, w.drift, w.scatter, w.good_for(0.05, 3.0)


def _assumed() -> Asked:
    rows = [
        {"rate": rate, "a": demand.Assumed(v, mode, hours, cover, 175_200.0, 0.05, 1e-9)}
        for v in ("1oo1", "1oo2", "2oo2", "2oo3", "1oo3")
        for mode in (demand.LOW, demand.HIGH)
        for hours in (730.0, 8760.0)
        for rate in (1e-7, 2e-6)
        for cover in (1.0, 0.8)
    ]
    return turned(rows)


def _on_demand(rate: float, a: Any) -> Any:
    value = demand.failure_on_demand(rate, a)
    return value, demand.level_of(value, a.mode)


def _counts() -> Asked:
    return each(
        {"count": c, "exposure": x, "confidence": p} for c in (0, 1, 2, 5, 40) for x in (0.5, 12.0, 8760.0) for p in (0.5, 0.7, 0.9, 0.99)
    )


def _bounded(count: int, exposure: float, confidence: float) -> Any:
    chi = [demand.chi_square_quantile(confidence, dof) for dof in (1, 2, count + 1.0, 2.5 * count + 0.5)]
    return demand.count_bounds(count, exposure, confidence=confidence), demand.upper_rate(count, exposure, confidence=confidence), chi


def _dofs() -> Asked:
    return each({"dof": d, "x": x} for d in (1.0, 2.0, 3.0, 7.5, 30.0, 300.0, math.inf) for x in (0.01, 0.3, 0.6827, 0.9, 0.9545, 0.997))


def _student(dof: float, x: float) -> Any:
    t = 4 * x - 1
    beta = None if math.isinf(dof) else (student.incomplete_beta(dof, x * 3, x=x), student.incomplete_beta(x * 2, dof, x=1 - x))
    beyond = [student.is_beyond(v, dof, beside=b) for v in (0.5, 2.0, 4.0) for b in (0.05, 0.6)]
    factors = [student.coverage_factor(x, dof, beside=b) for b in (0.0, 0.4, 2.0)]
    return student.student_cdf(t, dof), student.student_cdf(-t, dof), student.normal_cdf(t), beta, beyond, factors


def _tolerances() -> Asked:
    term = tolerance.Term
    single = [tolerance.Tolerance((term(0.5, basis),), "single", 0.02) for basis in tolerance.BASES]
    double = [tolerance.Tolerance((term(0.5, b), term(0.1, "reading")), how, 0.02) for b in tolerance.BASES for how in ("greater", "sum")]
    asked = [(r, a, t) for r in (*single, *double) for a in (0.0, 33.0) for t in ("linear", "sqrt")]
    return turned([{"tolerance": r, "applied": a, "lrv": -20.0, "urv": 180.0, "transfer": Transfer(t)} for r, a, t in asked])


def _toleranced(tolerance: Any, applied: float, **more: Any) -> Any:
    return describe(tolerance, "kPa"), tolerance_percent(tolerance, applied, **more)


def _references() -> Asked:
    made = reference.ReferenceStandard(
        "R-1",
        "Calibrator",
        "S",
        "kPa",
        0.0,
        700.0,
        0.02,
        0.02,
        0.01,
        2.0,
        0.001,
        "C",
        "L",
        "SI",
        "2026-01-10",
        "2027-01-10",
        "in service",
        0.01,
    )
    more = (
        replace(made, points=((0.0, 0.01, 0.02), (350.0, -0.02, 0.03), (700.0, 0.05, 0.04))),
        replace(made, state="quarantined"),
        replace(made, due_on="2026-05-31"),
    )
    return turned([{"reference": r, "low": 0.0, "high": 400.0, "unit": "kPa", "today": TODAY} for r in (made, *more)])


def _certified(of: Any, unit: str, value: float, on: Any) -> Any:
    told = [
        of.expanded(value, unit=unit),
        of.deviation(value, unit=unit),
        of.drifted(on, unit=unit),
        of.step_in(unit),
    ]
    return (
        told,
        [of.width_in(w, unit) for w in (0.0, -0.3)],
        reference.find_reference_faults(of, low=0.0, high=value, unit=unit, today=TODAY),
    )


def _certificates() -> Asked:
    rows = [given["reference"] for how, given in _references() if how.endswith("as it is")]
    asked = (("kPa", 100.0, TODAY), ("bar", 3.5, None), ("kPa", 700.0, date(2025, 1, 1)), ("kPa", 701.0, TODAY))
    return turned([{"of": r, "unit": u, "value": v, "on": d} for r in rows for u, v, d in asked])


def _layers() -> Asked:
    rows: list[tuple[dict[str, Any], ...]] = [
        (),
        ({"minimum_tur": "3"}, {"minimum_tur": 4}),
        ({"nothing": 1},),
        ({"max_passes": "2.5"},),
        ({"aim_percent": "x"},),
    ]
    rows += [
        ({f.name: getattr(policy.Policy(), f.name)}, {"pass_rule": rule})
        for f in policy.POLICY_FIELDS
        for rule in ("simple", "no such rule")
    ]
    return each({"layers": r} for r in rows)


def _ratios() -> Asked:
    return each({"ratios": r} for r in ((4.44, 4.44), (4.0,), (), (1.0, math.inf), (10.0, 3.0, 5.0)))


def _policies() -> Asked:
    return ((how, {"given": other}) for how, other in around(policy.Policy()))


def _ruled(given: Any) -> Any:
    groups = sorted({f.group for f in policy.POLICY_FIELDS})
    return policy.describe_policy(policy.check_policy(given)), policy.describe_policy(given, groups=groups)


def _found() -> Asked:
    base = impact.FoundOutside(TODAY, 1.2, 150.0, 0.04, "kPa", date(2025, 6, 1))
    return turned([{"found": f} for f in (base, replace(base, last_good=None), replace(base, error_percent=None))])


def _trends() -> Asked:
    rows = ((57.0, 56.5, 56.1, 55.2, 55.0), (50.0, 50.0, 50.0), (10.0, 12.0, 11.0, 30.0, 31.0, 30.5), (5.0, 4.0))
    return turned([{"days": tuple(30.0 * n for n in range(len(r))), "values": r, "low": 45.0, "high": 60.0} for r in rows])


def _trend(days: Any, values: Any, low: Any, high: Any) -> Any:
    line = drift.fit_line(days, values) if len(days) > 2 else None
    band = [drift.prediction_band(line, x, confidence=c) for x in (0.0, 200.0) for c in (0.9, 0.95)] if line else None
    return trend.meets_limit(days, values, low=low, high=high), [trend.find_step(values, least=s) for s in (0.5, 5.0, 50.0)], line, band


JUDGED: Judged = {
    "certificate": (_certified, _certificates),
    "layers": (lambda layers: policy.resolve_policy(*layers), _layers),
    "ratios": (reference.ratio_together, _ratios),
    "budget": (uncertainty.combine, _budgets),
    "budget-of-mean": (_averaged, _budgets),
    "consequence": (consequence.open_doubt, _ended),
    "counts": (_bounded, _counts),
    "decision": (decision.decide, _decisions),
    "demand": (_on_demand, _assumed),
    "due": (_next_due, _due),
    "error": (_based, _points),
    "impact": (impact.impact_words, _found),
    "policy": (_ruled, _policies),
    "reference": (reference.find_reference_faults, _references),
    "sensor-life": (sensor_life.forecast, _lives),
    "student": (_student, _dofs),
    "tolerance": (_toleranced, _tolerances),
    "trend": (_trend, _trends),
    "voting": (
        lambda text, held: voting.vote_words(text, "G", held=held),
        lambda: each({"text": t, "held": h} for t in ("1oo2", "2oo3", "1oo1", "") for h in (1, 2, 3)),
    ),
    "wandering": (_wandered, _looks),
}
