"""Reading rounds of function checks: which are due, what stands where, what the gas will last for, and who else has it."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, timedelta
from typing import Any

from django.db.models import Q
from django.utils import timezone

from apps.accounts.models import Person
from apps.checks.models import CheckJob, CheckRound
from apps.plant.models import Instrument, check_method
from apps.plant.services import policy_for
from apps.runs.due import standing
from apps.runs.gas import bottle_words, bottles
from apps.runs.models import OPEN, KitUse, Run
from apps.runs.store import load_state
from metrology.faults import Fault
from metrology.methods.method import Method
from metrology.methods.registry import METHODS, get_method
from metrology.run.onward import waits_for
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
    rows = [_job_row(j) for j in jobs]
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


def _job_row(job: CheckJob) -> dict[str, Any]:
    i = job.instrument
    state, at, held, verdict, asks = _stands(job)
    return {
        "tag": i.tag,
        "service": i.service,
        "area": i.area.name,
        "voting_group": i.voting_group,
        "hazards": i.hazards,
        "takes_hold": METHODS[check_method(i.method)].traits.takes_hold,
        "inhibit_ma": str(i.details.get("inhibit_ma") or ""),
        "run": job.run_id,
        "state": state,
        "at_step": at,
        "is_on_hold": held,
        "verdict": verdict,
        "note": job.note,
        "asks": asks,
    }


def _stands(job: CheckJob) -> tuple[str, str, bool, str, list[dict[str, str]]]:
    """Where a job stands, at which step, whether it is on hold, its verdict as found, and what it asks before its reading that nobody has said."""
    if job.run is None:
        return ("passed over" if job.note else "to do"), "", False, "", []
    if job.run.status not in OPEN:
        return job.run.status, "", False, job.run.found_verdict, []
    _, _, state = load_state(job.run.id)
    step = make_progress(state, get_method(state.setup.method)).current
    held = bool(state.open_holds)
    if step is not None and step.kind == "sign":
        return "ready", step.title, held, job.run.found_verdict, []
    judged = evaluate_together(state, get_method(state.setup.method), step.set_name).verdict if step and step.kind == "judge" else ""
    said = {**{k: v for k, v in job.round.said.items() if v}, "tag": job.instrument.tag}
    waits = waits_for(state, get_method(state.setup.method), said) if step and step.phase in ("prepare", "make safe") else ()
    asks = [{"name": f.name, "label": f.label, "unit": f.unit} for f in waits if f.kind in ("text", "number") and f.name != "ma"]
    return ("set aside" if job.note else "at work"), step.title if step else "", held, judged or job.run.found_verdict, asks


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
    for job in still:
        for code, litres in _takes(found, job):
            before, n = out.get(code, (0.0, 0))
            out[code] = (before + litres, n + 1)
    return out


def _takes(found: CheckRound, job: CheckJob) -> list[tuple[str, float]]:
    """What a check takes of which bottle: as assigned, else of the first that holds what it needs."""
    if job.run is not None:
        _, _, state = load_state(job.run.id)
        if state.readings:
            return []
        return [(str(p["bottle"]["code"]), float(p["litres"])) for p in state.gases.values()]
    held = {b.code: b for b in bottles()}
    out = []
    for need in needs_of(job.instrument):
        gas = need.detail.gas
        for row in found.gases:
            bottle = held.get(row["bottle"])
            if bottle and (bottle.component(gas) if need.detail.kind != "zero" else not bottle.gases):
                out.append((bottle.code, need.amount))
                break
    return out


def needs_of(instrument: Instrument) -> list[Any]:
    """The gases of its function check; none where its register does not hold together."""
    method: Method = METHODS[check_method(instrument.method)]
    try:
        setup = instrument.run_setup(policy_for(instrument), method.revision, method.key)
    except Fault:
        return []
    return [n for n in method.standards.needs(setup) if n.kind == "gas" and n.at_start]


def _others(code: str, found: CheckRound) -> list[str]:
    """Who else uses a bottle now: by an open run, or in a round that is not over."""
    if code == "AMBIENT":
        return []
    runs = KitUse.objects.filter(item=code, run__status__in=OPEN).exclude(run__technician_id=found.owner_id)
    names = {f"{u.run.technician.name}, on {u.run.instrument.tag}" for u in runs.select_related("run__technician", "run__instrument")}
    rounds = CheckRound.objects.filter(closed_at=None).exclude(Q(pk=found.pk) | Q(owner_id=found.owner_id)).select_related("owner")
    names |= {f"{r.owner.name}, in a round of checks" for r in rounds if any(g["bottle"] == code for g in r.gases)}
    return sorted(names)
