"""A round of function checks: made once, then each detector begun, read, given back, and all of them signed at the end.

Every detector has a run of its own, of the same events as one done alone, by the same rules. What a round saves is saying the same thing twenty times.
"""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from django.db import transaction

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.checks.models import CheckJob, CheckRound
from apps.checks.order import Stop, in_order
from apps.checks.wired import INHIBIT, RELEASE, RESET, press, seen_of, sources_of
from apps.planning.jobs import base_of, ways
from apps.plant.models import Area, Instrument, check_method
from apps.runs.gas import gas_snapshot
from apps.runs.models import OPEN
from apps.runs.outside import seen_at_release
from apps.runs.services import NewEvent, append_events, sign_run, start_run
from apps.runs.store import load_state
from config.failures import Missing, NotAllowed
from metrology.faults import Fault
from metrology.judgement.gas_kit import REFUSE
from metrology.methods.detector import settings_of
from metrology.methods.method import Method
from metrology.methods.registry import get_method
from metrology.quantities.typed import parse_typed
from metrology.run.gases import find_need, judge_for
from metrology.run.onward import onward
from metrology.run.progress import current_slot, make_progress
from metrology.run.state import RunState

MOST = 60
SAID = ("operator", "permit", "temperature", "reminder", "minutes", "stand_in", "air_why", "pressure_kpa")
MOST_STEPS = 60  # of one go; a run has fewer


def make_round(
    *, actor: Person, tags: Sequence[str], said: Mapping[str, str], gases: Sequence[Mapping[str, str]], now: datetime
) -> CheckRound:
    """A round of the detectors chosen, in walking order."""
    require(actor, "start a run")
    chosen = list(Instrument.objects.filter(tag__in=tags).select_related("area"))
    missing = sorted(set(tags) - {i.tag for i in chosen})
    if missing:
        raise Missing("unknown_tag", f"There is no {', '.join(missing)} in the register.", field="tags")
    without = [i.tag for i in chosen if not check_method(i.method)]
    if without:
        raise Fault("no_check", f"{', '.join(without)}: no function check goes beside its method.", field="tags")
    if not 1 <= len(chosen) <= MOST:
        raise Fault("bad_round", f"Choose 1 to {MOST} detectors; {len(chosen)} were chosen.", field="tags")
    elsewhere = CheckJob.objects.filter(round__closed_at=None, instrument__in=chosen).exclude(
        run__status__in=("signed", "accepted", "voided")
    )
    for job in elsewhere.select_related("round__owner", "instrument")[:1]:
        raise Fault("in_a_round", f"{job.instrument.tag} is in a round of {job.round.owner.name} already.", field="tags")
    told = _checked(said, chosen)
    if not gases:
        raise Fault("missing", "Choose the gas: at least one bottle, or ambient air.", field="gases")
    with transaction.atomic():
        made = CheckRound.objects.create(owner=actor, made_at=now, said=told, gases=[dict(g) for g in gases])
        for n, stop in enumerate(_ordered(chosen)):
            CheckJob.objects.create(round=made, instrument=next(i for i in chosen if i.tag == stop.tag), position=n)
    return made


def _checked(said: Mapping[str, str], chosen: Sequence[Instrument]) -> dict[str, str]:
    """What is said once, complete: it becomes part of every record."""
    told = {k: str(said.get(k, "")).strip() for k in SAID}
    asked = {
        "operator": "who in the control room was told",
        "temperature": "the air temperature",
        "reminder": "what becomes of their own reminders",
    }
    if any(i.area.needs_permit for i in chosen):
        asked["permit"] = "the permit: one of the areas needs it"
    for name, what in asked.items():
        if not told[name]:
            raise Fault("missing", f"Say {what}.", field=name)
    told["minutes"] = told["minutes"] or "30"
    limits = (
        ("temperature", "Air temperature", "C", -40, 70),
        ("minutes", "Hold for", "min", 1, 240),
        ("pressure_kpa", "Air pressure", "kPa", 50, 115),
    )
    for name, label, unit, low, high in limits:
        if not told[name]:
            continue
        typed = parse_typed(told[name], name=label, unit=unit, field=name)
        if not low <= typed.value <= high:
            raise Fault("out_of_range", f"{label} is {typed.text} {unit}; accepted is {low} to {high} {unit}.", field=name)
        told[name] = typed.text
    return told


def _ordered(chosen: Sequence[Instrument]) -> list[Stop]:
    areas = list(Area.objects.all())
    stops = [Stop(i.tag, i.area.code, frozenset(g for g in (i.voting_group, i.zone) if g)) for i in chosen]
    return in_order(stops, ways(areas), base_of(areas))


def find_round(round_id: uuid.UUID) -> CheckRound:
    """A round by id."""
    found = CheckRound.objects.select_related("owner").filter(pk=round_id).first()
    if found is None:
        raise Missing("unknown_round", "There is no such round of checks.")
    return found


def _job(actor: Person, round_id: uuid.UUID, tag: str) -> CheckJob:
    """The job of a tag as it was scanned or picked, in whatever case; only whose round it is works on it here."""
    found = find_round(round_id)
    if found.owner_id != actor.pk:
        raise NotAllowed(
            "not_yours", f"This is the round of {found.owner.name}. Its runs can be gone on with one by one; the round is theirs."
        )
    job = found.jobs.select_related("instrument__area", "run", "round").filter(instrument__tag_key=tag.strip().casefold()).first()
    if job is None:
        raise Missing(
            "not_in_round",
            f"{tag.strip() or 'Nothing'} is not in this round. Look at the plate again, or add it to another round.",
            field="tag",
        )
    return job


def begin(
    *, actor: Person, round_id: uuid.UUID, tag: str, now: datetime, step_by_step: bool = False, said: Mapping[str, str] | None = None
) -> CheckJob:
    """Start the run of a detector and bring it to its first reading: plate, sensor, air, gas, hold, cautions. Begun already, it is gone on with.

    step_by_step: nothing is said for it, since something is not as usual; its steps are done one by one in its run. said: what this one asks and the
    round has not said.
    """
    require(actor, "start a run")
    job = _job(actor, round_id, tag)
    if job.run is None or job.run.status == "voided":
        job.run = start_run(actor=actor, instrument=job.instrument, now=now, method_key=check_method(job.instrument.method))
    job.note = ""
    job.save(update_fields=["run", "note"])
    if not step_by_step:
        _assign(actor, job, now)
        _go(actor, job, {**_held(job), **_texts(said or {})}, now)
    return job


def _texts(said: Mapping[str, str]) -> dict[str, str]:
    return {k: text for k, v in said.items() if (text := str(v).strip())}


def _held(job: CheckJob) -> dict[str, str]:
    """What the tap on 'hold is on' says of a detector: its plate, and the current that its register gives it on hold."""
    ma = settings_of(_setup(job)).inhibit_ma
    return {"tag": job.instrument.tag, "hold": _reason(job.round.said), **({"ma": f"{ma:g}"} if ma else {})}


def _reason(said: Mapping[str, str]) -> str:
    stand_in = said.get("stand_in", "")
    return "Round of function checks" + (f"; stands in: {stand_in}" if stand_in else "")


def _setup(job: CheckJob) -> Any:
    assert job.run is not None
    return load_state(job.run.id)[2].setup


def _assign(actor: Person, job: CheckJob, now: datetime) -> None:
    """The gas of each role, and what is wired to it: chosen once, before the steps that ask for them."""
    assert job.run is not None
    _, _, state = load_state(job.run.id)
    method = get_method(state.setup.method)
    events = []
    for need in method.standards.needs(state.setup):
        if need.kind == "gas" and need.at_start and need.role not in state.gases:
            events.append(NewEvent(uuid.uuid4(), "gas_assigned", _gas_for(job.round, state, method, need.role, now)))
    events += [NewEvent(uuid.uuid4(), "source_chosen", payload) for payload in sources_of(state, method)]
    if events:
        append_events(actor=actor, run_id=job.run.id, expected_seq=state.seq, events=events, now=now)


def _gas_for(found: CheckRound, state: RunState, method: Method, role: str, now: datetime) -> dict[str, str]:
    """The first gas of the round that suits a role; a Fault with what is wrong with each where none does."""
    told = []
    for gas in found.gases:
        payload = {"role": role, **gas, "reason": found.said.get("air_why", "") if gas["bottle"] == "AMBIENT" else ""}
        verdict = judge_for(state, find_need(state, method, role), gas_snapshot(payload), today=now.date())
        if verdict.standing != REFUSE:
            return payload
        told.append(f"{gas['bottle']}: {verdict.reasons[0]}")
    tag = state.setup.instrument.tag
    raise Fault(
        "no_gas", f"No gas of this round suits {tag}. {' '.join(told)} Add one that does to the round.", field="gases", reasons=told
    )


def _go(actor: Person, job: CheckJob, said: Mapping[str, str], now: datetime) -> None:
    """Take the run on as far as what is known takes it; what is read live counts instead of what was said."""
    assert job.run is not None
    known = {**_known(job.round.said), **said}
    is_held = False
    for _ in range(MOST_STEPS):
        _, _, state = load_state(job.run.id)
        method = get_method(state.setup.method)
        step = make_progress(state, method).current
        if step is None or state.status not in OPEN:
            return
        if step.variant == INHIBIT and not is_held:
            is_held = True
            if press(actor, job.run.id, state.setup.instrument.tag, INHIBIT, now):
                continue
        seen = {name: text for name, text in seen_of(state, method, step).items() if name in known}
        if step.kind == "release" and "latches" in said:  # the tap that takes the hold off; what it reads then counts
            seen = {n: s["text"] for h in state.open_holds for n, s in seen_at_release(state, method, h.id).items()}
        event = onward(state, method, {**known, **seen}, now=now)
        if event is None:
            return
        if event[0] == "hold_released":
            _release(actor, job, state, event, now)
        else:
            append_events(actor=actor, run_id=job.run.id, expected_seq=state.seq, events=[NewEvent(uuid.uuid4(), *event)], now=now)


def _release(actor: Person, job: CheckJob, state: RunState, event: tuple[str, dict[str, Any]], now: datetime) -> None:
    """Its alarms reset and its own inhibit off, then the hold; refused, it is inhibited again."""
    assert job.run is not None
    tag = state.setup.instrument.tag
    press(actor, job.run.id, tag, RESET, now)
    is_free = press(actor, job.run.id, tag, RELEASE, now)
    seq = load_state(job.run.id)[2].seq
    try:
        append_events(actor=actor, run_id=job.run.id, expected_seq=seq, events=[NewEvent(uuid.uuid4(), *event)], now=now)
    except Fault:
        if is_free:
            press(actor, job.run.id, tag, INHIBIT, now)
        raise


def _known(said: Mapping[str, str]) -> dict[str, str]:
    return {k: v for k, v in said.items() if v and k not in ("stand_in", "air_why")}


def go_on(*, actor: Person, round_id: uuid.UUID, tag: str, said: Mapping[str, str], now: datetime) -> CheckJob:
    """Say what is asked and take the run on: that the alarms came, what it reads now, that the hold comes off."""
    require(actor, "work on a run")
    job = _begun(_job(actor, round_id, tag))
    _go(actor, job, _texts(said), now)
    return job


def _begun(job: CheckJob) -> CheckJob:
    if job.run is None:
        raise Fault("not_begun", f"{job.instrument.tag} is not begun yet: its hold comes first.", field="tag")
    return job


def read(*, actor: Person, round_id: uuid.UUID, tag: str, indicated: str, event_id: uuid.UUID, is_sure: bool, now: datetime) -> CheckJob:
    """The reading of the exposure that is on, typed; then on as far as it goes. The same reading sent again is stored once."""
    require(actor, "work on a run")
    job = _begun(_job(actor, round_id, tag))
    assert job.run is not None
    _, past, state = load_state(job.run.id)
    step = make_progress(state, get_method(state.setup.method)).current
    if all(e.id != str(event_id) for e in past):
        slot = current_slot(state, get_method(state.setup.method), step.key) if step and step.kind == "readings" else None
        if step is None or slot is None:
            at = f"it is at '{step.title}'" if step else "its run has ended"
            raise Fault("not_reading", f"No reading is asked of {job.instrument.tag} now: {at}. Nothing was stored.", field="indicated")
        payload = {"step": step.key, "slot": slot.index, "indicated": indicated, **({"confirmed_unlikely": True} if is_sure else {})}
        append_events(
            actor=actor, run_id=job.run.id, expected_seq=state.seq, events=[NewEvent(event_id, "reading_taken", payload)], now=now
        )
    _go(actor, job, {}, now)
    return job


def take_again(*, actor: Person, round_id: uuid.UUID, tag: str, reason: str, now: datetime) -> CheckJob:
    """A set that failed is exposed again; the one that failed stays on the record."""
    require(actor, "work on a run")
    job = _begun(_job(actor, round_id, tag))
    assert job.run is not None
    _, _, state = load_state(job.run.id)
    step = make_progress(state, get_method(state.setup.method)).current
    if step is None or step.kind != "judge":
        raise Fault("not_judged", f"{job.instrument.tag} is not at its judgement. Nothing was stored.", field="tag")
    event = NewEvent(uuid.uuid4(), "decision_made", {"step": step.key, "choice": "repeat", "reason": reason})
    append_events(actor=actor, run_id=job.run.id, expected_seq=state.seq, events=[event], now=now)
    return job


def set_aside(*, actor: Person, round_id: uuid.UUID, tag: str, reason: str) -> CheckJob:
    """Go on without it: begun, it stays open with its hold, and in sight; not begun, it stays due. Both with the reason."""
    require(actor, "work on a run")
    job = _job(actor, round_id, tag)
    if len(reason.strip()) < 3:
        raise Fault("missing", "Say in a few words why it is set aside.", field="reason")
    job.note = reason.strip()[:300]
    job.save(update_fields=["note"])
    return job


def sign_all(*, actor: Person, round_id: uuid.UUID, note: str, now: datetime) -> int:
    """One signature for all that is ready, a record each; the password was confirmed at the door. Returns how many were signed."""
    require(actor, "sign a run")
    found = find_round(round_id)
    if found.owner_id != actor.pk:
        raise NotAllowed("not_yours", f"This is the round of {found.owner.name}; they sign it.")
    signed = 0
    for job in found.jobs.select_related("run").exclude(run=None).filter(run__status__in=OPEN):
        assert job.run is not None
        _, _, state = load_state(job.run.id)
        step = make_progress(state, get_method(state.setup.method)).current
        if step is not None and step.kind == "sign":
            sign_run(actor=actor, run_id=job.run.id, expected_seq=state.seq, note=note, now=now)
            signed += 1
    if not signed:
        raise Fault(
            "nothing_ready", "Nothing is ready to be signed: no detector of this round has its hold off and is finished.", field="password"
        )
    _close(found, now)
    return signed


def _close(found: CheckRound, now: datetime) -> None:
    """A round is over when every detector is signed, or passed over without having been begun."""
    still = [j for j in found.jobs.select_related("run") if (j.run is None and not j.note) or (j.run and j.run.status in OPEN)]
    if not still:
        found.closed_at = now
        found.save(update_fields=["closed_at"])


def add_gas(*, actor: Person, round_id: uuid.UUID, gas: Mapping[str, str]) -> CheckRound:
    """One more bottle with its fittings for those that are still to do."""
    require(actor, "work on a run")
    found = find_round(round_id)
    gas_snapshot({"role": "", **gas})  # it is there
    found.gases = [*(g for g in found.gases if g["bottle"] != gas["bottle"]), dict(gas)]
    found.save(update_fields=["gases"])
    return found
