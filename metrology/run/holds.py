"""Holds: placed with an end, extended, handed over, and released only when nothing would act or be forgotten."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from types import MappingProxyType
from typing import Any

from metrology.faults import Fault, Faults
from metrology.methods.steps import ON_BENCH, UNHELD, WHERE, Step
from metrology.quantities.typed import parse_typed
from metrology.quantities.words import minutes as minutes_text
from metrology.run.entries import Hold
from metrology.run.fields import check_fields, text_of
from metrology.run.pairs import pairs_out_words
from metrology.run.parameters import held_output
from metrology.run.progress import DONE, Progress
from metrology.run.state import RunState

MAX_HOLD_MINUTES = 7 * 24 * 60
REMIND_MIN = 10.0


def _minutes(payload: Mapping[str, Any]) -> float:
    typed = parse_typed(str(payload.get("minutes", "")), name="How long the hold is planned", unit="min", field="minutes")
    if not 1 <= typed.value <= MAX_HOLD_MINUTES:
        raise Fault(
            "out_of_range",
            f"The hold is planned for {typed.text} min; accepted is 1 min to 7 days (10080 min). Its end must lie ahead.",
            field="minutes",
        )
    return typed.value


def _approved(state: RunState, payload: Mapping[str, Any], *, now: datetime, since: datetime, minutes: float) -> dict[str, str]:
    """Who approved a hold that lasts long, counted from when it was placed; nothing where it does not. Raises a Fault while nobody has."""
    hours, limit = ((now - since).total_seconds() / 60 + minutes) / 60, state.setup.policy.hold_hours
    if hours <= limit * (1 + 1e-9):
        return {}
    approval = text_of(payload, "approval", label="Who approved it", required=False)
    if len(approval) < 5:
        raise Fault(
            "needs_approval",
            f"It would be on hold for {hours:.0f} h in all; more than {limit:g} h takes an approval. Write who approved it (name and role), and "
            "what watches meanwhile. What you typed is kept.",
            field="approval",
            needs_approval=True,
        )
    return {"approval": approval}


def admit_hold(state: RunState, step: Step, payload: Mapping[str, Any], *, now: datetime) -> dict[str, Any]:
    """A hold placed with its kind, reason and planned end.

    payload["others"]: open holds of the same voting group or zone, as the server found them; two of them together take
    a recorded agreement.
    """
    kind = payload.get("kind")
    if kind not in dict(step.options):
        raise Fault("unknown_choice", f"Choose the kind of hold: {', '.join(dict(step.options))}.", field="kind")
    label = next((f.label for f in step.fields if f.name == "reason"), "The reason for the hold")
    unheld = UNHELD.get(str(kind))
    reason = text_of(payload, "reason", label=unheld.asks if unheld else label)
    if unheld:
        return {"step": step.key, "kind": kind, "reason": reason, **({"enters": {WHERE: ON_BENCH}} if kind == ON_BENCH else {})}
    minutes = _minutes(payload)
    approved = _approved(state, payload, now=now, since=now, minutes=minutes)
    others = payload.get("others") or []
    agreement = text_of(payload, "agreement", label="Who agreed, and why", required=False)
    if others and len(agreement) < 5:
        raise Fault("group_on_hold", conflict_words(state.setup.instrument.tag, others), field="agreement", needs_agreement=True)
    return {
        "step": step.key,
        "kind": kind,
        "reason": reason,
        "until": (now + timedelta(minutes=minutes)).isoformat(),
        **({"own": step.of} if step.of else {}),
        **approved,
        **({"agreement": agreement, "others": list(others)} if others else {}),
    }


def conflict_words(tag: str, others: Sequence[Mapping[str, Any]]) -> str:
    """Why this one can't go on hold beside those, and what would make it right."""
    told = "; ".join(f"{o['tag']} ({o['shares']}), on hold by {o['by']}" for o in others)
    return (
        f"{tag} would be on hold together with {told}: nobody would be warned. Wait until that one is back, "
        "or write who agreed to it (name and role) and what watches instead."
    )


def _find(state: RunState, payload: Mapping[str, Any]) -> Hold:
    hold = state.holds.get(str(payload.get("hold", "")))
    if hold is None:
        raise Fault("unknown_hold", "There is no such hold on this run.", field="hold")
    if hold.released_at:
        raise Fault("already_released", f"This hold was released by {hold.released_by} already.", field="hold")
    return hold


def admit_release(state: RunState, progress: Progress, payload: Mapping[str, Any], *, now: datetime) -> dict[str, Any]:
    """A hold released: normal reading seen, nothing in its test position, the countdown over.

    payload["who"]: user name of who releases and whether they lead, as the server knows it. payload["seen"]: what live sources show now of what
    is asked, by the name of the field; it counts instead of what was typed. payload["alarms_on"]: alarms that its status word tells. One that
    comes off while the run is at work is early: only its holder or a lead takes it off, and the run then begins anew with making safe.
    """
    hold = _find(state, payload)
    step = release_step([p.step for p in progress.steps], hold)
    is_early = progress.current != step and not state.voided
    if is_early:
        _require_free(state, progress, hold, payload.get("who") or {})
    _require_clear(state, step, now)
    _require_following(state, step, payload)
    reason = text_of(payload, "reason", label="Why the hold comes off early", required=is_early)
    seen = payload.get("seen") or {}
    values = _values(step, payload, seen)
    _require_reset(payload.get("alarms_on") or ())
    return {
        "step": step.key,
        "hold": hold.id,
        "values": values,
        "reason": reason,
        **({"ended": ended} if held_output(state) and (ended := str(payload.get("ended") or "").strip()) else {}),
        **({"seen": dict(seen)} if seen else {}),
        **({"is_early": True, "undone": [] if hold.own else _made_safe(progress)} if is_early else {}),
    }


def _require_free(state: RunState, progress: Progress, hold: Hold, who: Mapping[str, Any]) -> None:
    """Nobody's hands are on it: a run at work keeps its hold, unless who answers for it or a lead says otherwise."""
    if progress.current is None or not who or who["by"] == hold.holder or who["leads"]:
        return
    name = hold.holder_name or hold.placed_by
    raise Fault(
        "at_work",
        f"{name} is at work on {state.setup.instrument.tag}: the run is at '{progress.current.title}'. Only {name} or a lead takes the hold off "
        f"now, with a reason. Call {name}, or have the hold handed over to you. The hold stays on.",
        field="hold",
    )


def _require_following(state: RunState, step: Step, payload: Mapping[str, Any]) -> None:
    """What was driven is given back: an output that a loop test holds would be taken for the process. Ended by other means, it takes a reason."""
    held = held_output(state)
    if held and not step.of and len(text_of(payload, "ended", label="How it was ended", required=False)) < 5:
        raise Fault(
            "output_held",
            f"The loop test still holds the output at {held}, so the plant would see that and not the process. End the loop test, then release. Where "
            "the device can't be reached from here, end it at the device and write how. The hold stays on.",
            field="hold",
            needs_ended=True,
        )


def _require_reset(alarms: Sequence[str]) -> None:
    """What the instrument itself still tells as an alarm would act in the moment the hold comes off."""
    if alarms:
        told = " and ".join(f"'{a}'" for a in alarms)
        raise Fault(
            "still_latched",
            f"Its status word still has {told} on: it would act the moment the hold is off. Take the gas off, reset it, and see it clear. "
            "The hold stays on.",
            field="latches",
        )


def _made_safe(progress: Progress) -> list[str]:
    """What was confirmed to make it safe, and holds no longer once the hold is off."""
    return [
        p.step.key for p in progress.steps if p.step.phase == "make safe" and p.step.kind in ("confirm", "condition") and p.status == DONE
    ]


def lost_words(state: RunState) -> str:
    """That the hold of a run came off while it was at work, as a sentence, until another is on; empty otherwise."""
    last = max((h for h in state.holds.values() if h.early), key=lambda h: h.released_at or h.placed_at, default=None)
    if last is None or last.step in state.hold_steps:
        return ""
    return (
        f"{last.released_by} took the {last.kind} off while the run was at work: {last.early}. Shut off what is applied now: nothing may be "
        "applied, captured or adjusted. What was taken is kept; to go on, make it safe again and place the hold anew."
    )


def release_step(steps: Sequence[Step], hold: Hold) -> Step:
    """The step that lets a hold go."""
    return next(s for s in steps if s.kind == "release" and s.of == hold.own)


def release_without_hold(state: RunState, step: Step, payload: Mapping[str, Any], *, now: datetime) -> dict[str, Any]:
    """The normal reading seen where no hold was needed."""
    still = [h for h in state.holds_of(step.of) if h.released_at is None]
    if still:
        raise Fault("hold_open", f"The {still[0].kind} is still on; release it.", field="hold")
    _require_clear(state, step, now)
    return {"step": step.key, "values": _values(step, payload), "checks": []}


def _values(step: Step, payload: Mapping[str, Any], seen: Mapping[str, Mapping[str, str]] = MappingProxyType({})) -> dict[str, str]:
    faults: list[Fault] = []
    values = check_fields(step.fields, {**(payload.get("values") or {}), **{n: s["text"] for n, s in seen.items()}}, faults)
    if faults:
        raise Faults([_of_live(f, seen) for f in faults])
    return values


def _of_live(fault: Fault, seen: Mapping[str, Mapping[str, str]]) -> Fault:
    """A complaint about what is read live says so: what was typed instead does not help."""
    told = seen.get(fault.field)
    if told is None:
        return fault
    return Fault(
        fault.code, f"{told['label']} reads {told['text']} {told['unit']} now, and that counts. {fault.message}", field=fault.field
    )


def _require_clear(state: RunState, step: Step, now: datetime) -> None:
    if state.pairs_out and not step.of:
        raise Fault("pairs_out", f"The hold stays on. {pairs_out_words(state)}", field="pairs")
    timer = state.timers.get(step.needs_timer) if step.needs_timer else None
    if timer and not timer.is_over(now):
        left = minutes_text((timer.due_at - now).total_seconds())
        raise Fault("counting_down", f"The countdown has {left} to go: gas lingers in the housing. The hold stays on.", field="hold")


def admit_handover(state: RunState, payload: Mapping[str, Any]) -> dict[str, Any]:
    """A hold offered to somebody who answers for it once they have accepted. Who that is was looked up by the server."""
    hold = _find(state, payload)
    if payload.get("to") == hold.holder:
        raise Fault("same_holder", f"{hold.holder_name} holds it already.", field="to")
    return {
        "hold": hold.id,
        "to": str(payload["to"]),
        "to_name": str(payload["to_name"]),
        "note": text_of(payload, "note", label="What the next one must know"),
        "is_offer": True,
    }


def admit_acceptance(state: RunState, payload: Mapping[str, Any]) -> dict[str, Any]:
    """A hold taken over by the one it was offered to. Who accepts is known by the server."""
    hold = _find(state, payload)
    who = (payload.get("who") or {}).get("by", "")
    if not hold.offered_to:
        raise Fault(
            "not_offered", f"This hold is not being handed over; {hold.holder_name or hold.placed_by} answers for it.", field="hold"
        )
    if who != hold.offered_to:
        raise Fault("not_yours", f"It is handed over to {hold.offered_name}; only they can accept it.", field="hold")
    return {"hold": hold.id}


def admit_extension(state: RunState, payload: Mapping[str, Any], *, now: datetime) -> dict[str, Any]:
    """A new planned end, from now on, with its reason."""
    hold = _find(state, payload)
    reason = text_of(payload, "reason", label="Why it takes longer")
    minutes = _minutes(payload)
    approved = _approved(state, payload, now=now, since=hold.placed_at, minutes=minutes)
    return {"hold": hold.id, "reason": reason, "until": (now + timedelta(minutes=minutes)).isoformat(), **approved}
