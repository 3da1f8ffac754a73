"""Tables made from events: the run's row, its holds, and what a finished run says of its instrument."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Mapping
from datetime import datetime

from django.db.models import Max
from django.utils import timezone

from apps.kit.models import GasFitting
from apps.plant.models import Instrument, InstrumentChange
from apps.runs.came_to import take_results
from apps.runs.due import ended_runs, is_calibration, is_check, set_due, settle
from apps.runs.duties import open_duties
from apps.runs.kit_checks import project_item
from apps.runs.models import Hold, KitUse, Result, Run
from apps.runs.sensor_life import sensor_life
from apps.runs.vouching import project_validity
from metrology.methods.flow.common import NEW_PLATE, NEW_SERIAL, OLD_TO
from metrology.methods.registry import METHODS, get_method
from metrology.run.entries import Hold as HoldState
from metrology.run.progress import make_progress
from metrology.run.results import exchange_of, was_set, was_touched
from metrology.run.state import RunState
from metrology.run.uses import regulators_of, results_followed, uses_of

CHAINED = ("events_count", "head")  # moved on with every event that is stored
JUDGED = tuple(
    f.name
    for f in Run._meta.concrete_fields
    if f.name not in ("id", "number", "instrument", "item", "method", "revision", "started_at", "technician", *CHAINED)
)


WHEN_ENDED: list[Callable[[Run, RunState], None]] = []  # what else hangs on a run of an instrument that has ended, put in by those who know


def project(run: Run, state: RunState, before: RunState | None = None) -> None:
    """Bring the run's row, its holds and, once it is signed, its instrument up to date.

    before: what was projected last, where that is known: holds that are as they were then are not written again.
    """
    method = get_method(state.setup.method)
    progress = make_progress(state, method)
    was = {name: getattr(run, name) for name in JUDGED}
    run.status = state.status
    run.closed = round(progress.closed, 3)
    run.at_step = progress.current.title if progress.current else ""
    run.signed_at = state.signed.at if state.signed else None
    ended = state.signed or state.voided
    run.ended_at = ended.at if ended else None
    run.exchanged = exchange_of(state) is not None
    run.adjusted = was_touched(state, method) if state.voided else was_set(state)
    take_results(run, state)
    run.save(update_fields=[*CHAINED, *(name for name in JUDGED if getattr(run, name) != was[name])])
    _project_holds(run, state, before.holds if before else {})
    open_duties(run, state)
    _project_uses(run, state)
    if state.gases and (not state.readings or state.status != "open" or "regulator_left" in dict(state.setup.entered)):
        _project_fittings(state)
    if run.status in ("signed", "accepted", "voided") and run.instrument:
        project_instrument(run.instrument)
        for hang_on in WHEN_ENDED:
            hang_on(run, state)
    if run.status == "signed" and run.instrument:
        _project_sensor(run.instrument, run, state)
        _project_exchanged(run.instrument, run, state)
    if run.item and run.status == "signed" and run.signed_at:
        project_item(run, list(state.decisions.values())[-1])
    if state.vouched_at is not None:
        project_validity(run, state)


def _project_holds(run: Run, state: RunState, known: Mapping[str, HoldState]) -> None:
    if run.instrument_id is None:
        return  # nothing of the plant hangs on an item of the kit
    for h in state.holds.values():
        if known.get(h.id) == h:
            continue
        Hold.objects.update_or_create(
            event_id=uuid.UUID(h.id),
            defaults={
                "run": run,
                "instrument_id": run.instrument_id,
                "kind": h.kind,
                "reason": h.reason,
                "placed_at": h.placed_at,
                "placed_by": h.placed_by,
                "until": h.until,
                "released_at": h.released_at,
                "holder": h.holder,
                "holder_name": h.holder_name,
                "agreement": h.agreement,
                "approval": h.approval,
                "extended": list(h.extended),
                "note": h.note,
                "offered_to": h.offered_to,
                "offered_name": h.offered_name,
                "is_own": bool(h.own),
            },
        )


def _project_uses(run: Run, state: RunState) -> None:
    """What the run took of the kit, and the results that are followed; once it has ended, as its seal says."""
    method = get_method(run.method)
    if state.seal:
        uses, results = list(state.seal["uses"]), [{**row, "at": datetime.fromisoformat(row["at"])} for row in state.seal["results"]]
    elif state.readings and (state.signed or method.takes_or_follows):
        uses = [{"item": u.item, "kind": u.kind, "amount": u.amount, "unit": u.unit} for u in uses_of(state, method)]
        results = (
            results_followed(state, method) if state.signed else [r for r in results_followed(state, method) if r["kind"] == "reading"]
        )
    else:
        return
    KitUse.objects.filter(run=run).delete()
    KitUse.objects.bulk_create(KitUse(run=run, **row) for row in uses)
    Result.objects.filter(run=run).delete()
    Result.objects.bulk_create(Result(run=run, instrument_id=run.instrument_id, **row) for row in results)


def _project_fittings(state: RunState) -> None:
    """Where each regulator is: moved to another bottle it has lost its purge; left on one, purged and shut, it keeps it. What was told later counts."""
    for told in regulators_of(state):
        found = GasFitting.objects.filter(code=told.code).first()
        if found is None or (found.place_told_at and told.at <= found.place_told_at):
            continue
        stayed = found.stays_on == told.bottle
        stays = stayed if told.stays is None else told.stays
        found.purged_on = None if not stays else found.purged_on if stayed else timezone.localdate(told.at)
        found.stays_on, found.place_told_at = told.bottle if stays else "", told.at
        found.save(update_fields=["stays_on", "purged_on", "place_told_at"])


def project_instrument(instrument: Instrument) -> None:
    """Last result and next due date of an instrument, from its last run that counts."""
    ended = ended_runs(instrument)
    checked = next((r for r in reversed(ended) if r.status != "voided" and is_check(instrument, r)), None)
    if checked is not None and checked.ended_at is not None:
        instrument.last_check_on = timezone.localdate(checked.ended_at)
    last = next((r for r in reversed(ended) if is_calibration(instrument, r)), None)
    if last is not None and last.signed_at is not None:
        instrument.last_done_on = last.signed_at.date()
        instrument.last_found, instrument.last_left = last.found_verdict, last.left_verdict
    own = METHODS.get(instrument.method)
    if own is not None and own.traits.follows_life:
        ends = [c["replace_by"] for c in sensor_life(instrument)["channels"] if c["replace_by"]]
        instrument.signal_ends_on = min(ends, default=None)
    instrument.save(
        update_fields=["last_done_on", "last_found", "last_left", "last_check_on", "next_check", "signal_ends_on", "life_ends_on"]
    )
    if last is not None and last.signed_at is not None:
        settle(instrument, last.label, last.signed_at)
    set_due(instrument)


def _project_sensor(instrument: Instrument, run: Run, state: RunState) -> None:
    """A sensor that was replaced in the run is the one that the register knows from now on: a new life."""
    exchanged = [c for c in state.confirmations.values() if c.values.get("new_serial")]
    if exchanged:
        new = {"sensor_serial": str(exchanged[-1].values["new_serial"]), "sensor_since": exchanged[-1].at.date().isoformat()}
        changed = {f"details.{k}": [instrument.details.get(k, ""), v] for k, v in new.items() if instrument.details.get(k) != v}
        instrument.details = {**instrument.details, **new}
        instrument.signal_ends_on = None  # of the old one
        instrument.save(update_fields=["details", "life_ends_on", "signal_ends_on"])
        if changed:
            reason = f"Sensor replaced in {run.label}"
            InstrumentChange.objects.create(instrument=instrument, at=exchanged[-1].at, by=run.technician, reason=reason, values=changed)


def _project_exchanged(instrument: Instrument, run: Run, state: RunState) -> None:
    """The one that was put in its place is the one that the register knows; the old one is retired, and its serial stays in the history."""
    done = exchange_of(state)
    if done is None or instrument.serial != state.setup.instrument.serial:
        return  # nothing was exchanged, or the register knows it already
    told = {"serial": str(done.values[NEW_SERIAL]), **{own: str(done.values.get(name) or "") for name, own in NEW_PLATE.items()}}
    new = {own: value for own, value in told.items() if value}
    old = instrument.serial
    changed = {own: [getattr(instrument, own), value] for own, value in new.items()}
    for own, value in new.items():
        setattr(instrument, own, value)
    instrument.save(update_fields=[*new, "search_key"])
    reason = f"Exchanged in {run.label}. The old one, serial {old}, is retired: {done.values.get(OLD_TO, '')}"[:300]
    InstrumentChange.objects.create(instrument=instrument, at=done.at, by=run.technician, reason=reason, values=changed)


def next_number() -> int:
    """The next run number."""
    return (Run.objects.aggregate(top=Max("number"))["top"] or 0) + 1
