"""The evidence of a run: readings with errors and verdicts, statistics, signatures, and what to plot."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from metrology.judgement.decision import RULES
from metrology.methods.base import Judged, Method, Quantity, SetResult, Slot
from metrology.methods.steps import Step
from metrology.quantities.words import decimals_for, iso, number, percent, ratio, signed
from metrology.run.progress import evaluate_set, raw_readings
from metrology.run.readings import slip_in
from metrology.run.state import Reading, RunState
from metrology.run.view_types import BudgetData, CorridorPoint, Named, RowData, SetData


def reading_rows(state: RunState, method: Method, step_key: str, *, result: SetResult) -> list[RowData]:
    """All readings of a step in the order taken, struck ones with their reason; `result` judges those that count."""
    by_slot = {j.slot.index: j for j in result.judged}
    plan = method.plan(state.setup, step_key)
    rows: list[RowData] = []
    for r in state.readings:
        if r.step != step_key:
            continue
        slot = plan[r.slot]
        row = _plain_row(r, slot, _read(method, state, slot).unit)
        if not r.is_struck:
            _add_judgement(row, method, state, by_slot[r.slot], r)
        rows.append(row)
    return rows


def _plain_row(r: Reading, slot: Slot, unit: str) -> RowData:
    return {
        "number": r.slot + 1,
        "direction": slot.direction,
        "cycle": slot.cycle,
        "percent": f"{slot.percent:g} %",
        "id": r.id,
        "applied": r.applied,
        "indicated": r.indicated,
        "at": iso(r.at),
        "by": r.by,
        "struck": r.struck_reason or None,
        "struck_by": r.struck_by or None,
        "was_confirmed_unlikely": r.was_confirmed_unlikely,
        "slip": None,
        "ideal": None,
        "error": None,
        "error_unit": None,
        "tolerance": None,
        "u": None,
        "tur": None,
        "verdict": None,
        "is_too_close": False,
        "says": None,
        "x": None,
        "y": None,
        "channel": slot.channel,
        "unit": unit,
        "read_at": r.extra.get("read_at"),
        "pv": r.extra.get("pv"),
        "split": None,
        "simulated": r.extra.get("simulated") or r.extra.get("load"),
        "captured": [{"quantity": name, "says": captured_words(told)} for name, told in (r.extra.get("captured") or {}).items()],
        "budget": None,
    }


def _read(method: Method, state: RunState, slot: Slot) -> Quantity:
    """What is read at a slot."""
    return next(q for q in method.quantities(state.setup, slot) if q.name == "indicated")


def captured_words(told: Mapping[str, Any]) -> str:
    """The statistics of a captured trace as a sentence."""
    unit, digits = told["unit"], 3 if abs(told["mean"]) >= 1 else 5
    text = (
        f"{told['label']}: mean {told['mean']:.{digits}f} {unit}, s {told['sd']:.2g} {unit}, slope {told['slope']:+.2g} {unit}/s "
        f"over {told['window_s']:g} s, settled after {told['settle_s']:.1f} s"
    )
    if told.get("t90_s") is not None:
        text += f", T90 {told['t90_s']:.1f} s"
    return f"{text}, peak {told['peak']:.{digits}f} {unit}."


def _add_judgement(row: RowData, method: Method, state: RunState, j: Judged, r: Reading) -> None:
    i = state.setup.instrument
    d = j.decision
    row["ideal"] = number(method.shown_ideal(state.setup, j.slot, j.point.applied), _read(method, state, j.slot).decimals)
    row["error"] = percent(j.point.error_percent)
    row["error_unit"] = f"{signed(j.error.unit, decimals_for(i.urv - i.lrv))} {i.unit}"
    row["tolerance"] = f"±{number(j.tolerance, 2 if j.tolerance >= 0.1 else 3)} %"
    row["u"] = f"{number(j.uncertainty.expanded, 3)} %" if j.uncertainty else None
    row["tur"] = ratio(d.tur) if j.uncertainty else None
    row["verdict"] = d.verdict
    row["is_too_close"] = d.is_too_close
    row["says"] = _says(j, state.setup.policy.pass_rule)
    row["slip"] = slip_in(method, state, j.slot, ideal=j.point.ideal, indicated=r.indicated, tolerance=j.tolerance)
    if j.sensor_percent is not None and j.output_percent is not None:
        row["split"] = f"sensor {percent(j.sensor_percent)}, output {percent(j.output_percent)}"
    row["budget"] = _budget_of(j)
    row["x"] = round(j.slot.percent, 4)
    row["y"] = round(j.point.error_percent, 6)


def _says(j: Judged, rule: str) -> str:
    """Why the verdict is what it is, in a sentence with the figures of this reading."""
    d, size = j.decision, f"{number(abs(j.point.error_percent), 3)} %"
    limit, tolerance = f"{number(d.acceptance_limit, 3)} %", f"{number(j.tolerance, 3)} %"
    if d.verdict == "fail":
        return f"{size} is outside the tolerance of {tolerance}."
    if d.verdict == "marginal":
        return f"{size} is inside the tolerance of {tolerance}, but outside the acceptance limit of {limit} ({RULES[rule]})."
    close = " It is marginal: nearer to the limit than U reaches." if d.is_too_close else ""
    return f"{size} is inside the limit of {limit} ({RULES[rule]}).{close}"


def corridor(state: RunState, method: Method, step_key: str) -> list[CorridorPoint]:
    """The tolerance and adjust limit over the points, in percent of output span, for the plot."""
    rows: dict[float, CorridorPoint] = {}
    for slot in method.plan(state.setup, step_key):
        t = method.tolerance_at(state.setup, slot)
        rows[slot.percent] = {"x": slot.percent, "tolerance": t, "adjust_limit": t * state.setup.policy.adjust_limit_percent / 100}
    return [rows[x] for x in sorted(rows)]


def set_evidence(state: RunState, method: Method, step: Step, *, is_final: bool) -> SetData:
    """One set: rows, verdict, statistics, signatures and the corridor."""
    result = evaluate_set(state, method, step.key)
    i = state.setup.instrument
    rows = reading_rows(state, method, step.key, result=result)
    units = {r["unit"] for r in rows}
    return {
        "key": step.key,
        "title": step.title,
        "phase": step.phase,
        "is_final": is_final,
        "is_complete": result.is_complete,
        "rows": rows,
        "verdict": result.verdict if result.judged else None,
        "share": f"{100 * result.share:.0f} % of tolerance" if result.judged else None,
        "statistics": _statistics(result),
        "signatures": [
            {
                "code": s.code,
                "says": s.says,
                "first_action": s.first_action,
                "confidence": f"{100 * s.confidence:.0f} %",
                "evidence": list(s.evidence),
            }
            for s in (result.signatures if result.is_complete else ())
        ],
        "corridor": corridor(state, method, step.key),
        "budget": _budget(result),
        "applied_unit": i.output_unit if method.applies_output else i.unit,
        "read_unit": units.pop() if len(units) == 1 else "",
        "findings": [
            {"name": n, "value": v}
            for n, v in (method.findings(state.setup, raw_readings(state, step.key), result) if result.is_complete else ())
        ],
    }


def _statistics(result: SetResult) -> list[Named]:
    s = result.statistics
    if s is None:
        return []
    rows = [
        ("Largest error", percent(s.max_error)),
        ("Zero error", percent(s.zero_error)),
        ("Span error", percent(s.span_error)),
        ("Mean error", percent(s.mean_error)),
        ("Hysteresis", percent(s.hysteresis).lstrip("+") if s.hysteresis is not None else None),
        ("Linearity, independent", "±" + percent(s.linearity_independent).lstrip("+")),
        ("Linearity, terminal-based", "±" + percent(s.linearity_terminal).lstrip("+")),
        ("Linearity, zero-based", "±" + percent(s.linearity_zero_based).lstrip("+")),
        ("Repeatability", percent(s.repeatability).lstrip("+") if s.repeatability is not None else None),
    ]
    return [{"name": n, "value": v} for n, v in rows if v is not None]


def _budget(result: SetResult) -> BudgetData | None:
    """The uncertainty budget at the reading with the largest U."""
    with_u = [(j, j.uncertainty) for j in result.judged if j.uncertainty]
    return _budget_of(max(with_u, key=lambda pair: pair[1].expanded)[0]) if with_u else None


def _budget_of(j: Judged) -> BudgetData | None:
    """The components behind the U of one reading, with what they lead to."""
    u = j.uncertainty
    if u is None:
        return None
    return {
        "at": f"{j.slot.percent:g} % {j.slot.direction}" + (f", {j.slot.channel}" if j.slot.channel else ""),
        "k": number(u.k, 2),
        "expanded": f"{number(u.expanded, 4)} %",
        "combined": f"{number(u.combined, 4)} %",
        "dof": "no limit" if u.effective_dof > 1e6 else f"{u.effective_dof:.0f}",
        "tur": ratio(j.decision.tur),
        "p_conform": f"{100 * j.decision.p_conform:.1f} %",
        "p_wrong": f"{100 * (1 - j.decision.p_conform):.1f} %" if j.decision.verdict != "fail" else "not accepted",
        "rows": [
            {
                "name": c.name,
                "value": f"{number(c.value, 4)} %",
                "distribution": c.distribution if c.divisor is None else f"normal, k = {c.divisor:g}",
                "standard": f"{number(c.standard, 4)} %",
            }
            for c in j.components
        ],
    }
