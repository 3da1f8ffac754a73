"""The verbs of a run: start, append, sign, review, void. Each checks who, then what, then stores, in one transaction."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from datetime import datetime
from functools import partial
from typing import Any

from django.conf import settings
from django.db import IntegrityError, transaction
from django.utils import timezone

from apps.accounts.models import Person
from apps.accounts.policy import is_allowed, require
from apps.journal.anchoring import BY_SIGNATURE, make_anchor
from apps.kit.selectors import get_reference
from apps.plant.models import IN_USE, TRIGGERS, Instrument
from apps.plant.needs import skills_of
from apps.plant.policies import policy_for
from apps.plant.register import read_points
from apps.plant.selectors import methods_for
from apps.runs.arriving import NewEvent, hash_of, moments, no_foreign_events, pass_over_known, require_a_time, stale, without_claims
from apps.runs.due import due_once_signed
from apps.runs.history import history_of
from apps.runs.holds import find_hold, group_on_hold
from apps.runs.items import item_named
from apps.runs.kit_checks import find_subject, kit_setup, refuse_second
from apps.runs.kit_places import require_one_place
from apps.runs.models import OPEN, Run
from apps.runs.outside import alarms_on_at_release, functions_of, seen_at_release
from apps.runs.projections import next_number, project
from apps.runs.qualified import require_hand, require_qualified
from apps.runs.store import CACHE, append_rows, load_state
from apps.runs.trust import ANCHORED
from config import background
from config.failures import NotAllowed
from config.turns import in_order
from metrology.faults import Fault
from metrology.methods.method import Method
from metrology.methods.registry import get_method
from metrology.methods.setup import RunSetup, setup_payload
from metrology.quantities.typed import parse_typed
from metrology.run.asked_types import ASKED
from metrology.run.countersigning import PART
from metrology.run.events import Event
from metrology.run.fields import text_of
from metrology.run.folding import apply, fold
from metrology.run.rules import admit
from metrology.run.state import RunState

MAX_BATCH = 200
# What ends or reviews a run has a door of its own, where a password is asked for; what a device says comes from the device.
APPENDABLE = frozenset(ASKED)


@transaction.atomic
def start_run(
    *,
    actor: Person,
    instrument: Instrument,
    now: datetime,
    method_key: str = "",
    points: str = "",
    cycles: str = "",
    supervisor: str = "",
) -> Run:
    """Open a run on an instrument, with the instrument and its policies frozen into the first event.

    method_key: another method than its own, where its family can be run by it. points, cycles: other test points in percent, or
    more cycles, for this run alone, as typed. supervisor: who answers for it where whoever starts it is not qualified, by the plant's policy.
    """
    require(actor, "start a run")
    method = get_method(method_key or instrument.method)
    if method.key not in {m["value"] for m in methods_for(instrument)}:
        raise Fault("wrong_method", f"{instrument.tag} can't be run by '{method.title}'.", field="method")
    if instrument.state != IN_USE:
        told = (
            f"{instrument.tag} is {instrument.state}: {instrument.state_why} Nothing was started. A planner takes it back into use first."
        )
        raise Fault("out_of_use", told, field="instrument")
    _refuse_second(instrument)
    setup = instrument.run_setup(policy_for(instrument), method.revision, method.key)
    today, wanted = timezone.localdate(now), skills_of(instrument, method.key)
    missing, answers = require_qualified(actor, instrument.tag, wanted, setup.policy, today, supervisor)
    if points.strip() or cycles.strip():
        setup = _with_points(setup, points, cycles)
    setup = replace(_frozen(setup, instrument, method), started_on=today.isoformat(), unqualified=missing, supervisor=answers)
    method.plan(setup, "as_found")  # what the register says must make points, or it is told before anything is open
    run = Run(number=next_number(), instrument=instrument, technician=actor, method=method.key, revision=method.revision, started_at=now)
    return _begin(run, setup, partial(_refuse_second, instrument))


def _frozen(setup: RunSetup, instrument: Instrument, method: Method) -> RunSetup:
    """The setup with what is known of the instrument beyond its register: its power, its earlier results, what must be proved of it."""
    return replace(
        setup,
        instrument=replace(setup.instrument, power_cut=power_cut(instrument)),
        history=history_of(instrument),
        functions=() if method.traits.is_check else functions_of(instrument),  # a check between calibrations proves no trip
    )


def power_cut(instrument: Instrument) -> str:
    """What is known to have cut its power since its last job, in words; empty where nothing is."""
    last = instrument.triggers.filter(settled_at=None, kind__in=("power-down", "sensor change")).last()
    return f"{TRIGGERS[last.kind]} on {timezone.localtime(last.at):%-d %b %Y at %H:%M}" if last else ""


@transaction.atomic
def start_check(*, actor: Person, code: str, now: datetime) -> Run:
    """Open the incoming check of an item of the kit, with the item as the register has it and the plant's policies frozen into the first event."""
    require(actor, "check kit in")
    item, method = find_subject(code)
    refuse_second(item.code)
    today, setup = timezone.localdate(now), kit_setup(item, method)
    require_qualified(actor, item.code, method.traits.skills, setup.policy, today)
    setup = replace(setup, started_on=today.isoformat())
    run = Run(number=next_number(), item=item.code, technician=actor, method=method.key, revision=method.revision, started_at=now)
    return _begin(run, setup, partial(refuse_second, item.code))


def _begin(run: Run, setup: RunSetup, refuse: Callable[[], None]) -> Run:
    """Store a run with its first event; refuse: says which other is open, where the database found one that was started in the same moment."""
    by = run.technician
    event = Event(1, str(uuid.uuid4()), "run_started", setup_payload(setup), by.username, by.name, run.started_at)
    try:
        with transaction.atomic():
            run.save(force_insert=True)
    except IntegrityError:
        refuse()
        raise
    append_rows(run, [event])
    project(run, fold([event]))
    return run


def _with_points(setup: RunSetup, points: str, cycles: str) -> RunSetup:
    """The setup with other points or cycles than the register has."""
    if not get_method(setup.method).traits.has_points:
        raise Fault("no_points", "What is read follows from the method here; it is not chosen point by point.", field="points")
    chosen = tuple(read_points(points)) or setup.points_percent
    times = parse_typed(cycles, name="Cycles", field="cycles").value if cycles.strip() else setup.cycles
    if times not in (1, 2, 3):
        raise Fault("out_of_range", f"Cycles is {times:g}; accepted are 1, 2 and 3.", field="cycles")
    return replace(setup, points_percent=chosen, cycles=int(times))


def _refuse_second(instrument: Instrument) -> None:
    other = Run.objects.filter(instrument=instrument, status__in=OPEN).select_related("technician").first()
    if other:
        raise Fault(
            "run_open",
            f"{instrument.tag} has an open run already: {other.label}, started by {other.technician.name}. "
            "Go on with that one, or have it voided.",
            field="instrument",
            run=str(other.id),
        )


def append_events(
    *, actor: Person, run_id: uuid.UUID, expected_seq: int, events: Sequence[NewEvent], now: datetime, together: bool = False
) -> tuple[Run, RunState]:
    """Append one event or a batch.

    Events already stored are passed over, so that sending again is safe. When the run has moved on, nothing is stored
    and the refusal says what happened meanwhile. In a batch, those before the first refused one are kept, unless they belong `together`.
    """
    require(actor, "work on a run")
    if not 1 <= len(events) <= MAX_BATCH:
        raise Fault("bad_batch", f"A batch holds 1 to {MAX_BATCH} events; this one holds {len(events)}.", field="events")
    for event in events:
        if event.type not in APPENDABLE:
            raise Fault("unknown_event", f"'{event.type}' can't be appended here.", field="type")
    asked = [replace(e, asked=hash_of(e)) for e in events]
    return _append(actor, run_id, expected_seq, [_as_seen(run_id, without_claims(e)) for e in asked], now, together=together)


def _as_seen(run_id: uuid.UUID, event: NewEvent) -> NewEvent:
    """A release with what live sources show now; devices are asked before the run is locked."""
    if event.type != "hold_released":
        return event
    _, _, state = load_state(run_id)
    seen = seen_at_release(state, get_method(state.setup.method), str(event.payload.get("hold", "")))
    return replace(event, payload={**event.payload, "seen": seen, "alarms_on": alarms_on_at_release(state)})


def _append(
    actor: Person, run_id: uuid.UUID, expected_seq: int | None, events: Sequence[NewEvent], now: datetime, *, together: bool = False
) -> tuple[Run, RunState]:
    refused: Fault | None = None
    with no_foreign_events(run_id, events), in_order(), transaction.atomic():
        run, past, folded = load_state(run_id, lock=True)
        new = pass_over_known(past, events, actor)
        state = folded.branch()
        if new and expected_seq is not None and state.seq != expected_seq + len(events) - len(new):
            raise stale(past, expected_seq)
        stored: list[Event] = []
        for event, at in zip(new, moments(new, now, past[-1].at), strict=True):
            try:
                require_a_time(event, now)
                if actor.pk != run.technician_id and event.type in APPENDABLE:
                    require_hand(actor, run, state, event.type, timezone.localdate(now))
                stored.append(_admit_one(run_id, actor, state, event, at))
            except Fault as fault:
                refused = fault
                break
        if refused and together:
            stored, state = [], folded
        if stored:
            append_rows(run, stored, {str(e.id): e.asked for e in new})
            project(run, state, folded)
            transaction.on_commit(partial(_keep, run, past, stored, state))
            transaction.on_commit(partial(_tell, run.id, state))
            if any(e.type in ANCHORED for e in stored):
                transaction.on_commit(partial(background.start, make_anchor, BY_SIGNATURE))
    if refused:
        refused.context = {**refused.context, "stored": len(events) - len(new) + len(stored), "sent": len(events), "seq": state.seq}
        raise refused
    return run, state


# Called with (run id, state) after each append that was committed; the live side of a run follows it this way.
FOLLOWERS: list[Callable[[uuid.UUID, RunState], None]] = []


def _keep(run: Run, past: Sequence[Event], stored: Sequence[Event], state: RunState) -> None:
    """What was committed is known from now on without reading it again."""
    CACHE.keep(run, (*past, *stored))
    CACHE.keep_state(run, state)


def _tell(run_id: uuid.UUID, state: RunState) -> None:
    for follow in FOLLOWERS:
        follow(run_id, state)


def append_seen(
    *, actor: Person, run_id: uuid.UUID, event: NewEvent, now: datetime, expected_seq: int | None = None
) -> tuple[Run, RunState]:
    """Append what the server itself saw: a captured reading, what a device answered. Nothing of it comes from a client."""
    require(actor, "work on a run")
    return _append(actor, run_id, expected_seq, [event], now)


def append_seen_all(
    *, actor: Person, run_id: uuid.UUID, events: Sequence[NewEvent], now: datetime, expected_seq: int | None = None
) -> tuple[Run, RunState]:
    """Append what belongs together and was seen by the server itself; the caller's transaction makes it all or nothing."""
    require(actor, "work on a run")
    return _append(actor, run_id, expected_seq, events, now)


def _admit_one(run_id: uuid.UUID, actor: Person, state: RunState, event: NewEvent, now: datetime) -> Event:
    method = get_method(state.setup.method)
    payload = dict(event.payload)
    if event.type == "reference_assigned" and "reference" not in payload:
        payload["reference"] = snapshot(str(payload.get("code", "")))
    if event.type == "reference_assigned":
        require_one_place(run_id, state, payload)
    if event.type == "standard_assigned":
        need = method.standards.of(state.setup, str(payload.get("role", "")))
        payload["item"] = item_named(need.kind if need else "", str(payload.get("code") or ""))
    if event.type == "hold_placed":
        payload["others"] = group_on_hold(state.setup.instrument.tag)
    if event.type in ("hold_released", "hold_accepted"):
        payload["who"] = {"by": actor.username, "leads": is_allowed(actor, "end another's hold")}
    full = admit(state, method, event.type, payload=payload, now=now)
    made = Event(state.seq + 1, str(event.id), event.type, full, actor.username, actor.name, now, event.device_at)
    apply(state, made)
    return made


def snapshot(code: str) -> dict[str, Any]:
    """A reference frozen for a run."""
    standard = get_reference(code).standard()
    return {name: getattr(standard, name) for name in standard.__dataclass_fields__}


def override_reference(
    *, actor: Person, reviewer: Person, run_id: uuid.UUID, event: NewEvent, expected_seq: int, now: datetime
) -> tuple[Run, RunState]:
    """Let an expired reference be used: a reviewer vouches with a reason, which is printed."""
    require(actor, "work on a run")
    require(reviewer, "override a reference")
    reason = text_of(event.payload, "reason", label="The reason for using an expired reference")
    payload = {
        "role": event.payload.get("role"),
        "reason": reason,
        "reference": snapshot(str(event.payload.get("code", ""))),
        "override": {"by": reviewer.username, "name": reviewer.name, "reason": reason},
    }
    return _append(actor, run_id, expected_seq, [NewEvent(event.id, "reference_assigned", payload, event.device_at)], now)


def append_with_second(
    *, actor: Person, second: Person, run_id: uuid.UUID, event: NewEvent, expected_seq: int, now: datetime
) -> tuple[Run, RunState]:
    """What takes a second person who looked too: an adjustment that the rules refuse, or a failed instrument that stays in service. It is flagged."""
    require(actor, "work on a run")
    if second.pk == actor.pk:
        raise NotAllowed("same_person", "The second person must be somebody else. Nothing was stored.")
    if event.type == "adjustment_made":
        text_of(event.payload, "force_reason", label="The reason for forcing it")
    payload = {**event.payload, "second": {"by": second.username, "name": second.name}}
    return _append(actor, run_id, expected_seq, [NewEvent(event.id, event.type, payload, event.device_at)], now)


def act_on_hold(*, actor: Person, hold_id: uuid.UUID, event_type: str, payload: Mapping[str, Any], now: datetime) -> tuple[Run, RunState]:
    """Release, extend or hand over a hold from the board, whether its run is open or was voided."""
    if event_type != "hold_released" or not is_allowed(actor, "end another's hold"):
        require(actor, "work on a run")
    run_id = find_hold(hold_id).run_id
    event = NewEvent(uuid.uuid4(), event_type, {**payload, "hold": str(hold_id)})
    return _append(actor, run_id, None, [_as_seen(run_id, without_claims(event))], now)


def sign_run(*, actor: Person, run_id: uuid.UUID, expected_seq: int, note: str, now: datetime) -> tuple[Run, RunState]:
    """Sign a run; the password was confirmed at the door. Only somebody who did part of the work may sign it; a note alone is none."""
    require(actor, "sign a run")
    run, _, state = load_state(run_id)
    if actor.username not in state.workers:
        whose = f"{run.label} is the work of {run.technician.name}"
        raise NotAllowed("not_yours", f"{whose}; only those who did part of it sign it, others countersign once it is signed.")
    told = {"note": note, "plant": {**_plant(), **due_once_signed(run, state, now)}}
    return _append(actor, run_id, expected_seq, [NewEvent(uuid.uuid4(), "signed", told)], now)


def countersign_run(
    *, actor: Person, run_id: uuid.UUID, capacity: str, note: str, expected_seq: int, now: datetime
) -> tuple[Run, RunState]:
    """Put a second name under a signed run, saying as what; the password was confirmed at the door. Who countersigns does not review it."""
    require(actor, "countersign a record")
    run, _, state = load_state(run_id)
    if actor.username in state.signers:
        raise NotAllowed("signed_already", f"Your name is under {run.label} already. Nothing was stored.")
    if (capacity == PART) != (actor.username in state.workers):
        did = (
            "You did part of this work: countersign as that."
            if capacity != PART
            else "You did no part of this work: countersign as something else."
        )
        raise Fault("wrong_capacity", f"{did} Nothing was stored.", field="capacity")
    event = NewEvent(uuid.uuid4(), "countersigned", {"capacity": capacity, "note": note})
    return _append(actor, run_id, expected_seq, [event], now)


def review_run(*, actor: Person, run_id: uuid.UUID, verdict: str, reason: str, expected_seq: int, now: datetime) -> tuple[Run, RunState]:
    """Accept a signed run, or return it with a reason. Nobody reviews their own work."""
    require(actor, "review a record")
    _, _, state = load_state(run_id)
    if actor.username in state.contributors:
        raise NotAllowed("own_work", "You worked on this run or countersigned it; somebody else must review it.")
    if verdict not in ("accept", "return"):
        raise Fault("unknown_choice", "Accept it or return it.", field="verdict")
    event = (
        NewEvent(uuid.uuid4(), "reviewed", {"note": reason})
        if verdict == "accept"
        else NewEvent(uuid.uuid4(), "returned", {"reason": reason})
    )
    return _append(actor, run_id, expected_seq, [event], now)


def void_run(
    *,
    actor: Person,
    run_id: uuid.UUID,
    reason: str,
    release: Mapping[str, Any] | None,
    expected_seq: int,
    now: datetime,
    keeps_hold: bool = False,
) -> tuple[Run, RunState]:
    """Void an unsigned run; an open hold is released with it or outlives it on the board, or the voiding is refused."""
    require(actor, "void a run")
    run, _, state = load_state(run_id)
    if actor.username not in state.contributors and not is_allowed(actor, "edit the plant"):
        raise NotAllowed("not_yours", f"{run.label} is the work of {run.technician.name}; they or an administrator void it.")
    events = [
        _as_seen(run_id, NewEvent(uuid.uuid4(), "hold_released", {"hold": h.id, "values": release, "reason": reason}))
        for h in state.open_holds
        if release
    ]
    return _append(
        actor,
        run_id,
        expected_seq,
        [*events, NewEvent(uuid.uuid4(), "voided", {"reason": reason, "keeps_hold": keeps_hold, "plant": _plant()})],
        now,
    )


def _plant() -> dict[str, str]:
    """How the plant is called and which clock it goes by: sealed with a record, since both can change."""
    return {"name": settings.PLANT_NAME, "zone": settings.PLANT_TIME_ZONE}
