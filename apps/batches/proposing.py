"""What a batch would be: each sensor in a well, the probe beside it, what reads it, and what must be said before it starts."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from apps.batches.models import BatchSensor
from apps.bench.models import Device
from apps.kit.models import Reference
from apps.plant.models import Instrument
from apps.plant.policies import policy_for
from apps.runs.due import open_run
from apps.runs.offers import ORDER, offer_reference, offer_references
from config.failures import Missing
from metrology.faults import Fault
from metrology.methods.batch_plan import MAX_SENSORS
from metrology.methods.method import Method
from metrology.methods.registry import METHODS, batch_methods
from metrology.methods.setup import RunSetup
from metrology.methods.steps import UNHELD, Field
from metrology.methods.wells import C, Place, Placed, Sensor, propose_wells
from metrology.quantities.units import convert, quantity_of
from metrology.run.onward import BEFORE, Tap, tap_before

HANDLING_MIN, WHOLE_MIN = 45.0, 15  # a hold is planned for the points, the way to and from the well, and rounded up
PLATE = frozenset({"tag", "serial"})  # picked and typed, of each by itself


@dataclass(frozen=True)
class Row:
    """A sensor as it would go. remarks: what is not as good as wanted and takes a reason; why_not: why it can't go with the others."""

    instrument: Instrument
    setup: RunSetup
    method: Method
    placed: Placed | None
    readout: str
    is_live: bool
    remarks: tuple[str, ...]
    why_not: str


@dataclass(frozen=True)
class Ask:
    """Something that is said once for all. only_for: kinds of hold with which it is asked; empty: with every kind."""

    field: Field
    only_for: tuple[str, ...] = ()

    def counts_for(self, kind: str) -> bool:
        """Whether it is asked where the signals are held, or not held, like that."""
        return not self.only_for or kind in self.only_for


@dataclass(frozen=True)
class Asked:
    """What is said once for all beside the plates, how long each hold is planned for, and what starting says."""

    asks: tuple[Ask, ...]
    minutes: int
    tap: Tap


def propose(tags: Sequence[str], chosen: Mapping[str, str], today: date) -> list[Row]:
    """Each of the sensors with its well; chosen: the block by tag where somebody has said which.

    Raises a Fault for none or too many, Missing for a tag that is not in the register or is no such sensor.
    """
    found = {i.tag: i for i in Instrument.objects.filter(tag__in=tags, method__in=batch_methods()).select_related("area")}
    if missing := sorted(set(tags) - set(found)):
        raise Missing("unknown_tag", f"{', '.join(missing)}: no temperature sensor that goes into a block.", field="tags")
    if not 1 <= len(found) <= MAX_SENSORS:
        told = f"A batch holds 1 to {MAX_SENSORS} sensors; {len(found)} were chosen. The others go in the next one."
        raise Fault("bad_batch", told, field="tags")
    instruments = [found[t] for t in dict.fromkeys(tags)]
    kit = [r for r in Reference.objects.filter(state="in service", due_on__gte=today) if quantity_of(r.unit) == "temperature"]
    setups = [_setup_of(i) for i in instruments]
    wired = {i.tag: _wired_block(i.tag) for i in instruments}
    plan = propose_wells(
        [_sensor(s, m, chosen.get(i.tag) or wired[i.tag]) for i, (s, m) in zip(instruments, setups, strict=True)],
        [_place(r, r.gradient + r.axial + r.loading) for r in kit if r.kind == "block"],
        [_place(r, r.standard().expanded(r.high, unit=r.unit)) for r in kit if r.kind == "probe"],
    )
    at = {p.tag: p for p in plan.placed}
    return [
        _row(i, s, m, at.get(i.tag), plan.left.get(i.tag, ""), wired[i.tag], today) for i, (s, m) in zip(instruments, setups, strict=True)
    ]


def _setup_of(i: Instrument) -> tuple[RunSetup, Method]:
    method = METHODS[i.method]
    return i.run_setup(policy_for(i), method.revision), method


def _sensor(setup: RunSetup, method: Method, block: str) -> Sensor:
    i = setup.instrument
    need = method.standards.of(setup, "applied")
    low, high = (need.low, need.high) if need else (i.lrv, i.urv)
    return Sensor(i.tag, i.unit, low, high, max(i.lrv, i.urv), block)


def _place(r: Reference, u: float) -> Place:
    low, high = (convert(v, r.unit, to_unit=C) for v in (r.low, r.high))
    return Place(r.code, low, high, convert(u, r.unit, to_unit=C) - convert(0.0, r.unit, to_unit=C), r.wells)


def _wired_block(tag: str) -> str:
    """The block of the kit in which a sensor stands that is read live; empty where it is not wired."""
    for device in Device.objects.exclude(item=""):
        if any(s.get("tag") == tag and s.get("role") == "indicated" for s in device.signals):
            return device.item
    return ""


def _refused(i: Instrument, setup: RunSetup, method: Method, why_not: str) -> Row:
    return Row(i, setup, method, None, "", False, (), why_not)


def _row(i: Instrument, setup: RunSetup, method: Method, placed: Placed | None, why: str, wired: str, today: date) -> Row:
    if run := open_run(i):
        return _refused(i, setup, method, f"{run.technician.name} has it under way already, at '{run.at_step}'.")
    if other := BatchSensor.objects.filter(instrument=i, batch__closed_at=None, run=None).select_related("batch__owner").first():
        told = f"It is in a batch of {other.batch.owner.name}, not begun yet. Go on with that, or take it out there."
        return _refused(i, setup, method, told)
    if placed is None:
        return _refused(i, setup, method, why)
    remarks = []
    for role, code in (("applied", placed.probe), ("block", placed.block)):
        need = method.standards.of(setup, role)
        if need:
            offer = offer_reference(setup, method, need, Reference.objects.get(code=code), today)
            remarks += [f"{code}: {r['says']}" for r in offer["remarks"]]
    readout, told = _readout(setup, method, today)
    if not readout:
        return Row(i, setup, method, None, "", False, (), f"Nothing in the kit reads it: {told}")
    return Row(i, setup, method, placed, readout, wired == placed.block, (*remarks, *([told] if told else [])), "")


def _readout(setup: RunSetup, method: Method, today: date) -> tuple[str, str]:
    """The best item that reads the sensor, with what is said of it; an empty code where none will do."""
    need = method.standards.of(setup, "indicated")
    if need is None:
        return "", "its method names no readout."
    meters = set(Reference.objects.filter(kind="meter").values_list("code", flat=True))  # what else covers it may be a source
    rows = sorted(offer_references(setup, method, need, today), key=lambda r: (ORDER[r["standing"]], r["code"] not in meters))
    if not rows or any(r["rule"] == "wrong_quantity" for r in rows[0]["remarks"]):
        return "", f"no readout in {need.unit} is in the register of the kit."
    best, says = rows[0], " ".join(r["says"] for r in rows[0]["remarks"])
    return ("", says) if best["standing"] == "refuse" else (best["code"], f"{best['code']}: {says}" if says else "")


def asked_of(rows: Sequence[Row]) -> Asked:
    """What is to be said once before these start."""
    going = [r for r in rows if r.placed]
    steps = [s for r in going for s in r.method.steps(r.setup, {}) if s.phase in BEFORE and not s.left_out]
    asks = {f.name: Ask(f) for s in steps for f in s.fields if f.kind in ("text", "number") and f.required}
    for hold in (s for s in steps if s.kind == "hold"):
        asks["hold_kind"] = Ask(Field("hold_kind", "How the signals are held", "choice", options=hold.options))
        asks["hold_why"] = Ask(Field("hold_why", "Why they are not held"), tuple(k for k, _ in hold.options if k in UNHELD))
    if any(r.remarks for r in going):
        asks["why_reference"] = Ask(Field("why_reference", "Why these references must do", hint="It goes on each record."))
    longest = max((sum(r.method.minutes(r.setup, s) for s in r.method.trial.plan(r.setup, "as_found").slots) for r in going), default=0.0)
    taps = [tap_before(r.setup, r.method, typed=PLATE) for r in going]
    cautions, says = (tuple(dict.fromkeys(t for tap in taps for t in getattr(tap, name))) for name in ("cautions", "says"))
    minutes = WHOLE_MIN * math.ceil((longest + HANDLING_MIN) / WHOLE_MIN)
    return Asked(tuple(asks.values()), minutes, Tap("They stand in their wells", cautions, says))
