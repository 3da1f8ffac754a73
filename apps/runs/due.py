"""When an instrument is due: its interval rule, what happened to it, and what was put off; one place that decides it."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime, timedelta
from typing import Any, cast

from django.utils import timezone

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.plant.models import IN_USE, STATES, TRIGGERS, Deferral, Instrument, Trigger, check_method
from apps.plant.once import once
from apps.plant.policies import policy_for
from apps.runs.came_to import take_results
from apps.runs.models import OPEN, Run
from apps.runs.outside import next_proof
from apps.runs.sensor_life import sensor_life
from config.failures import Missing, NotAllowed
from metrology.faults import Fault
from metrology.judgement.consequence import Ended, open_doubt
from metrology.judgement.decision import FAIL
from metrology.judgement.interval import SIGNAL, Due, Result, next_due
from metrology.methods.registry import METHODS
from metrology.quantities.typed import parse_typed
from metrology.quantities.words import day_words
from metrology.run.results import exchange_of, proofs_in, was_set
from metrology.run.state import RunState

SOON_DAYS = 30
LONGEST_DEFERRAL_DAYS = 365
WAITS = {"re-zero": timedelta(minutes=20)}  # the others are due at once
FINISHED = ("signed", "accepted")


def ended_runs(instrument: Instrument) -> list[Run]:
    """Its runs that have ended, voided ones too, in the order they ended."""
    return list(instrument.runs.filter(status__in=(*FINISHED, "voided"), ended_at__isnull=False).order_by("ended_at", "number"))


def is_calibration(instrument: Instrument, run: Run) -> bool:
    """A finished run by its own method, or by a check beside it, of the same kind of work, that became one because something was set in it."""
    if run.status not in FINISHED:
        return False
    own, other = METHODS.get(instrument.method), METHODS.get(run.method)
    if other is not None and (not other.traits.calibrates or run.decision in other.undone):
        return False
    stands_in = own is not None and other is not None and run.method in own.traits.also and own.traits.policies == other.traits.policies
    return run.method == instrument.method or (run.adjusted and stands_in)


def trims(run: Run) -> bool:
    """A job that is no calibration, in which a trim was made all the same."""
    method = METHODS.get(run.method)
    return run.adjusted and method is not None and not method.traits.calibrates


def is_check(instrument: Instrument, run: Run) -> bool:
    """A run that exposed it to gas as a function check does: the check beside its method, or its calibration, which is more."""
    return run.method in (instrument.method, check_method(instrument.method))


def rule_due(instrument: Instrument, ending: Run | None = None) -> Due | None:
    """What the instrument's interval rule says; None before its first finished run. What its jobs left in doubt makes it due at once.

    ending: a run that ends now and is not stored as ended yet.
    """
    runs = [r for r in ended_runs(instrument) if ending is None or r.pk != ending.pk] + ([ending] if ending else [])
    ended = [(r, timezone.localdate(r.ended_at), is_calibration(instrument, r)) for r in runs if r.ended_at]
    doubt = open_doubt(
        [
            Ended(r.label, on, r.status == "voided", sets, r.method, r.adjusted, r.left_verdict, r.decision, r.stand_in, trims(r))
            for r, on, sets in ended
        ]
    )
    if doubt is not None:
        return Due(doubt.on, "doubt", doubt.says, 0)
    results = _of_the_one_that_is_there([(r, on) for r, on, sets in ended if sets])
    if not results:
        return None
    replace_by = None
    if instrument.due_rule == SIGNAL:
        dates = [c["replace_by"] for c in sensor_life(instrument)["channels"] if c["replace_by"]]
        replace_by = min(dates, default=None)
    return next_due(instrument.due_rule, results, base_days=instrument.interval_days, policy=policy_for(instrument), replace_by=replace_by)


def _of_the_one_that_is_there(runs: list[tuple[Run, date]]) -> list[Result]:
    """The results that tell of the instrument as it is now: from when it was last exchanged on, beginning with how the new one was left."""
    last = max((n for n, (r, _) in enumerate(runs) if r.exchanged), default=-1)
    first = [Result(on, r.left_share, r.left_share) for r, on in runs[last : last + 1]] if last >= 0 else []
    return [*first, *(Result(on, r.found_share, r.left_share, r.found_verdict == FAIL) for r, on in runs[last + 1 :])]


def due_once_signed(run: Run, state: RunState, now: datetime) -> dict[str, str]:
    """When the instrument will be due by its rule once this run is signed, and why: printed with the record, which keeps it."""
    if run.instrument is None:
        return {}
    ending = Run(
        pk=run.pk,
        number=run.number,
        method=run.method,
        status="signed",
        ended_at=now,
        adjusted=was_set(state),
        exchanged=exchange_of(state) is not None,
    )
    take_results(ending, state)
    proved = frozenset(p.point.code for p in proofs_in(state))
    due, proof = rule_due(run.instrument, ending), next_proof(run.instrument, proved, timezone.localdate(now))
    on, why = (due.on, due.why) if due else (None, "")
    if proof and (on is None or proof[0] < on):
        on, why = proof
    return {"next_due": on.isoformat(), "due_why": why} if on else {}


def set_due(instrument: Instrument) -> None:
    """Work out the due date and its reason anew and store them."""
    if instrument.state != IN_USE:
        instrument.next_due, instrument.due_why, instrument.doubt = None, "", ""
        instrument.save(update_fields=["next_due", "due_why", "doubt"])
        return
    due, before = rule_due(instrument), instrument.due_by_history
    if due is not None:
        instrument.next_due, instrument.due_why = due.on, due.why
    elif before is not None:
        instrument.next_due, instrument.due_why = before
    elif instrument.first_due is not None:
        instrument.next_due, instrument.due_why = instrument.first_due, ""
    instrument.first_due = None
    proof = next_proof(instrument)
    if proof and (instrument.next_due is None or proof[0] < instrument.next_due):
        if due is None and before is None:
            instrument.first_due = instrument.next_due
        instrument.next_due, instrument.due_why = proof
    instrument.doubt = due.why[:200] if due is not None and due.rule == "doubt" else ""
    trigger = instrument.triggers.filter(settled_at=None).first()
    if trigger:
        day = timezone.localdate(trigger.due_at)
        if instrument.next_due is None or day <= instrument.next_due:
            note = f" ({trigger.note})" if trigger.note else ""
            instrument.next_due = day
            instrument.due_why = f"{TRIGGERS[trigger.kind].lower()} on {timezone.localtime(trigger.at):%-d %b %Y at %H:%M}{note}"
    put_off = instrument.deferrals.filter(is_approved=True, is_over=False).first()
    if put_off and instrument.next_due and instrument.next_due < put_off.until:
        approver = put_off.decided_by.name if put_off.decided_by else ""
        instrument.due_why += (
            f"; put off from {instrument.next_due:%-d %b %Y} by {put_off.asked_by.name}, approved by {approver}: {put_off.reason}"
        )
        instrument.next_due = put_off.until
    instrument.due_why = instrument.due_why[:400]
    instrument.save(update_fields=["next_due", "due_why", "doubt", "first_due"])


def settle(instrument: Instrument, label: str, now: datetime) -> None:
    """A finished run settles what happened before it, and what was put off."""
    instrument.triggers.filter(settled_at=None, at__lt=now).update(settled_at=now, settled_by=label)
    instrument.deferrals.filter(is_over=False, asked_at__lt=now).update(is_over=True, note=f"Settled by {label}.")


def standing(next_due: date | None, grace_days: int, today: date) -> str:
    """overdue, in grace, due today, soon, or later."""
    if next_due is None:
        return "not set"
    left = (next_due - today).days
    if left < -grace_days:
        return "overdue"
    return "in grace" if left < 0 else "due today" if left == 0 else "soon" if left <= SOON_DAYS else "later"


def open_run(i: Instrument) -> Run | None:
    """The run that is under way on it; looked up once while a page is read."""

    def look() -> dict[int, Run]:
        rows = Run.objects.filter(status__in=OPEN).exclude(instrument=None).select_related("technician")
        return {r.instrument_id: r for r in rows if r.instrument_id}

    return cast(dict[int, Run], once("open runs", look)).get(i.pk)


def due_words(i: Instrument, today: date) -> str:
    """Which rule makes it due, and what is under way: starting is not doing, so it stays due until it is signed."""
    run = open_run(i)
    at = f", at '{run.at_step}'" if run and run.at_step else ""
    begun = (
        f" Under way since {timezone.localtime(run.started_at):%-d %b, %H:%M}, by {run.technician.name}{at} ({run.label})." if run else ""
    )
    return f"{_rule_words(i, today)}{begun}"


def _rule_words(i: Instrument, today: date) -> str:
    if i.state != IN_USE:
        return f"{STATES[i.state]}{f' since {day_words(i.state_since)}' if i.state_since else ''}: {i.state_why} It is not due."
    if i.next_due is None:
        return "No interval is set, so it never falls due."
    left = (i.next_due - today).days
    unit = "day" if abs(left) == 1 else "days"
    when = "Due today" if left == 0 else f"Due in {left} {unit}" if left > 0 else f"Overdue by {-left} {unit}"
    if left < 0 and -left <= i.grace_days:
        when = f"Due since {-left} {unit}, in its grace of {i.grace_days}"
    if i.due_why:
        return f"{when}: {i.due_why}."
    if i.last_done_on is None:
        return f"{when}: never calibrated here yet."
    return f"{when}: every {i.interval_days} days, last done {i.last_done_on:%-d %b %Y}."


def report_trigger(*, actor: Person, instrument: Instrument, kind: str, note: str, now: datetime, minutes: Any = "") -> Trigger:
    """Somebody says what happened to an instrument; it is due at once, or after a while that may be given."""
    require(actor, "report what happened")
    if kind not in TRIGGERS:
        raise Fault("unknown_choice", "Choose what happened.", field="kind")
    wait = WAITS.get(kind, timedelta(0))
    if str(minutes).strip():
        value = parse_typed(str(minutes), name="In how many minutes", unit="min", field="minutes").value
        if not 0 <= value <= 60 * 24 * 365:
            raise Fault("out_of_range", "Choose between 0 minutes and a year.", field="minutes")
        wait = timedelta(minutes=value)
    made = Trigger.objects.create(instrument=instrument, kind=kind, at=now, by=actor, note=note.strip()[:300], due_at=now + wait)
    set_due(instrument)
    return made


def ask_deferral(*, actor: Person, instrument: Instrument, until: str, reason: str, now: datetime) -> Deferral:
    """Ask to do it later; it stays due until somebody else approves."""
    require(actor, "plan the work")
    if instrument.next_due is None:
        raise Fault("not_due", f"{instrument.tag} has no due date, so there is nothing to put off.", field="until")
    try:
        day = date.fromisoformat(until)
    except ValueError:
        raise Fault("bad_date", "Write the new date like 2026-12-01.", field="until") from None
    last = timezone.localdate(now) + timedelta(days=LONGEST_DEFERRAL_DAYS)
    if not max(instrument.next_due, timezone.localdate(now)) < day <= last:
        raise Fault(
            "out_of_range",
            f"Choose a date after it is due ({day_words(instrument.next_due)}) and not after {day_words(last)}.",
            field="until",
        )
    if len(reason.strip()) < 5:
        raise Fault("missing", "Say why it can wait, and what watches meanwhile.", field="reason")
    if instrument.deferrals.filter(is_over=False, decided_at=None).exists():
        raise Fault("asked_already", f"To put {instrument.tag} off was asked already; it waits for approval.", field="until")
    return Deferral.objects.create(
        instrument=instrument, due_on=instrument.next_due, until=day, reason=reason.strip()[:400], asked_by=actor, asked_at=now
    )


def decide_deferral(*, actor: Person, deferral_id: int, approve: bool, note: str, now: datetime) -> Deferral:
    """Approve or refuse; never one's own."""
    require(actor, "approve a deferral")
    found = Deferral.objects.select_related("instrument", "asked_by").filter(pk=deferral_id, decided_at=None, is_over=False).first()
    if found is None:
        raise Missing("unknown_deferral", "That is decided already, or was settled by a calibration.")
    if found.asked_by_id == actor.pk:
        raise NotAllowed("own_work", "You asked for it; somebody else must approve it.")
    if not approve and not note.strip():
        raise Fault("missing", "Say why it can't wait.", field="note")
    found.decided_by, found.decided_at, found.is_approved, found.is_over, found.note = actor, now, approve, not approve, note.strip()[:300]
    found.save()
    set_due(found.instrument)
    return found


def deferral_row(d: Deferral) -> Mapping[str, Any]:
    """A deferral as plain data."""
    state = "waits for approval" if d.decided_at is None and not d.is_over else "approved" if d.is_approved else "refused"
    return {
        "id": d.pk,
        "tag": d.instrument.tag,
        "service": d.instrument.service,
        "due_on": d.due_on,
        "until": d.until,
        "reason": d.reason,
        "asked_by": d.asked_by.name,
        "asked_at": d.asked_at,
        "decided_by": d.decided_by.name if d.decided_by else "",
        "state": "over" if d.is_over and d.is_approved else state,
        "note": d.note,
    }
