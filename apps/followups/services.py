"""Follow-ups opened when a run is signed that found its instrument outside, answered, and closed by somebody else."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from datetime import date, datetime

from django.db import transaction
from django.utils import timezone

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.followups.models import FollowUp, FollowUpChange
from apps.runs.due import ended_runs, is_calibration
from apps.runs.models import Run
from config.failures import Missing, NotAllowed
from metrology.faults import Fault, Faults
from metrology.judgement.decision import FAIL, MARGINAL, PASS
from metrology.judgement.impact import FoundOutside, impact_words
from metrology.quantities.words import day_words
from metrology.run.results import proofs_in
from metrology.run.state import RunState

ASKED = {
    "impact": (
        "What ran on it meanwhile",
        "Product, releases, trips, reports that counted on it, and whether any of it must be looked at again",
    ),
    "told": ("Who was told", "Names and when: operations, quality, safety, the customer"),
    "cause": ("Why it was off", "As far as it is known, with what shows it"),
    "action": ("What is done about it", "So that it does not come again: interval, mounting, exchange, training"),
}
LONGEST = 4000


def follow(run: Run, state: RunState) -> None:
    """Open, bring up to date or end the follow-up of a run that has ended; kept with the run, in one go."""
    held = FollowUp.objects.filter(run=run).first()
    if run.instrument is None:
        return
    outside = run.status != "voided" and run.found_verdict == FAIL and is_calibration(run.instrument, run)
    if outside and held is None:
        FollowUp.objects.create(run=run, opened_at=run.signed_at or timezone.now(), estimate=_estimate(run, state))
    elif outside and held is not None and held.ended:  # signed anew, outside again
        held.closed_at, held.ended, held.estimate = None, "", _estimate(run, state)
        held.save()
    elif not outside and held is not None and held.closed_at is None and run.status in ("signed", "voided"):
        held.closed_at = run.ended_at or timezone.now()
        held.ended = "Its record was voided." if run.status == "voided" else "Signed anew, it was found inside its limits."
        held.save()


def _estimate(run: Run, state: RunState) -> str:
    """How wrong it was, and since when at the latest: of its trip where that was not as required, of its readings where they were outside."""
    trips = [f"{p.point.code}: {p.found.says}." for p in proofs_in(state) if p.found.verdict == FAIL]
    inside = run.found_share is not None and abs(run.found_share) <= 100
    if trips and inside:
        good = _last_good(run)
        since = f"It was last good on {day_words(good)}." if good else "When it was last good is not known here."
        return " ".join([*trips, "Its readings were inside their limits.", since])[:500]
    i = run.instrument
    assert i is not None
    on = timezone.localdate(run.signed_at)
    per_percent = (i.urv - i.lrv) / 100 if i.transfer == "linear" else 0.0
    words = impact_words(FoundOutside(on, run.found_error, run.found_share, per_percent, i.unit, _last_good(run)))
    return " ".join([*trips, words])[:500]


def _last_good(run: Run) -> date | None:
    """When the instrument was last left inside its limits before a run."""
    assert run.instrument is not None
    for r in reversed(ended_runs(run.instrument)):
        is_before = r.ended_at is not None and run.ended_at is not None and r.ended_at < run.ended_at
        if r.pk != run.pk and is_before and is_calibration(run.instrument, r) and r.left_verdict in (PASS, MARGINAL):
            return timezone.localdate(r.ended_at)
    return None


def get_follow_up(follow_up_id: uuid.UUID) -> FollowUp:
    """A follow-up by id."""
    found = FollowUp.objects.select_related("run__instrument__area", "run__technician", "closed_by").filter(pk=follow_up_id).first()
    if found is None:
        raise Missing("unknown_follow_up", "There is no such follow-up.")
    return found


@transaction.atomic
def answer(*, actor: Person, follow_up_id: uuid.UUID, values: Mapping[str, str], version: int, now: datetime) -> FollowUp:
    """Write what is asked; what somebody else wrote since the page was read is not overwritten."""
    require(actor, "answer a follow-up")
    found = get_follow_up(follow_up_id)
    if found.closed_at is not None:
        raise Fault("closed", f"The follow-up of {found.run.label} is closed. Nothing was stored.", field="impact")
    changed = {k: [getattr(found, k), v.strip()] for k, v in values.items() if k in ASKED and v.strip() != getattr(found, k)}
    if version != found.version and changed:
        last = found.changes.select_related("by").last()
        who = last.by.name if last else "Somebody"
        told = f"{who} wrote here since you opened it. Nothing of yours was stored, and it stays in your fields: read theirs below, then keep yours again."
        raise Fault("changed_meanwhile", told, version=found.version)
    too_long = [
        Fault("too_long", f"{ASKED[k][0]} is longer than {LONGEST} characters. Shorten it.", field=k)
        for k, (_, new) in changed.items()
        if len(new) > LONGEST
    ]
    if too_long:
        raise Faults(too_long)
    if changed:
        for name, (_, new) in changed.items():
            setattr(found, name, new)
        found.version += 1
        found.save()
        FollowUpChange.objects.create(follow_up=found, at=now, by=actor, values=changed)
    return found


@transaction.atomic
def close(*, actor: Person, follow_up_id: uuid.UUID, note: str, now: datetime) -> FollowUp:
    """Close it: everything is answered, and whoever closes it wrote none of it and did not sign the run."""
    require(actor, "close a follow-up")
    found = get_follow_up(follow_up_id)
    if found.closed_at is not None:
        raise Fault("closed", f"The follow-up of {found.run.label} is closed already.")
    missing = [
        Fault("missing", f"'{label}' is not answered yet.", field=name)
        for name, (label, _) in ASKED.items()
        if len(getattr(found, name)) < 3
    ]
    if missing:
        raise Faults(missing)
    if actor.pk == found.run.technician_id or found.changes.filter(by=actor).exists():
        told = "You signed this run or wrote in this follow-up: somebody else closes it, so that two have looked at it. Nothing was stored."
        raise NotAllowed("own_work", told)
    found.closed_at, found.closed_by, found.closing_note = now, actor, note.strip()[:400]
    found.save()
    return found
