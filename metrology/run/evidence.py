"""The evidence of a run: readings with errors and verdicts, criteria, statistics, signatures, and what to plot."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from metrology.judgement.decision import RULES
from metrology.judgement.signature import UNDECIDED
from metrology.methods.method import Columns, Method
from metrology.methods.outcome import Criterion, Judged, Outcome
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Quantity, Slot
from metrology.methods.steps import Step
from metrology.quantities.words import chance, decimals_for, iso, number, percent, plain, ratio, signed
from metrology.run.entries import Reading
from metrology.run.kept import kept
from metrology.run.progress import evaluate_set
from metrology.run.raw import raw_readings, slot_of
from metrology.run.readings import slip_in
from metrology.run.set_types import BudgetData, ColumnData, CorridorPoint, CriterionData, Named, PlotWords, RowData, SetData, Tick
from metrology.run.state import RunState
from metrology.run.statistics import in_words, statistics_of


def reading_rows(state: RunState, method: Method, step_key: str, *, result: Outcome) -> list[RowData]:
    """All readings of a step in the order taken, struck ones with their reason; `result` judges those that count."""
    by_slot = {j.slot.index: j for j in result.judged}

    def row(r: Reading) -> RowData:
        j = None if r.is_struck else by_slot[r.slot]
        return kept(state, f"row {r.id}", (method, state.setup, r, j), lambda: _row(state, method, r, j))

    return [row(r) for r in state.readings if r.step == step_key]


def _row(state: RunState, method: Method, r: Reading, j: Judged | None) -> RowData:
    slot = slot_of(state, method, r)
    then = replace(state.setup, entered=r.entered)
    q = _read(method, then, slot)
    row = _plain_row(r, slot, q.unit, method.trial.columns(then, r.step))
    row["standards"] = [told for told in (standard_words(state, event) for event in r.standards.values()) if told]
    if j is not None:
        _add_judgement(row, method, then, j, r, q)
    return row


def _plain_row(r: Reading, slot: Slot, unit: str, told: Columns) -> RowData:
    return {
        "number": r.slot + 1,
        "direction": slot.direction,
        "cycle": slot.cycle,
        "percent": f"{slot.percent:g} %" if told.by_percent else "",
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
        "share": None,
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
        "halves": [],
        "simulated": r.extra.get("simulated") or r.extra.get("load"),
        "captured": [
            {"quantity": name, "says": captured_words(told), "figures": captured_figures(told)} for name, told in r.captured.items()
        ],
        "budget": None,
        "standards": [],
    }


def _read(method: Method, setup: RunSetup, slot: Slot) -> Quantity:
    """What is read at a slot."""
    return next(q for q in method.trial.asks(setup, slot) if q.name == "indicated")


def standard_words(state: RunState, event: str) -> str:
    """What an event assigned, by its code."""
    p = state.assigned.get(event, {})
    held = p.get("reference") or p.get("bottle") or p.get("item") or {}
    return str(held.get("code", ""))


def captured_words(told: Mapping[str, Any]) -> str:
    """The statistics of a captured trace as a sentence."""
    unit, digits = told["unit"], 3 if abs(told["mean"]) >= 1 else 5
    # What did not answer, or would not stand, is captured too once its time is over.
    settled = "not settled" if told["settle_s"] is None else f"settled after {told['settle_s']:.1f} s"
    text = (
        f"{told['label']}: mean {told['mean']:.{digits}f} {unit}, s {told['sd']:.2g} {unit}, slope {told['slope']:+.2g} {unit}/s "
        f"over {told['window_s']:.3g} s, {settled}"
    )
    if told.get("t90_s") is not None:
        text += f", T90 {told['t90_s']:.1f} s"
    return f"{text}, peak {told['peak']:.{digits}f} {unit}."


def captured_figures(told: Mapping[str, Any]) -> list[Named]:
    """The statistics of a captured trace, one a column."""
    unit, digits = told["unit"], 3 if abs(told["mean"]) >= 1 else 5
    t90 = told.get("t90_s")
    return [
        {"name": f"Mean, {unit}", "value": f"{told['mean']:.{digits}f}"},
        {"name": f"s, {unit}", "value": f"{told['sd']:.2g}"},
        {"name": f"Slope, {unit}/s", "value": f"{told['slope']:+.2g}"},
        {"name": "Window, s", "value": f"{told['window_s']:.3g}"},
        {"name": "Settled after, s", "value": "not settled" if told["settle_s"] is None else f"{told['settle_s']:.1f}"},
        {"name": "T90, s", "value": "" if t90 is None else f"{t90:.1f}"},
        {"name": f"Peak, {unit}", "value": f"{told['peak']:.{digits}f}"},
    ]


def _add_judgement(row: RowData, method: Method, setup: RunSetup, j: Judged, r: Reading, q: Quantity) -> None:
    i, d = setup.instrument, j.decision
    row["ideal"] = number(method.trial.shown_ideal(setup, j.slot, j.point.applied), q.decimals)
    told = method.trial.columns(setup, r.step)
    in_heading = told.decimals is not None and (told.has_share or not told.by_percent)
    bare = replace(told, unit="") if in_heading else told  # the heading says the unit
    row["error"] = in_words(bare, j.point.error_percent, sign=True)
    width, unit = (q.span, q.unit) if told.errors_as_read else (i.urv - i.lrv, i.unit)
    row["error_unit"] = f"{signed(j.error.unit, decimals_for(width))} {unit}"
    row["share"] = percent(j.point.error_percent) if told.has_share else None
    row["tolerance"] = f"±{in_words(bare, j.tolerance)}" if told.decimals is not None else f"±{_plain_percent(j.tolerance)}"
    row["u"] = in_words(bare, j.uncertainty.expanded) if j.uncertainty else None
    row["tur"] = ratio(d.tur) if j.uncertainty and j.has_ratio else None
    row["verdict"] = d.verdict if j.counts else None
    row["is_too_close"] = d.is_too_close and j.counts
    row["says"] = _says(j, setup.policy.pass_rule, told) if j.counts else j.aside
    row["slip"] = slip_in(setup, q, ideal=j.point.ideal, indicated=r.indicated, tolerance=j.tolerance)
    if j.sensor_percent is not None and j.output_percent is not None:
        row["split"] = f"sensor {percent(j.sensor_percent)}, output {percent(j.output_percent)}"
        row["halves"] = [
            {"name": "Digital value", "value": str(r.extra.get("pv", ""))},
            {"name": "Sensor, % span", "value": percent(j.sensor_percent)},
            {"name": "Output, % span", "value": percent(j.output_percent)},
        ]
    row["budget"] = _budget_of(j, told)
    if told.has_plot:
        row["x"] = round(j.slot.percent, 4)
        row["y"] = round(j.point.error_percent * told.per_percent, 6)


def _plain_percent(value: float) -> str:
    return f"{number(value, 2 if value >= 0.1 else 3)} %"


def _says(j: Judged, rule: str, told: Columns) -> str:
    """Why the verdict is what it is, in a sentence with the figures of this reading."""
    d, size = j.decision, in_words(told, abs(j.point.error_percent))
    limit, tolerance = in_words(told, d.acceptance_limit), in_words(told, j.tolerance)
    if d.verdict == "fail":
        return f"{size} is outside the tolerance of {tolerance}."
    if d.verdict == "marginal":
        return f"{size} is inside the tolerance of {tolerance}, but outside the acceptance limit of {limit} ({RULES[rule]})."
    close = " It is marginal: nearer to the limit than U reaches." if d.is_too_close else ""
    return f"{size} is inside the limit of {limit} ({RULES[rule]}).{close}"


def corridor(state: RunState, method: Method, step_key: str) -> list[CorridorPoint]:
    """The tolerance and adjust limit over the points, in what errors are told in, for the plot."""
    rows: dict[float, CorridorPoint] = {}
    scale = method.trial.columns(state.setup, step_key).per_percent
    for slot in method.trial.plan(state.setup, step_key, raw_readings(state, method, step_key)).slots:
        t = method.trial.tolerance_at(state.setup, slot) * scale
        rows[slot.percent] = {"x": slot.percent, "tolerance": t, "adjust_limit": t * state.setup.policy.adjust_limit_percent / 100}
    return [rows[x] for x in sorted(rows)]


def set_evidence(state: RunState, method: Method, step: Step, *, is_final: bool) -> SetData:
    """One set: rows, verdict, statistics, signatures and the corridor."""
    made_of = (method, state.setup, step.title, step.phase, is_final, *(r for r in state.readings if r.step == step.key))
    return kept(state, f"set {step.key}", made_of, lambda: _set_evidence(state, method, step, is_final=is_final))


def _set_evidence(state: RunState, method: Method, step: Step, *, is_final: bool) -> SetData:
    result = evaluate_set(state, method, step.key)
    told = method.trial.columns(state.setup, step.key)
    rows = reading_rows(state, method, step.key, result=result)
    units = {r["unit"] for r in rows}
    read_unit = units.pop() if len(units) == 1 else ""
    return {
        "key": step.key,
        "title": step.title,
        "phase": step.phase,
        "is_final": is_final,
        "is_complete": result.is_complete,
        "rows": rows,
        "verdict": result.verdict if result.is_judged else None,
        "share": f"{100 * result.share:.0f} % of tolerance" if result.is_judged else None,
        "statistics": statistics_of(result, told),
        "signatures": [
            {
                "code": s.code,
                "says": s.says,
                "first_action": s.first_action,
                "confidence": "" if s.code == UNDECIDED else chance(s.confidence, 0),
                "evidence": list(s.evidence),
            }
            for s in (result.signatures if result.is_complete else ())
        ],
        "corridor": corridor(state, method, step.key) if told.has_plot else [],
        "budget": _budget(result, told),
        "applied_unit": told.applied_unit,
        "read_unit": read_unit,
        "findings": [{"name": n, "value": v} for n, v in result.findings],
        "columns": _columns(told, read_unit),
        "plot": _plot_words(state.setup, told),
        "csv_error": told.csv_error,
        "criteria": [_criterion(c) for c in result.criteria],
        "tables": [{"title": t.title, "head": list(t.head), "rows": [list(r) for r in t.rows]} for t in result.tables],
    }


def _plot_words(setup: RunSetup, told: Columns) -> PlotWords:
    words: PlotWords = {"x": told.x, "y": told.y, "unit": told.unit, "ticks": _ticks(setup, told)}
    if told.names_lines:
        words["names_lines"] = True
    return words


def _ticks(setup: RunSetup, told: Columns) -> list[Tick]:
    i = setup.instrument
    at = (0.0, 25.0, 50.0, 75.0, 100.0)
    return [{"x": p, "label": f"{p:g}" if not told.ticks_by_value else plain(i.lrv + p / 100 * (i.urv - i.lrv))} for p in at]


def _columns(told: Columns, read_unit: str) -> list[ColumnData]:
    rows = (
        ("percent", told.place),
        *((("direction", "Way"),) if told.has_direction else ()),
        *((("applied", f"{told.applied} {told.applied_unit}".strip()),) if told.applied else ()),
        *((("ideal", f"{told.ideal} {read_unit}".strip()),) if told.ideal else ()),
        ("indicated", f"{told.read} {read_unit}".strip()),
        *((("error", told.error),) if told.error else ()),
        *((("share", "% span"),) if told.has_share else ()),
        *(() if told.by_criteria else (("tolerance", "Tolerance"), ("u", "U"), ("tur", "TUR"))),
    )
    return [{"key": k, "label": label} for k, label in rows]


def _criterion(c: Criterion) -> CriterionData:
    unit = f" {c.unit}" if c.unit else ""
    return {
        "name": c.name,
        "label": c.label,
        "value": f"{number(c.value, c.decimals)}{unit}",
        "limits": limits_words(c),
        "u": f"{number(c.u, c.decimals)}{unit}" if c.u else "",
        "verdict": c.verdict,
        "says": c.says,
    }


def limits_words(c: Criterion) -> str:
    """The limits of a criterion in words."""
    unit = f" {c.unit}" if c.unit else ""
    if c.low is None and c.high is None:
        return ""
    if c.low is None:
        return f"at most {number(c.high or 0.0, c.decimals)}{unit}"
    if c.high is None:
        return f"at least {number(c.low, c.decimals)}{unit}"
    return f"{number(c.low, c.decimals)} to {number(c.high, c.decimals)}{unit}"


def _budget(result: Outcome, told: Columns) -> BudgetData | None:
    """The uncertainty budget at the reading with the largest U."""
    with_u = [(j, j.uncertainty) for j in result.judged if j.uncertainty]
    return _budget_of(max(with_u, key=lambda pair: pair[1].expanded)[0], told) if with_u else None


def where_words(slot: Slot, told: Columns) -> str:
    """The place of a reading in words."""
    if not told.by_percent:
        return slot.channel
    return f"{slot.percent:g} % {slot.direction}" + (f", {slot.channel}" if slot.channel else "")


def _budget_of(j: Judged, told: Columns) -> BudgetData | None:
    """The components behind the U of one reading, with what they lead to."""
    u = j.uncertainty
    if u is None:
        return None

    def words(value: float) -> str:
        return f"{number(value * told.per_percent, (told.decimals or 2) + 2)} {told.unit}" if told.has_share else f"{number(value, 4)} %"

    return {
        "at": where_words(j.slot, told),
        "k": number(u.k, 2),
        "expanded": words(u.expanded),
        "combined": words(u.combined),
        "dof": "no limit" if u.effective_dof > 1e6 else f"{u.effective_dof:.0f}",
        "tur": ratio(j.decision.tur),
        "p_conform": chance(j.decision.p_conform),
        "p_wrong": chance(1 - j.decision.p_conform) if j.decision.verdict != "fail" else "not accepted",
        "rows": [
            {
                "name": c.name,
                "value": words(c.value),
                "distribution": c.distribution if c.divisor is None else f"normal, k = {c.divisor:g}",
                "standard": words(c.standard),
            }
            for c in j.components
        ],
    }
