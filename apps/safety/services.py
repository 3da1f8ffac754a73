"""Writing safety functions: each field read and checked, changed with a reason, every change kept with who made it."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from datetime import date, datetime
from functools import partial
from typing import Any

from django.db import transaction
from django.utils import timezone

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.plant.merging import differences, merged, who_changed
from apps.plant.models import Instrument
from apps.plant.selectors import get_instrument
from apps.runs.due import set_due
from apps.safety.models import DIRECTIONS, FunctionChange, FunctionMember, SafetyFunction
from config.failures import Missing
from metrology.faults import Fault, Faults, require_range
from metrology.judgement.demand import LEVELS, LOW, MODES, level_of
from metrology.judgement.voting import read_scheme
from metrology.quantities.typed import parse_typed

LABELS = {
    "code": "Code", "name": "Name", "prevents": "What it prevents", "level": "Integrity level", "mode": "Demand mode", "voting": "Vote of its sensors",
    "proof_days": "Proof test every", "coverage_percent": "Coverage of the proof test", "life_years": "Renewed after",
    "beta_percent": "Common cause", "rate_per_hour": "Dangerous undetected failures assumed", "other": "Assumed of logic and final element",
    "source": "Where the assumed figures come from",
    "trip": "Trips at", "within": "Give or take", "direction": "Direction", "since": "Proved last, or put in, on",
}  # fmt: skip
UNITS = {"proof_days": "days", "coverage_percent": "%", "life_years": "years", "beta_percent": "%", "rate_per_hour": "1/h"}
RANGES = {
    "proof_days": (1, 3650),
    "coverage_percent": (1, 100),
    "life_years": (1, 40),
    "beta_percent": (0, 100),
    "rate_per_hour": (1e-12, 1e-2),
    "other": (0, 1),
}
LEVEL_WORDS = {str(n): f"SIL {n}" for n in LEVELS}
CODE = re.compile(r"[A-Za-z0-9][A-Za-z0-9._-]{0,23}")
TEXTS = {"name": (80, True), "prevents": (300, False), "source": (200, False)}
PLAIN = {"name", "prevents", "source"}  # what decides nothing


def form_of(f: SafetyFunction) -> dict[str, str]:
    """A function as a form shows it."""
    return {
        **{n: getattr(f, n) for n in ("code", *TEXTS, "mode", "voting")},
        "level": str(f.level),
        **{n: f"{getattr(f, n):.12g}" for n in RANGES},
    }


def member_form(m: FunctionMember) -> dict[str, str]:
    """A member as a form shows it."""
    return {"trip": f"{m.trip:.12g}", "within": f"{m.within:.12g}", "direction": m.direction, "since": m.since.isoformat()}


def get_function(code: str) -> SafetyFunction:
    """A function by its code."""
    found = SafetyFunction.objects.filter(code__iexact=code).first()
    if found is None:
        raise Missing("unknown_function", f"There is no safety function {code[:40]}.")
    return found


@transaction.atomic
def store_function(*, actor: Person, code: str, data: Mapping[str, Any], now: datetime) -> SafetyFunction:
    """Add a function (code empty), or change it; every fault of the form at once."""
    require(actor, "edit the plant")
    f = get_function(code) if code else SafetyFunction()
    before = form_of(f) if code else {}
    given = {k: str(data.get(k, before.get(k, ""))).strip() for k in form_of(f)}
    if code and isinstance(data.get("seen"), Mapping):
        seen = {str(k): str(v) for k, v in data["seen"].items()}
        given = merged(seen, given, before, what=f.code, label=lambda n: LABELS[n], who=lambda n: who_changed(f.changes.all(), n))
    _fill(f, given)
    changed = differences(before, form_of(f)) if code else {}
    reason = str(data.get("reason") or "").strip()
    if set(changed) - PLAIN and len(reason) < 5:
        raise Fault("missing", "Say why it is changed: it decides when and how it is proved.", field="reason")
    f.save()
    if changed or not code:
        FunctionChange.objects.create(function=f, at=now, by=actor, reason=(reason or "Added")[:300], values=changed)
        _tell(f)
    return f


def _fill(f: SafetyFunction, given: Mapping[str, str]) -> None:
    faults: list[Fault] = []

    def read(name: str, how: Callable[[], Any]) -> None:
        try:
            setattr(f, name, how())
        except Fault as fault:
            faults.append(Fault(fault.code, fault.message, field=name))

    read("code", lambda: _code(f, given["code"]))
    for name, (longest, required) in TEXTS.items():
        read(name, partial(_text, name, given[name], longest, is_required=required))
    read("level", lambda: int(_choice("level", given["level"], LEVEL_WORDS)))
    read("mode", lambda: _choice("mode", given["mode"], MODES))
    read("voting", lambda: _vote(given["voting"]))
    for name in RANGES:
        read(name, partial(_number, name, given[name]))
    f.proof_days = int(f.proof_days)
    twin = SafetyFunction.objects.filter(code__iexact=f.code).exclude(pk=f.pk).first()
    if twin:
        faults.append(Fault("exists", f"There is a function {twin.code} already. Nothing was changed.", field="code"))
    if faults:
        raise Faults(faults)
    f.assumed()
    if f.other and level_of(f.other, f.mode) == 0:
        what = "a probability of failure on demand" if f.mode == LOW else "dangerous failures an hour"
        raise Fault("out_of_range", f"{f.other:g} of logic and final element is no {what} that reaches any level.", field="other")


def _code(f: SafetyFunction, text: str) -> str:
    if f.pk and text != f.code:
        raise Fault("code_stays", f"{f.code} stays so, since records name it.", field="code")
    if not CODE.fullmatch(text):
        raise Fault("bad_code", "A code has 1 to 24 letters, digits, dots and dashes, and begins with a letter or digit.", field="code")
    return text


def _text(name: str, text: str, most: int, *, is_required: bool) -> str:
    if is_required and not text:
        raise Fault("missing", f"{LABELS[name]} is missing.", field=name)
    if len(text) > most:
        raise Fault("too_long", f"{LABELS[name]} is longer than {most} characters.", field=name)
    return text


def _choice(name: str, text: str, known: Mapping[str, str]) -> str:
    if text not in known:
        raise Fault("unknown_choice", f"{LABELS[name]}: choose one of {', '.join(known.values())}.", field=name)
    return text


def _vote(text: str) -> str:
    read_scheme(text)
    return text


def _number(name: str, text: str) -> float:
    low, high = RANGES[name]
    unit = UNITS.get(name, "")
    value = parse_typed(text, name=LABELS[name], unit=unit, field=name).value
    require_range(value, low, high, field=name, unit=unit)
    if name == "proof_days" and value != int(value):
        raise Fault("not_whole", "Days are counted whole.", field=name)
    return value


@transaction.atomic
def store_member(*, actor: Person, code: str, tag: str, data: Mapping[str, Any], now: datetime) -> FunctionMember:
    """Put an instrument into a function, or change where it must trip."""
    require(actor, "edit the plant")
    f, i = get_function(code), get_instrument(tag)
    m = f.members.select_related("instrument", "function").filter(instrument=i).first()
    before = member_form(m) if m else {}
    given = {k: str(data.get(k, before.get(k, ""))).strip() for k in ("trip", "within", "direction", "since")}
    if m and isinstance(data.get("seen"), Mapping):
        seen = {str(k): str(v) for k, v in data["seen"].items()}
        who = who_changed(f.changes.all(), i.tag)
        given = merged(seen, given, before, what=f"{i.tag} in {f.code}", label=lambda n: LABELS[n], who=lambda _n: who)
    m = _filled(m or FunctionMember(function=f, instrument=i), i, given, timezone.localdate(now))
    after = member_form(m)
    reason = str(data.get("reason") or "").strip()
    if before and before != after and len(reason) < 5:
        raise Fault("missing", "Say why it is changed: by this it is judged.", field="reason")
    m.save()
    if before != after:
        FunctionChange.objects.create(
            function=f, at=now, by=actor, reason=(reason or "Put in")[:300], values={i.tag: [_words(before, i.unit), _words(after, i.unit)]}
        )
        set_due(i)
    return m


def _filled(m: FunctionMember, i: Instrument, given: Mapping[str, str], today: date) -> FunctionMember:
    faults: list[Fault] = []
    try:
        m.trip = parse_typed(given["trip"], name="Trips at", unit=i.unit, field="trip").value
        low, high = sorted((i.lrv, i.urv))
        if not low <= m.trip <= high:
            faults.append(
                Fault("out_of_range", f"{i.tag} measures {low:g} to {high:g} {i.unit}: it can't trip at {m.trip:g}.", field="trip")
            )
        m.within = parse_typed(given["within"], name="Give or take", unit=i.unit, field="within").value
        require_range(m.within, 0, high - low, field="within", unit=i.unit)
        m.direction = _choice("direction", given["direction"], DIRECTIONS)
    except Fault as fault:
        faults.append(fault)
    try:
        m.since = date.fromisoformat(given["since"]) if given["since"] else today
        if m.since > today:
            faults.append(Fault("in_the_future", f"{m.since:%-d %b %Y} is still to come.", field="since"))
    except ValueError:
        faults.append(Fault("bad_date", "Write the day like 2026-03-01, or leave it empty for today.", field="since"))
    if faults:
        raise Faults(faults)
    return m


def _words(form: Mapping[str, str], unit: str) -> str:
    return f"{form['trip']} ±{form['within']} {unit} {form['direction']}, since {form['since']}" if form else ""


@transaction.atomic
def take_out(*, actor: Person, code: str, tag: str, reason: str, now: datetime) -> SafetyFunction:
    """Take an instrument out of a function; what it proved stays."""
    require(actor, "edit the plant")
    f, i = get_function(code), get_instrument(tag)
    m = f.members.select_related("instrument").filter(instrument=i).first()
    if m is None:
        raise Missing("unknown_member", f"{i.tag} is not in {f.code}.")
    if len(reason.strip()) < 5:
        raise Fault("missing", "Say why it leaves the function.", field="reason")
    was = _words(member_form(m), i.unit)
    m.delete()
    FunctionChange.objects.create(function=f, at=now, by=actor, reason=reason.strip()[:300], values={i.tag: [was, ""]})
    set_due(i)
    return f


def _tell(f: SafetyFunction) -> None:
    for m in f.members.select_related("instrument"):
        set_due(m.instrument)
