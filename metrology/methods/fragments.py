"""Settings that several methods share: a sensor that is simulated or read, pressure, a current loop, alarms on the signal, a scale."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from metrology.faults import Fault
from metrology.methods.settings import Settings, asked
from metrology.methods.setup import RunSetup
from metrology.quantities.temperature import SENSOR_CLASSES
from metrology.quantities.thermocouple_tables import REFERENCE_FUNCTIONS
from metrology.quantities.typed import parse_typed
from metrology.quantities.units import quantity_of
from metrology.quantities.weighing import HB44, R76

SENSORS = (("", "none"), ("pt", "platinum, IEC 60751"), *((f"tc-{k.lower()}", f"thermocouple {k}") for k in sorted(REFERENCE_FUNCTIONS)))
WIRES = (("2", "2"), ("3", "3"), ("4", "4"))
CLASSES = (("", "as the tolerance says"), *((name, name) for name in SENSOR_CLASSES))


def rows_of(text: str, field: str) -> list[list[str]]:
    """Rows as typed, parted by semicolons, at most eight."""
    rows = [row.split() for row in text.split(";") if row.strip()]
    if len(rows) > 8:
        raise Fault("too_many", "At most 8 can be named.", field=field)
    return rows


@dataclass(frozen=True)
class Alarm:
    """An alarm on the signal. set_point in the instrument's unit; rising: it acts when the value goes above; latching: until reset."""

    name: str
    set_point: float
    rising: bool
    latching: bool = False


def read_alarms(text: str) -> tuple[Alarm, ...]:
    """Alarms as typed: name, set point, rising or falling, and latching."""
    out = []
    for row in rows_of(text, "alarms"):
        latching = row[-1] == "latching"
        words = row[:-1] if latching else row
        if len(words) < 3 or words[-1] not in ("rising", "falling"):
            told = f"'{' '.join(row)}': an alarm is name, set point, rising or falling, and latching where it stays until it is reset."
            raise Fault("bad_alarm", told, field="alarms")
        set_point = parse_typed(words[-2], name="A set point", field="alarms").value
        out.append(Alarm(" ".join(words[:-2]), set_point, words[-1] == "rising", latching))
    return tuple(out)


def show_alarms(alarms: Iterable[Alarm]) -> str:
    """Alarms in words."""
    return "; ".join(f"{a.name} {a.set_point:g} {'rising' if a.rising else 'falling'}{', latching' if a.latching else ''}" for a in alarms)


def load_alarms(rows: Iterable[Mapping[str, Any]]) -> tuple[Alarm, ...]:
    """Alarms back from an event."""
    return tuple(Alarm(**a) for a in rows)


@dataclass(frozen=True)
class AlarmSettings(Settings):
    """Alarms on the signal."""

    alarms: tuple[Alarm, ...] = asked(
        "Alarms", "text", default=(), hint="Like High 380 rising; Low 20 falling; Gas 40 rising latching",
        read=read_alarms, show=show_alarms, load=load_alarms,
    )  # fmt: skip


@dataclass(frozen=True)
class SensorSettings(Settings):
    """A resistance thermometer or a thermocouple. r0: ohm at 0 °C. wires: of a resistance thermometer, as it is connected."""

    sensor: str = asked("Sensor", "choice", default="", options=SENSORS, hint="A transmitter's sensor is simulated")
    r0: float = asked("Resistance at 0 °C", default=100.0, unit="ohm", low=1.0, high=10_000.0)
    wires: int = asked("Wires of its sensor", "choice", default=3, options=WIRES, read=int)

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


GAUGE, DIFFERENTIAL, ABSOLUTE = "gauge", "differential", "absolute"


@dataclass(frozen=True)
class PressureSettings(Settings):
    """What a pressure transmitter measures against: the air, another side, or nothing at all."""

    against: str = asked(
        "Pressure is measured", "choice", default="",
        options=(("", "as the range says"), (GAUGE, "against the air"), (DIFFERENTIAL, "between two sides"), (ABSOLUTE, "absolute")),
        hint="A square root is of two sides, anything else against the air",
    )  # fmt: skip


@dataclass(frozen=True)
class LoopSettings(Settings):
    """The current loop. supply_v 0: not checked; of the others 0 is not known, and asked in the run. alarm_ma: what it gives when it fails high.

    Source: NAMUR NE 43:2003, from 21 mA on a current is a failure signal; devices give up to 22 mA and some more.
    """

    supply_v: float = asked("Loop supply", default=0.0, unit="V", hint="0: the loop budget is not checked", low=0.0, high=100.0)
    loop_ohm: float = asked("Loop resistance", default=0.0, unit="ohm", hint="0: not known", low=0.0, high=10_000.0)
    lift_off_v: float = asked("Lift-off voltage", default=0.0, unit="V", hint="0: not known", low=0.0, high=100.0)
    alarm_ma: float = asked("Alarm current, high", default=22.0, unit="mA", hint="NE 43: 22 mA, or the device's own", low=20.0, high=30.0)


SCHEMES = (
    ("", "as the tolerance says"), *((k, f"OIML R 76, class {k.split('-')[1].upper()}") for k in R76),
    *((k, f"HB 44, class {k.split('-')[1].upper()}") for k in HB44), ("hb44-iiil", "HB 44, class III L"),
)  # fmt: skip
STAGES = (("in-service", "in service (maintenance)"), ("initial", "initial (acceptance)"))


@dataclass(frozen=True)
class ScaleSettings(Settings):
    """A scale. division in kg, 0: a 3000th of Max. back_divisions: how far its zero may be off after the loads (OIML R 76-1:2006 3.9.4.2)."""

    division: float = asked("Scale division", default=0.0, unit="kg", hint="0: a 3000th of Max", low=0.0, high=1e5)
    scheme: str = asked("Permissible errors", "choice", default="", options=SCHEMES)
    stage: str = asked("Stage", "choice", default="in-service", options=STAGES)
    back_divisions: float = asked("Zero comes back within", default=0.5, unit="divisions", low=0.1, high=20.0, is_policy=True)


_NO_SENSOR = SensorSettings()


def sensor_of(setup: RunSetup) -> SensorSettings:
    """The sensor of an instrument; none where its method asks for none."""
    s = setup.instrument.details
    return s if isinstance(s, SensorSettings) else _NO_SENSOR


def pressure_kind(setup: RunSetup) -> str:
    """gauge, differential or absolute; empty of an instrument that does not measure pressure, or whose sensor is simulated."""
    i = setup.instrument
    if quantity_of(i.unit) != "pressure" or sensor_of(setup).sensor:
        return ""
    told = i.details.against if isinstance(i.details, PressureSettings) else ""
    return told or (DIFFERENTIAL if i.transfer.kind == "sqrt" else GAUGE)


def alarms_in(settings: Settings) -> tuple[Alarm, ...]:
    """The alarms among an instrument's settings; none where its method asks for none."""
    return settings.alarms if isinstance(settings, AlarmSettings) else ()


def alarms_of(setup: RunSetup) -> tuple[Alarm, ...]:
    """The alarms of an instrument; none where its method asks for none."""
    return alarms_in(setup.instrument.details)
