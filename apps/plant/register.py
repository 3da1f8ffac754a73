"""The fields of the register: what each is called, how it is read from a form or a file, and what must hold together."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import date
from typing import Any

from django.utils import timezone

from apps.plant.models import ACCESS, DUE_RULES, RESULTS, Area, Instrument
from metrology.faults import Fault, Faults, require_range
from metrology.judgement.policy import CHOICES as POLICY_CHOICES
from metrology.judgement.policy import POLICY_FIELDS, resolve_policy
from metrology.judgement.tolerance import BASES, COMBINATIONS
from metrology.judgement.voting import read_scheme
from metrology.methods.carried import carried, require_alarms_inside
from metrology.methods.registry import CATALOGUE, FAMILIES, FAMILY_OF, METHODS, usual_method
from metrology.methods.settings import read_settings, setting_fields
from metrology.methods.setup import check_points
from metrology.quantities.transfer import KINDS, Transfer, require_output, require_span
from metrology.quantities.typed import parse_typed
from metrology.quantities.units import UNITS, canonical, quantity_of


@dataclass(frozen=True)
class RegisterField:
    """One field. kind: text, number (in the unit of the range where in_unit), whole, choice, flag, or read by a rule of its own.

    longest: characters of a text. low, high: of a whole number. words: the choices.
    """

    name: str
    label: str
    kind: str = "text"
    longest: int = 0
    required: bool = False
    in_unit: bool = False
    low: int = 0
    high: int = 0
    default: Any = ""
    words: Mapping[str, str] = field(default_factory=dict)


REGISTER: tuple[RegisterField, ...] = (
    RegisterField("tag", "Tag", longest=40, required=True),
    RegisterField("serial", "Serial", longest=60, required=True),
    RegisterField("maker", "Manufacturer", longest=60),
    RegisterField("model", "Model", longest=60),
    RegisterField("device_revision", "Revision", longest=40),
    RegisterField("asset_number", "Asset number", longest=40),
    RegisterField("service", "Service", longest=120, required=True),
    RegisterField("area", "Area", "area", required=True),
    RegisterField("system", "System", longest=60),
    RegisterField("family", "Family", "choice", words=FAMILIES),
    RegisterField("method", "Method", "choice", words=CATALOGUE),
    RegisterField("unit", "Unit", longest=20, required=True),
    RegisterField("lrv", "LRV", "number", in_unit=True, required=True),
    RegisterField("urv", "URV", "number", in_unit=True, required=True),
    RegisterField("output_lo", "Output at LRV", "number"),
    RegisterField("output_hi", "Output at URV", "number"),
    RegisterField("output_unit", "Output unit", longest=12, required=True),
    RegisterField("transfer", "Transfer", "choice", words=KINDS),
    RegisterField("cutoff_percent", "Cut-off", "number"),
    RegisterField("transfer_table", "Table", "table"),
    RegisterField("tolerance_value", "Tolerance", "number", required=True),
    RegisterField("tolerance_basis", "Tolerance basis", "choice", words=BASES),
    RegisterField("tolerance_combine", "Tolerance form", "choice", words=COMBINATIONS),
    RegisterField("tolerance2_value", "Second tolerance", "second"),
    RegisterField("tolerance2_basis", "Second basis", "second"),
    RegisterField("division", "Scale division", "number", in_unit=True),
    RegisterField("points_percent", "Test points", "points"),
    RegisterField("cycles", "Cycles", "whole", low=1, high=3, default=1),
    RegisterField("interval_days", "Interval", "whole", low=1, high=3650, default=365),
    RegisterField("before_on", "Last calibrated on, before this register", "date"),
    RegisterField("before_by", "By whom", longest=80),
    RegisterField("before_result", "With which result", "choice", words=RESULTS),
    RegisterField("due_rule", "Due by", "choice", words=DUE_RULES),
    RegisterField("grace_days", "Grace", "whole", low=0, high=180, default=0),
    RegisterField("warm_up_min", "Warm-up", "number"),
    RegisterField("work_min", "Attention it takes", "whole", low=0, high=1440, default=0),
    RegisterField("people", "People it takes", "whole", low=1, high=2, default=1),
    RegisterField("is_adjustable", "It can be adjusted", "flag", default=True),
    RegisterField("hazards", "Cautions", longest=300),
    RegisterField("feeds", "Feeds", longest=200),
    RegisterField("voting_group", "Voting group", longest=40),
    RegisterField("voting", "Vote, like 2oo3", longest=8),
    RegisterField("zone", "Zone", longest=40),
    RegisterField("ex_marking", "Hazardous-area marking", longest=60),
    RegisterField("access", "Access", "choice", words=ACCESS),
    RegisterField("skills", "Qualifications it takes", longest=200),
    RegisterField("permit_kind", "Permit", longest=60),
    RegisterField("documents", "Documents", longest=1000),
)
FIELDS = {f.name: f for f in REGISTER}
LABELS = {f.name: f.label for f in REGISTER}


@dataclass
class Known:
    """What a row is checked against, looked up once for many rows. tags: folded tag to (tag, key)."""

    areas: dict[str, Area]
    tags: dict[str, tuple[str, int]] | None = None

    @classmethod
    def for_one(cls) -> Known:
        """For a single form: areas at hand, tags asked for one by one."""
        return cls({a.code: a for a in Area.objects.all()})

    @classmethod
    def for_many(cls) -> Known:
        """For a file: every tag at hand."""
        rows = Instrument.objects.values_list("tag_key", "tag", "pk")
        return cls({a.code: a for a in Area.objects.all()}, {key: (tag, pk) for key, tag, pk in rows})

    def twin(self, instrument: Instrument) -> str:
        """The tag of another instrument that has this one's tag, in whatever case."""
        key = instrument.tag.casefold()
        if self.tags is not None:
            found = self.tags.get(key)
            return found[0] if found and found[1] != instrument.pk else ""
        other = Instrument.objects.filter(tag_key=key).exclude(pk=instrument.pk).first()
        return other.tag if other else ""


def as_typed(i: Instrument) -> dict[str, Any]:
    """The instrument as a form or a file shows it: what was put in comes back the same."""
    return {
        **{f.name: f"{getattr(i, f.name):.12g}" for f in REGISTER if f.kind in ("number", "whole")},
        **{f.name: getattr(i, f.name) for f in REGISTER if f.kind in ("text", "choice", "flag")},
        **{f.name: on.isoformat() if (on := getattr(i, f.name)) else "" for f in REGISTER if f.kind == "date"},
        "area": i.area.code,
        "tolerance2_basis": i.tolerance2_basis,
        "transfer_table": "; ".join(f"{a:g} {b:g}" for a, b in i.transfer_table),
        "tolerance2_value": f"{i.tolerance2_value:.12g}" if i.tolerance2_value is not None else "",
        "points_percent": " ".join(f"{p:g}" for p in i.points_percent),
        "details": dict(i.details),
        "policy": {name: f"{value:g}" if isinstance(value, float | int) else str(value) for name, value in i.policy.items()},
    }


def fill(instrument: Instrument, data: Mapping[str, Any], known: Known | None = None) -> None:
    """Put the values of a form or a row onto the instrument, or raise all the faults there are."""
    known = known or Known.for_one()
    faults: list[Fault] = []
    was = instrument.unit if instrument.pk else ""
    instrument.method = instrument.method or usual_method(choice_of(str(data.get("family") or ""), FAMILIES) or instrument.family)

    def attempt(field: str, read: Callable[..., Any], *args: Any) -> None:
        try:
            setattr(instrument, field, read(*args))
        except Fault as fault:
            fault.field = fault.field or field
            faults.append(fault)

    data = _with_family(data)
    for f, read in _READ:
        # What a row of a file does not name stays as it is; twenty thousand rows are read this way.
        if f.name in data or f.required:
            attempt(f.name, read, f, data, getattr(instrument, f.name))
    attempt("area", _area, data, known)
    attempt("transfer_table", _table, data, instrument)
    if "policy" in data:
        attempt("policy", _policy, data, instrument)
    if "details" in data or instrument.details or instrument.method in METHODS:
        attempt("details", _details, data, instrument, was)
    if "points_percent" in data:
        attempt("points_percent", _points, data)
    attempt("tolerance2_value", _second_tolerance, data, instrument)
    instrument.tolerance2_basis = str(data.get("tolerance2_basis") or "span") if instrument.tolerance_combine != "single" else ""
    _check_whole(instrument, faults)
    _check_unique(instrument, known, faults)
    if faults:
        raise Faults(faults)


def _with_family(data: Mapping[str, Any]) -> Mapping[str, Any]:
    """Where only the method is said, the family is the one that it is for."""
    method = choice_of(str(data.get("method") or ""), CATALOGUE) if data.get("method") and not data.get("family") else None
    return {**data, "family": FAMILY_OF[method]} if method and method in FAMILY_OF else data


def _require_calibration(method: str) -> None:
    """Its own method is the one that its interval goes by, so it must be a calibration or a proof; others are offered beside it."""
    known = METHODS.get(method)
    if known is not None and not known.traits.calibrates:
        told = f"'{known.title}' does not calibrate, so nothing would ever be due by it. Choose the calibration; this is offered beside it."
        raise Fault("no_calibration", told, field="method")


def _require_family(method: str, family: str) -> None:
    """What it is and how it is calibrated belong together."""
    right = FAMILY_OF.get(method, family)
    if right != family:
        told = f"'{CATALOGUE[method]}' is for {FAMILIES[right].lower()}, and this is entered as {FAMILIES[family].lower()}. Change one of the two."
        raise Fault("wrong_family", told, field="family")


def _require_quantity(method: str, unit: str) -> None:
    """What it measures and its unit belong together."""
    known = METHODS.get(method)
    wanted = known.traits.measures if known else ()
    found = quantity_of(unit) or ""
    if known is None or not wanted or found in wanted:
        return
    units = ", ".join(u for q in wanted for u in UNITS.get(q, ())[:5])
    meant = f"; its unit is one of {' or '.join(q for q in wanted if q)}, like {units}" if units else ""
    told = f"{unit} is a unit of {found}" if found else f"'{unit}' is no unit that is known here"
    raise Fault("wrong_quantity", f"{told}, and '{known.title}' does not measure that{meant}. Change the unit or the method.", field="unit")


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
        (("voting",), lambda: read_scheme(instrument.voting)),
        (("method",), lambda: _require_calibration(instrument.method)),
        (("method", "family"), lambda: _require_family(instrument.method, instrument.family)),
        (("method", "unit"), lambda: _require_quantity(instrument.method, instrument.unit)),
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


def _check_unique(instrument: Instrument, known: Known, faults: list[Fault]) -> None:
    twin = known.twin(instrument) if instrument.tag else ""
    if twin:
        how = "is in the register already" if twin == instrument.tag else f"differs from {twin} in case only"
        faults.append(Fault("tag_taken", f"Tag {instrument.tag} {how}. Each tag may stand once.", field="tag"))


def _text(f: RegisterField, data: Mapping[str, Any], default: str) -> str:
    text = str(data.get(f.name, default) or "").strip()
    if f.required and not text:
        raise Fault("missing", f"{f.label} is missing.", field=f.name)
    if len(text) > f.longest:
        raise Fault("too_long", f"{f.label} is {len(text)} characters long; at most {f.longest} fit.", field=f.name)
    if f.name in ("unit", "output_unit"):
        text = canonical(text)
    if any(ord(c) < 32 for c in text):
        raise Fault("bad_text", f"{f.label} holds characters that can't be printed.", field=f.name)
    return text


def _number(f: RegisterField, data: Mapping[str, Any], default: float | None) -> float:
    raw = data.get(f.name)
    if raw is None and default is not None:
        return default
    return parse_typed(_as_text(raw), name=f.label, field=f.name, unit=str(data.get("unit") or "")).value


def _choice(f: RegisterField, data: Mapping[str, Any], default: str) -> str:
    given = str(data.get(f.name) or "")
    value = given if given or (f.name in data and "" in f.words) else default  # a choice that may be empty can be emptied again
    found = choice_of(value, f.words)
    if found is None:
        told = ", ".join(label if label.casefold() == k.casefold() else f"{label} ({k})" for k, label in f.words.items() if k)
        raise Fault("unknown_choice", f"{f.label} is '{value[:60]}'; accepted are {told}.", field=f.name)
    return found


def choice_of(text: str, words: Mapping[str, str]) -> str | None:
    """The key of a choice that is given by its key or by its label, in whatever case; None where it is neither."""
    if text in words:
        return text
    plain = " ".join(text.split()).casefold()
    return next((k for k, label in words.items() if plain in (k.casefold(), label.casefold())), None)


def _date(f: RegisterField, data: Mapping[str, Any], default: date | None) -> date | None:
    raw = data.get(f.name, default)
    text = raw.isoformat() if isinstance(raw, date) else str(raw or "").strip()[:10]
    if not text:
        return None
    try:
        on = date.fromisoformat(text)
    except ValueError:
        raise Fault("bad_date", f"{f.label} is '{text}'; write it like 2026-03-24.", field=f.name) from None
    if not date(1950, 1, 1) <= on <= timezone.localdate():
        raise Fault("out_of_range", f"{f.label} is {on:%-d %b %Y}; it lies in the past, and not before 1950.", field=f.name)
    return on


def _flag(f: RegisterField, data: Mapping[str, Any], default: bool) -> bool:
    raw = data.get(f.name, default)
    if not isinstance(raw, str):
        return bool(raw)
    word = raw.strip().casefold()
    if word not in FLAG_WORDS:
        raise Fault("unknown_choice", f"{f.label} is '{raw}'; accepted are yes and no.", field=f.name)
    return FLAG_WORDS[word]


def _as_text(raw: Any) -> str:
    if isinstance(raw, bool):
        return str(raw)
    if isinstance(raw, float):
        return repr(raw) if not math.isfinite(raw) else f"{raw:.12g}"
    return "" if raw is None else str(raw)


def _details(data: Mapping[str, Any], instrument: Instrument, was: str) -> dict[str, Any]:
    """The details that count for the method, as typed; those of another method are let go. was: the unit before."""
    raw = data.get("details", instrument.details)
    if not isinstance(raw, Mapping):
        raise Fault("bad_details", "The details are a list of named values.", field="details")
    method = METHODS.get(instrument.method)
    if method is None:
        return {}
    mine = {f.name for f in setting_fields(method.settings)}
    kept = {k: v for k, v in raw.items() if k in mine and v not in ("", None, False)}
    if was and was != instrument.unit:
        kept = carried(method.settings, kept, instrument.details, was=was, unit=instrument.unit)
    settings = read_settings(method.settings, kept)
    require_alarms_inside(settings, instrument.lrv, instrument.urv, instrument.unit)
    method.check(settings, {"unit": instrument.unit, "lrv": instrument.lrv, "urv": instrument.urv})
    return kept


def _area(data: Mapping[str, Any], known: Known) -> Area:
    code = str(data.get("area") or "")
    if not code:
        raise Fault("missing", "Choose the area it stands in.", field="area")
    if code not in known.areas:
        raise Fault("unknown_area", f"There is no area {code[:40]}; there are {', '.join(sorted(known.areas))}.", field="area")
    return known.areas[code]


def _whole(f: RegisterField, data: Mapping[str, Any], default: int) -> int:
    raw = data.get(f.name)
    if raw is None:
        return default
    if raw == "":
        return int(f.default)
    value = parse_typed(_as_text(raw), name=f.label, field=f.name).value
    if value != int(value) or not f.low <= value <= f.high:
        raise Fault("out_of_range", f"{f.label} is {value:g}; accepted are whole numbers from {f.low} to {f.high}.", field=f.name)
    return int(value)


def _points(data: Mapping[str, Any]) -> list[float]:
    return read_points(data.get("points_percent"))


def read_points(raw: Any) -> list[float]:
    """Test points in percent as typed, like 0 25 50 75 100; none when nothing was typed."""
    if not raw or (isinstance(raw, str) and not raw.strip()):
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
    return read_policies({str(name): _as_text(told) for name, told in given.items()})


def read_policies(given: Mapping[str, str]) -> dict[str, Any]:
    """Policies as typed, read and checked together; what is empty is left out. A Fault names the field and calls it as the form does."""
    labels = {f.name: f.label for f in POLICY_FIELDS}
    values: dict[str, Any] = {}
    for name, text in given.items():
        if raw := text.strip():
            values[name] = raw if name in POLICY_CHOICES else parse_typed(raw, name=labels.get(name, name), field=name).value
    try:
        resolve_policy(values)
    except Fault as fault:
        told = fault.message.replace(fault.field, labels.get(fault.field, fault.field)) if fault.field else fault.message
        raise Fault(fault.code, told, field=fault.field, **fault.context) from None
    return values


def _second_tolerance(data: Mapping[str, Any], instrument: Instrument) -> float | None:
    if instrument.tolerance_combine == "single":
        return None
    return _number(FIELDS["tolerance2_value"], data, None)


FLAG_WORDS = {"yes": True, "true": True, "1": True, "no": False, "false": False, "0": False, "": False}
_READERS: dict[str, Callable[..., Any]] = {
    "text": _text,
    "number": _number,
    "choice": _choice,
    "whole": _whole,
    "flag": _flag,
    "date": _date,
}
_READ = tuple((f, _READERS[f.kind]) for f in REGISTER if f.kind in _READERS)
