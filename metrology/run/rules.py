"""What is allowed now: each event that someone wants to add is admitted, completed, or refused with a sentence."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import asdict
from datetime import datetime
from typing import Any

from metrology.faults import Fault, Faults
from metrology.methods.method import Method
from metrology.methods.parameters import FOLLOWS, TRIMMED, TRIMS
from metrology.methods.slots import RawReading
from metrology.methods.steps import CHOSEN, PURGED, READ_ACT, SENT_ACT, Step
from metrology.quantities.words import minutes as minutes_text
from metrology.run.assigning import admit_reference, admit_standard, require_plan
from metrology.run.chromatograms import admit_chromatogram
from metrology.run.computing import admit_computed
from metrology.run.countersigning import admit_countersignature
from metrology.run.counting import admit_clock_end, admit_count
from metrology.run.entries import OWN_KEYS
from metrology.run.fields import check_fields, entered, text_of
from metrology.run.gases import admit_gas
from metrology.run.holds import (
    admit_acceptance,
    admit_extension,
    admit_handover,
    admit_hold,
    admit_release,
    lost_words,
    release_without_hold,
)
from metrology.run.pairs import admit_pair, admit_pairs_done, pairs_out_words, require_readable
from metrology.run.parameters import admit_compared, admit_parameters, held_act, require_hold
from metrology.run.progress import (
    CURRENT,
    DONE,
    LEFT_OUT,
    Progress,
    current_slot,
    evaluate_together,
    find_blocks,
    make_progress,
    passes_of,
    ready_at,
)
from metrology.run.proposing import proposal_at, reason_asked
from metrology.run.raw import raw_readings, references_of
from metrology.run.readings import admit_adjustment, admit_reading
from metrology.run.readouts import admit_read
from metrology.run.reopening import may_reopen
from metrology.run.same_device import admit_device
from metrology.run.seal import make_seal
from metrology.run.sourcing import admit_source
from metrology.run.standing_in import stand_in_for
from metrology.run.state import RunState

Payload = dict[str, Any]
OUTLIVES = ("hold_released", "hold_handed_over", "hold_accepted", "hold_extended")  # a hold outlives its run when that is voided


class Admission:
    """What a rule may look at: the state, the method, where the run stands, and the time."""

    def __init__(self, state: RunState, method: Method, now: datetime) -> None:
        self.state = state
        self.method = method
        self.now = now
        self.progress: Progress = make_progress(state, method)

    def require_current(self, payload: Mapping[str, Any], kind: str) -> Step:
        """The step named in the payload, which must be the current one and of this kind."""
        key = str(payload.get("step", ""))
        found = self.progress.find(key)
        if found is None:
            raise Fault("unknown_step", f"This run has no step '{key}'. Nothing was stored; reload the page.", field="step")
        if found.step.kind != kind:
            raise Fault("wrong_kind", f"'{found.step.title}' is not done this way. Nothing was stored; reload the page.", field="step")
        if found.status == CURRENT:
            self._require_own_hold(found.step)
            return found.step
        current = self.progress.current
        lost = lost_words(self.state)
        if lost:
            raise Fault("hold_off", f"{lost} Nothing was stored.", field="hold", current=current.key if current else "")
        if found.step.phase == "as left" and kind == "readings" and current and current.phase in ("prepare", "make safe", "as found"):
            raise Fault(
                "as_found_first",
                "As left can't come before as found: the as-found points are the only evidence of how the plant ran. "
                f"The run is at '{current.title}'. Nothing was stored.",
                field="step",
            )
        why = found.step.left_out if found.status == LEFT_OUT else ""
        at = f"the run is at '{current.title}'" if current else "the run has ended"
        raise Fault(
            "not_current",
            f"'{found.step.title}' is not the current step; {at}. {why} Nothing was stored.".replace("  ", " "),
            field="step",
            current=current.key if current else "",
        )

    def _require_own_hold(self, step: Step) -> None:
        """A step that is only safe under its own hold, such as a lock-out, is refused once that is off."""
        if not step.needs_hold or any(h.released_at is None for h in self.state.holds_of(step.needs_hold)):
            return
        raise Fault(
            "own_hold_off",
            f"'{step.title}' is only done while its lock-out is on, and that was taken off. Nothing was stored. Open its step again and lock out anew.",
            field="hold",
        )


def admit(state: RunState, method: Method, event_type: str, *, payload: Mapping[str, Any], now: datetime) -> Payload:
    """The completed payload of an event that is allowed now; raises a Fault otherwise."""
    rule = _RULES.get(event_type)
    if rule is None:
        raise Fault("unknown_event", f"'{event_type}' is not something that can happen in a run.", field="type")
    if state.voided and event_type not in OUTLIVES and not _gives_back(state, event_type, payload):
        raise Fault("voided", "This run was voided; nothing can be added to it. Start a new run.")
    if state.status == "accepted":
        raise Fault("accepted", "This record has been accepted; nothing can be added to it.")
    if state.signed and event_type not in ("countersigned", "reviewed", "returned", "note_added"):
        raise Fault("signed", f"This run was signed by {state.signed.by}; nothing can be added to it.")
    return rule(Admission(state, method, now), payload)


def _confirm(a: Admission, payload: Mapping[str, Any]) -> Payload:
    found = a.progress.find(str(payload.get("step", "")))
    kind = found.step.kind if found and found.step.kind in _CONFIRMED else "confirm"
    return _CONFIRMED[kind](a, a.require_current(payload, kind), payload)


def _checked(a: Admission, step: Step, payload: Mapping[str, Any]) -> Payload:
    """A plain confirmation: fields filled, lines ticked, standards chosen, time run."""
    _require_time(a, step, field="step")
    faults: list[Fault] = []
    values = check_fields(step.fields, payload.get("values") or {}, faults)
    ticked = payload.get("checks") or []
    missing = [c for c in step.checks if c.key not in ticked]
    faults += [Fault("unchecked", f"Not ticked: {c.label}.", field=c.key) for c in missing]
    for field in step.fields:
        if field.kind in CHOSEN and field.required and field.name not in a.state.standing:
            faults.append(Fault("missing", f"Choose the {field.label.lower()} first.", field=field.name))
    if faults:
        raise Faults(faults)
    made = {**dict(step.given), **_taken(a, step), **entered(values)}
    if step.enters:
        require_plan(
            a.state,
            a.method,
            made,
            field=next((f.name for f in step.fields if f.kind == "number"), "step"),
        )
    return {
        "step": step.key,
        "values": values,
        "checks": [c.key for c in step.checks],
        **({"enters": made} if step.enters else {}),
        **({"duty": asdict(step.duty)} if step.duty else {}),
        **({"vouches": True} if step.vouches else {}),
    }


def _taken(a: Admission, step: Step) -> dict[str, str]:
    """What the trial makes of the step's set, of what the step takes."""
    if not step.takes:
        return {}
    offered = a.method.trial.suggest(a.state.setup, raw_readings(a.state, a.method, step.set_name), step)
    return {name: offered[name] for name in step.takes if name in offered}


def _condition(a: Admission, step: Step, payload: Mapping[str, Any]) -> Payload:
    """A measured value must lie inside its limits; a captured one keeps its statistics."""
    faults: list[Fault] = []
    values = check_fields(step.fields, payload.get("values") or {}, faults)
    if faults:
        raise Faults(faults)
    captured = payload.get("captured")
    return {
        "step": step.key,
        "values": values,
        "checks": [],
        **({"enters": {**entered(values), **_purged(step, captured)}} if step.enters else {}),
        **({"captured": captured} if captured else {}),
    }


def _purged(step: Step, captured: Mapping[str, Any] | None) -> dict[str, str]:
    """For how long it was seen below the limit already, where the trace told."""
    seconds = (captured or {}).get(PURGED)
    return {f"{PURGED}:{step.key}": f"{seconds:.0f}"} if seconds is not None else {}


def _finish_adjust(a: Admission, step: Step, payload: Mapping[str, Any]) -> Payload:
    progress = a.method.adjusting.progress(a.state.setup, passes_of(a.state, step.key), step.variant)
    if not progress.errors:
        raise Fault("nothing_adjusted", "Nothing has been adjusted yet. Record at least one look at zero and span.", field="step")
    reason = text_of(
        payload, "reason", label="The reason for stopping before both ends are inside the aim", required=not progress.is_converged
    )
    return {"step": step.key, "values": {"reason": reason, "converged": progress.is_converged}}


def _timer_started(a: Admission, payload: Mapping[str, Any]) -> Payload:
    found = a.progress.find(str(payload.get("step", "")))
    step = a.require_current(payload, "clock" if found and found.step.kind == "clock" else "timer")
    if step.kind == "clock" and step.key in a.state.timers:
        raise Fault("already_started", "This clock runs already.", field="step")
    return {"step": step.key, "minutes": step.minutes}


def _timer_ended(a: Admission, payload: Mapping[str, Any]) -> Payload:
    key = str(payload.get("step", ""))
    found = a.progress.find(key)
    if found is not None and found.step.kind == "clock":
        return admit_clock_end(a.state, a.require_current(payload, "clock"), now=a.now)
    if found is None or found.step.kind != "timer":
        raise Fault("unknown_step", f"This run has no timer '{key}'.", field="step")
    timer = a.state.timers.get(key)
    if timer and timer.ended_at:
        raise Fault("already_ended", "This timer has ended already.", field="step")
    is_early = timer is None or a.now < timer.due_at
    return {
        "step": key,
        "minutes": found.step.minutes,
        "reason": text_of(payload, "reason", label="The reason for cutting the time short", required=is_early),
    }


def _reference_assigned(a: Admission, payload: Mapping[str, Any]) -> Payload:
    """Chosen at the step that asks for it; later that step is opened again, with a reason."""
    role = str(payload.get("role", ""))
    where = next((p for p in a.progress.steps if any(f.kind == "reference" and f.name == role for f in p.step.fields)), None)
    if where is None:
        raise Fault("unknown_role", f"'{role}' is not a role a reference has in this method.", field="role")
    step = a.require_current({"step": where.step.key}, "confirm")
    return admit_reference(a.state, a.method, step, payload, today=a.now.date())


def _step_reopened(a: Admission, payload: Mapping[str, Any]) -> Payload:
    """A step taken back with a reason: what is chosen or entered anew counts from then on, what was judged stays as it was judged."""
    found = a.progress.find(str(payload.get("step", "")))
    why = may_reopen(a.state, a.progress, found.step) if found else "This run has no such step."
    if found is None or why:
        raise Fault("cannot_reopen", f"{why} Nothing was stored.", field="step")
    return {"step": found.step.key, "reason": text_of(payload, "reason", label="Why it is opened again")}


def _parameters_captured(a: Admission, payload: Mapping[str, Any]) -> Payload:
    step = a.require_current(payload, "compare")
    return admit_parameters(a.state, step, payload)


def _gives_back(state: RunState, event_type: str, payload: Mapping[str, Any]) -> bool:
    """Whether it ends a loop test, which is done wherever the run stands, and of one that was voided too."""
    return event_type == "device_acted" and payload.get("act") == FOLLOWS and held_act(state) is not None


def _device_acted(a: Admission, payload: Mapping[str, Any]) -> Payload:
    """Something was done to the instrument itself: it needs the hold. Reading it does not."""
    current = a.progress.current
    if payload.get("act") == READ_ACT:
        return admit_read(a.state, current, payload)
    require_hold(a.state, "The loop current can move")
    if payload.get("act") == SENT_ACT:
        return admit_read(a.state, current, payload)
    if not _gives_back(a.state, "device_acted", payload) and (current is None or current.key != payload.get("step")):
        raise Fault("not_current", "That is not the current step; nothing was sent.", field="step")
    kept = {k: payload[k] for k in ("step", "act", "words", "values") if k in payload}
    return {**kept, "enters": {TRIMMED: str(payload["act"])}} if payload.get("act") in TRIMS else kept


def _require_hold_on(a: Admission) -> None:
    if a.state.holds and not a.state.open_holds and not any(h.early for h in a.state.holds.values()):
        raise Fault("hold_off", "The hold is off, so nothing may be applied to this instrument any more. Nothing was stored.", field="hold")


def _require_time(a: Admission, step: Step, *, field: str) -> None:
    """A step that waits for a timer is not done before it has run, or was ended with a reason."""
    timer = a.state.timers.get(step.needs_timer) if step.needs_timer else None
    if timer is None or timer.is_over(a.now):
        return
    left = minutes_text((timer.due_at - a.now).total_seconds())
    found = a.progress.find(step.needs_timer)
    name = f"'{found.step.title}'" if found and step.needs_timer != "warm_up" else "The warm-up"
    told = (
        f"{name} has {left} to go. Wait, or end it with a reason; {'your number is kept' if field == 'indicated' else 'nothing is lost'}."
    )
    raise Fault("warming_up", told, field=field, left=left, timer=step.needs_timer)


def _chromatogram_taken(a: Admission, payload: Mapping[str, Any]) -> Payload:
    step = a.require_current(payload, "readings")
    _require_hold_on(a)
    _require_time(a, step, field="file")
    _require_wait(a, step, field="file")
    return admit_chromatogram(a.state, a.method, step, payload)


def _require_wait(a: Admission, step: Step, *, field: str) -> None:
    """What must pass between one injection and the next has passed since the reading before it."""
    ready = ready_at(a.state, current_slot(a.state, a.method, step.key))
    if ready is not None and a.now < ready:
        left = minutes_text((ready - a.now).total_seconds())
        told = f"{left} to go until the next injection: something of the last one would still be there. Your number is kept; nothing was stored."
        raise Fault("too_soon", told, field=field, left=left)


def _reading_taken(a: Admission, payload: Mapping[str, Any]) -> Payload:
    step = a.require_current(payload, "readings")
    _require_hold_on(a)
    _require_time(a, step, field="indicated")
    _require_wait(a, step, field="indicated")
    require_readable(a.state, (p.step for p in a.progress.steps))
    full = admit_reading(a.state, a.method, step, payload, now=a.now)
    _require_judgeable(a, step, full)
    return full


def _require_judgeable(a: Admission, step: Step, payload: Mapping[str, Any]) -> None:
    """A reading that can't be judged must not be stored, since nothing after it could be shown; raises the method's Fault."""
    slot = current_slot(a.state, a.method, step.key)
    if slot is None:
        return
    extra = {k: v for k, v in payload.items() if k not in OWN_KEYS}
    raw = RawReading(
        slot,
        payload["applied"],
        payload["indicated"],
        extra,
        a.now.date(),
        references_of(a.state, payload["standards"]),
        a.state.setup.entered,
    )
    a.method.trial.judge(a.state.setup, [raw], step.key)


def _reading_struck(a: Admission, payload: Mapping[str, Any]) -> Payload:
    reading = next((r for r in a.state.readings if r.id == payload.get("reading")), None)
    if reading is None:
        raise Fault("unknown_reading", "There is no such reading in this run.", field="reading")
    if reading.is_struck:
        raise Fault("already_struck", f"This reading was struck by {reading.struck_by} already.", field="reading")
    judge = next((p for p in a.progress.steps if p.step.kind == "judge" and reading.step in (p.step.set_name, *p.step.joins)), None)
    if judge and judge.step.key in a.state.decisions:
        raise Fault(
            "already_judged",
            "This set has been judged; a reading can't be struck any more. "
            "Note what is wrong with it, or take the points again where the decision allows.",
            field="reading",
        )
    resting = [p.step.key for p in a.progress.steps if p.step.kind == "confirm" and p.step.set_name == reading.step and p.status == DONE]
    told = {"reading": reading.id, "reason": text_of(payload, "reason", label="The reason for striking the reading")}
    return {**told, **({"undone": resting} if resting else {})}


def _adjustment_made(a: Admission, payload: Mapping[str, Any]) -> Payload:
    step = a.require_current(payload, "adjust")
    _require_hold_on(a)
    return admit_adjustment(a.state, a.method, step, payload)


def _decision_made(a: Admission, payload: Mapping[str, Any]) -> Payload:
    step = a.require_current(payload, "judge")
    choice = payload.get("choice")
    if choice not in dict(step.options):
        raise Fault("unknown_choice", f"Choose one of: {', '.join(dict(step.options).values())}.", field="choice")
    result = evaluate_together(a.state, a.method, step.set_name)
    proposal = proposal_at(a.state, a.method, step, result)
    other = dict(step.choice_sets).get(str(choice))
    about = evaluate_together(a.state, a.method, other) if other else result
    refusal = a.method.advice.refuse(a.state.setup, about, str(choice))
    if refusal:
        raise Fault("refused_choice", refusal, field="choice")
    asked = reason_asked(str(choice), proposal.choice)
    reason = text_of(payload, "reason", required=bool(asked), label=f"'{asked}'" if asked else "The reason")
    stand_in = stand_in_for(a.method, result.verdict, str(choice), payload, now=a.now)
    return {
        **stand_in,
        "step": step.key,
        "choice": choice,
        "proposed": proposal.choice,
        "proposed_because": proposal.reason,
        "verdict": result.verdict,
        "reason": reason,
    }


def _note_added(a: Admission, payload: Mapping[str, Any]) -> Payload:
    return {"text": text_of(payload, "text", label="The note")}


def _signed(a: Admission, payload: Mapping[str, Any]) -> Payload:
    blocks = find_blocks(a.state, a.method, a.now)
    if blocks:
        raise Fault("still_open", f"It can't be signed yet. {' '.join(blocks)}", blocks=list(blocks))
    note = text_of(payload, "note", label="The note", required=False)
    return {"step": "sign", "note": note, "seal": _seal(a, payload)}


def _seal(a: Admission, payload: Mapping[str, Any]) -> Payload:
    """What was judged, kept with the event that ends the run; the server adds how the plant is called and its zone."""
    seal = make_seal(a.state, a.method, a.now)
    return {**seal, "plant": dict(payload["plant"])} if payload.get("plant") else seal


def _require_signed(a: Admission) -> None:
    if not a.state.signed:
        raise Fault("not_signed", "Only a signed run can be countersigned or reviewed.")


def _countersigned(a: Admission, payload: Mapping[str, Any]) -> Payload:
    _require_signed(a)
    return admit_countersignature(payload)


def _reviewed(a: Admission, payload: Mapping[str, Any]) -> Payload:
    _require_signed(a)
    return {"note": text_of(payload, "note", label="The note", required=False)}


def _returned(a: Admission, payload: Mapping[str, Any]) -> Payload:
    _require_signed(a)
    return {"reason": text_of(payload, "reason", label="The reason for returning it")}


def _voided(a: Admission, payload: Mapping[str, Any]) -> Payload:
    if a.state.open_holds and not payload.get("keeps_hold"):
        raise Fault(
            "hold_open",
            f"The {a.state.open_holds[0].kind} is still on. Release it with the run, or leave it on: it then stays on the holds board "
            "until somebody releases it there.",
            field="hold",
        )
    if a.state.pairs_out:
        raise Fault("pairs_out", pairs_out_words(a.state), field="pairs")
    return {"reason": text_of(payload, "reason", label="The reason for voiding the run"), "seal": _seal(a, payload)}


Confirm = Callable[[Admission, Step, Mapping[str, Any]], Payload]
_CONFIRMED: dict[str, Confirm] = {
    "confirm": _checked,
    "condition": _condition,
    "adjust": _finish_adjust,
    "release": lambda a, step, p: release_without_hold(a.state, step, p, now=a.now),
    "compute": lambda a, step, p: admit_computed(a.state, step, p),
    "compare": lambda a, step, p: admit_compared(a.state, step, p),
    "checkpairs": lambda a, step, _: admit_pairs_done(a.state, step),
}
_RULES: dict[str, Callable[[Admission, Mapping[str, Any]], Payload]] = {
    "step_confirmed": _confirm,
    "timer_started": _timer_started,
    "timer_ended": _timer_ended,
    "hold_placed": lambda a, p: admit_hold(a.state, a.require_current(p, "hold"), p, now=a.now),
    "hold_released": lambda a, p: admit_release(a.state, a.progress, p, now=a.now),
    "hold_handed_over": lambda a, p: admit_handover(a.state, p),
    "hold_accepted": lambda a, p: admit_acceptance(a.state, p),
    "hold_extended": lambda a, p: admit_extension(a.state, p, now=a.now),
    "gas_assigned": lambda a, p: admit_gas(a.state, a.method, p, today=a.now.date()),
    "pair_moved": lambda a, p: admit_pair(a.state, a.require_current(p, "checkpairs"), p),
    "counted": lambda a, p: admit_count(a.state, a.require_current(p, "count"), p),
    "reference_assigned": _reference_assigned,
    "standard_assigned": lambda a, p: admit_standard(a.state, a.method, p, today=a.now.date()),
    "step_reopened": _step_reopened,
    "chromatogram_taken": _chromatogram_taken,
    "reading_taken": _reading_taken,
    "source_chosen": lambda a, p: admit_source(a.state, a.method, a.progress, p),
    "parameters_captured": _parameters_captured,
    "device_acted": _device_acted,
    "device_accepted": lambda a, p: admit_device(a.state, p),
    "reading_struck": _reading_struck,
    "adjustment_made": _adjustment_made,
    "decision_made": _decision_made,
    "note_added": _note_added,
    "signed": _signed,
    "countersigned": _countersigned,
    "reviewed": _reviewed,
    "returned": _returned,
    "voided": _voided,
}
