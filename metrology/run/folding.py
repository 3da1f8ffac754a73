"""The events of a run folded, in order, into the state that they add up to."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from datetime import datetime, timedelta

from metrology.methods.registry import settings_of
from metrology.methods.setup import setup_from
from metrology.methods.steps import READ_ACT, SENT_ACT, UNHELD, UNHELD_NOTES, WHERE
from metrology.run import event_types as kept
from metrology.run.entries import (
    ENDED_OTHERWISE,
    Adjustment,
    Confirmation,
    DecisionMade,
    Hold,
    Note,
    PairMoved,
    ParameterSet,
    Reading,
    Reopened,
    Timer,
)
from metrology.run.events import Event
from metrology.run.state import RunState, source_key
from metrology.run.upcast import start_payload

A_DAY = timedelta(days=1)


def fold(events: Iterable[Event]) -> RunState:
    """Fold events into the state; the first must be run_started. Unknown types raise a KeyError."""
    iterator = iter(events)
    first = next(iterator)
    if first.type != "run_started":
        raise KeyError(f"the first event of a run is {first.type!r}, not run_started")
    payload = start_payload(first.payload)
    setup = setup_from(payload, settings_of(payload["method"]))
    state = RunState(setup, first.at, first.author, first.author_name, seq=first.seq)
    state.contributors.add(first.author)
    state.workers.add(first.author)
    for event in iterator:
        apply(state, event)
    return state


def apply(state: RunState, event: Event) -> None:
    """Bring one more event into the state."""
    _APPLY[event.type](state, event)
    state.seq = event.seq
    if event.device_at is not None and abs(off := event.device_at - event.at) > A_DAY:
        count, most = state.off_clock.get(event.author_name, (0, off))
        state.off_clock[event.author_name] = count + 1, max(off, most, key=abs)
    if event.type not in ("reviewed", "returned"):
        state.contributors.add(event.author)
        if event.type not in ("note_added", "countersigned"):
            state.workers.add(event.author)


def _step_confirmed(s: RunState, e: Event) -> None:
    p: kept.StepConfirmed = e.payload
    step = p["step"]
    s.confirmations[step] = Confirmation(step, p.get("values", {}), e.author_name, e.at)
    if p.get("enters"):
        s.setup = s.setup.with_entered(p["enters"])
    if p.get("vouches"):
        s.vouched_at = e.at
    if p.get("duty"):
        s.duties[p["duty"]["key"]] = {**p["duty"], "at": e.at, "by": e.author_name}
    if "computed" in p:
        s.computed[step] = p["computed"]


def _timer_started(s: RunState, e: Event) -> None:
    p: kept.TimerStarted = e.payload
    step = p["step"]
    s.timers[step] = Timer(step, e.at, float(p["minutes"]))


def _timer_ended(s: RunState, e: Event) -> None:
    p: kept.TimerEnded = e.payload
    step = p["step"]
    started = s.timers.get(step) or Timer(step, e.at, float(p.get("minutes", 0)))
    s.timers[step] = replace(started, ended_at=e.at, reason=p.get("reason", ""))
    if p.get("enters"):
        s.setup = s.setup.with_entered(p["enters"])


def _chromatogram_taken(s: RunState, e: Event) -> None:
    p: kept.ChromatogramTaken = e.payload
    s.chromatograms.append({**p, "at": e.at, "event": e.id})


def _counted(s: RunState, e: Event) -> None:
    p: kept.Counted = e.payload
    s.counts[p["step"]] = int(p["count"])
    if p.get("enters"):
        s.setup = s.setup.with_entered(p["enters"])


def _hold_placed(s: RunState, e: Event) -> None:
    p: kept.HoldPlaced = e.payload
    s.hold_steps.add(p["step"])
    if p.get("enters"):
        s.setup = s.setup.with_entered(p["enters"])
    if p["kind"] not in UNHELD:
        until = datetime.fromisoformat(p["until"])
        told = p.get("agreement", "")
        s.holds[e.id] = Hold(
            e.id,
            p["kind"],
            p["reason"],
            e.at,
            e.author_name,
            until,
            holder=e.author,
            holder_name=e.author_name,
            agreement=told,
            own=p.get("own", ""),
            step=p["step"],
            approval=p.get("approval", ""),
        )
    else:
        s.notes.append(Note(UNHELD[p["kind"]].note, p["reason"], e.author_name, e.at))


def _hold_released(s: RunState, e: Event) -> None:
    p: kept.HoldReleased = e.payload
    hold = s.holds[p["hold"]]
    early = p["reason"] if p.get("is_early") else ""
    if p.get("ended"):
        s.notes.append(Note(ENDED_OTHERWISE, p["ended"], e.author_name, e.at))
    s.holds[hold.id] = replace(hold, released_at=e.at, released_by=e.author_name, release_values=p.get("values", {}), early=early)
    if early:
        s.hold_steps.discard(hold.step)
        for step in p.get("undone", ()):
            _take_back(s, e, step)


def _hold_handed_over(s: RunState, e: Event) -> None:
    p: kept.HoldHandedOver = e.payload
    hold = s.holds[p["hold"]]
    told = replace(hold, note=p.get("note", ""))
    if p.get("is_offer"):
        s.holds[hold.id] = replace(told, offered_to=p["to"], offered_name=p["to_name"])
    else:
        s.holds[hold.id] = replace(told, holder=p["to"], holder_name=p["to_name"])


def _hold_accepted(s: RunState, e: Event) -> None:
    p: kept.HoldAccepted = e.payload
    hold = s.holds[p["hold"]]
    s.holds[hold.id] = replace(hold, holder=e.author, holder_name=e.author_name, offered_to="", offered_name="")


def _hold_extended(s: RunState, e: Event) -> None:
    p: kept.HoldExtended = e.payload
    hold = s.holds[p["hold"]]
    told = f"{e.author_name}, {e.at:%Y-%m-%d %H:%M} UTC: {p['reason']}"
    approval = p.get("approval") or hold.approval
    s.holds[hold.id] = replace(hold, until=datetime.fromisoformat(p["until"]), extended=(*hold.extended, told), approval=approval)


def _gas_assigned(s: RunState, e: Event) -> None:
    p: kept.GasAssigned = e.payload
    s.gases[p["role"]] = p
    s.gas_at[p["role"]] = e.at
    _stands(s, e)
    s.setup = s.setup.with_entered({f"{p['role']}.{k}": str(v) for k, v in p["enters"].items()})


def _pair_moved(s: RunState, e: Event) -> None:
    p: kept.PairMoved = e.payload
    s.pairs[p["pair"]] = PairMoved(p["pair"], p["label"], p["to"], e.author_name, e.at, p.get("terminal", ""))


def _reference_assigned(s: RunState, e: Event) -> None:
    p: kept.ReferenceAssigned = e.payload
    s.references[p["role"]] = p
    _stands(s, e)


def _standard_assigned(s: RunState, e: Event) -> None:
    p: kept.StandardAssigned = e.payload
    s.items[p["role"]] = p
    _stands(s, e)
    s.setup = s.setup.with_entered({f"{p['role']}.{k}": str(v) for k, v in p["enters"].items()})


def _stands(s: RunState, e: Event) -> None:
    s.assigned[e.id] = e.payload
    s.standing = {**s.standing, e.payload["role"]: e.id}  # another one: readings keep theirs


def _step_reopened(s: RunState, e: Event) -> None:
    p: kept.StepReopened = e.payload
    _take_back(s, e, p["step"])


def _take_back(s: RunState, e: Event, step: str) -> None:
    done = s.confirmations.pop(step, None)
    s.read_from_it.pop(step, None)
    values = done.values if done else {}
    if step in s.hold_steps:  # where none was placed; one that was is released instead
        s.hold_steps.discard(step)
        s.setup = s.setup.without((WHERE,))
        values = {n.kind: n.text for n in s.notes if n.kind in UNHELD_NOTES}
    s.reopened.append(Reopened(step, values, e.payload["reason"], e.author_name, e.at))


def _reading_taken(s: RunState, e: Event) -> None:
    p: kept.ReadingTaken = e.payload
    made = Reading(e, p.get("standards", s.standing), s.setup.entered)
    s.readings.append(made)
    s.counting.setdefault(p["step"], {}).setdefault(p["slot"], []).append(made)


def _source_chosen(s: RunState, e: Event) -> None:
    p: kept.SourceChosen = e.payload
    key = source_key(p["quantity"], p.get("channel", ""))
    if p["signal"]:
        s.sources[key] = p
    else:
        s.sources.pop(key, None)


def _parameters_captured(s: RunState, e: Event) -> None:
    p: kept.ParametersCaptured = e.payload
    s.parameters.append(ParameterSet(p["kind"], p["step"], p["values"], p["source"], e.author_name, e.at))


def _device_acted(s: RunState, e: Event) -> None:
    p: kept.DeviceActed = e.payload
    s.acts.append({**p, "by": e.author_name, "at": e.at.isoformat()})
    if p["act"] in (READ_ACT, SENT_ACT):
        told = {k: str(v) for k, v in (p.get("values") or {}).items()}
        s.read_from_it[p["step"]] = {**s.read_from_it.get(p["step"], {}), **told}
    if p.get("enters"):
        s.setup = s.setup.with_entered(p["enters"])


def _device_accepted(s: RunState, e: Event) -> None:
    p: kept.DeviceAccepted = e.payload
    s.accepted_devices.append({**p, "by": e.author_name, "at": e.at.isoformat()})


def _count_no_more(s: RunState, struck: Reading) -> None:
    held = s.counting[struck.step].get(struck.slot, [])
    for i in range(len(held) - 1, -1, -1):
        if held[i].event.id == struck.event.id:
            del held[i]
            break
    if not held:
        s.counting[struck.step].pop(struck.slot, None)


def _reading_struck(s: RunState, e: Event) -> None:
    p: kept.ReadingStruck = e.payload
    for i in range(len(s.readings) - 1, -1, -1):  # it is mostly one of the last
        struck = s.readings[i]
        if struck.event.id == p["reading"]:
            s.readings[i] = struck._replace(struck_reason=p["reason"], struck_by=e.author_name)
            _count_no_more(s, struck)
            break
    for step in p.get("undone", ()):  # what was seen beside the reading goes with it
        s.setup = s.setup.without(s.confirmations[step].values)
        _take_back(s, e, step)


def _adjustment_made(s: RunState, e: Event) -> None:
    p: kept.AdjustmentMade = e.payload
    told = p.get("outcome", ""), p.get("forced", {}), p.get("said", "")
    s.adjustments.append(Adjustment(p["step"], p["screw"], p["before"], p["after"], e.at, e.author_name, *told))


def _decision_made(s: RunState, e: Event) -> None:
    p: kept.DecisionMade = e.payload
    s.decisions[p["step"]] = DecisionMade(
        p["step"],
        p["choice"],
        p["proposed"],
        p.get("reason", ""),
        e.author_name,
        e.at,
        p.get("proposed_because", ""),
        p.get("stand_in", {}),
    )


def _note_added(s: RunState, e: Event) -> None:
    p: kept.NoteAdded = e.payload
    s.notes.append(Note("note", p["text"], e.author_name, e.at))


def _signed(s: RunState, e: Event) -> None:
    p: kept.Signed = e.payload
    s.signed = Note("signed", p.get("note", ""), e.author_name, e.at)
    s.seal = p.get("seal")
    s.was_returned = False
    s.countersigned, s.signers = [], {e.author}


def _countersigned(s: RunState, e: Event) -> None:
    p: kept.Countersigned = e.payload
    s.countersigned.append(Note(p["capacity"], p.get("note", ""), e.author_name, e.at))
    s.signers.add(e.author)


def _reviewed(s: RunState, e: Event) -> None:
    p: kept.Reviewed = e.payload
    s.reviewed = Note("accepted", p.get("note", ""), e.author_name, e.at)


def _returned(s: RunState, e: Event) -> None:
    p: kept.Returned = e.payload
    s.notes.append(Note("returned", p["reason"], e.author_name, e.at))
    s.signed = s.seal = None
    s.countersigned, s.signers = [], set()
    s.was_returned = True


def _voided(s: RunState, e: Event) -> None:
    p: kept.Voided = e.payload
    s.voided = Note("voided", p["reason"], e.author_name, e.at)
    s.seal = p.get("seal")


_APPLY = {
    "step_confirmed": _step_confirmed,
    "timer_started": _timer_started,
    "timer_ended": _timer_ended,
    "hold_placed": _hold_placed,
    "hold_released": _hold_released,
    "hold_handed_over": _hold_handed_over,
    "hold_accepted": _hold_accepted,
    "hold_extended": _hold_extended,
    "gas_assigned": _gas_assigned,
    "pair_moved": _pair_moved,
    "counted": _counted,
    "reference_assigned": _reference_assigned,
    "standard_assigned": _standard_assigned,
    "step_reopened": _step_reopened,
    "chromatogram_taken": _chromatogram_taken,
    "reading_taken": _reading_taken,
    "source_chosen": _source_chosen,
    "parameters_captured": _parameters_captured,
    "device_acted": _device_acted,
    "device_accepted": _device_accepted,
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
