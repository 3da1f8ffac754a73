"""What a method needs to know of an instrument beyond its range: sensor, displacer, loop, displays, alarms.

The register keeps these as texts under the names of DETAIL_FIELDS; here they are read, checked and given their types.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, fields
from typing import Any

from metrology.faults import Fault, require_range
from metrology.methods.gas_details import GAS_FIELDS, OPTIONS, GasDetails, gas_details_from, gas_details_payload, read_channels
from metrology.quantities.buoyancy import cylinder_volume
from metrology.quantities.temperature import SENSOR_CLASSES
from metrology.quantities.thermocouple_tables import REFERENCE_FUNCTIONS
from metrology.quantities.typed import parse_typed

TRANSMITTER, SENSOR, DISPLACER, LOOP = "tx-multipoint", "temp-sensor", "level-displacer", "loop-check"
CONFIGURE = "tx-configure"
GAS = ("gas-bump", "gas-zero-span", "gas-multichannel", "gas-ir-zero", "gas-oxygen", "gas-portable")


@dataclass(frozen=True)
class Display:
    """A place on the way of a signal where it is shown: what it should show at 4 and at 20 mA."""

    name: str
    unit: str
    low: float
    high: float


@dataclass(frozen=True)
class Alarm:
    """An alarm on the signal. set_point in the instrument's unit; rising: it acts when the value goes above; latching: until reset."""

    name: str
    set_point: float
    rising: bool
    latching: bool = False


@dataclass(frozen=True)
class Details:
    """Everything beyond the range; what a method does not use stays at its default.

    r0: ohm at 0 C. lead_ohm: known resistance of both leads of a 2-wire connection. dwell_min: wait after settling, min.
    Displacer: weight in air and loads in weight_unit (kg or lb), volume in cm3 or in3, densities in kg/cm3 or lb/in3;
    gravity: local gravity over standard gravity. supply_v, loop_ohm, lift_off_v: the current loop; supply 0: not checked.
    """

    has_digital: bool = False
    tests_dead_band: bool = False
    sensor: str = ""
    r0: float = 100.0
    wires: int = 4
    lead_ohm: float = 0.0
    sensor_class: str = ""
    dwell_min: float = 1.0
    matches_coefficients: bool = False
    supply_v: float = 0.0
    loop_ohm: float = 250.0
    lift_off_v: float = 10.5
    interface: bool = False
    displacer_weight: float = 0.0
    displacer_volume: float = 0.0
    density: float = 0.001
    upper_density: float = 0.0
    gravity: float = 1.0
    weight_unit: str = "kg"
    weights_on_hand: tuple[float, ...] = ()
    has_column: bool = False
    displays: tuple[Display, ...] = ()
    alarms: tuple[Alarm, ...] = ()
    detector: GasDetails = field(default_factory=GasDetails)

    @property
    def is_platinum(self) -> bool:
        """True for a resistance thermometer."""
        return self.sensor == "pt"

    @property
    def thermocouple(self) -> str:
        """The type letter of a thermocouple, empty for others."""
        return self.sensor[3:].upper() if self.sensor.startswith("tc-") else ""

    @property
    def sensor_unit(self) -> str:
        """The unit of the sensor's signal."""
        return "ohm" if self.is_platinum else "mV" if self.sensor else ""


@dataclass(frozen=True)
class DetailField:
    """How a detail is asked for. kind: text, number, flag, choice. methods: where it counts."""

    name: str
    label: str
    kind: str
    methods: tuple[str, ...]
    unit: str = ""
    hint: str = ""
    options: tuple[tuple[str, str], ...] = ()


SENSORS = (("", "none"), ("pt", "platinum, IEC 60751"), *((f"tc-{k.lower()}", f"thermocouple {k}") for k in sorted(REFERENCE_FUNCTIONS)))
CLASSES = (("", "as the tolerance says"), *((name, name) for name in SENSOR_CLASSES))

DETAIL_FIELDS = (
    DetailField("has_digital", "Its digital value is read beside the output", "flag", (TRANSMITTER,)),
    DetailField("tests_dead_band", "Its dead band is tested", "flag", (TRANSMITTER,)),
    DetailField("sensor", "Sensor", "choice", (TRANSMITTER, SENSOR), options=SENSORS, hint="A transmitter's sensor is simulated"),
    DetailField("r0", "Resistance at 0 C", "number", (TRANSMITTER, SENSOR), "ohm"),
    DetailField("wires", "Wires", "choice", (SENSOR,), options=(("2", "2"), ("3", "3"), ("4", "4"))),
    DetailField("lead_ohm", "Leads of a 2-wire connection", "number", (SENSOR,), "ohm", "Both leads together; taken off each reading"),
    DetailField("sensor_class", "Tolerance class", "choice", (SENSOR,), options=CLASSES),
    DetailField("dwell_min", "Dwell after settling", "number", (SENSOR,), "min"),
    DetailField("matches_coefficients", "Its transmitter takes coefficients", "flag", (SENSOR,)),
    DetailField("supply_v", "Loop supply", "number", (TRANSMITTER, CONFIGURE, LOOP), "V", "0: the loop budget is not checked"),
    DetailField("loop_ohm", "Loop resistance", "number", (TRANSMITTER, CONFIGURE, LOOP), "ohm"),
    DetailField("lift_off_v", "Lift-off voltage", "number", (TRANSMITTER, CONFIGURE, LOOP), "V"),
    DetailField("interface", "It measures an interface of two liquids", "flag", (DISPLACER,)),
    DetailField("weight_unit", "Weight unit", "choice", (DISPLACER,), options=(("kg", "kg, cm3"), ("lb", "lb, in3"))),
    DetailField("displacer_weight", "Displacer, weight in air", "number", (DISPLACER,)),
    DetailField("displacer_volume", "Displacer, volume", "text", (DISPLACER,), "", "A number, or diameter x length: 5.08 x 81.3"),
    DetailField("density", "Density, lower liquid", "number", (DISPLACER,), "", "kg/cm3 or lb/in3"),
    DetailField("upper_density", "Density, upper liquid", "number", (DISPLACER,), "", "For an interface"),
    DetailField("gravity", "Local gravity / standard", "number", (DISPLACER,)),
    DetailField("weights_on_hand", "Weights on hand", "text", (DISPLACER,), "", "Like 1 0.5 0.2 0.2 0.1"),
    DetailField("has_column", "Its column can be filled for a wet proof", "flag", (DISPLACER,)),
    DetailField("displays", "Displays on the way", "text", (LOOP,), "", "Like Isolator mA 4 20; Control system kPa 0 400"),
    DetailField("alarms", "Alarms", "text", (LOOP, *GAS), "", "Like High 380 rising; Low 20 falling; Gas 40 rising latching"),
    *(DetailField(name, label, kind, GAS, unit, hint, OPTIONS.get(name, ())) for name, label, kind, unit, hint in GAS_FIELDS),
)
OF_DETECTOR = {row[0] for row in GAS_FIELDS}
_BY_NAME = {f.name: f for f in DETAIL_FIELDS}


def details_from(raw: Mapping[str, Any]) -> Details:
    """Details from the register's texts; raises a Fault naming the field that does not hold."""
    values: dict[str, Any] = {}
    of_detector: dict[str, Any] = {}
    for name, given in raw.items():
        field = _BY_NAME.get(name)
        if field is None:
            raise Fault("unknown_detail", f"'{name}' is not a detail of an instrument.", field=name)
        text = given if isinstance(given, bool) else str(given).strip()
        if text == "":
            continue
        (of_detector if name in OF_DETECTOR else values)[name] = _read(field, text)
    return check_details(Details(**values, detector=gas_details_from(of_detector)))


def _read(field: DetailField, text: Any) -> Any:
    if field.kind == "flag":
        return text is True or str(text).lower() in ("true", "1", "yes")
    if field.kind == "choice":
        if text not in dict(field.options):
            raise Fault("unknown_choice", f"{field.label} is '{text}'; choose one that is offered.", field=field.name)
        return int(text) if field.name == "wires" else text
    if field.kind == "number":
        return parse_typed(str(text), name=field.label, unit=field.unit, field=field.name).value
    return _TEXTS.get(field.name, str)(str(text))


def _volume(text: str) -> float:
    parts = [parse_typed(p, name="The displacer's volume", field="displacer_volume").value for p in text.lower().split("x")]
    if len(parts) == 1:
        return parts[0]
    if len(parts) == 2:
        return cylinder_volume(parts[0], parts[1])
    raise Fault("bad_volume", "The displacer's volume is one number, or diameter x length.", field="displacer_volume")


def _weights(text: str) -> tuple[float, ...]:
    parts = text.replace(";", " ").split()
    weights = tuple(parse_typed(p, name="A weight on hand", field="weights_on_hand").value for p in parts)
    if any(w <= 0 for w in weights) or len(weights) > 24:
        raise Fault("bad_weights", "Weights on hand: at most 24 numbers above zero.", field="weights_on_hand")
    return tuple(sorted(weights, reverse=True))


def _rows(text: str, field: str) -> list[list[str]]:
    rows = [row.split() for row in text.split(";") if row.strip()]
    if len(rows) > 8:
        raise Fault("too_many", "At most 8 can be named.", field=field)
    return rows


def _displays(text: str) -> tuple[Display, ...]:
    out = []
    for row in _rows(text, "displays"):
        if len(row) < 4:
            raise Fault("bad_display", f"'{' '.join(row)}': a display is name, unit, what it shows at 4 and at 20 mA.", field="displays")
        low, high = (parse_typed(v, name="A display's range", field="displays").value for v in row[-2:])
        if low == high:
            raise Fault("bad_display", f"'{' '.join(row)}': it shows the same at both ends.", field="displays")
        out.append(Display(" ".join(row[:-3]), row[-3], low, high))
    return tuple(out)


def _alarms(text: str) -> tuple[Alarm, ...]:
    out = []
    for row in _rows(text, "alarms"):
        latching = row[-1] == "latching"
        words = row[:-1] if latching else row
        if len(words) < 3 or words[-1] not in ("rising", "falling"):
            told = f"'{' '.join(row)}': an alarm is name, set point, rising or falling, and latching where it stays until it is reset."
            raise Fault("bad_alarm", told, field="alarms")
        set_point = parse_typed(words[-2], name="A set point", field="alarms").value
        out.append(Alarm(" ".join(words[:-2]), set_point, words[-1] == "rising", latching))
    return tuple(out)


_TEXTS: dict[str, Callable[[str], Any]] = {
    "displacer_volume": _volume,
    "weights_on_hand": _weights,
    "displays": _displays,
    "alarms": _alarms,
    "channels": read_channels,
}


def check_details(d: Details) -> Details:
    """The details, or a Fault naming the one outside its range."""
    require_range(d.r0, 1, 10_000, field="r0", unit="ohm")
    require_range(d.lead_ohm, 0, 200, field="lead_ohm", unit="ohm")
    require_range(d.dwell_min, 0, 240, field="dwell_min", unit="min")
    require_range(d.supply_v, 0, 100, field="supply_v", unit="V")
    require_range(d.loop_ohm, 0, 10_000, field="loop_ohm", unit="ohm")
    require_range(d.lift_off_v, 0, 100, field="lift_off_v", unit="V")
    require_range(d.gravity, 0.9, 1.1, field="gravity")
    require_range(d.displacer_weight, 0, 1000, field="displacer_weight")
    require_range(d.displacer_volume, 0, 1_000_000, field="displacer_volume")
    if d.sensor_class and d.sensor and not d.sensor_class.startswith(d.sensor):
        raise Fault("class_mismatch", f"Class {d.sensor_class} does not belong to this sensor.", field="sensor_class")
    return d


def details_payload(payload: Mapping[str, Any]) -> Details:
    """Details back from the first event of a run, where they stand as plain data."""
    known = {f.name for f in fields(Details)}
    data = {k: v for k, v in payload.items() if k in known}
    data["weights_on_hand"] = tuple(data.get("weights_on_hand", ()))
    data["displays"] = tuple(Display(**d) for d in data.get("displays", ()))
    data["alarms"] = tuple(Alarm(**a) for a in data.get("alarms", ()))
    data["detector"] = gas_details_payload(data.get("detector", {}))
    return Details(**data)
