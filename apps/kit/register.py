"""The kit's registers: references, bottles, regulators and lines, buffers, standards; every field once, added and edited with history."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, datetime
from functools import partial
from typing import Any

from django.db import models, transaction
from django.utils import timezone

from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.kit.models import (
    KINDS,
    SOLUTION_TABLES,
    STATES,
    TABLES,
    Buffer,
    GasBottle,
    GasFitting,
    KitChange,
    Liquid,
    Reference,
    Solution,
    Syringe,
    Trap,
    Worn,
)
from apps.plant.merging import merged, who_changed
from apps.plant.register import choice_of
from config.failures import Missing
from metrology.faults import Fault, Faults
from metrology.judgement.composition import composition_faults
from metrology.judgement.gas_kit import BottleGas
from metrology.quantities.acidity import buffer_ph
from metrology.quantities.conductivity import solution_conductivity
from metrology.quantities.masses import WEIGHT_CLASSES
from metrology.quantities.tabulated import of_table
from metrology.quantities.typed import parse_typed
from metrology.quantities.units import canonical, quantity_of


@dataclass(frozen=True)
class KitField:
    """One field of a kit register. kind: text, number, whole, date, flag, choice, points or gases."""

    name: str
    label: str
    kind: str = "text"
    required: bool = False
    hint: str = ""
    unit: str = ""
    low: float = -1e12
    high: float = 1e12
    words: Mapping[str, str] = field(default_factory=dict)


N = KitField
TABLE_SHARE = 0.02  # how far a bottle may be from its table at 25 °C
CODE, STATE_WORDS = N("code", "Code", required=True), dict(STATES)
MATERIALS = {m: m for m in ("brass", "stainless steel", "PTFE-lined", "PTFE", "rubber", "polyurethane", "aluminium")}
LIQUID = (
    N("certificate", "Certificate"), N("lot", "Lot", required=True), N("portion_ml", "A fresh portion", "number", unit="ml", low=5, high=2000),
    N("litres", "Litres", "number", low=0, high=100), N("opened_on", "Opened on", "date"),
    N("open_days", "Good once opened for", "whole", unit="days", low=1, high=1000), N("expires_on", "Expires on", "date", True),
)  # fmt: skip
WORN = (
    N("opened_on", "In use since", "date"), N("open_days", "Good in use for", "whole", unit="days", low=1, high=3000),
    N("expires_on", "Good until at the latest", "date", True),
)  # fmt: skip
GROUPS: dict[str, tuple[type[models.Model], str, tuple[KitField, ...]]] = {
    "reference": (
        Reference,
        "Reference standard",
        (
            CODE, N("name", "Name", required=True), N("kind", "Kind", "choice", words=KINDS), N("serial", "Serial", required=True),
            N("unit", "Unit", required=True), N("low", "Covers from", "number", True), N("high", "Covers to", "number", True),
            N("u_absolute", "U, fixed part", "number", low=0), N("u_percent_reading", "U, of reading", "number", unit="%", low=0, high=100),
            N("u_percent_span", "U, of span", "number", unit="%", low=0, high=100), N("k", "Coverage factor k", "number", True, low=1, high=4),
            N("points", "Certificate points", "points", hint="Applied indicated U; one after the other with ;"),
            N("resolution", "Resolution", "number", low=0), N("drift_per_year", "Drift a year", "number", low=0),
            N("gradient", "Gradient of a block", "number", low=0, hint="Between its wells"),
            N("axial", "Gradient along a well", "number", low=0, hint="Over the sensing part of what stands in it"),
            N("loading", "Effect of loading", "number", low=0, hint="By what else stands in the block"),
            N("wells", "Wells of a block beside the probe's", "whole", low=0, high=24), N("weight_class", "Class of a weight", hint="E1 to M3"),
            N("set_name", "Set it belongs to"),
            N("gas", "Gas a portable is for", hint="Like methane, oxygen; its incoming check goes by it"),
            N("certificate", "Certificate", required=True), N("laboratory", "Laboratory", required=True),
            N("traceability", "Traceability", required=True), N("calibrated_on", "Calibrated on", "date", True), N("due_on", "Due on", "date", True),
        ),
    ),
    "bottle": (
        GasBottle,
        "Gas bottle",
        (
            CODE, N("name", "Name", required=True),
            N("gases", "Holds", "gases", hint="Gas, value, unit, U in %, basis of %LEL; like hydrogen, 2, % vol, 2"),
            N("balance", "Balance gas", required=True), N("oxygen", "Oxygen", "number", unit="% vol", low=0, high=100),
            N("is_humid", "It is humid", "flag"),
            N("is_declared", "It is explosive, and meant to be", "flag"), N("litres", "Litres when full", "number", True, low=0.1, high=20000),
            N("litres_drawn", "Litres drawn before it was kept here", "number", low=0, high=20000), N("expires_on", "Good until", "date"),
            N("certificate", "Certificate"), N("laboratory", "Laboratory"),
        ),
    ),
    "fitting": (
        GasFitting,
        "Regulator or line",
        (
            CODE, N("kind", "Kind", "choice", words={"regulator": "Regulator", "line": "Line"}),
            N("material", "Material", "choice", words=MATERIALS), N("flow_l_min", "Flow of a regulator", "number", unit="l/min", low=0, high=20),
            N("length_m", "Length of a line", "number", unit="m", low=0, high=100), N("is_conditioned", "Conditioned for reactive gas", "flag"),
            N("stays_on", "Regulator stays, purged, on bottle", hint="Empty once it was taken off or vented"), N("purged_on", "Purged on", "date"),
        ),
    ),
    "buffer": (
        Buffer,
        "Buffer solution",
        (
            CODE, N("ph", "pH at 25 °C", "number", True, low=0, high=14),
            N("table", "Table", "choice", words=TABLES),
            N("points", "Its own table", "pairs", hint="Temperature in C and pH, like 15 4.00; 25 4.01; 35 4.03"),
            N("u_ph", "Uncertainty (k = 2)", "number", unit="pH", low=0.001, high=0.5), *LIQUID,
        ),
    ),
    "solution": (
        Solution,
        "Conductivity standard",
        (
            CODE, N("us_cm", "Conductivity at 25 °C", "number", True, unit="uS/cm", low=0.1, high=1_000_000),
            N("table", "Table", "choice", words=SOLUTION_TABLES),
            N("points", "Its own table", "pairs", hint="Temperature in C and uS/cm, like 15 67.2; 20 75.5; 25 84"),
            N("u_percent", "Uncertainty (k = 2)", "number", unit="%", low=0.01, high=20), *LIQUID,
        ),
    ),
    "syringe": (Syringe, "Syringe", (CODE, N("name", "Name", required=True, hint="Like gas-tight, 1 ml"), N("serial", "Serial"), *WORN)),
    "trap": (
        Trap,
        "Trap",
        (
            CODE, N("name", "Name", required=True, hint="Like carbon dioxide, soda lime"), N("serial", "Serial"), *WORN,
            N("is_capped", "It is capped at both ends", "flag", hint="Cap it, or it is spent in days"),
            N("uncapped_days", "Good without its caps for", "whole", unit="days", low=0, high=60),
        ),
    ),
}  # fmt: skip


def group_of(name: str) -> tuple[type[models.Model], str, tuple[KitField, ...]]:
    """A register by name; a Missing for one there is not."""
    if name not in GROUPS:
        raise Missing("unknown_group", f"There is no register '{name[:40]}' of kit.")
    return GROUPS[name]


def get_item(group: str, code: str) -> Any:
    """An item by its code."""
    model, title, _ = group_of(group)
    found = model._default_manager.filter(code=code).first()
    if found is None:
        raise Missing("unknown_item", f"There is no {title.lower()} {code[:40]}.", field="code")
    return found


def as_typed(group: str, item: Any) -> dict[str, str]:
    """An item as the form shows it."""
    out = {}
    for f in group_of(group)[2]:
        value = getattr(item, f.name)
        if f.kind in ("points", "pairs"):
            out[f.name] = "; ".join(" ".join(f"{v:.10g}" for v in row) for row in value)
        elif f.kind == "gases":
            out[f.name] = "; ".join(_gas_words(g) for g in value)
        elif f.kind == "flag":
            out[f.name] = "yes" if value else ""
        elif isinstance(value, float):
            out[f.name] = f"{value:.12g}"
        else:
            out[f.name] = "" if value is None else str(value)
    return out


def _gas_words(g: Mapping[str, Any]) -> str:
    words = f"{g['gas']}, {g['value']:g}, {g['unit']}, {g['u_percent']:g}"
    return f"{words}, {g['basis']}" if g.get("basis") else words


@transaction.atomic
def add_item(*, actor: Person, group: str, data: Mapping[str, Any], now: datetime) -> Any:
    """Put a new item into a register; portable kit and whatever else is new starts in service."""
    require(actor, "edit the kit")
    model, title, _ = group_of(group)
    item = model()
    _fill(group, item, data)
    _require_free(str(item.code))  # type: ignore[attr-defined]
    item.save()
    KitChange.objects.create(group=group, code=item.code, at=now, by=actor, reason=f"{title} added")  # type: ignore[attr-defined]
    return item


def _require_free(code: str) -> None:
    """A code names one thing in the whole kit: load lists, labels and records tell it by its code alone."""
    for model, title, _ in GROUPS.values():
        if model._default_manager.filter(code__iexact=code).exists():
            raise Fault("code_taken", f"{code} is in the kit already ({title.lower()}). Each code may stand once.", field="code")


@transaction.atomic
def edit_item(*, actor: Person, group: str, code: str, data: Mapping[str, Any], now: datetime) -> Any:
    """Change an item; its code stays, since runs and certificates name it."""
    require(actor, "edit the kit")
    item = get_item(group, code)
    before = as_typed(group, item)
    if isinstance(data.get("seen"), Mapping):
        labels = {f.name: f.label.lower() for f in group_of(group)[2]}
        who = partial(who_changed, KitChange.objects.filter(group=group, code=code))
        data = merged(data["seen"], data, before, what=code, label=lambda name: labels.get(name, name), who=who)
    _fill(group, item, {**data, "code": code})
    after = as_typed(group, item)
    changed = {k: [before[k], after[k]] for k in after if before[k] != after[k]}
    if changed:
        if "stays_on" in changed:
            item.place_told_at = now
        item.save()
        reason = str(data.get("reason") or "").strip()[:300] or "Edited"
        KitChange.objects.create(group=group, code=code, at=now, by=actor, reason=reason, values=changed)
    return item


def _fill(group: str, item: Any, data: Mapping[str, Any]) -> None:
    faults: list[Fault] = []
    for f in group_of(group)[2]:
        if f.name not in data and item.pk:
            continue
        try:
            value = _read(f, data.get(f.name))
            if value is not None or not _has_default(item, f):
                setattr(item, f.name, value)
        except Fault as fault:
            fault.field = f.name
            faults.append(fault)
    if not faults:
        faults += _together(group, item)
    if faults:
        raise Faults(faults)


def _has_default(item: Any, f: KitField) -> bool:
    return not item._meta.get_field(f.name).null


def _read(f: KitField, raw: Any) -> Any:
    text = str(raw if raw is not None else "").strip()
    if f.kind == "flag":
        return raw is True or text.casefold() in ("yes", "true", "1")
    if not text:
        if f.required:
            raise Fault("missing", f"{f.label} is missing.")
        if f.kind == "number" and f.low > 0:
            return None  # nothing was said: what is usual stays
        return {"text": "", "points": [], "pairs": [], "gases": [], "number": 0.0}.get(f.kind)
    if f.kind in ("number", "whole"):
        value = parse_typed(text, name=f.label, unit=f.unit, field=f.name).value
        if not f.low <= value <= f.high or (f.kind == "whole" and value != int(value)):
            raise Fault("out_of_range", f"{f.label} is {text}; accepted are {f.low:g} to {f.high:g}.")
        return int(value) if f.kind == "whole" else value
    if f.kind == "date":
        try:
            return date.fromisoformat(text)
        except ValueError:
            raise Fault("bad_date", f"{f.label}: write the date like 2026-12-01.") from None
    if f.kind == "choice":
        found = choice_of(text, f.words)
        if found is None:
            raise Fault("unknown_choice", f"{f.label} is '{text[:40]}'; accepted are {', '.join(filter(None, f.words.values()))}.")
        return found
    if f.kind == "points":
        return _points(text)
    if f.kind == "pairs":
        return _pairs(text)
    if f.kind == "gases":
        return _gases(text)
    text = canonical(text) if f.name == "unit" else text
    longest = 160 if f.name == "traceability" else 80 if f.name in ("name", "laboratory") else 20 if f.name in ("code", "unit") else 40
    if len(text) > longest:
        raise Fault("too_long", f"{f.label} is {len(text)} characters long; at most {longest} fit.")
    return text


def _points(text: str) -> list[list[float]]:
    rows = [part.split() for part in text.split(";") if part.strip()]
    if any(len(r) != 3 for r in rows):
        raise Fault("bad_points", "Write each point as applied, indicated and U, like 0 0.01 0.05; 100 100.02 0.05.")
    points = [[parse_typed(v, name="A point's value").value for v in r] for r in rows]
    if points != sorted(points, key=lambda p: p[0]) or len({p[0] for p in points}) < len(points):
        raise Fault("bad_points", "The points must rise, and none may stand twice.")
    if any(p[2] <= 0 for p in points):
        raise Fault("bad_points", "Each point needs an uncertainty above zero.")
    return points


def _pairs(text: str) -> list[list[float]]:
    """A table of its own: temperature and value, rising in temperature."""
    rows = [part.split() for part in text.split(";") if part.strip()]
    if any(len(r) != 2 for r in rows):
        raise Fault("bad_points", "Write the table as temperature and value, like 15 4.00; 25 4.01; 35 4.03.")
    points = [[parse_typed(v, name="A value of the table").value for v in r] for r in rows]
    if len(points) < 2 or points != sorted(points, key=lambda p: p[0]) or len({p[0] for p in points}) < len(points):
        raise Fault("bad_points", "The table needs two temperatures or more, rising, none twice.")
    return points


def _gases(text: str) -> list[dict[str, Any]]:
    out = []
    for part in (p for p in text.split(";") if p.strip()):
        cells = [c.strip() for c in part.split(",")]
        if len(cells) not in (4, 5):
            raise Fault("bad_gases", "Write each gas as name, value, unit, U in percent and, for %LEL, its basis: hydrogen, 2, % vol, 2.")
        value, u = (parse_typed(c, name=f"{cells[0]}'s value").value for c in (cells[1], cells[3]))
        made = BottleGas(cells[0], value, cells[2], u, cells[4] if len(cells) == 5 else "")
        if value <= 0 or cells[2] not in ("% vol", "%LEL", "ppm", "ppb"):
            raise Fault("bad_gases", f"{cells[0]} needs a value above zero in % vol, %LEL, ppm or ppb.")
        out.append(dict(made.__dict__))
    return out


def _together(group: str, item: Any) -> list[Fault]:
    """What only shows when fields are seen together."""
    out = dates_ahead(item)
    if group == "reference":
        if item.weight_class and item.weight_class.strip().upper() not in WEIGHT_CLASSES:
            told = f"'{item.weight_class}' is no class of OIML R 111; there are {', '.join(WEIGHT_CLASSES)}."
            out.append(Fault("unknown_choice", told, field="weight_class"))
        if item.high < item.low or (item.high == item.low and item.kind != "weight"):
            out.append(Fault("no_span", "What it covers must end above where it starts.", field="high"))
        if item.due_on <= item.calibrated_on:
            out.append(Fault("bad_dates", "It is due after it was calibrated.", field="due_on"))
        if not (item.u_absolute or item.u_percent_reading or item.u_percent_span or item.points):
            out.append(
                Fault(
                    "no_uncertainty",
                    "Without an uncertainty it proves nothing: give a part of U, or its certificate's points.",
                    field="u_absolute",
                )
            )
        if quantity_of(item.unit) is None and item.kind not in ("other", "weight"):
            out.append(
                Fault("unknown_unit", f"'{item.unit}' is not a unit known here, so nothing could be calibrated with it.", field="unit")
            )
    if isinstance(item, GasBottle):
        if item.litres_drawn > item.litres:
            out.append(Fault("out_of_range", "More was drawn than it held.", field="litres_drawn"))
        gases = [BottleGas(**g) for g in item.gases]
        out += composition_faults(gases, balance=item.balance, oxygen=item.oxygen, is_declared=item.is_declared)
    if isinstance(item, Liquid | Worn) and item.opened_on and item.opened_on > item.expires_on:
        out.append(Fault("bad_dates", "It was opened after it had expired: don't use it.", field="opened_on"))
    if isinstance(item, Buffer | Solution):
        out += _table_faults(item)
    return out


def dates_ahead(item: Any) -> list[Fault]:
    """What was done lies in the past."""
    today = timezone.localdate()
    dates = {"calibrated_on": "It was calibrated", "opened_on": "It was opened, or put in use,"}
    ahead = [(n, words, on) for n, words in dates.items() if (on := getattr(item, n, None)) is not None and on > today]
    return [
        Fault("in_the_future", f"{words} on {on:%-d %b %Y}, which is still to come. Look at the date again.", field=n)
        for n, words, on in ahead
    ]


def _table_faults(item: Buffer | Solution) -> list[Fault]:
    """A bottle must be one of its table; one with a table of its own must bring it, and be in it what it is at 25 °C."""
    if item.table == "own" and not item.points:
        return [Fault("missing", "Write its own table: temperature and value, one after the other with ;.", field="points")]
    if isinstance(item, Buffer):
        return _buffer_faults(item)
    try:
        held = of_table(item.points, 25.0) if item.table == "own" else solution_conductivity(item.table, 25.0)
    except Fault as fault:
        return [Fault("bad_points", f"The table must reach to 25 °C. {fault.message}", field="points")]
    if abs(held / item.us_cm - 1) > TABLE_SHARE:
        told = f"The table has {held:g} uS/cm at 25 °C and the bottle {item.us_cm:g} uS/cm: one of them is wrong, or is in another unit."
        return [Fault("wrong_table", told, field="us_cm")]
    return []


def _buffer_faults(item: Buffer) -> list[Fault]:
    if item.table == "own":
        return []
    try:
        buffer_ph(item.table, item.ph, 25.0)
    except Fault as fault:
        return [Fault("unknown_buffer", f"{fault.message} A buffer with other values has a table of its own.", field="ph")]
    return []
