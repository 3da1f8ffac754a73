"""Errors, uncertainty, decisions, drift."""

from __future__ import annotations

import math
from dataclasses import replace
from datetime import date, timedelta
from functools import partial
from itertools import pairwise

from metrology.calculations.registry import Result, calculator, transfer_of
from metrology.calculator_fields import Input
from metrology.faults import Fault
from metrology.judgement.approach import HORIZON_S, Approach, Coming
from metrology.judgement.causes.explain import explain
from metrology.judgement.causes.naming import find_signatures, with_sides, would_tell
from metrology.judgement.causes.rows import Curve
from metrology.judgement.decision import FAIL, PASS, RULES, decide
from metrology.judgement.drift import fit_line, prediction_band
from metrology.judgement.errors import Point, measure_point, statistics
from metrology.judgement.interval import DRIFT, FIXED, STAIRCASE, next_due
from metrology.judgement.interval import Result as DueResult
from metrology.judgement.policy import Policy
from metrology.judgement.sensor_life import SignalPoint, forecast
from metrology.judgement.uncertainty import Component, combine

FROM = date(2000, 1, 1)  # any day; only differences count


@calculator("duplicate", "Difference of two results against a limit.")
def _duplicate(given: Input) -> Result:
    a, b, limit = given.number("a"), given.number("b"), given.number("limit_percent")
    if limit <= 0:
        raise Fault("not_positive", f"limit_percent is {limit:g}; it must be above 0.", field="limit_percent")
    mean = (a + b) / 2.0
    if mean == 0:
        raise Fault("zero_mean", f"a is {a:g} and b is {b:g}; their mean is 0 and has no percent.", field="a")
    difference = 100.0 * abs(a - b) / abs(mean)
    return {"difference_percent": difference, "agrees": difference <= limit * (1 + 1e-12)}


@calculator("points", "Errors and statistics of a set of transmitter readings.")
def _points(given: Input) -> Result:
    given_curve = _curve_of(given)
    points, tolerance = given_curve.points, given_curve.tolerance
    stats = statistics(points)
    curve = _in_time(given_curve)
    candidates = with_sides(curve, explain(curve))
    inside = abs(stats.max_error) <= tolerance * (1 + 1e-10)
    return {
        "points": [
            {
                "applied": p.applied,
                "indicated": p.indicated,
                "direction": p.direction,
                "ideal": p.ideal,
                "error_percent": p.error_percent,
                "verdict": PASS if abs(p.error_percent) <= tolerance * (1 + 1e-10) else FAIL,
            }
            for p in points
        ],
        "max_error": stats.max_error,
        "zero_error": stats.zero_error,
        "span_error": stats.span_error,
        "hysteresis": stats.hysteresis if stats.hysteresis is not None else 0.0,
        "linearity_independent": stats.linearity_independent,
        "linearity_terminal": stats.linearity_terminal,
        "linearity_zero_based": stats.linearity_zero_based,
        "verdict": PASS if inside else FAIL,
        "signature": candidates[0][0],
        "signatures": [
            {"code": s.code, "says": s.says, "first_action": s.first_action, "confidence": s.confidence, "evidence": list(s.evidence)}
            for s in find_signatures(curve)
        ],
        "candidates": [{"code": code, "share": share} for code, share in candidates],
        "undecided": explain(curve).is_undecided,
        "would_tell": would_tell(curve),
    }


def _curve_of(given: Input) -> Curve:
    """The readings in the order in which they are given, with what is told beside each."""
    lrv, urv = given.number("lrv"), given.number("urv")
    lo, hi = given.number("output_lo", default=4.0), given.number("output_hi", default=20.0)
    transfer, tolerance = transfer_of(given), given.number("tolerance_percent")
    if tolerance <= 0:
        raise Fault("tolerance_not_positive", f"tolerance_percent is {tolerance:g}; it must be above 0.", field="tolerance_percent")
    measure = partial(measure_point, lrv=lrv, urv=urv, transfer=transfer, output_lo=lo, output_hi=hi)
    points: list[Point] = []
    beside: dict[str, list[float]] = {"pv": [], "at_s": []}
    for row in given.rows("readings"):
        direction, cycle = row.choice("direction", ("up", "down"), default="up"), int(row.number("cycle", default=1.0))
        points.append(measure(row.number("applied"), row.number("indicated"), direction=direction, cycle=cycle))
        if row.has("pv"):
            beside["pv"].append(measure(row.number("pv"), 0.0).ideal_percent - points[-1].ideal_percent)
        if row.has("at_s"):
            beside["at_s"].append(row.number("at_s"))
    for name, told in beside.items():
        if told and len(told) != len(points):
            says = f"{name} is given for {len(told)} of {len(points)} readings; give it for all of them or for none."
            raise Fault("missing", says, field="readings")
    pvs, times = (tuple(told) or None for told in beside.values())
    return Curve(tuple(points), tolerance, transfer, lrv, urv, "", pv_errors=pvs, times_s=times)


def _in_time(curve: Curve) -> Curve:
    """Readings in the order of their times, where those are told."""
    if curve.times_s is None:
        return curve
    order = sorted(range(len(curve.points)), key=curve.times_s.__getitem__)
    return replace(
        curve,
        points=tuple(curve.points[k] for k in order),
        pv_errors=curve.pv_errors and tuple(curve.pv_errors[k] for k in order),
        times_s=tuple(curve.times_s[k] for k in order),
    )


@calculator("uncertainty", "Combined and expanded uncertainty, GUM.")
def _uncertainty(given: Input) -> Result:
    components = []
    for i, row in enumerate(given.rows("components")):
        divisor = row.number("divisor") if row.has("divisor") else row.number("k") if row.has("k") else None
        components.append(
            Component(
                name=row.text("name", default=str(i + 1)),
                value=row.number("value"),
                distribution=row.text("distribution", default="normal").lower(),
                divisor=divisor,
                sensitivity=row.number("sensitivity", default=1.0),
                dof=row.number("dof", default=math.inf, endless=True),
            )
        )
    u = combine(components, coverage=given.number("coverage", default=0.9545))
    return {"combined": u.combined, "effective_dof": u.effective_dof, "k": u.k, "expanded": u.expanded}


@calculator("decision", "Verdict on an error under a decision rule.")
def _decision(given: Input) -> Result:
    dof = given.number("dof", default=0.0) or math.inf
    if dof < 1:
        raise Fault("out_of_range", f"dof is {dof:g}; accepted is 1 or more, or 0 where U is as good as known.", field="dof")
    d = decide(
        given.number("error"),
        given.number("tolerance"),
        expanded=given.number("expanded"),
        k=given.number("k", default=2.0),
        rule=given.choice("rule", tuple(RULES), default="simple"),
        max_risk=given.number("max_risk", default=0.05),
        dof=dof,
        bias=given.number("bias", default=0.0),
    )
    return {
        "verdict": d.verdict,
        "guard_band": d.guard_band,
        "acceptance_limit": d.acceptance_limit,
        "tur": d.tur,
        "p_conform": d.p_conform,
        "reason": d.reason,
    }


@calculator("drift", "Straight line through results, and its prediction.")
def _drift(given: Input) -> Result:
    line = fit_line(given.numbers("x"), given.numbers("y"))
    at, confidence = given.number("at"), given.number("confidence", default=0.95)
    return {
        "slope": line.slope,
        "intercept": line.intercept,
        "s_slope": line.s_slope,
        "s_intercept": line.s_intercept,
        "r": line.r,
        "s_residual": line.s_residual,
        "predicted": line.predict(at),
        "s_predicted": line.s_predict(at),
        "band": prediction_band(line, at, confidence=confidence),
        "correlation_xy": line.correlation_xy,
        "s_next_result": line.s_next(at),
        "dof": line.dof,
    }


@calculator("interval", "When a calibration is due again by fixed, staircase or drift rule.")
def _interval(given: Input) -> Result:
    rule = given.choice("rule", (FIXED, STAIRCASE, DRIFT), default=FIXED)
    base = given.number("base_days")
    if not 1 <= base <= 3650 or base != int(base):
        raise Fault("out_of_range", f"base_days is {base:g}; whole days from 1 to 3650 are accepted.", field="base_days")
    reliability = given.number("reliability", default=0.95)
    if not 0.6 <= reliability <= 0.999:
        raise Fault("out_of_range", f"reliability is {reliability:g}; accepted is 0.6 to 0.999.", field="reliability")
    rows = given.rows("history")
    results: list[DueResult] = []
    days: list[float] = []
    for n, row in enumerate(rows):
        day = row.number("day")
        if not 0 <= day <= 100_000 or (days and day < days[-1]):
            raise Fault("out_of_range", f"history[{n}].day is {day:g}; days rise from row to row, 0 to 100 000.", field=f"history[{n}].day")
        days.append(day)
        found, left = (row.number(name) if row.has(name) else None for name in ("found_percent", "left_percent"))
        results.append(DueResult(FROM + timedelta(days=round(day)), found, left))
    due = next_due(rule, results, base_days=int(base), policy=replace(Policy(), reliability=reliability))
    return {"days": due.interval_days, "due_now": due.interval_days == 0, "because": due.why}


MOST_SAMPLES = 20_000
CAME = 0.5  # of a full change that is known: before that much of it was seen, it has not come


def _samples(given: Input) -> list[tuple[float, float]]:
    """Pairs of t_s and value, as lists or as rows, in the order of time."""
    pairs = given.pairs("samples", ("t_s", "value"), most=MOST_SAMPLES)
    for n, (a, b) in enumerate(pairwise(pairs), 1):
        if b[0] <= a[0]:
            raise Fault("out_of_range", f"samples[{n}] is at {b[0]:g} s, not after the one before it; times rise.", field=f"samples[{n}]")
    return pairs


@calculator("settle", "Whether a response has settled, how much may still come, and how sure that is.")
def _settle(given: Input) -> Result:
    samples = _samples(given)
    since = given.number("stimulus_at_s")
    limit, resolution = given.number("limit"), given.number("resolution", default=0.0)
    horizon = given.number("horizon_s", default=HORIZON_S)
    if resolution < 0:
        raise Fault("out_of_range", f"resolution is {resolution:g}; it is 0 or more.", field="resolution")
    full = abs(given.number("full_change", default=0.0))
    seen = Approach(limit, since=since, resolution=resolution, horizon_s=horizon)
    has_come = True
    for t, v in samples:
        seen.add(t, v)
        found = seen.judge()
        has_come = seen.first is None or abs(v - seen.first[1]) >= CAME * full
        if found and found.is_settled and has_come:
            return _settle_told(found, t, f"Settled: up to {found.bound:.3g} may still come, limit {max(limit, seen.resolution / 2):.3g}.")
    if seen.last is None:
        raise Fault("out_of_range", f"No sample is after the stimulus at {since:g} s.", field="stimulus_at_s")
    if not has_come:
        return _settle_told(
            seen.coming, None, "The change that was to come has not come yet: dead time, a line that fills, or no response."
        )
    if seen.coming is None:
        return _settle_told(None, None, "Too few samples, or it still swings or jumps: nothing can be said of its end.")
    return _settle_told(
        seen.coming, None, f"Not settled: up to {seen.coming.bound:.3g} may still come, limit {max(limit, seen.resolution / 2):.3g}."
    )


def _settle_told(found: Coming | None, at: float | None, why: str) -> Result:
    return {
        "settled": at is not None,
        "settled_at_s": at,
        "value": found.value if found else None,
        "to_come": found.to_come if found else None,
        "to_come_bound": found.bound if found else None,
        "u": found.u if found else None,
        "why": why,
    }


@calculator("sensor-life", "When a sensor that ages will be at its end.")
def _sensor_life(given: Input) -> Result:
    end = given.number("end_percent")
    if not 5 <= end <= 95:
        raise Fault("out_of_range", f"end_percent is {end:g}; accepted is 5 to 95.", field="end_percent")
    rows = given.rows("results")
    points = [SignalPoint(row.number("day"), row.number("percent")) for row in rows]
    if any(p.sensitivity <= 0 for p in points):
        raise Fault("not_positive", "Each percent must be above 0.", field="results")
    found = forecast(points, end_percent=end, first=100.0)
    low, high = found.at_end or (None, None)
    return {
        "not_before_day": found.earliest_day,
        "expected_day": found.ends_day,
        "model": found.model or "too few results",
        "band_low": low,
        "band_high": high,
    }
