"""The plant's policies and those of each method: what can be set, what counts on a day, and every change with who, when, why and from when it counts."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from django.db import transaction
from django.utils import timezone

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.plant.following import tell_edited
from apps.plant.models import Instrument, Layers, PolicyChange, all_layers, layers_on
from apps.plant.register import read_policies
from config import background
from config.reasons import require_reason
from metrology.faults import Fault
from metrology.judgement.policy import CHOICES, POLICY_FIELDS, Policy, resolve_policy
from metrology.methods.registry import METHODS, all_settings, methods_of
from metrology.methods.settings import Options, SettingField, Settings, asked, read_one, read_settings, setting_fields
from metrology.methods.setup import KIT

WHOLE_PLANT = ""
LONGEST_AHEAD = 366
# What decides due dates: with a change of these they are worked out anew, so it counts at once.
INTERVALS = frozenset({"least_results", "extend_factor", "shorten_factor", "extend_below", "longest_factor", "reliability"})


@dataclass(frozen=True)
class RegisterSettings(Settings):
    """What the plant says of its register and its people.

    first_due: when a new instrument is due of which nothing is known. one_time_codes: for what people prove themselves with a device of their own.
    """

    first_due: str = asked(
        "A new instrument of which nothing is known", "choice", default="today",
        options=(("today", "is due at once"), ("spread", "is due at its place in its interval")), is_policy=True,
    )  # fmt: skip
    one_time_codes: str = asked(
        "One-time codes of a device of one’s own, besides the password", "choice", default="none",
        options=(
            ("none", "are not wanted"), ("signing", "are wanted at each signature"),
            ("administration", "are wanted for looking after people and policies"), ("both", "are wanted for both"),
        ), is_policy=True,
    )  # fmt: skip


@dataclass(frozen=True)
class Asked:
    """One policy as it is asked. usual: what holds where nothing is set. methods: for which it counts; all of them where empty.

    setting: of a method or of the register, where it is one; the others are those that all work knows.
    """

    name: str
    label: str
    kind: str
    unit: str
    hint: str
    options: Options
    usual: str
    methods: tuple[str, ...] = ()
    only_plant: bool = False
    setting: SettingField | None = None


def titles() -> dict[str, str]:
    """The methods that may have policies of their own, by key."""
    return {m.key: m.title for m in sorted(METHODS.values(), key=lambda m: m.title)}


def asked_policies() -> dict[str, Asked]:
    """Every policy there is, by name: those that all work knows, those of methods, those of the register."""
    out = {}
    for p in POLICY_FIELDS:
        methods = tuple(k for k, m in METHODS.items() if p.group in m.traits.policies) if p.group else ()
        kind = "choice" if p.name in CHOICES else "number"
        usual = getattr(Policy(), p.name)
        options = tuple(CHOICES.get(p.name, {}).items())
        out[p.name] = Asked(p.name, p.label, kind, p.unit, p.hint, options, _text(usual), methods)
    for name, (f, methods) in all_settings().items():
        if f.asked.is_policy:
            out[name] = _of_setting(f, methods)
    for f in setting_fields(RegisterSettings):
        out[f.name] = _of_setting(f, (), only_plant=True)
    return out


def _of_setting(f: SettingField, methods: tuple[str, ...], *, only_plant: bool = False) -> Asked:
    a = f.asked
    return Asked(f.name, a.label, a.kind, a.unit, a.hint, a.options, _text(f.default), methods, only_plant, f)


def _text(value: Any) -> str:
    return f"{value:g}" if isinstance(value, int | float) and not isinstance(value, bool) else str(value)


def words(policy: Asked, value: str) -> str:
    """A value as it is told."""
    return dict(policy.options).get(value) or f"{value} {policy.unit}".strip()


def policy_for(instrument: Instrument, layers: Layers | None = None) -> Policy:
    """The policies in force for an instrument: plant, then method, then its own. layers: looked up once for many instruments."""
    known = layers if layers is not None else all_layers()
    return resolve_policy(plain_policies(known.get(WHOLE_PLANT, {})), plain_policies(known.get(instrument.method, {})), instrument.policy)


def plain_policies(values: Mapping[str, Any]) -> dict[str, Any]:
    """The values of a layer that every kind of work knows; the others are settings of methods."""
    return {k: v for k, v in values.items() if k in Policy.__dataclass_fields__}


def is_spread() -> bool:
    """Whether a new instrument of which nothing is known takes its place in its interval instead of being due at once."""
    return read_settings(RegisterSettings, all_layers().get(WHOLE_PLANT, {})).first_due == "spread"


def codes_wanted() -> str:
    """For what one-time codes are wanted: none, signing, administration or both."""
    return read_settings(RegisterSettings, all_layers().get(WHOLE_PLANT, {})).one_time_codes


def kit_limits() -> dict[str, float]:
    """The limits of incoming checks, as the plant sets them for the checks that are runs; they count for the lists too."""
    known = all_layers()
    given = dict(known.get(WHOLE_PLANT, {}))
    for method in methods_of(KIT):
        given |= known.get(method.key, {})
    return {
        name: read_one(f, given[name]) if name in given else f.default for name, (f, _) in all_settings(KIT).items() if f.asked.is_policy
    }


@transaction.atomic
def set_policies(
    *, actor: Person | None, method: str, values: Mapping[str, str], reason: str, now: datetime, counts_from: str = ""
) -> list[PolicyChange]:
    """Set policies of the plant (method empty) or of one method; an empty value takes one back. What is begun before keeps what it began with.

    actor: None for whoever works at the server's command line. counts_from: a day, today where empty. Raises a Fault naming the field.
    """
    if actor is not None:
        require(actor, "set a policy")
    if method and method not in METHODS:
        raise Fault("unknown_method", f"There is no method '{method[:40]}'. Known are {', '.join(METHODS)}.", field="method")
    today = timezone.localdate(now)
    day = _read_day(counts_from, today)
    why = require_reason(reason)
    held = dict(layers_on(day).get(method, {}))
    plain = {name: _read(name, value, method) for name, value in values.items()}
    changes = {name: text for name, text in plain.items() if text != held.get(name, "")}
    if not changes:
        raise Fault("nothing_changed", "That is how it stands already. Nothing was changed.", field=next(iter(values), "value"))
    if day > today and INTERVALS & changes.keys():
        raise Fault("counts_at_once", "Due dates are worked out anew with it, so it counts from today.", field="counts_from")
    made = [
        PolicyChange.objects.create(
            method=method, name=name, value=text, before=held.get(name, ""), counts_from=day, at=now, by=actor, reason=why
        )
        for name, text in changes.items()
    ]
    _require_sound(day)
    if INTERVALS & changes.keys():
        transaction.on_commit(lambda: background.start(_follow, method))
    return made


def _read(name: str, value: str, method: str) -> str:
    """The value as it is kept, or a Fault: unknown, not of this method, not among its choices, no number, out of its range."""
    policy = asked_policies().get(name)
    if policy is None or (method and (policy.only_plant or (policy.methods and method not in policy.methods))):
        where = f" for {METHODS[method].title}" if method else ""
        raise Fault("unknown_policy", f"Policy '{name[:40]}' is not known{where}.", field=name)
    text = str(value).strip()
    if not text:
        return ""
    return _text(read_one(policy.setting, text) if policy.setting else read_policies({name: text})[name])


def _require_sound(day: date) -> None:
    """Raise a Fault where what would count on a day does not hold together, for the plant or for a method with policies of its own."""
    known = layers_on(day)
    plant = plain_policies(known.get(WHOLE_PLANT, {}))
    resolve_policy(plant)
    for method, layer in known.items():
        resolve_policy(plant, plain_policies(layer))
        if method in METHODS:
            read_settings(METHODS[method].settings, {**known.get(WHOLE_PLANT, {}), **layer})


def _read_day(text: str, today: date) -> date:
    if not text.strip():
        return today
    try:
        day = date.fromisoformat(text.strip())
    except ValueError:
        raise Fault("bad_date", "Write the day like 2027-01-31, or leave it empty for today.", field="counts_from") from None
    if day < today:
        raise Fault(
            "in_the_past", "What was begun before keeps what it began with: it can count from today at the earliest.", field="counts_from"
        )
    if (day - today).days > LONGEST_AHEAD:
        raise Fault("out_of_range", "That is more than a year ahead. Is the year right?", field="counts_from")
    return day


def _follow(method: str) -> None:
    rows = Instrument.objects.select_related("area")
    tell_edited(rows.filter(method=method).iterator() if method else rows.iterator())


def policy_rows(method: str, today: date) -> list[dict[str, Any]]:
    """Each policy of the plant or of a method: its value and where that comes from, what is to come, and what it was before."""
    known = layers_on(today)
    own, plant = known.get(method, {}), known.get(WHOLE_PLANT, {}) if method else {}
    changes: dict[str, list[PolicyChange]] = {}
    for c in PolicyChange.objects.filter(method=method).select_related("by"):
        changes.setdefault(c.name, []).append(c)
    return [
        _row(p, own.get(p.name, ""), plant.get(p.name, ""), changes.get(p.name, []), today)
        for p in asked_policies().values()
        if not method or (not p.only_plant and (not p.methods or method in p.methods))
    ]


def _row(p: Asked, own: str, plant: str, changes: list[PolicyChange], today: date) -> dict[str, Any]:
    value = own or plant or p.usual
    return {
        "name": p.name,
        "label": p.label,
        "kind": p.kind,
        "unit": p.unit,
        "hint": p.hint,
        "counts_for": _counts_for(p),
        "options": [{"value": v, "label": t} for v, t in p.options],
        "own": own,
        "value": value,
        "words": words(p, value),
        "comes_from": "set here" if own else "as the whole plant" if plant else "as it comes",
        "otherwise": words(p, plant or p.usual),
        "changes": [_change(p, c, today) for c in reversed(changes)],
    }


def _counts_for(p: Asked) -> str:
    """For what work it counts, where that is not all of it."""
    if p.only_plant:
        return "the plant"
    if len(p.methods) > 3:
        return f"{len(p.methods)} methods"
    return "; ".join(METHODS[m].title for m in p.methods)


def _change(p: Asked, c: PolicyChange, today: date) -> dict[str, Any]:
    return {
        "words": words(p, c.value) if c.value else "taken back",
        "before": words(p, c.before) if c.before else "",
        "counts_from": c.counts_from,
        "is_to_come": c.counts_from > today,
        "at": c.at,
        "by": c.by.name if c.by else "at the server",
        "reason": c.reason,
    }
