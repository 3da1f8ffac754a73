"""What a run is about, frozen at its start: the instrument as the register had it, the points, the policies."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass, field, fields, replace
from typing import Any

from metrology.faults import Fault, require_range
from metrology.judgement.policy import Policy, resolve_policy
from metrology.judgement.tolerance import Term, Tolerance, describe
from metrology.methods.settings import Settings, load_settings
from metrology.methods.steps import ON_BENCH, WHERE
from metrology.quantities.transfer import Transfer, require_output, require_span
from metrology.quantities.typed import same_unit
from metrology.quantities.units import quantity_of

INSTRUMENT, KIT = "instrument", "kit"  # what a run may be about
DEFAULT_POINTS = (0.0, 25.0, 50.0, 75.0, 100.0)


def _hash_once(frozen: Any) -> int:
    """The hash of a frozen value of many fields, which is asked for at every reading and worked out once."""
    if "_hash" not in frozen.__dict__:
        frozen.__dict__["_hash"] = hash(tuple(getattr(frozen, f.name) for f in fields(frozen)))
    return int(frozen.__dict__["_hash"])


@dataclass(frozen=True)
class InstrumentSetup:
    """What a run is about, as frozen into it: an instrument with its range and output, or an item of the kit, whose tag is its code."""

    tag: str
    serial: str
    service: str
    area: str
    unit: str
    lrv: float
    urv: float
    output_lo: float
    output_hi: float
    output_unit: str
    transfer: Transfer
    tolerance: Tolerance
    warm_up_min: float = 0.0
    is_adjustable: bool = True
    needs_permit: bool = False
    hazards: str = ""
    feeds: str = ""
    voting_group: str = ""
    voting: str = ""
    zone: str = ""
    power_cut: str = ""  # what happened to its power since its last job, as a sentence without its full stop
    details: Settings = field(default_factory=Settings)  # what its method asks beyond the range
    subject: str = INSTRUMENT
    maker: str = ""
    model: str = ""
    device_revision: str = ""

    __hash__ = _hash_once

    def __post_init__(self) -> None:
        require_span(self.lrv, self.urv)
        require_output(self.output_lo, self.output_hi)
        require_range(self.warm_up_min, 0, 1440, field="warm_up_min", unit="min")

    @property
    def is_digital(self) -> bool:
        """True where what it gives is a digital value in the unit of its input, which no meter reads."""
        return same_unit(self.output_unit, self.unit)

    @property
    def is_in_degrees(self) -> bool:
        """True where a linear signal stands for a temperature, so that errors are told in its degrees."""
        return quantity_of(self.unit) == "temperature" and self.transfer.kind == "linear"

    @property
    def tolerance_text(self) -> str:
        """The tolerance in words."""
        return describe(self.tolerance, self.unit)


@dataclass(frozen=True)
class Past:
    """A followed result of an earlier run. on: ISO date; phase: as found or as left; life: of the worn part it was measured on."""

    name: str
    on: str
    value: float
    unit: str
    phase: str
    life: str = ""


RISING, FALLING = "rising", "falling"


@dataclass(frozen=True)
class TripPoint:
    """What a safety function requires of an instrument: to trip at a value, give or take `within`, rising or falling to it; in its unit."""

    code: str
    name: str
    level: int
    trip: float
    within: float
    direction: str
    unit: str

    @property
    def required(self) -> str:
        """What is required, in words."""
        return f"{self.trip:g} ±{self.within:g} {self.unit} {self.direction}"


@dataclass(frozen=True)
class RunSetup:
    """Method, instrument, test points in percent of input span (none where a method goes by other things), cycles, policies.

    entered: what was entered in the run's steps and changes how it goes on, such as a cold junction, as (name, text).
    history: results of earlier runs that are followed, oldest first, as they stood when this one was started.
    started_on: ISO date of the run, by which ages are told; empty in runs from before it was kept.
    functions: safety functions that it belongs to, each with where it must trip.
    unqualified: qualifications that it takes and that whoever started it does not have; supervisor: the name of who has them and answers for it.
    """

    method: str
    revision: str
    instrument: InstrumentSetup
    points_percent: tuple[float, ...] = DEFAULT_POINTS
    cycles: int = 1
    policy: Policy = field(default_factory=Policy)
    entered: tuple[tuple[str, str], ...] = ()
    history: tuple[Past, ...] = ()
    started_on: str = ""
    functions: tuple[TripPoint, ...] = ()
    unqualified: tuple[str, ...] = ()
    supervisor: str = ""

    __hash__ = _hash_once

    def __post_init__(self) -> None:
        if self.points_percent:
            check_points(self.points_percent)
        if self.cycles not in (1, 2, 3):
            raise Fault("out_of_range", f"cycles is {self.cycles}; accepted is 1 to 3.", field="cycles")

    @property
    def is_on_bench(self) -> bool:
        """Whether the instrument was taken out of the plant: there is no signal to hold, and no normal reading to be seen."""
        return dict(self.entered).get(WHERE) == ON_BENCH

    def value(self, name: str, default: float) -> float:
        """A number entered in a step, or the default."""
        text = dict(self.entered).get(name, "")
        return float(text) if text else default

    def past(self, name: str, *, phase: str = "", life: str = "") -> tuple[Past, ...]:
        """Earlier results of a name, oldest first; of one phase, or of one life, where asked."""
        return tuple(p for p in self.history if p.name == name and phase in ("", p.phase) and (not life or p.life == life))

    def with_entered(self, values: Mapping[str, str]) -> RunSetup:
        """The setup with more values entered; a later one of the same name counts."""
        return replace(self, entered=tuple(sorted({**dict(self.entered), **values}.items())))

    def without(self, names: Iterable[str]) -> RunSetup:
        """The setup as it is when those were never entered."""
        gone = set(names)
        return replace(self, entered=tuple((k, v) for k, v in self.entered if k not in gone))


def check_points(points: tuple[float, ...]) -> None:
    """Refuse test points that are too few or many, unsorted, doubled, or outside the range."""
    if not 2 <= len(points) <= 21:
        raise Fault("bad_points", f"There are {len(points)} test points; accepted are 2 to 21.", field="points_percent")
    for p in points:
        require_range(p, 0.0, 100.0, field="points_percent", unit="%")
    if any(b <= a for a, b in itertools.pairwise(points)):
        raise Fault("bad_points", "The test points must rise, without doubles, like 0, 25, 50, 75, 100.", field="points_percent")


def setup_payload(setup: RunSetup) -> dict[str, Any]:
    """The setup as plain data for the first event of a run."""
    data = asdict(setup)
    del data["entered"]  # that is in the events that follow
    if setup.instrument.subject == INSTRUMENT:
        del data["instrument"]["subject"]  # as it was before there was another
    if not setup.history:
        del data["history"]
    for name in ("started_on", "functions", "unqualified", "supervisor"):
        if not data[name]:
            del data[name]
    return data


def setup_from(payload: Mapping[str, Any], settings: type[Settings]) -> RunSetup:
    """The setup back from the first event, its details in the method's own settings; raises a Fault when it does not hold together."""
    i = dict(payload["instrument"])
    t, tol, details = i.pop("transfer"), i.pop("tolerance"), i.pop("details", {})
    return RunSetup(
        method=payload["method"],
        revision=payload["revision"],
        instrument=InstrumentSetup(
            **i,
            transfer=Transfer(t["kind"], t["cutoff_percent"], tuple((a, b) for a, b in t["table"])),
            tolerance=Tolerance(tuple(Term(**term) for term in tol["terms"]), tol["combine"], tol["division"]),
            details=load_settings(settings, details),
        ),
        points_percent=tuple(payload["points_percent"]),
        cycles=payload["cycles"],
        policy=resolve_policy(payload["policy"]),
        history=tuple(Past(**past) for past in payload.get("history", ())),
        started_on=payload.get("started_on", ""),
        functions=tuple(TripPoint(**point) for point in payload.get("functions", ())),
        unqualified=tuple(payload.get("unqualified", ())),
        supervisor=payload.get("supervisor", ""),
    )
