"""Going from one detector of a round to the next: begun, read, given back, exposed again or set aside.

Each has a run of its own, of the same events as one done alone, by the same rules (`metrology.run.onward`). What is read live counts, whatever a tap says.
"""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.bench.onward import append_one, take_on
from apps.bench.wired import sources_of
from apps.checks.gas import first_that_suits, kits_of, reason_for
from apps.checks.models import CheckJob, CheckRound
from apps.checks.services import close_if_over, own_round
from apps.plant.models import check_method
from apps.runs.arriving import NewEvent
from apps.runs.services import append_events, start_run
from apps.runs.store import load_state
from config.failures import Missing
from metrology.faults import Fault
from metrology.methods.registry import get_method
from metrology.methods.steps import Step
from metrology.run.onward import AFTER, BEFORE, NOTHING
from metrology.run.progress import current_slot, make_progress
from metrology.run.state import RunState

Said = Mapping[str, str]
OF_THE_ROUND = ("stand_in", "air_why")  # what is said of a round and is no field of a run


def _job(actor: Person, round_id: uuid.UUID, tag: str) -> CheckJob:
    """The job of a tag as it was scanned or picked, in whatever case; only whose round it is works on it here."""
    found = own_round(actor, round_id)
    job = found.jobs.select_related("instrument__area", "run", "round").filter(instrument__tag_key=tag.strip().casefold()).first()
    if job is None:
        told = f"{tag.strip() or 'Nothing'} is not in this round. Look at the plate again, or add it to another round."
        raise Missing("not_in_round", told, field="tag")
    return job


def _run_of(job: CheckJob) -> uuid.UUID:
    """The run of a job that was begun."""
    if job.run is None:
        raise Fault("not_begun", f"{job.instrument.tag} is not begun yet: its hold comes first.", field="tag")
    return job.run.id


def begin(*, actor: Person, round_id: uuid.UUID, tag: str, now: datetime, step_by_step: bool = False, said: Said | None = None) -> CheckJob:
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
        _equip(actor, job.round, job.run.id, now)
        told = {"tag": job.instrument.tag, "hold": _reason(job.round), **(said or {})}
        _go(actor, job.round, job.run.id, told, now, speaks_for=BEFORE)
    return job


def go_on(*, actor: Person, round_id: uuid.UUID, tag: str, said: Said, now: datetime) -> CheckJob:
    """Say what is asked and take the run on: that the alarms came, what it reads after purging."""
    require(actor, "work on a run")
    job = _job(actor, round_id, tag)
    _go(actor, job.round, _run_of(job), said, now)
    return job


def give_back(*, actor: Person, round_id: uuid.UUID, tag: str, said: Said, now: datetime) -> CheckJob:
    """Everything is back, what latched is reset, and the hold comes off with the normal reading."""
    require(actor, "work on a run")
    job = _job(actor, round_id, tag)
    _go(actor, job.round, _run_of(job), said, now, speaks_for=AFTER)
    return job


def read(*, actor: Person, round_id: uuid.UUID, tag: str, indicated: str, event_id: uuid.UUID, is_sure: bool, now: datetime) -> CheckJob:
    """The reading of the exposure that is on, typed; then on as far as it goes. The same reading sent again is stored once."""
    require(actor, "work on a run")
    job = _job(actor, round_id, tag)
    _, past, state = load_state(_run_of(job))
    if all(e.id != str(event_id) for e in past):
        step = _at(state, "readings", job, "No reading is asked of", field="indicated")
        slot = current_slot(state, get_method(state.setup.method), step.key)
        payload = {
            "step": step.key,
            "slot": slot.index if slot else 0,
            "indicated": indicated,
            **({"confirmed_unlikely": True} if is_sure else {}),
        }
        append_one(actor, _run_of(job), state, ("reading_taken", payload), now, event_id)
    _go(actor, job.round, _run_of(job), {}, now)
    return job


def take_again(*, actor: Person, round_id: uuid.UUID, tag: str, reason: str, now: datetime) -> CheckJob:
    """A set that failed is exposed again; the one that failed stays on the record."""
    require(actor, "work on a run")
    job = _job(actor, round_id, tag)
    _, _, state = load_state(_run_of(job))
    step = _at(state, "judge", job, "Nothing is to be decided of", field="tag")
    append_one(actor, _run_of(job), state, ("decision_made", {"step": step.key, "choice": "repeat", "reason": reason}), now)
    return job


def set_aside(*, actor: Person, round_id: uuid.UUID, tag: str, reason: str, now: datetime) -> CheckJob:
    """Go on without it: begun, it stays open with its hold, and in sight; not begun, it stays due. Both with the reason."""
    require(actor, "work on a run")
    job = _job(actor, round_id, tag)
    if len(reason.strip()) < 3:
        raise Fault("missing", "Say in a few words why it is set aside.", field="reason")
    job.note = reason.strip()[:300]
    job.save(update_fields=["note"])
    close_if_over(job.round, now)
    return job


def _at(state: RunState, kind: str, job: CheckJob, what: str, *, field: str) -> Step:
    """The current step, which must be of a kind."""
    step = make_progress(state, get_method(state.setup.method)).current
    if step is None or step.kind != kind:
        at = f"it is at '{step.title}'" if step else "its run has ended"
        raise Fault(f"not_at_{kind}", f"{what} {job.instrument.tag} now: {at}. Nothing was stored.", field=field)
    return step


def _reason(found: CheckRound) -> str:
    stand_in = found.said.get("stand_in", "")
    return "Round of function checks" + (f"; stands in: {stand_in}" if stand_in else "")


def _equip(actor: Person, found: CheckRound, run_id: uuid.UUID, now: datetime) -> None:
    """The gas of each role, and what is wired to it: chosen once, before the steps that ask for them."""
    _, _, state = load_state(run_id)
    method = get_method(state.setup.method)
    kits = kits_of(found)
    payloads: list[tuple[str, dict[str, Any]]] = []
    for need in method.standards.needs(state.setup):
        if need.kind != "gas" or not need.at_start or need.role in state.gases:
            continue
        gas, told = first_that_suits(kits, need.detail, state.setup.policy, now.date())
        if gas is None:
            says = f"No gas of this round suits {state.setup.instrument.tag}. {' '.join(told)} Add one that does to the round."
            raise Fault("no_gas", says, field="gases", reasons=told)
        payloads.append(("gas_assigned", {"role": need.role, **gas, "reason": reason_for(found, gas)}))
    payloads += [("source_chosen", payload) for payload in sources_of(state, method)]
    if payloads:
        events = [NewEvent(uuid.uuid4(), *each) for each in payloads]
        append_events(actor=actor, run_id=run_id, expected_seq=state.seq, events=events, now=now)


def _go(actor: Person, found: CheckRound, run_id: uuid.UUID, said: Said, now: datetime, *, speaks_for: frozenset[str] = NOTHING) -> None:
    """Take the run on as far as what is known takes it."""
    of_run = {k: v for k, v in found.said.items() if k not in OF_THE_ROUND}
    known = {k: text for k, v in (of_run | dict(said)).items() if (text := str(v).strip())}
    take_on(actor, run_id, known, now, speaks_for=speaks_for)
