"""Reading rounds of function checks: which are due, what stands where, what the gas will last for, and who else has it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from datetime import date, datetime, timedelta
from typing import Any

from django.db.models import Q
from django.utils import timezone

from apps.accounts.models import Person
from apps.checks.gas import Kit, first_that_suits, kits_of
from apps.checks.models import CheckJob, CheckRound
from apps.plant.models import Instrument, check_method
from apps.plant.policies import policy_for
from apps.runs.due import standing
from apps.runs.gas import bottle_words, bottles
from apps.runs.models import OPEN, KitUse, Run
from apps.runs.store import load_state
from config.failures import Missing
from metrology.faults import Fault
from metrology.judgement.gas_kit import AMBIENT
from metrology.methods.method import Method
from metrology.methods.registry import METHODS, get_method
from metrology.methods.setup import RunSetup
from metrology.run.onward import BEFORE, tap_before, tap_now, waits_for
from metrology.run.progress import evaluate_together, make_progress

SHOWN_DAYS = 30
SHOWN = 200


def checks_due(today: date, *, area: str = "", days: int = SHOWN_DAYS) -> list[dict[str, Any]]:
    """Detectors whose function check is due within so many days, the most overdue first."""
    found = Instrument.objects.filter(next_check__lte=today + timedelta(days=days)).select_related("area")
    if area:
        found = found.filter(area__code=area)
    at_work = dict(Run.objects.filter(status__in=OPEN, instrument__in=found).values_list("instrument_id", "id"))
    return [_due_row(i, today, at_work.get(i.pk)) for i in found.order_by("next_check", "tag")[:SHOWN]]


def _due_row(i: Instrument, today: date, run: Any) -> dict[str, Any]:
    assert i.next_check is not None
    left = (i.next_check - today).days
    last = i.last_check_on or i.last_done_on
    since = f"last exposed {last:%-d %b %Y}" if last else "never checked here yet"
    when = "due today" if left == 0 else f"due in {left} days" if left > 0 else f"overdue by {-left} {'day' if left == -1 else 'days'}"
    return {
        "tag": i.tag,
        "service": i.service,
        "area": i.area.name,
        "area_code": i.area.code,
        "voting_group": i.voting_group,
        "next_check": i.next_check,
        "standing": standing(i.next_check, 0, today),
        "why": f"{when.capitalize()}, every {i.details.get('check_days')} days; {since}.",
        "run": run,
    }


def open_rounds(person: Person) -> list[dict[str, Any]]:
    """Rounds that are not over, one's own first."""
    found = CheckRound.objects.filter(closed_at=None).select_related("owner").prefetch_related("jobs__run")
    rows = [
        {
            "id": r.id,
            "by": r.owner.name,
            "is_mine": r.owner_id == person.pk,
            "made_at": r.made_at,
            "jobs": len(r.jobs.all()),
            "done": sum(j.run is not None and j.run.status not in OPEN for j in r.jobs.all()),
        }
        for r in found[:20]
    ]
    return sorted(rows, key=lambda r: not r["is_mine"])


def round_data(found: CheckRound, person: Person, now: datetime) -> dict[str, Any]:
    """A round with its detectors in their order and its gas."""
    jobs = list(found.jobs.select_related("instrument__area", "run", "round"))
    rows = [_job_row(j, now) for j in jobs]
    return {
        "id": found.id,
        "by": found.owner.name,
        "is_mine": found.owner_id == person.pk,
        "made_at": found.made_at,
        "closed_at": found.closed_at,
        "said": found.said,
        "jobs": rows,
        "ready": sum(r["state"] == "ready" for r in rows),
        "gases": _gases(found, [j for j, r in zip(jobs, rows, strict=True) if r["state"] in ("to do", "at work")], now),
    }


def _job_row(job: CheckJob, now: datetime) -> dict[str, Any]:
    i = job.instrument
    return {
        "tag": i.tag,
        "service": i.service,
        "area": i.area.name,
        "voting_group": i.voting_group,
        "unit": i.unit,
        "run": job.run_id,
        "note": job.note,
        "verdict": job.run.found_verdict if job.run else "",
        "at_step": "",
        "is_on_hold": False,
        "asks": [],
        **_stands(job, now),
    }


def _stands(job: CheckJob, now: datetime) -> dict[str, Any]:
    """Where a job stands: its state, and of one at work its step, its hold, its verdict and what it asks before its reading that nobody has said."""
    if job.run is None:
        return {"state": "passed over" if job.note else "to do"}
    if job.run.status not in OPEN:
        return {"state": job.run.status}
    _, _, state = load_state(job.run.id)
    method = get_method(state.setup.method)
    step = make_progress(state, method).current
    if step is None or step.kind == "sign":
        return {"state": "ready"}
    told: dict[str, Any] = {"state": "set aside" if job.note else "at work", "at_step": step.title, "is_on_hold": bool(state.open_holds)}
    if step.kind == "judge":
        told["verdict"] = evaluate_together(state, method, step.set_name).verdict
    if step.phase in BEFORE:
        said = {**{k: v for k, v in job.round.said.items() if v}, "tag": job.instrument.tag}
        waits = waits_for(state, method, said, now=now, speaks_for=BEFORE)
        told["asks"] = [{"name": f.name, "label": f.label, "unit": f.unit} for f in waits if f.kind in ("text", "number")]
    return told


def tap_of(found: CheckRound, tag: str) -> dict[str, Any]:
    """What the next tap of a detector of the round says, to be read before it is said."""
    job = found.jobs.select_related("instrument__area", "run").filter(instrument__tag=tag).first()
    if job is None:
        raise Missing("not_in_round", f"{tag} is not in this round.", field="tag")
    if job.run is not None and job.run.status in OPEN:
        _, _, state = load_state(job.run.id)
        return asdict(tap_now(state, get_method(state.setup.method)))
    return asdict(tap_before(*_setup_of(job.instrument)))


def _setup_of(instrument: Instrument) -> tuple[RunSetup, Method]:
    """What the function check of an instrument would be set up with, and its method."""
    method = METHODS[check_method(instrument.method)]
    return instrument.run_setup(policy_for(instrument), method.revision, method.key), method


def _gases(found: CheckRound, still: Sequence[CheckJob], now: datetime) -> list[dict[str, Any]]:
    """Each bottle of the round with what is left, what those still to do will take of it, and who else uses it."""
    by_code = {b.code: b for b in bottles()}
    today = timezone.localdate(now)
    wanted = _litres(found, still, today)
    out = []
    for gas in found.gases:
        bottle = by_code.get(gas["bottle"])
        told = bottle_words(bottle) if bottle else {"code": gas["bottle"], "holds": "ambient air", "litres_left": None, "state": ""}
        litres, checks = wanted.get(gas["bottle"], (0.0, 0))
        left = told["litres_left"]
        out.append(
            {
                **gas,
                "holds": told["holds"],
                "litres_left": left,
                "litres_wanted": round(litres, 1),
                "checks": checks,
                "is_short": left is not None and left < litres,
                "others": _others(gas["bottle"], found),
            }
        )
    return out


def _litres(found: CheckRound, still: Sequence[CheckJob], today: date) -> dict[str, tuple[float, int]]:
    """Litres that those still to do will take, and how many they are, by bottle."""
    out: dict[str, tuple[float, int]] = {}
    kits = kits_of(found)
    for job in still:
        for code, litres in _takes(kits, job, today):
            before, n = out.get(code, (0.0, 0))
            out[code] = (before + litres, n + 1)
    return out


def _takes(kits: Sequence[Kit], job: CheckJob, today: date) -> list[tuple[str, float]]:
    """What a check takes of which bottle: as assigned, else of the first that suits it."""
    if job.run is not None:
        _, _, state = load_state(job.run.id)
        return [] if state.readings else [(str(p["bottle"]["code"]), float(p["litres"])) for p in state.gases.values()]
    try:
        setup, method = _setup_of(job.instrument)
    except Fault:
        return []  # its register does not hold together, which is told when it is begun
    needs = [n for n in method.standards.needs(setup) if n.kind == "gas" and n.at_start]
    chosen = [(first_that_suits(kits, n.detail, setup.policy, today)[0], n.amount) for n in needs]
    return [(gas["bottle"], litres) for gas, litres in chosen if gas]


def _others(code: str, found: CheckRound) -> list[str]:
    """Who else uses a bottle now: by an open run, or in a round that is not over."""
    if code == AMBIENT:
        return []
    runs = KitUse.objects.filter(item=code, run__status__in=OPEN).exclude(run__technician_id=found.owner_id)
    names = {f"{u.run.technician.name}, on {u.run.tag}" for u in runs.select_related("run__technician", "run__instrument")}
    rounds = CheckRound.objects.filter(closed_at=None).exclude(Q(pk=found.pk) | Q(owner_id=found.owner_id)).select_related("owner")
    names |= {f"{r.owner.name}, in a round of checks" for r in rounds if any(g["bottle"] == code for g in r.gases)}
    return sorted(names)
