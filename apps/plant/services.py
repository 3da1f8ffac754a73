"""Writing the register: add and edit an instrument, all faults of the form told at once."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from datetime import date, datetime, timedelta
from typing import Any

from django.db import transaction

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.plant.models import FAMILIES, Area, Instrument, InstrumentChange, PolicyLayer
from metrology.faults import Fault, Faults, require_range
from metrology.judgement.policy import CHOICES as POLICY_CHOICES
from metrology.judgement.policy import POLICY_FIELDS, Policy, resolve_policy
from metrology.judgement.tolerance import BASES, COMBINATIONS
from metrology.methods.details import DETAIL_FIELDS, GAS, details_from
from metrology.methods.gas_details import require_unit
from metrology.methods.registry import CATALOGUE
from metrology.methods.setup import check_points
from metrology.quantities.buoyancy import hung_loads
from metrology.quantities.transfer import KINDS, Transfer, require_output, require_span
from metrology.quantities.typed import parse_typed

TEXTS = {
    "tag": (40, True),
    "serial": (60, True),
    "service": (120, True),
    "unit": (20, True),
    "output_unit": (12, True),
    "hazards": (300, False),
    "feeds": (200, False),
    "voting_group": (40, False),
    "zone": (40, False),
}
NUMBERS = ("lrv", "urv", "output_lo", "output_hi", "cutoff_percent", "tolerance_value", "warm_up_min", "division")
CHOICES = {
    "family": dict(FAMILIES),
    "method": CATALOGUE,
    "transfer": KINDS,
    "tolerance_basis": BASES,
    "tolerance_combine": COMBINATIONS,
}
LABELS = {
    "tag": "Tag",
    "serial": "Serial",
    "service": "Service",
    "unit": "Unit",
    "output_unit": "Output unit",
    "lrv": "LRV",
    "urv": "URV",
    "output_lo": "Output at LRV",
    "output_hi": "Output at URV",
    "tolerance_value": "Tolerance",
    "tolerance2_value": "Second tolerance",
    "warm_up_min": "Warm-up",
    "division": "Scale division",
    "cutoff_percent": "Cut-off",
    "interval_days": "Interval",
    "cycles": "Cycles",
    "hazards": "Cautions",
    "feeds": "Feeds",
    "voting_group": "Voting group",
    "zone": "Zone",
    "family": "Family",
    "method": "Method",
    "transfer": "Transfer",
    "tolerance_basis": "Tolerance basis",
    "tolerance_combine": "Tolerance form",
}


def policy_for(instrument: Instrument) -> Policy:
    """The policies in force for an instrument: plant, then method, then its own."""
    layers = dict(PolicyLayer.objects.filter(method__in=["", instrument.method]).values_list("method", "values"))
    return resolve_policy(layers.get("", {}), layers.get(instrument.method, {}), instrument.policy)


@transaction.atomic
def add_instrument(*, actor: Person, data: Mapping[str, Any], now: datetime) -> Instrument:
    """Add an instrument; it is due at once, since nothing is known of it yet."""
    require(actor, "edit the plant")
    instrument = Instrument(next_due=now.date())
    _fill(instrument, data)
    instrument.save()
    InstrumentChange.objects.create(instrument=instrument, at=now, by=actor, reason="Added", values={})
    return instrument


@transaction.atomic
def edit_instrument(*, actor: Person, instrument: Instrument, data: Mapping[str, Any], now: datetime) -> Instrument:
    """Change an instrument; runs already started keep what they were started with."""
    require(actor, "edit the plant")
    names = [f.name for f in Instrument._meta.concrete_fields]
    before = {n: getattr(instrument, n) for n in names}
    _fill(instrument, data)
    if instrument.last_done_on and instrument.interval_days != before["interval_days"]:
        instrument.next_due = instrument.last_done_on + timedelta(days=instrument.interval_days)
    changed = {n: [_plain(before[n]), _plain(getattr(instrument, n))] for n in names if before[n] != getattr(instrument, n)}
    instrument.save()
    if changed:
        InstrumentChange.objects.create(instrument=instrument, at=now, by=actor, reason=str(data.get("reason", ""))[:300], values=changed)
    return instrument


def _plain(value: Any) -> Any:
    return value.isoformat() if isinstance(value, date) else value


def _fill(instrument: Instrument, data: Mapping[str, Any]) -> None:
    """Put the form's values onto the instrument, or raise all the faults there are."""
    faults: list[Fault] = []

    def attempt(field: str, read: Callable[..., Any], *args: Any, **kwargs: Any) -> None:
        try:
            setattr(instrument, field, read(*args, **kwargs))
        except Fault as fault:
            fault.field = fault.field or field
            faults.append(fault)

    for name, (longest, is_required) in TEXTS.items():
        attempt(name, _text, data, name, longest=longest, required=is_required, default=getattr(instrument, name))
    for name in NUMBERS:
        attempt(name, _number, data, name, default=getattr(instrument, name, None))
    for name, options in CHOICES.items():
        attempt(name, _choice, data, name, options, default=getattr(instrument, name))
    attempt("area", _area, data)
    attempt("interval_days", _whole, data, "interval_days", low=1, high=3650, default=365)
    attempt("transfer_table", _table, data, instrument)
    attempt("policy", _policy, data, instrument)
    attempt("details", _details, data, instrument)
    attempt("cycles", _whole, data, "cycles", low=1, high=3, default=1)
    attempt("points_percent", _points, data)
    attempt("tolerance2_value", _second_tolerance, data, instrument)
    instrument.tolerance2_basis = str(data.get("tolerance2_basis") or "span") if instrument.tolerance_combine != "single" else ""
    instrument.is_adjustable = bool(data.get("is_adjustable", True))
    _check_whole(instrument, faults)
    _check_unique(instrument, faults)
    if faults:
        raise Faults(faults)


def _check_whole(instrument: Instrument, faults: list[Fault]) -> None:
    """What only shows when fields are seen together; each part is looked at when its own fields could be read."""
    wrong = {f.field for f in faults}
    parts: tuple[tuple[tuple[str, ...], Callable[[], Any]], ...] = (
        (("lrv", "urv"), lambda: require_span(instrument.lrv, instrument.urv)),
        (("output_lo", "output_hi"), lambda: require_output(instrument.output_lo, instrument.output_hi)),
        (("tolerance_value", "tolerance2_value", "tolerance_basis", "tolerance_combine", "division"), instrument.tolerance),
        (
            ("transfer", "cutoff_percent", "transfer_table"),
            lambda: Transfer(instrument.transfer, instrument.cutoff_percent, tuple((a, b) for a, b in instrument.transfer_table)),
        ),
        (("warm_up_min",), lambda: require_range(instrument.warm_up_min, 0, 1440, field="warm_up_min", unit="min")),
    )
    for fields, check in parts:
        if wrong.intersection(fields):
            continue
        try:
            check()
        except Fault as fault:
            fault.field = {"tolerance": "tolerance_value", "table": "transfer_table"}.get(fault.field, fault.field)
            faults.append(fault)


def _check_unique(instrument: Instrument, faults: list[Fault]) -> None:
    twin = Instrument.objects.filter(tag_key=instrument.tag.casefold()).exclude(pk=instrument.pk).first() if instrument.tag else None
    if twin:
        how = "is in the register already" if twin.tag == instrument.tag else f"differs from {twin.tag} in case only"
        faults.append(Fault("tag_taken", f"Tag {instrument.tag} {how}. Each tag may stand once.", field="tag"))


def _text(data: Mapping[str, Any], name: str, *, longest: int, required: bool, default: str) -> str:
    text = str(data.get(name, default) or "").strip()
    if required and not text:
        raise Fault("missing", f"{LABELS[name]} is missing.", field=name)
    if len(text) > longest:
        raise Fault("too_long", f"{LABELS[name]} is {len(text)} characters long; at most {longest} fit.", field=name)
    if any(ord(c) < 32 for c in text):
        raise Fault("bad_text", f"{LABELS[name]} holds characters that can't be printed.", field=name)
    return text


def _number(data: Mapping[str, Any], name: str, *, default: float | None) -> float:
    raw = data.get(name)
    if raw is None and default is not None:
        return default
    return parse_typed(_as_text(raw), name=LABELS[name], field=name, unit=str(data.get("unit") or "")).value


def _as_text(raw: Any) -> str:
    if isinstance(raw, bool):
        return str(raw)
    if isinstance(raw, float):
        return repr(raw) if not math.isfinite(raw) else f"{raw:.12g}"
    return "" if raw is None else str(raw)


def _choice(data: Mapping[str, Any], name: str, options: Mapping[str, Any], *, default: str) -> str:
    value = str(data.get(name) or default)
    if value not in options:
        raise Fault("unknown_choice", f"{LABELS[name]} is '{value}'; accepted are {', '.join(options)}.", field=name)
    return value


def _details(data: Mapping[str, Any], instrument: Instrument) -> dict[str, Any]:
    """The details that count for the method, as typed; those of another method are let go."""
    raw = data.get("details", instrument.details)
    if not isinstance(raw, Mapping):
        raise Fault("bad_details", "The details are a list of named values.", field="details")
    mine = {f.name for f in DETAIL_FIELDS if instrument.method in f.methods}
    kept = {k: v for k, v in raw.items() if k in mine and v not in ("", None, False)}
    details = details_from(kept)
    if instrument.method in GAS and not details.detector.channels:
        if not details.detector.gas:
            raise Fault("missing", "Say which gas it watches for.", field="gas")
        require_unit(details.detector.gas, instrument.unit, details.detector.basis, field="unit")
    if instrument.method == "level-displacer":
        hung_loads(
            details.displacer_weight,
            details.displacer_volume,
            density=details.density,
            upper_density=details.upper_density if details.interface else 0.0,
            gravity=details.gravity,
            percents=(0.0, 100.0),
            on_hand=details.weights_on_hand,
        )
    return kept


def _area(data: Mapping[str, Any]) -> Area:
    area = Area.objects.filter(code=str(data.get("area") or "")).first()
    if area is None:
        raise Fault("missing", "Choose the area it stands in.", field="area")
    return area


def _whole(data: Mapping[str, Any], name: str, *, low: int, high: int, default: int) -> int:
    raw = data.get(name)
    if raw in (None, ""):
        return default
    value = parse_typed(_as_text(raw), name=LABELS[name], field=name).value
    if value != int(value) or not low <= value <= high:
        raise Fault("out_of_range", f"{LABELS[name]} is {value:g}; accepted are whole numbers from {low} to {high}.", field=name)
    return int(value)


def _points(data: Mapping[str, Any]) -> list[float]:
    raw = data.get("points_percent")
    if not raw:
        return []
    parts = [p for p in raw.replace(";", " ").replace(", ", " ").split() if p] if isinstance(raw, str) else raw
    if not isinstance(parts, list):
        raise Fault("bad_points", "Write the test points like 0 25 50 75 100.", field="points_percent")
    points = [parse_typed(_as_text(p), name="A test point", unit="%", field="points_percent").value for p in parts]
    check_points(tuple(points))
    return points


def _table(data: Mapping[str, Any], instrument: Instrument) -> list[list[float]]:
    """Rows of input and output percent, typed like '0 0; 50 40; 100 100'."""
    raw = data.get("transfer_table", instrument.transfer_table)
    if instrument.transfer != "table":
        return []
    rows = [part.split() for part in raw.split(";") if part.strip()] if isinstance(raw, str) else raw
    if not isinstance(rows, list) or not rows or any(not isinstance(r, list | tuple) or len(r) != 2 for r in rows):
        raise Fault("bad_table", "Write the table as input and output percent, like 0 0; 50 40; 100 100.", field="transfer_table")
    return [[parse_typed(_as_text(v), name="A table value", unit="%", field="transfer_table").value for v in r] for r in rows]


def _policy(data: Mapping[str, Any], instrument: Instrument) -> dict[str, Any]:
    """The instrument's own policies; what is left empty is as the plant or the method has it."""
    given = data.get("policy", instrument.policy)
    if not isinstance(given, Mapping):
        raise Fault("bad_policy", "The policies are a list of named values.", field="policy")
    labels = {f.name: f.label for f in POLICY_FIELDS}
    values: dict[str, Any] = {}
    for name, told in given.items():
        raw = _as_text(told).strip()
        if raw:
            values[name] = raw if name in POLICY_CHOICES else parse_typed(raw, name=labels.get(str(name), str(name)), field=str(name)).value
    resolve_policy(values)
    return values


def _second_tolerance(data: Mapping[str, Any], instrument: Instrument) -> float | None:
    if instrument.tolerance_combine == "single":
        return None
    return _number(data, "tolerance2_value", default=None)
