"""Errors, uncertainty, decisions, drift."""

from __future__ import annotations

import math

from metrology.calculations.registry import Result, calculator, transfer_of
from metrology.calculator_fields import Input
from metrology.faults import Fault
from metrology.judgement.decision import FAIL, PASS, RULES, decide
from metrology.judgement.drift import fit_line, prediction_band
from metrology.judgement.errors import Point, measure_point, statistics
from metrology.judgement.signature import Curve, find_signatures
from metrology.judgement.uncertainty import Component, combine


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
    lrv, urv = given.number("lrv"), given.number("urv")
    lo, hi = given.number("output_lo", default=4.0), given.number("output_hi", default=20.0)
    transfer = transfer_of(given)
    tolerance = given.number("tolerance_percent")
    if tolerance <= 0:
        raise Fault("tolerance_not_positive", f"tolerance_percent is {tolerance:g}; it must be above 0.", field="tolerance_percent")
    points: list[Point] = []
    for row in given.rows("readings"):
        points.append(
            measure_point(
                row.number("applied"),
                row.number("indicated"),
                lrv=lrv,
                urv=urv,
                transfer=transfer,
                output_lo=lo,
                output_hi=hi,
                direction=row.choice("direction", ("up", "down"), default="up"),
            )
        )
        row.number("cycle", default=1.0)
    stats = statistics(points)
    signatures = find_signatures(Curve(tuple(points), tolerance, transfer, lrv, urv, ""))
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
        "signature": signatures[0].code if signatures else "none",
        "signatures": [
            {"code": s.code, "says": s.says, "first_action": s.first_action, "confidence": s.confidence, "evidence": list(s.evidence)}
            for s in signatures
        ],
    }


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
    d = decide(
        given.number("error"),
        given.number("tolerance"),
        expanded=given.number("expanded"),
        k=given.number("k", default=2.0),
        rule=given.choice("rule", tuple(RULES), default="simple"),
        max_risk=given.number("max_risk", default=0.05),
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
