"""What a calibration stands for: samples are entered against it until the day ends or its power is lost, and not a moment longer."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from datetime import datetime, time, timedelta
from typing import Any

from django.db import transaction
from django.utils import timezone

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.plant.models import Instrument
from apps.runs.models import Run, Sample, Validity
from apps.runs.outside import powered_for_s
from apps.runs.store import load_state
from config.failures import Missing
from metrology.faults import Fault, Faults
from metrology.methods.method import Method, Vouched
from metrology.methods.registry import get_method
from metrology.quantities.typed import parse_typed
from metrology.quantities.words import number
from metrology.run.fields import text_of
from metrology.run.progress import final_readings_step, make_progress
from metrology.run.raw import raw_readings
from metrology.run.state import RunState

POWER = "Its power was lost"
RETURNED = "The record was returned"


def project_validity(run: Run, state: RunState) -> None:
    """A signed run that vouches stands for samples from then on until its day ends; one that was returned or voided stands for none."""
    mine = Validity.objects.filter(run=run, ended_at=None)
    if run.status in ("returned", "voided"):
        mine.update(ended_at=timezone.now(), ended_by="", why=RETURNED)
        return
    if run.status != "signed" or state.vouched_at is None:
        return
    method = get_method(run.method)
    if method.vouch is None:
        return
    ends = timezone.make_aware(datetime.combine(timezone.localdate(state.vouched_at) + timedelta(days=1), time()))
    Validity.objects.filter(instrument=run.instrument, ended_at=None).exclude(run=run).update(
        ended_at=state.vouched_at, ended_by="", why=f"{run.label} has taken its place"
    )
    told = {
        "instrument_id": run.instrument_id,
        "since": state.vouched_at,
        "until": ends,
        "vouched": [asdict(v) for v in _vouched(state, method)],
        "ended_at": None,
        "ended_by": "",
        "why": "",
    }
    Validity.objects.update_or_create(run=run, defaults=told)


def _vouched(state: RunState, method: Method) -> tuple[Vouched, ...]:
    """By the set that tells how it was left, and the blank that was kept."""
    assert method.vouch is not None
    standard = raw_readings(state, method, final_readings_step(state, method))
    blanks = [p.step for p in make_progress(state, method).steps if p.step.kind == "judge" and p.step.phase == "restore"]
    kept = ""
    for step in blanks:
        decision = state.decisions.get(step.key)
        if decision and decision.choice.startswith("keep"):
            kept = dict(step.choice_sets).get(decision.choice, step.set_name)
    return method.vouch(state.setup, standard, raw_readings(state, method, kept) if kept else [])


def standing(tag: str, now: datetime) -> Validity | None:
    """The last validity of an instrument, ended where its power was lost or its day is over."""
    found = Validity.objects.select_related("run", "instrument").filter(instrument__tag=tag).order_by("-since").first()
    if found is not None:
        _look(found, now)
    return found


def _look(found: Validity, now: datetime) -> None:
    """End it where it no longer holds."""
    if found.ended_at is not None:
        return
    powered = powered_for_s(found.instrument.tag)
    came = now - timedelta(seconds=powered) if powered is not None else found.since
    if found.since < came < found.until:
        _end(found, at=came, by="", why=f"{POWER}: it has been on for {_span(powered or 0.0)} only")
    elif now >= found.until:
        _end(found, at=found.until, by="", why="Its day is over")


def _span(seconds: float) -> str:
    return f"{seconds:.0f} s" if seconds < 120 else f"{seconds / 60:.0f} min"


def _end(found: Validity, *, at: datetime, by: str, why: str) -> None:
    found.ended_at, found.ended_by, found.why = at, by, why
    found.save(update_fields=["ended_at", "ended_by", "why"])


@transaction.atomic
def end_validity(*, actor: Person, tag: str, why: str, now: datetime) -> Validity:
    """The power was lost, or something else makes it worthless: from now on no sample is taken against it."""
    require(actor, "work on a run")
    found = _holding(tag, now)
    _end(found, at=now, by=actor.name, why=text_of({"why": why}, "why", label="What happened"))
    return found


def _holding(tag: str, now: datetime) -> Validity:
    found = standing(tag, now)
    if found is None:
        raise Missing("no_validity", f"There is no calibration of {tag} that stands for samples. Calibrate it first.")
    if found.ended_at is not None:
        when = timezone.localtime(found.ended_at).strftime("%H:%M")
        told = (
            f"The calibration {found.run.label} no longer holds since {when}: {found.why[:1].lower()}{found.why[1:]}. Calibrate it again."
        )
        raise Fault("not_valid", f"{told} Nothing was stored.", field="name")
    return found


def add_sample(
    *, actor: Person, tag: str, name: str, values: Mapping[str, str], curve: tuple[Sequence[float], Sequence[float]] | None, now: datetime
) -> Sample:
    """A sample against the calibration that holds, by what was typed or by its chromatogram, each component with its U."""
    require(actor, "work on a run")
    found = _holding(tag, now)
    name = text_of({"name": name}, "name", label="The name of the sample")
    vouched = [Vouched(**v) for v in found.vouched]
    shown = _of_curve(found, curve) if curve else _typed(vouched, values)
    results = [result_of(v, shown[v.name]) for v in vouched if v.name in shown]
    if not results:
        raise Fault("missing", "Type what it showed of at least one component.", field="values")
    with transaction.atomic():
        return Sample.objects.create(validity=found, at=now, by=actor.name, name=name, results=results)


def _typed(vouched: Sequence[Vouched], values: Mapping[str, str]) -> dict[str, float]:
    faults, out = [], {}
    for v in vouched:
        text = str(values.get(v.name, "") or "").strip()
        if not text:
            continue
        try:
            value = parse_typed(text, name=v.name, unit=v.unit, field=v.name).value
            if not -0.02 * v.top <= value <= 1.1 * v.top:
                told = f"{v.name} is {value:g} {v.unit}; it was calibrated up to {v.top:g} {v.unit}. Thin the sample, or look at the unit."
                raise Fault("out_of_range", told, field=v.name)
            out[v.name] = value
        except Fault as fault:
            faults.append(fault)
    if faults:
        raise Faults(faults)
    return out


def _of_curve(found: Validity, curve: tuple[Sequence[float], Sequence[float]]) -> dict[str, float]:
    """What a chromatogram shows of each component, by the factors of the calibration."""
    method = get_method(found.run.method)
    if method.chromatography is None:
        raise Fault("no_chromatogram", "This method reads no chromatograms.", field="file")
    _, _, state = load_state(found.run_id)
    made = method.chromatography.read(state.setup, "blank", *curve)  # a sample need not hold every component
    return {name: float(told["indicated"]) for name, told in made.values.items()}


def result_of(v: Vouched, value: float) -> dict[str, Any]:
    """A component of a sample with its U (k = 2)."""
    u = math.sqrt((v.u_percent / 100 * abs(value)) ** 2 + v.u_absolute**2)
    places = max(0, 1 - math.floor(math.log10(u))) if u > 0 else 2
    return {"name": v.name, "unit": v.unit, "value": number(value, places), "u": number(u, places)}


def validity_of(instrument: Instrument, now: datetime) -> Validity | None:
    """What stands for samples of an instrument; None where its method vouches for none."""
    method = get_method(instrument.method) if instrument.method else None
    return standing(instrument.tag, now) if method and method.vouch else None
