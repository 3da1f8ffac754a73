"""A round of function checks as a whole: made, its gas added to, signed, over."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from datetime import datetime

from django.db import transaction
from django.db.models import Q
from django.utils import timezone

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.checks.models import CheckJob, CheckRound
from apps.checks.order import Stop, in_order
from apps.planning.jobs import base_of, ways
from apps.plant.models import Area, Instrument, check_method
from apps.runs.gas import gas_snapshot
from apps.runs.models import OPEN
from apps.runs.together import require_own, sign_ready
from config.failures import Missing
from metrology.faults import Fault
from metrology.quantities.typed import parse_typed
from metrology.run.state import RunState

MOST = 60
SAID = ("operator", "permit", "temperature", "reminder", "minutes", "stand_in", "air_why", "pressure_kpa")
LIMITS = (
    ("temperature", "Air temperature", "°C", -40, 70),
    ("minutes", "Hold for", "min", 1, 240),
    ("pressure_kpa", "Air pressure", "kPa", 50, 115),
)


def make_round(
    *, actor: Person, tags: Sequence[str], said: Mapping[str, str], gases: Sequence[Mapping[str, str]], now: datetime
) -> CheckRound:
    """A round of the detectors chosen, in walking order."""
    require(actor, "start a run")
    chosen = {i.tag: i for i in Instrument.objects.filter(tag__in=tags).select_related("area")}
    _refuse_what_cannot_be_in_it(tags, chosen)
    told = _checked(said, needs_permit=any(i.area.needs_permit for i in chosen.values()))
    if not gases:
        raise Fault("missing", "Choose the gas: at least one bottle, or ambient air.", field="gases")
    with transaction.atomic():
        made = CheckRound.objects.create(owner=actor, made_at=now, said=told, gases=[dict(g) for g in gases])
        CheckJob.objects.bulk_create(
            CheckJob(round=made, instrument=chosen[stop.tag], position=n) for n, stop in enumerate(_ordered(list(chosen.values())))
        )
    return made


def _refuse_what_cannot_be_in_it(tags: Sequence[str], chosen: Mapping[str, Instrument]) -> None:
    missing = sorted(set(tags) - set(chosen))
    if missing:
        raise Missing("unknown_tag", f"There is no {', '.join(missing)} in the register.", field="tags")
    without = [i.tag for i in chosen.values() if not check_method(i.method)]
    if without:
        raise Fault("no_check", f"{', '.join(without)}: no function check goes beside its method.", field="tags")
    if not 1 <= len(chosen) <= MOST:
        raise Fault("bad_round", f"Choose 1 to {MOST} detectors; {len(chosen)} were chosen.", field="tags")
    under_way = CheckJob.objects.filter(round__closed_at=None, instrument__in=chosen.values()).filter(_is_still_to_do())
    for job in under_way.select_related("round__owner", "instrument")[:1]:
        raise Fault("in_a_round", f"{job.instrument.tag} is in a round of {job.round.owner.name} already.", field="tags")


def _is_still_to_do() -> Q:
    """Not begun and not passed over, or begun and not ended."""
    return Q(run=None, note="") | Q(run__status__in=OPEN)


def _checked(said: Mapping[str, str], *, needs_permit: bool) -> dict[str, str]:
    """What is said once, complete: it becomes part of every record."""
    told = {k: str(said.get(k, "")).strip() for k in SAID}
    told["minutes"] = told["minutes"] or "30"
    asked = {
        "operator": "who in the control room was told",
        "temperature": "the air temperature",
        "reminder": "what becomes of their own reminders",
        **({"permit": "the permit: one of the areas needs it"} if needs_permit else {}),
    }
    for name, what in asked.items():
        if not told[name]:
            raise Fault("missing", f"Say {what}.", field=name)
    for name, label, unit, low, high in LIMITS:
        if told[name]:
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


def own_round(actor: Person, round_id: uuid.UUID) -> CheckRound:
    """A round by id, which must be one's own."""
    found = find_round(round_id)
    require_own(found.owner, actor, "round")
    return found


def sign_all(*, actor: Person, round_id: uuid.UUID, note: str, now: datetime) -> int:
    """One signature for all that is ready, a record each; the password was confirmed at the door. Returns how many were signed."""
    require(actor, "sign a run")
    found = own_round(actor, round_id)
    ready = found.jobs.filter(run__status__in=OPEN).values_list("run", flat=True)
    nothing = "Nothing is ready to be signed: no detector of this round has its hold off and is finished."
    return sign_ready(actor, ready, note, now, nothing=nothing)


def close_if_over(found: CheckRound, now: datetime) -> None:
    """A round is over when every detector has its record, or was passed over without having been begun."""
    if not found.jobs.filter(_is_still_to_do()).exists():
        CheckRound.objects.filter(pk=found.pk, closed_at=None).update(closed_at=now)


def follow(run_id: uuid.UUID, state: RunState) -> None:
    """A run that has ended, wherever that was done, may have been the last of its round."""
    if state.status not in OPEN:
        for job in CheckJob.objects.filter(run=run_id, round__closed_at=None).select_related("round"):
            close_if_over(job.round, timezone.now())


def add_gas(*, actor: Person, round_id: uuid.UUID, gas: Mapping[str, str]) -> CheckRound:
    """One more bottle with its fittings for those that are still to do."""
    require(actor, "work on a run")
    found = own_round(actor, round_id)
    gas_snapshot({"role": "", **gas})  # it is there
    found.gases = [*(g for g in found.gases if g["bottle"] != gas["bottle"]), dict(gas)]
    found.save(update_fields=["gases"])
    return found
