"""Safety functions as they are listed and read: what was found beside what was assumed."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from typing import Any

from django.utils import timezone

from apps.plant.models import Instrument
from apps.safety.models import DIRECTIONS, FunctionMember, ProofTest, SafetyFunction
from apps.safety.proving import last_tests, members_of, proved_until
from apps.safety.services import LABELS, LEVEL_WORDS, form_of, member_form
from metrology.faults import Fault
from metrology.judgement.decision import FAIL
from metrology.judgement.demand import BELOW, HOURS_A_YEAR, LOW, MODES, count_bounds, failure_on_demand, level_of, upper_rate

CONFIDENCE = 0.9
FIELD_CONFIDENCE = 0.7
YEAR = timedelta(days=365)
SHOWN = 200
CAUTION = (
    "An estimate by simplified equations (ISA-TR84.00.02, IEC 61508-6 annex B) from what is entered here: equal sensors, constant rates, "
    "repair time left out. "
    "Whether a function meets its level is for the functional safety assessment of the plant and those licensed for it."
)


def functions_of(i: Instrument) -> dict[str, Any]:
    """For the page of an instrument: the functions it belongs to."""
    return {
        "functions": [
            {"code": m.function.code, "says": f"{m.function.name}, SIL {m.function.level}: trips at {m.point().required}"}
            for m in members_of(i)
        ]
    }


def list_functions(now: datetime) -> dict[str, Any]:
    """All functions, those with a test overdue first; what may be chosen of one, and the form of a new one."""
    members = list(FunctionMember.objects.select_related("instrument__area", "function"))
    last, today = last_tests(members), timezone.localdate(now)
    rows = [_row(f, [m for m in members if m.function_id == f.pk], last, today) for f in SafetyFunction.objects.all()]
    return {
        "rows": sorted(rows, key=lambda r: (-r["overdue"], r["code"])),
        "blank": {**form_of(SafetyFunction()), "rate_per_hour": ""},
        **choices(),
    }


def choices() -> dict[str, list[dict[str, str]]]:
    """What may be chosen of a function and its members."""
    words = {"levels": LEVEL_WORDS, "modes": MODES, "directions": DIRECTIONS}
    return {name: [{"value": v, "label": label} for v, label in known.items()] for name, known in words.items()}


def _row(f: SafetyFunction, members: list[FunctionMember], last: dict[int, ProofTest], today: date) -> dict[str, Any]:
    until = [proved_until(m, last.get(m.pk)) for m in members]
    return {
        "code": f.code, "name": f.name, "level": LEVEL_WORDS[str(f.level)], "mode": MODES[f.mode], "voting": f.voting or "1oo1",
        "tags": [m.instrument.tag for m in members], "next_proof": min(until, default=None), "overdue": sum(u < today for u in until),
    }  # fmt: skip


def whole(f: SafetyFunction, now: datetime) -> dict[str, Any]:
    """A function with its instruments, its tests, and its figures."""
    today = timezone.localdate(now)
    members = list(f.members.select_related("instrument__area", "function"))
    last, tests = last_tests(members), list(f.tests.select_related("run", "instrument").order_by("-at", "-pk"))
    changes = f.changes.select_related("by").order_by("-at", "-pk")[:SHOWN]
    return {
        **_row(f, members, last, today),
        **choices(),
        "prevents": f.prevents,
        "source": f.source,
        "form": form_of(f),
        "members": [_member(m, last.get(m.pk), today) for m in members],
        "tests": [_test(t) for t in tests[:SHOWN]],
        "figures": _figures(f, _observed_hours(members, last), tests, now),
        "caution": CAUTION,
        "changes": [{"at": c.at, "by": c.by.name, "reason": c.reason, "what": _what(c.values)} for c in changes],
    }


def _what(values: dict[str, list[Any]]) -> str:
    return "; ".join(f"{LABELS.get(k, k)}: {a or 'nothing'} to {b or 'nothing'}" for k, (a, b) in values.items())


def _member(m: FunctionMember, last: ProofTest | None, today: date) -> dict[str, Any]:
    until = proved_until(m, last)
    return {
        "tag": m.instrument.tag, "service": m.instrument.service, "unit": m.instrument.unit, "required": m.point().required,
        "direction": DIRECTIONS[m.direction], "form": member_form(m), "last": timezone.localdate(last.at) if last else None,
        "verdict": last.found_verdict if last else "", "until": until, "days": (until - today).days, "doubt": m.instrument.doubt,
    }  # fmt: skip


def _test(t: ProofTest) -> dict[str, Any]:
    unit = t.instrument.unit
    return {
        "run": t.run_id, "number": t.run.label, "tag": t.instrument.tag, "on": timezone.localdate(t.at), "path": t.path,
        "required": f"{t.trip:g} {unit}", "found": f"{t.found:g} {unit}" if t.found is not None else "no trip", "found_verdict": t.found_verdict,
        "is_dangerous": t.is_dangerous, "left": f"{t.left:g} {unit}" if t.left is not None else "no trip", "left_verdict": t.left_verdict,
        "bypass": f"{t.bypass_min:g} min",
    }  # fmt: skip


def _figures(f: SafetyFunction, hours: float, tests: list[ProofTest], now: datetime) -> list[dict[str, Any]]:
    """Each figure with where it comes from; nothing is told of what there is no test of. hours: that the tests looked back on."""
    what = "Average probability of failure on demand" if f.mode == LOW else "Dangerous failures an hour"
    told = f"{f.rate_per_hour:.2g} dangerous undetected failures an hour and sensor, as entered."
    out = [*_found_failed(tests), _demand(f, f"{what}, assumed", f.rate_per_hour, told)]
    if tests and hours > 0:
        failed = sum(t.is_dangerous for t in tests)
        rate = upper_rate(failed, hours, confidence=FIELD_CONFIDENCE)
        told = (
            f"{failed} found failed in {hours / HOURS_A_YEAR:.3g} sensor years: not more than {rate:.2g} an hour with 70 % confidence "
            f"(IEC 61508-2, 7.4.9.5). Best estimate {failed / hours:.2g}."
        )
        out.append(_demand(f, f"{what}, from what was found", rate, told))
    lately, ever = sum(t.bypass_min for t in tests if t.at >= now - YEAR), sum(t.bypass_min for t in tests)
    told = f"{ever / 60:.3g} h in all, by its proof tests and their holds."
    return [*out, _figure("In bypass, last 12 months", f"{lately / 60:.3g} h", told)]


def _found_failed(tests: list[ProofTest]) -> list[dict[str, Any]]:
    """How many would not have acted in time, with bounds; and how many tripped early."""
    if not tests:
        return []
    failed, many = sum(t.is_dangerous for t in tests), len(tests)
    share = count_bounds(failed, many, confidence=CONFIDENCE)
    bounds = f"Between {100 * share.low:.2g} and {min(100.0, 100 * share.high):.3g} % with 90 % confidence (chi-square)."
    out = [_figure("Found failed", f"{failed} of {many} tests: {100 * share.estimate:.3g} %", f"Would not have acted in time. {bounds}")]
    early = sum(t.found_verdict == FAIL and not t.is_dangerous for t in tests)
    if early:
        out.append(
            _figure("Found early", f"{early} of {many} tests", "Outside what is required, on the safe side: it may trip without need.")
        )
    return out


def _observed_hours(members: list[FunctionMember], last: dict[int, ProofTest]) -> float:
    """Sensor hours that the tests looked back on: of each member from its start to its last test."""
    days = (max(0, (timezone.localdate(last[m.pk].at) - m.since).days) for m in members if m.pk in last)
    return 24.0 * sum(days)


def _demand(f: SafetyFunction, name: str, rate: float, told: str) -> dict[str, Any]:
    try:
        value = failure_on_demand(min(rate, 1.0), f.assumed())
    except Fault as fault:
        return _figure(name, "not known", fault.message)
    if f.mode == LOW and value >= BELOW[LOW][0]:
        return _figure(name, "above 0.1, no level", f"{told} The simplified equations do not hold so far up.", is_met=False)
    reached = level_of(value, f.mode)
    verdict = "as required" if reached >= f.level else f"SIL {f.level} is required"
    return _figure(name, f"{value:.2g}, {f'SIL {reached}' if reached else 'no level'}: {verdict}", told, is_met=reached >= f.level)


def _figure(name: str, value: str, says: str, *, is_met: bool = True) -> dict[str, Any]:
    return {"name": name, "value": value, "says": says, "is_met": is_met}
