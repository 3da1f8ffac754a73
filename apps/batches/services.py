"""A batch of sensors: made and begun, captured, put back, signed. Each sensor has a run of its own, of the same events as one done alone."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from django.db import transaction
from django.utils import timezone

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.batches.models import Batch, BatchSensor
from apps.batches.proposing import Row, asked_of, propose
from apps.bench import auto_capture
from apps.bench.models import Device
from apps.bench.onward import take_on
from apps.bench.wired import sources_of
from apps.runs.arriving import NewEvent
from apps.runs.models import OPEN
from apps.runs.services import append_events, start_run
from apps.runs.store import load_state
from apps.runs.together import require_own, sign_ready
from config.failures import Missing
from metrology.faults import Fault, Faults
from metrology.methods.method import Method
from metrology.methods.registry import get_method
from metrology.methods.steps import Field
from metrology.run.fields import check_fields
from metrology.run.holds import MAX_HOLD_MINUTES
from metrology.run.onward import AFTER, BEFORE
from metrology.run.state import RunState, source_key

Texts = Mapping[str, str]
REASON = "Calibration in a batch of sensors"
MINUTES = Field("minutes", "Each hold for", "number", "min", low=1, high=MAX_HOLD_MINUTES)


def make_batch(
    *, actor: Person, batch_id: uuid.UUID, tags: Sequence[str], blocks: Texts, serials: Texts, said: Texts, now: datetime
) -> Batch:
    """Check what was said, make the batch, and bring each sensor to its first point; then the capture starts by itself where it is live.

    Raises a Fault, and stores nothing, where a sensor finds no well, a plate is not that of the register, or something asked was not said. The same
    batch sent again, as by a double tap or over a lost answer, is made once.
    """
    require(actor, "start a run")
    if Batch.objects.filter(pk=batch_id).exists():
        return _own(actor, batch_id)
    rows = propose(tags, blocks, timezone.localdate(now))
    told = _checked(rows, serials, said)
    with transaction.atomic():
        made, is_new = Batch.objects.get_or_create(pk=batch_id, defaults={"owner": actor, "made_at": now, "said": told})
        if not is_new:
            return _own(actor, batch_id)
        for n, row in enumerate(rows):
            assert row.placed is not None
            BatchSensor.objects.create(
                batch=made, instrument=row.instrument, position=n, serial=serials[row.instrument.tag].strip(), readout=row.readout,
                block=row.placed.block, well=row.placed.well, probe=row.placed.probe,
            )  # fmt: skip
    for sensor in made.sensors.select_related("instrument__area"):
        _begin(actor, made, sensor, now)
    _capture_what_can(actor, made, now)
    return made


def _checked(rows: Sequence[Row], serials: Texts, said: Texts) -> dict[str, str]:
    """What was said, complete; every slip of it at once."""
    faults = [Fault("no_well", f"{r.instrument.tag}: {r.why_not}", field="tags") for r in rows if r.placed is None]
    plates = [
        Field(f"serial:{i.tag}", f"Serial on the plate of {i.tag}", "identity", expected=i.serial) for i in (r.instrument for r in rows)
    ]
    check_fields(tuple(plates), {f"serial:{tag}": serial for tag, serial in serials.items()}, faults)
    asked = asked_of(rows)
    kind = said.get("hold_kind", "").strip()
    given = {**said, "minutes": said.get("minutes", "").strip() or str(asked.minutes)}
    told = check_fields((*(a.field for a in asked.asks if a.counts_for(kind)), MINUTES), given, faults)
    if faults:
        raise Faults(faults) if len(faults) > 1 else faults[0]
    return told


def _begin(actor: Person, batch: Batch, sensor: BatchSensor, now: datetime) -> None:
    """Bring the run of one sensor to its first point; where it stops on the way, the others go on and it is told why."""
    sensor.note = ""
    try:
        if sensor.run is None or sensor.run.status not in OPEN:
            sensor.run = start_run(actor=actor, instrument=sensor.instrument, now=now)
            sensor.save(update_fields=["run"])
        known = {**batch.said, "tag": sensor.instrument.tag, "serial": sensor.serial, "hold": batch.said.get("hold_why") or REASON}
        take_on(actor, sensor.run.id, known, now, speaks_for=BEFORE)  # the plate first; then it waits for its references
        _equip(actor, batch, sensor, now)
        take_on(actor, sensor.run.id, known, now, speaks_for=BEFORE)
    except Fault as fault:
        sensor.note = fault.message[:400]
    sensor.save(update_fields=["run", "note"])


def _equip(actor: Person, batch: Batch, sensor: BatchSensor, now: datetime) -> None:
    """Probe, block and readout, and what is wired: the sensor's own signal, and the probe of the block it stands in."""
    assert sensor.run is not None
    _, _, state = load_state(sensor.run.id)
    method = get_method(state.setup.method)
    roles = {"applied": sensor.probe, "block": sensor.block, "indicated": sensor.readout}
    payloads: list[tuple[str, dict[str, Any]]] = [
        ("reference_assigned", {"role": role, "code": code, "reason": batch.said.get("why_reference", "")})
        for role, code in roles.items()
        if role not in state.references
    ]
    payloads += [("source_chosen", payload) for payload in (*sources_of(state, method), *_block_source(state, method, sensor.block))]
    if payloads:
        events = [NewEvent(uuid.uuid4(), *each) for each in payloads]
        append_events(actor=actor, run_id=sensor.run.id, expected_seq=state.seq, events=events, now=now)


def _block_source(state: RunState, method: Method, block: str) -> list[dict[str, Any]]:
    """The probe in the block as the source of what is applied, where the sensor is read live in that block."""
    tag, channel = state.setup.instrument.tag, method.watching.source_channel("applied", "")
    if source_key("applied", channel) in state.sources:
        return []
    for device in Device.objects.filter(item=block):
        is_here = any(s.get("tag") == tag and s.get("role") == "indicated" for s in device.signals)
        probe = next((s for s in device.signals if s.get("role") == "applied" and "write" in s), None)
        if is_here and probe:
            return [{"quantity": "applied", "channel": channel, "signal": f"{device.code}/{probe['key']}"}]
    return []


def find_batch(batch_id: uuid.UUID) -> Batch:
    """A batch by id."""
    found = Batch.objects.select_related("owner").filter(pk=batch_id).first()
    if found is None:
        raise Missing("unknown_batch", "There is no such batch.")
    return found


def _own(actor: Person, batch_id: uuid.UUID) -> Batch:
    found = find_batch(batch_id)
    require_own(found.owner, actor, "batch")
    return found


def go_on(*, actor: Person, batch_id: uuid.UUID, said: Texts, now: datetime) -> None:
    """Begin again what stopped on its way, with what was missing said, and capture what stands at its points and is not being captured."""
    require(actor, "work on a run")
    found = _own(actor, batch_id)
    if said:
        found.said = {**found.said, **{k: str(v).strip() for k, v in said.items() if str(v).strip()}}
        found.save(update_fields=["said"])
    for sensor in found.sensors.select_related("instrument__area", "run").exclude(note=""):
        _begin(actor, found, sensor, now)
    _capture_what_can(actor, found, now)


def _capture_what_can(actor: Person, batch: Batch, now: datetime) -> None:
    """Start one capture of all that stand at readings, are live, and are not captured yet; of another the reason is noted."""
    ready = []
    for sensor in batch.sensors.select_related("run").filter(note="", run__status__in=OPEN):
        assert sensor.run is not None
        if is_capturable(sensor.run.id):
            ready.append(sensor.run.id)
    if ready:
        try:
            auto_capture.start(actor=actor, run_ids=ready, now=now)
        except Fault as fault:
            batch.sensors.filter(run__in=ready).update(note=fault.message[:400])


def is_capturable(run_id: uuid.UUID) -> bool:
    """Whether a run stands at readings that can be taken by themselves, and nothing takes them yet."""
    if auto_capture.active_for(run_id):
        return False
    try:
        auto_capture.check_runs([run_id])
    except (Fault, Missing):
        return False
    return True


def put_back(*, actor: Person, batch_id: uuid.UUID, said: Mapping[str, Texts], now: datetime) -> None:
    """Those named are back where they belong: judged where the outcome is plain, checked, and their holds off. said: by tag, what each one asks.

    Raises a Fault naming the fields of those that did not go; the others went.
    """
    require(actor, "work on a run")
    found = _own(actor, batch_id)
    faults: list[Fault] = []
    for sensor in found.sensors.select_related("instrument", "run").filter(run__status__in=OPEN, instrument__tag__in=list(said)):
        assert sensor.run is not None
        tag = sensor.instrument.tag
        if said[tag] and not any(v.strip() for v in said[tag].values()):
            continue  # nothing was said of it: it is not back yet
        try:
            take_on(actor, sensor.run.id, {**found.said, **said[tag]}, now, speaks_for=AFTER)
        except Fault as fault:
            faults.append(Fault(fault.code, f"{tag}: {fault.message}", field=f"{fault.field}:{tag}", **fault.context))
    if faults:
        raise Faults(faults) if len(faults) > 1 else faults[0]


def sign_all(*, actor: Person, batch_id: uuid.UUID, note: str, now: datetime) -> int:
    """One signature for all that is ready, a record each; the password was confirmed at the door."""
    require(actor, "sign a run")
    found = _own(actor, batch_id)
    ready = found.sensors.filter(run__status__in=OPEN).values_list("run", flat=True)
    return sign_ready(actor, ready, note, now, nothing="Nothing is ready to be signed: no sensor of this batch is back with its hold off.")


def is_over(batch: Batch) -> bool:
    """Whether no sensor of it has anything left to be done here."""
    return not any(s.run is None or s.run.status in OPEN for s in batch.sensors.select_related("run"))


def follow(run_id: uuid.UUID, state: RunState) -> None:
    """A run that has ended, wherever that was done, may have been the last of its batch."""
    if state.status not in OPEN:
        for sensor in BatchSensor.objects.filter(run=run_id, batch__closed_at=None).select_related("batch"):
            if is_over(sensor.batch):
                Batch.objects.filter(pk=sensor.batch_id).update(closed_at=timezone.now())


def drop(*, actor: Person, batch_id: uuid.UUID, tag: str, now: datetime) -> None:
    """Take a sensor that never began out of its batch: it stays due."""
    require(actor, "work on a run")
    found = _own(actor, batch_id)
    sensor = found.sensors.select_related("run").filter(instrument__tag=tag).first()
    if sensor is None:
        raise Missing("not_in_batch", f"{tag} is not in this batch.", field="tag")
    if sensor.run is not None and sensor.run.status in OPEN:
        raise Fault("begun", f"{tag} is begun: it is ended in its run, signed or voided, so that its hold is not forgotten.", field="tag")
    sensor.delete()
    if is_over(found):
        Batch.objects.filter(pk=found.pk).update(closed_at=now)
