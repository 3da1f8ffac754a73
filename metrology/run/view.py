"""Everything a screen needs of a run, as plain data: texts are ready to show, numbers are there for plotting only."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any, cast

from metrology import CORE_VERSION
from metrology.judgement.decision import FAIL
from metrology.judgement.policy import describe_policy
from metrology.methods.flow.common import NEW_PLATE, NEW_SERIAL
from metrology.methods.fragments import alarms_in
from metrology.methods.method import Method
from metrology.methods.proof_test import Proof
from metrology.methods.settings import setting_words
from metrology.methods.setup import InstrumentSetup, RunSetup
from metrology.methods.standards.base import REFERENCE
from metrology.methods.steps import PHASES
from metrology.quantities.transfer import KINDS
from metrology.quantities.words import iso, ratio
from metrology.run.chromatograms import chromatogram_rows
from metrology.run.current_step import beside, current_step, pass_rows
from metrology.run.entries import Hold
from metrology.run.evidence import set_evidence
from metrology.run.fields import CONFIRMED, SURE, told
from metrology.run.flags import flags_of
from metrology.run.gas_views import gas_rows
from metrology.run.progress import (
    Progress,
    choices,
    evaluate_together,
    final_readings_step,
    find_blocks,
    found_step,
    make_progress,
    passes_of,
)
from metrology.run.remarks import remarks
from metrology.run.results import proofs_in
from metrology.run.set_types import Named, SetData
from metrology.run.standing import earlier_rows, item_rows, reopenable, reopened_rows
from metrology.run.state import RunState
from metrology.run.step_views import computed_rows, details_words, parameter_sets
from metrology.run.view_types import (
    AdjustmentData,
    HoldData,
    InstrumentData,
    NotedData,
    ProofData,
    RailPhase,
    ReferenceData,
    RemarksData,
    ResultData,
    RunView,
    SealData,
    WorkData,
)

# What goes on after a run has ended: the rest of a view is sealed with the signature.
LIVE_KEYS = ("seq", "status", "closed", "step", "beside", "holds", *RemarksData.__annotations__, "blocks", "seal")

# What the hour alone can change; of the rest, the same events make the same view.
HOURLY_KEYS = ("seq", "status", "closed", "step", "beside", "holds", "timers", "blocks")

# Lists that a view has today and one sealed by an earlier core may not: there was nothing of that kind then.
EMPTY_LISTS: dict[str, list[Any]] = {
    name: [] for name, kind in RunView.__annotations__.items() if str(kind).startswith(("list[", "ForwardRef('list["))
}


def make_view(state: RunState, method: Method, now: datetime) -> RunView:
    """The view of a run at `now`; of one that was sealed, what was judged then."""
    if state.seal is not None:
        sealed = cast(RunView, {**EMPTY_LISTS, **state.seal["view"], **_live_part(state, now)})
        return {**sealed, "results": sealed["results"] or _last_results(sealed["evidence"])}
    progress = make_progress(state, method)
    evidence = _evidence(state, method, progress)
    return {
        "seq": state.seq,
        "status": state.status,
        "closed": round(progress.closed, 3),
        "method": {"key": method.key, "title": method.title, "revision": state.setup.revision, "document": method.traits.document},
        "instrument": instrument_data(state, method),
        "points": _points_words(state),
        "started": {"at": iso(state.started_at), "by": state.started_by, "name": state.started_by_name},
        "rail": _rail(progress),
        "step": current_step(state, method, progress),
        "beside": beside(state, method, progress),
        "evidence": evidence,
        "results": _results(state, method, evidence),
        "proofs": [proof_data(p) for p in proofs_in(state)],
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
        **remarks(state),
        "policies": policy_words(state.setup, method),
        "flags": flags_of(state, method),
        "pairs": [{"label": m.label, "to": m.to, "by": m.by, "at": m.at.isoformat(), "terminal": m.terminal} for m in state.pairs.values()],
        "gases": gas_rows(state, evidence),
        "chromatograms": chromatogram_rows(state),
        "items": item_rows(state),
        "earlier": earlier_rows(state, method),
        "reopened": reopened_rows(state, progress),
        "can_reopen": reopenable(state, progress),
        "blocks": list(find_blocks(state, method, now)),
        "seal": _seal_words(state, method),
    }


def _results(state: RunState, method: Method, evidence: Sequence[SetData]) -> list[ResultData]:
    """As found and as left, each the worst of all sets that are judged together; of a phase without readings nothing."""
    phases = {s["phase"] for s in evidence}
    counts = (("as found", found_step), ("as left", final_readings_step))
    proofs = proofs_in(state)
    if any(p.left and p.left != p.found for p in proofs):
        phases.add("as left")  # nothing was adjusted, and yet it trips elsewhere as it is left
    out: list[ResultData] = []
    for phase, which in counts:
        if phase not in phases:
            continue
        result = evaluate_together(state, method, which(state, method))
        late = [p.point.code for p in proofs if (trip := p.found if phase == "as found" else p.left) and trip.verdict == FAIL]
        if late:
            out.append({"phase": phase, "verdict": FAIL, "share": f"the trip of {' and '.join(late)} is not as required"})
        elif result.is_judged:
            not_met = result.verdict == FAIL and result.share <= 1  # a criterion that is met or not, and uses no share of anything
            share = "not met" if not_met else f"{100 * result.share:.0f} % of tolerance"
            out.append({"phase": phase, "verdict": result.verdict, "share": share})
    return out


def proof_data(p: Proof) -> ProofData:
    """The proof test of a function, in words."""
    unit = p.point.unit
    return {
        "code": p.point.code,
        "name": p.point.name,
        "level": f"SIL {p.point.level}",
        "path": p.path,
        "required": p.point.required,
        "found": f"{p.found.at:g} {unit}" if p.found.at is not None else "no trip",
        "found_verdict": p.found.verdict,
        "found_says": p.found.says,
        "left": "" if p.left is None else f"{p.left.at:g} {unit}" if p.left.at is not None else "no trip",
        "left_verdict": p.left.verdict if p.left else "",
        "left_says": (f"{p.left.says}; {p.why}" if p.why else p.left.says) if p.left else "",
        "bypass": f"{p.bypass_min:g} min" if p.bypass_min is not None else "as long as its hold",
    }


def _last_results(evidence: Sequence[SetData]) -> list[ResultData]:
    """Those of a record that was sealed before sets were told together: of each phase what its last set said."""
    last = {s["phase"]: s for s in evidence if s["phase"] in ("as found", "as left")}
    return [{"phase": phase, "verdict": s["verdict"], "share": s["share"]} for phase, s in last.items()]


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
        **remarks(state),
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


def _in_degrees(i: InstrumentSetup, told: str) -> str:
    """Beside a tolerance told as a share of span what it is in degrees, where the input is a temperature."""
    terms = i.tolerance.terms
    is_share = len(terms) == 1 and terms[0].basis == "span" and told == i.tolerance_text
    if not is_share or not i.is_in_degrees:
        return ""
    return f" (±{terms[0].value * abs(i.urv - i.lrv) / 100:.4g} {i.unit})"


def instrument_data(state: RunState, method: Method) -> InstrumentData:
    """The instrument of the run, as frozen at its start."""
    i = state.setup.instrument
    output, tolerance = method.words(state.setup)
    return {
        "subject": i.subject,
        "tag": i.tag,
        "serial": i.serial,
        "service": i.service,
        "area": i.area,
        "feeds": i.feeds,
        "protects": protects_words(i),
        "range": f"{i.lrv:g} to {i.urv:g} {i.unit}",
        "output": output,
        "transfer": KINDS[i.transfer.kind],
        "tolerance": f"{tolerance}{_in_degrees(i, tolerance)}",
        "unit": i.unit,
        "output_unit": i.output_unit,
        "details": details_words(i),
        "plate": [
            {"name": name, "value": value}
            for name, value in (
                ("Manufacturer", i.maker),
                ("Model", i.model),
                ("Revision", i.device_revision),
                ("Exchanged for", _new_plate(state)),
            )
            if value
        ],
    }


def _new_plate(state: RunState) -> str:
    """What was put in its place in this run, as its plate says; empty where it was not exchanged."""
    told = dict(state.setup.entered)
    made = [str(told[name]) for name in NEW_PLATE if told.get(name)]
    return ", ".join([*made, f"serial {told[NEW_SERIAL]}"]) if told.get(NEW_SERIAL) else ""


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
        "release_values": told(hold.release_values),
        "holder": hold.holder,
        "holder_name": hold.holder_name or hold.placed_by,
        "agreement": hold.agreement,
        "extended": list(hold.extended),
    }


def _points_words(state: RunState) -> str:
    s = state.setup
    return " ".join(f"{p:g}" for p in s.points_percent) + f" %, cycles: {s.cycles}" if s.points_percent else ""


def _surroundings(state: RunState) -> list[Named]:
    values = state.confirmations["environment"].values if "environment" in state.confirmations else {}
    units = {"temperature": ("Air temperature", "°C"), "humidity": ("Relative humidity", "%")}
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
                    "passes": pass_rows(state, method, p.step.key, p.step.variant),
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
                sure = SURE if done and f.name in str(done.values.get(CONFIRMED, "")).split(",") else ""
                rows.append({"name": f.label, "value": f"{dict(f.options).get(value, value)} {f.unit}".strip() + sure})
        if rows and done:
            out.append({"title": step.title, "rows": rows, "by": done.by, "at": iso(done.at)})
    return out


def _evidence(state: RunState, method: Method, progress: Progress) -> list[SetData]:
    """One entry a set with readings, in the order taken."""
    keep = final_readings_step(state, method)
    out: list[SetData] = []
    new = ""  # the serial of the one that was put in before a set was taken
    for p in progress.steps:
        done = state.confirmations.get(p.step.key)
        new = str(done.values.get(NEW_SERIAL, "")) if done and p.step.variant == "exchange" else new
        if p.step.kind == "readings" and any(r.step == p.step.key for r in state.readings):
            found = set_evidence(state, method, p.step, is_final=p.step.key == keep)
            out.append({**found, "title": f"{found['title']}, serial {new}"} if new else found)
    return out
