"""Everything a screen needs of a run, as plain data: texts are ready to show, numbers are there for plotting only."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime
from typing import Any, cast

from metrology import CORE_VERSION
from metrology.judgement.policy import describe_policy
from metrology.judgement.voting import vote_words
from metrology.methods.adjusting.base import REFUSALS
from metrology.methods.fragments import alarms_in
from metrology.methods.method import Method
from metrology.methods.settings import setting_words
from metrology.methods.setup import InstrumentSetup, RunSetup
from metrology.methods.slots import Quantity, Slot
from metrology.methods.standards.base import REFERENCE
from metrology.methods.steps import PHASES, Step
from metrology.quantities.transfer import KINDS
from metrology.quantities.words import decimals_for, iso, number, percent, ratio
from metrology.run.chromatograms import chromatogram_rows, chromatogram_step
from metrology.run.counting import clock_step, count_step
from metrology.run.evidence import set_evidence
from metrology.run.flags import flags_of
from metrology.run.gas_views import gas_rows, pair_rows
from metrology.run.holds import lost_words
from metrology.run.progress import (
    Progress,
    choices,
    current_slot,
    evaluate_together,
    final_readings_step,
    find_blocks,
    found_step,
    make_progress,
    passes_of,
    ready_at,
)
from metrology.run.raw import raw_readings
from metrology.run.standing import earlier_rows, item_rows, reopenable, reopened_rows
from metrology.run.state import Hold, Note, RunState
from metrology.run.step_views import compare_step, compute_step, computed_rows, details_words, parameter_sets
from metrology.run.view_types import (
    AdjustmentData,
    AdjustStep,
    HoldData,
    InstrumentData,
    JudgeStep,
    LiveQuantity,
    Named,
    NextReading,
    NoteData,
    NotedData,
    PassData,
    RailPhase,
    ReadingsStep,
    ReferenceData,
    RunView,
    SealData,
    SetData,
    StepData,
    WorkData,
)

# What goes on after a run has ended: the rest of a view is sealed with the signature.
LIVE_KEYS = ("seq", "status", "closed", "step", "holds", "notes", "signed", "reviewed", "voided", "blocks", "seal")

# What the hour alone can change; of the rest, the same events make the same view.
HOURLY_KEYS = ("seq", "status", "closed", "step", "holds", "timers", "blocks")

# Lists that a view has today and one sealed by an earlier core may not: there was nothing of that kind then.
EMPTY_LISTS: dict[str, list[Any]] = {
    name: [] for name, kind in RunView.__annotations__.items() if str(kind).startswith(("list[", "ForwardRef('list["))
}


def make_view(state: RunState, method: Method, now: datetime) -> RunView:
    """The view of a run at `now`; of one that was sealed, what was judged then."""
    if state.seal is not None:
        return cast(RunView, {**EMPTY_LISTS, **state.seal["view"], **_live_part(state, now)})
    progress = make_progress(state, method)
    evidence = _evidence(state, method, progress)
    return {
        "seq": state.seq,
        "status": state.status,
        "closed": round(progress.closed, 3),
        "method": {"key": method.key, "title": method.title, "revision": state.setup.revision},
        "instrument": instrument_data(state, method),
        "points": _points_words(state),
        "started": {"at": iso(state.started_at), "by": state.started_by, "name": state.started_by_name},
        "rail": _rail(progress),
        "step": _step(state, method, progress, evidence),
        "evidence": evidence,
        "adjustments": _adjustments(state, method, progress),
        "works": _works(state),
        "noted": _noted(state, progress),
        "references": _references(state, method),
        "surroundings": _surroundings(state),
        "holds": [hold_data(h, now) for h in state.holds.values()],
        "sources": [
            {k: str(src.get(k, "")) for k in ("quantity", "channel", "signal", "label", "unit", "stimulus")}  # type: ignore[misc]
            for src in state.sources.values()
        ],
        "computed": computed_rows(state, method),
        "parameters": parameter_sets(state),
        "acts": [{"words": str(a["words"]), "by": str(a["by"]), "at": str(a["at"])} for a in state.acts],
        "timers": [{"step": t.step, "due_at": iso(t.due_at), "is_over": t.is_over(now), "reason": t.reason} for t in state.timers.values()],
        "decisions": [
            {
                "step": d.step,
                "choice": d.choice,
                "choice_label": _choice_label(state, method, d.step, d.choice),
                "proposed": d.proposed,
                "reason": d.reason,
                "by": d.by,
                "at": iso(d.at),
            }
            for d in state.decisions.values()
        ],
        "notes": [{"kind": n.kind, "text": n.text, "by": n.by, "at": iso(n.at)} for n in state.notes],
        "signed": _note(state.signed),
        "reviewed": _note(state.reviewed),
        "voided": _note(state.voided),
        "policies": policy_words(state.setup, method),
        "flags": flags_of(state),
        "pairs": [{"label": m.label, "to": m.to, "by": m.by, "at": m.at.isoformat()} for m in state.pairs.values()],
        "gases": gas_rows(state, evidence),
        "chromatograms": chromatogram_rows(state),
        "items": item_rows(state),
        "earlier": earlier_rows(state, method),
        "reopened": reopened_rows(state, progress),
        "can_reopen": reopenable(state, progress),
        "blocks": list(find_blocks(state, method, now)),
        "seal": _seal_words(state, method),
    }


def changed_parts(before: RunView, now: RunView) -> dict[str, Any]:
    """The parts of a view that are not as they were in an earlier one of the same run, and those that the hour alone can change."""
    return {k: v for k, v in now.items() if k in HOURLY_KEYS or (v is not before.get(k) and v != before.get(k))}


def _live_part(state: RunState, now: datetime) -> dict[str, Any]:
    """What a sealed record still gains: who reviewed it, notes, a hold that outlived it."""
    seal = state.seal or {}
    return {
        "seq": state.seq,
        "status": state.status,
        "closed": 1.0 if state.signed else 0.0,
        "step": None,
        "holds": [hold_data(h, now) for h in state.holds.values()],
        "notes": [{"kind": n.kind, "text": n.text, "by": n.by, "at": iso(n.at)} for n in state.notes],
        "signed": _note(state.signed),
        "reviewed": _note(state.reviewed),
        "voided": _note(state.voided),
        "blocks": [],
        "seal": {
            "is_sealed": True,
            "core": str(seal["core"]),
            "says": f"Sealed when it was {'signed' if state.signed else 'voided'}, as judged by core {seal['core']}.",
            "plant": dict(seal.get("plant", {})),
        },
    }


def _seal_words(state: RunState, method: Method) -> SealData:
    says = ""
    if state.signed or state.voided:
        says = f"Ended before records were sealed: judged again with core {CORE_VERSION}, method revision {method.revision}."
    return {"is_sealed": False, "core": CORE_VERSION, "says": says, "plant": {}}


def instrument_data(state: RunState, method: Method) -> InstrumentData:
    """The instrument of the run, as frozen at its start."""
    i = state.setup.instrument
    output, tolerance = method.words(state.setup)
    return {
        "tag": i.tag,
        "serial": i.serial,
        "service": i.service,
        "area": i.area,
        "feeds": i.feeds,
        "protects": protects_words(i),
        "range": f"{i.lrv:g} to {i.urv:g} {i.unit}",
        "output": output,
        "transfer": KINDS[i.transfer.kind],
        "tolerance": tolerance,
        "unit": i.unit,
        "output_unit": i.output_unit,
        "details": details_words(i),
    }


def policy_words(setup: RunSetup, method: Method) -> list[str]:
    """The policies in force, those of the method itself among them, as sentences."""
    own = [f"{label}: {value}." for label, value in setting_words(setup.instrument.details, policies=True)]
    return [*describe_policy(setup.policy, groups=method.traits.policies), *own]


def protects_words(i: InstrumentSetup) -> str:
    """What alarms, interlocks, votes and zones hang on an instrument."""
    alarms = ", ".join(f"{a.name} {a.set_point:g} {i.unit}" for a in alarms_in(i.details))
    parts = (
        i.feeds,
        f"alarms: {alarms}" if alarms else "",
        f"votes in {i.voting_group}" if i.voting_group else "",
        f"watches {i.zone}" if i.zone else "",
    )
    return "; ".join(p for p in parts if p)


def hold_data(hold: Hold, now: datetime) -> HoldData:
    """A hold with whether its planned end has passed."""
    return {
        "id": hold.id,
        "kind": hold.kind,
        "reason": hold.reason,
        "placed_at": iso(hold.placed_at),
        "placed_by": hold.placed_by,
        "until": iso(hold.until),
        "released_at": iso(hold.released_at),
        "released_by": hold.released_by,
        "is_overdue": hold.released_at is None and now > hold.until,
        "release_values": dict(hold.release_values),
        "holder": hold.holder,
        "holder_name": hold.holder_name or hold.placed_by,
        "agreement": hold.agreement,
        "extended": list(hold.extended),
    }


def _points_words(state: RunState) -> str:
    s = state.setup
    return " ".join(f"{p:g}" for p in s.points_percent) + f" %, cycles: {s.cycles}" if s.points_percent else ""


def _note(note: Note | None) -> NoteData | None:
    return {"kind": note.kind, "text": note.text, "by": note.by, "at": iso(note.at)} if note else None


def _surroundings(state: RunState) -> list[Named]:
    values = state.confirmations["environment"].values if "environment" in state.confirmations else {}
    units = {"temperature": ("Air temperature", "C"), "humidity": ("Relative humidity", "%")}
    return [{"name": units[k][0], "value": f"{v} {units[k][1]}"} for k, v in values.items() if v and k in units]


def _choice_label(state: RunState, method: Method, step: str, choice: str) -> str:
    options = next((dict(s.options) for s in method.steps(state.setup, choices(state)) if s.key == step), {})
    return options.get(choice, choice)


def _rail(progress: Progress) -> list[RailPhase]:
    return [
        {
            "phase": phase,
            "steps": [
                {"key": p.step.key, "title": p.step.title, "status": p.status, "kind": p.step.kind, "why": p.step.left_out}
                for p in progress.steps
                if p.step.phase == phase
            ],
        }
        for phase in PHASES
    ]


def _references(state: RunState, method: Method) -> list[ReferenceData]:
    rows: list[ReferenceData] = []
    for need in method.standards.needs(state.setup):
        if need.kind != REFERENCE:
            continue
        p = state.references.get(need.role)
        r = p["reference"] if p else None
        rows.append(
            {
                "role": need.role,
                "label": need.label,
                "unit": need.unit,
                "code": r["code"] if r else None,
                "name": r["name"] if r else None,
                "due_on": r["due_on"] if r else None,
                "reason": p.get("reason", "") if p else "",
                "tur": ratio(p["tur"]) if p and p["tur"] else None,
                "override": p.get("override") if p else None,
                "certificate": r["certificate"] if r else None,
                "serial": r["serial"] if r else None,
                "laboratory": r["laboratory"] if r else None,
                "traceability": r["traceability"] if r else None,
            }
        )
    return rows


def _step(state: RunState, method: Method, progress: Progress, evidence: list[SetData]) -> StepData | None:
    step = progress.current
    if step is None or state.status in ("signed", "accepted", "voided"):
        return None
    suggested = (
        method.trial.suggest(state.setup, raw_readings(state, method, step.set_name or found_step(state, method)), step)
        if step.enters
        else {}
    )
    data: StepData = {
        "key": step.key,
        "kind": step.kind,
        "phase": step.phase,
        "title": step.title,
        "instruction": step.instruction,
        "cautions": [*filter(None, [lost_words(state), _vote(state, step)]), *step.cautions],
        "confirm_label": step.confirm_label,
        "minutes": step.minutes,
        "fields": [
            {
                "name": f.name,
                "label": f.label,
                "kind": f.kind,
                "unit": f.unit,
                "required": f.required,
                "hint": f.hint,
                "options": [{"value": v, "label": t} for v, t in f.options],
                "suggested": suggested.get(f.name, ""),
                "usual": f.usual,
            }
            for f in step.fields
        ],
        "checks": [{"key": c.key, "label": c.label} for c in step.checks],
        "options": [{"value": v, "label": t} for v, t in step.options],
        "readings": None,
        "judge": None,
        "adjust": None,
        "compute": None,
        "compare": None,
        "count": None,
        "clock": None,
        "pairs": pair_rows(state, step) if step.kind == "checkpairs" else [],
        "panels": _panels(state, step),
        "keys": _keys(state, step),
        "variant": step.variant,
        "needs_timer": step.needs_timer,
        "usual": dict(step.usual),
        "lets_go": [h.id for h in state.holds_of(step.of) if h.released_at is None] if step.kind == "release" else [],
        **_watches(state, method, step),  # type: ignore[typeddict-item]
    }
    show = _SHOWN.get(step.kind)
    if show:
        data[step.kind] = show(state, method, step, evidence)  # type: ignore[literal-required]
    return data


def _vote(state: RunState, step: Step) -> str:
    """What placing the hold does to the vote of its group."""
    i = state.setup.instrument
    return vote_words(i.voting, i.voting_group) if step.kind == "hold" and not step.of else ""


SHUT = "off"  # the key of whatever feeds an instrument


def _keys(state: RunState, step: Step) -> list[str]:
    """The keys that belong to a step; where gas may be on that nobody needs any more, the one that shuts it."""
    if step.keys or step.kind not in ("confirm", "judge"):
        return list(step.keys)
    return [SHUT] if _panels(state, step) else []


def _panels(state: RunState, step: Step) -> list[str]:
    """What stands beside the readings or the adjusting: the gas in use with its manifold, and the instrument's own keys."""
    if not state.gases or step.kind not in ("readings", "adjust", "judge", "confirm", "condition"):
        return []
    if step.kind == "confirm" and step.phase in ("prepare", "make safe"):  # nothing flows yet
        return []
    return ["gas", "keys"] if step.kind == "adjust" else ["gas"]


def _readings_step(state: RunState, method: Method, step: Step, evidence: list[SetData]) -> ReadingsStep:
    i = state.setup.instrument
    plan = method.trial.plan(state.setup, step.key, raw_readings(state, method, step.key)).slots
    slot = current_slot(state, method, step.key)
    rows = next((s["rows"] for s in evidence if s["key"] == step.key), [])
    asked = method.trial.asks(state.setup, slot or plan[-1])
    indicated = next(q for q in asked if q.name == "indicated")
    return {
        "total": len(plan),
        "taken": len(state.active_readings(step.key)),
        "rows": rows,
        "output_unit": indicated.unit,
        "unit": i.unit,
        "believable": f"{indicated.low:.4g} to {indicated.high:.4g} {indicated.unit}",
        "next": _next_reading(state, method, slot, asked) if slot else None,
        "chromatogram": chromatogram_step(state, method, step.key),
        "read_live": _read_live(state, method, plan),
    }


def _read_live(state: RunState, method: Method, plan: Sequence[Slot]) -> list[LiveQuantity]:
    """What of the whole set can be read live, each once."""
    found: dict[tuple[str, str], LiveQuantity] = {}
    for slot in plan:
        for q in method.trial.asks(state.setup, slot):
            channel = method.watching.source_channel(q.name, slot.channel)
            found[q.name, channel] = {"name": q.name, "unit": q.unit, "channel": channel}
    return list(found.values())


def _watches(state: RunState, method: Method, step: Step) -> dict[str, str]:
    slot, asked = method.watching.watched(state.setup, step) or (None, ())
    if slot is None or not asked:
        return {"watches": "", "watches_channel": "", "watches_unit": ""}
    return {
        "watches": asked[0].name,
        "watches_channel": method.watching.source_channel(asked[0].name, slot.channel),
        "watches_unit": asked[0].unit,
    }


def _next_reading(state: RunState, method: Method, slot: Slot, asked: Sequence[Quantity]) -> NextReading:
    i = state.setup.instrument
    indicated = next(q for q in asked if q.name == "indicated")
    applied = next((q for q in asked if q.name == "applied"), None)
    told = method.trial.columns(state.setup)
    return {
        "slot": slot.index,
        "number": slot.index + 1,
        "direction": slot.direction,
        "cycle": slot.cycle,
        "percent": f"{slot.percent:.4g} %" if told.by_percent else "",
        "direction_word": slot.direction if told.has_direction else "",
        "nominal": "" if slot.is_open else number(slot.nominal, applied.decimals if applied else decimals_for(i.urv - i.lrv)),
        "ideal": "" if slot.is_open else number(indicated.expected, indicated.decimals),
        "how": slot.how,
        "ready_at": iso(ready_at(state, slot)) or "",
        "channel": slot.channel,
        "quantities": [
            {
                "name": q.name,
                "label": q.label,
                "unit": q.unit,
                "source_channel": method.watching.source_channel(q.name, slot.channel),
                "expected": number(q.expected, q.decimals),
                "hint": q.hint,
                "required": q.required,
                "is_live_only": q.is_live_only,
                "counts_up": q.begins_anew,
                "believable": f"{q.low:g} to {q.high:g} {q.unit}",
            }
            for q in asked
        ],
    }


def _judge_step(state: RunState, method: Method, step: Step) -> JudgeStep:
    result = evaluate_together(state, method, step.set_name)
    proposal = method.advice.propose(state.setup, result, is_as_left=step.phase == "as left")
    return {"proposal": proposal.choice, "reason": proposal.reason, "verdict": result.verdict, "share": f"{100 * result.share:.0f} %"}


def _adjust_step(state: RunState, method: Method, step: Step) -> AdjustStep:
    progress = method.adjusting.progress(state.setup, passes_of(state, step.key), step.variant)
    targets = method.adjusting.targets(state.setup, step.variant)
    target = next((t for t in targets if t.screw == progress.next_screw), None)
    decimals = decimals_for((target or targets[0]).span)
    return {
        "screw": progress.next_screw,
        "label": target.words if target else "",
        "act": method.adjusting.act,
        "keys": [*target.keys, *([SHUT] if target.keys and state.gases else [])] if target else [],
        "can_refuse": method.adjusting.act == "accept",
        "refusals": list(REFUSALS) if method.adjusting.act == "accept" else [],
        "variant": step.variant,
        "pass_number": progress.pass_number,
        "is_converged": progress.is_converged,
        "is_stuck": progress.is_stuck,
        "says": progress.says,
        "output_unit": (target or targets[0]).unit,
        "max_passes": state.setup.policy.max_passes,
        "target": {
            "apply": target.apply,
            "ideal": number(target.ideal, decimals),
            "aim": f"±{number(target.aim, decimals)} {target.unit}",
        }
        if target
        else None,
        "passes": _passes(state, method, step.key, step.variant),
        "aim_percent": max((100 * t.aim / t.span for t in targets), default=0.0),
    }


Show = Callable[[RunState, Method, Step, list[SetData]], Any]
# What a kind of step shows beyond its fields and checks; kinds that are not here need nothing more.
_SHOWN: dict[str, Show] = {
    "compute": lambda state, _method, step, _evidence: compute_step(state, step),
    "compare": lambda state, _method, step, _evidence: compare_step(state, step),
    "readings": _readings_step,
    "judge": lambda state, method, step, _evidence: _judge_step(state, method, step),
    "adjust": lambda state, method, step, _evidence: _adjust_step(state, method, step),
    "count": lambda state, _method, step, _evidence: count_step(state, step),
    "clock": lambda state, _method, step, _evidence: clock_step(state, step),
}


def _passes(state: RunState, method: Method, step_key: str, variant: str) -> list[PassData]:
    """Each look at what is set, with what it read in the unit that is looked at."""
    made = passes_of(state, step_key)
    errors = method.adjusting.progress(state.setup, made, variant).errors
    units = {t.screw: t.unit for t in method.adjusting.targets(state.setup, variant)}
    worst = max((abs(v) for _, b, a in errors for v in (b, a) if v is not None), default=0.0)
    in_pairs = method.adjusting.in_pairs
    return [
        {
            "pass_number": n // 2 + 1 if in_pairs else sum(s == screw for s, _, _ in errors[: n + 1]),
            "screw": screw,
            "before": before,
            "after": after,
            "scale": worst,
            "before_read": made[n][1],
            "after_read": made[n][2],
            "unit": units.get(screw, ""),
            "before_text": percent(before),
            "after_text": percent(after) if after is not None else "left alone",
        }
        for n, (screw, before, after) in enumerate(errors)
    ]


def _adjustments(state: RunState, method: Method, progress: Progress) -> list[AdjustmentData]:
    out: list[AdjustmentData] = []
    for p in progress.steps:
        if passes_of(state, p.step.key):
            done = state.confirmations.get(p.step.key)
            out.append(
                {
                    "step": p.step.key,
                    "title": p.step.title,
                    "reason": str(done.values.get("reason", "")) if done else "",
                    "passes": _passes(state, method, p.step.key, p.step.variant),
                }
            )
    return out


def _works(state: RunState) -> list[WorkData]:
    done = [c for c in state.confirmations.values() if c.values.get("work")]
    return [{"text": str(c.values["work"]), "by": c.by, "at": iso(c.at)} for c in done]


TOLD = ("temperature", "humidity")  # fields that the record tells in places of their own


def _noted(state: RunState, progress: Progress) -> list[NotedData]:
    """What was entered in every confirmed step, in their order; what is told with its set, or lets a hold go, is left to that."""
    out: list[NotedData] = []
    for step in (p.step for p in progress.steps if p.step.kind in ("confirm", "condition") and not p.step.is_told_with_set):
        done = state.confirmations.get(step.key)
        rows: list[Named] = []
        for f in step.fields if done else ():
            value = str(done.values.get(f.name) or "") if done else ""
            if value and f.name not in TOLD and not (f.name == "work" and len(step.fields) == 1):
                rows.append({"name": f.label, "value": f"{dict(f.options).get(value, value)} {f.unit}".strip()})
        if rows and done:
            out.append({"title": step.title, "rows": rows, "by": done.by, "at": iso(done.at)})
    return out


def _evidence(state: RunState, method: Method, progress: Progress) -> list[SetData]:
    """One entry a set with readings, in the order taken."""
    keep = final_readings_step(state, method)
    out = []
    for p in progress.steps:
        if p.step.kind == "readings" and any(r.step == p.step.key for r in state.readings):
            out.append(set_evidence(state, method, p.step, is_final=p.step.key == keep))
    return out
