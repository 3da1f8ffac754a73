"""What a gas method needs to know of a detector: its gas, its technology, its speed, its sensor, its channels."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

from metrology.faults import Fault, require_positive
from metrology.methods.fragments import AlarmSettings
from metrology.methods.settings import asked
from metrology.methods.setup import RunSetup
from metrology.quantities.gas import BASES, find_gas, lel_percent_vol
from metrology.quantities.typed import parse_typed

TECHNOLOGIES = {
    "catalytic": "catalytic bead",
    "electrochemical": "electrochemical cell",
    "optical": "optical, infrared",
    "oxygen": "oxygen cell",
    "semiconductor": "semiconductor",
}
UNITS = {"%LEL": "lel", "ppm": "ppm", "% vol": "vol"}


@dataclass(frozen=True)
class GasChannel:
    """One sensor of a head, or one range of a portable: 0 to top in unit, for a gas. stored_v: its reference voltage."""

    name: str
    gas: str
    top: float
    unit: str
    stored_v: float = 0.0


def _gas_name(text: str) -> str:
    return find_gas(text).name


def _load_channels(rows: Iterable[Mapping[str, Any]]) -> tuple[GasChannel, ...]:
    return tuple(GasChannel(**c) for c in rows)


def read_channels(text: str) -> tuple[GasChannel, ...]:
    """Channels as typed: name, gas, top of range, unit, and the stored reference voltage where there is one."""
    out = []
    for row in (part for part in text.split(";") if part.strip()):
        parts = [p.strip() for p in row.split(",")]
        if len(parts) not in (4, 5):
            raise Fault("bad_channel", f"'{row.strip()}': a channel is name, gas, range, unit and, if it has one, volts.", field="channels")
        top = parse_typed(parts[2], name="A channel's range", field="channels").value
        volts = parse_typed(parts[4], name="A reference voltage", unit="V", field="channels").value if len(parts) == 5 else 0.0
        out.append(GasChannel(parts[0], find_gas(parts[1]).name, top, parts[3], volts))
    if len(out) > 8 or len({c.name for c in out}) != len(out):
        raise Fault("bad_channel", "At most 8 channels, each with a name of its own.", field="channels")
    return tuple(out)


@dataclass(frozen=True)
class DetectorSettings(AlarmSettings):
    """A detector beyond its range.

    gas: what it watches for; basis: of %LEL (iec, nfpa). cal_gas: a surrogate it is set with, relative_response: what it reads of 1 of the
    surrogate. check_days: between function checks, 0 where none are planned. flow_l_min: calibration flow. t90_s: of a healthy sensor.
    inhibit_ma: the current while inhibited, 0 when it has none. signal_unit, new_sensitivity: the raw signal and what a new sensor gives of it a
    unit of gas. path_l: volume of the optical path, l. partial_pressure: an oxygen cell that follows air pressure.
    """

    check_days: float = asked(
        "Days between function checks",
        default=0.0,
        unit="days",
        hint="0: none are planned; a calibration counts as one",
        low=0.0,
        high=366.0,
    )
    gas: str = asked("Gas it watches for", "text", default="", hint="Like hydrogen, chlorine, methane", read=_gas_name)
    basis: str = asked("Basis of %LEL", "choice", default="", hint="Needed where the unit is %LEL", options=(("", "none"), *BASES.items()))
    technology: str = asked("Sensor technology", "choice", default="electrochemical", options=tuple(TECHNOLOGIES.items()))
    cal_gas: str = asked("Surrogate it is set with", "text", default="", hint="Empty: its own gas", read=_gas_name)
    relative_response: float = asked("Reads of 1 of the surrogate", default=1.0, low=0.05, high=20.0)
    flow_l_min: float = asked("Calibration flow", default=0.5, unit="l/min", low=0.05, high=20.0)
    t90_s: float = asked("T90 of a healthy sensor", default=30.0, unit="s", low=0.1, high=1800.0)
    inhibit_ma: float = asked("Inhibit current", default=0.0, unit="mA", hint="0: its output is not held by itself", low=0.0, high=22.0)
    needs_humid: bool = asked("It needs humid gas", "flag", default=False)
    partial_pressure: bool = asked(
        "Its reading follows air pressure", "flag", default=False, hint="Oxygen cells of the partial-pressure kind"
    )
    proves_zero: bool = asked("Zero is proved with nitrogen", "flag", default=False, hint="Oxygen")
    signal_unit: str = asked("Unit of its raw signal", "text", default="", hint="Like mV, nA, counts")
    new_sensitivity: float = asked("Signal a unit of gas, sensor new", default=0.0, hint="0: not known", low=0.0, high=1e6)
    sensor_serial: str = asked("Sensor serial", "text", default="")
    sensor_since: str = asked("Sensor fitted on", "text", default="", hint="Like 2026-03-01")
    life_months: float = asked("Expected sensor life", default=0.0, unit="months", hint="0: not known", low=0.0, high=240.0)
    display_step: float = asked("Its display steps by", default=0.0, unit="unit of gas", hint="0: by its range", low=0.0, high=1000.0)
    dose_limit: float = asked("Dose it lasts for", default=0.0, unit="unit of gas x h", hint="0: not known", low=0.0, high=1e9)
    channels: tuple[GasChannel, ...] = asked(
        "Channels or ranges", "text", default=(), hint="Like A, methane, 100, %LEL, 2.5; B, hydrogen sulphide, 50, ppm, 2.5",
        read=read_channels, show=lambda found: ", ".join(c.name for c in found), load=_load_channels,
    )  # fmt: skip
    full_scale_v: float = asked("Full-scale reference voltage", default=5.0, unit="V", low=0.1, high=24.0)
    path_l: float = asked("Volume of the optical path", default=0.3, unit="l", low=0.01, high=20.0)

    @property
    def measured(self) -> tuple[GasChannel, ...]:
        """What it measures, where that is more than one thing."""
        return self.channels

    def check(self) -> None:
        """Dates are dates; every channel has a range in a unit of gas, %LEL with its basis."""
        if self.sensor_since:
            try:
                date.fromisoformat(self.sensor_since)
            except ValueError:
                raise Fault("bad_date", f"'{self.sensor_since}' is not a date like 2026-03-01.", field="sensor_since") from None
        for c in self.channels:
            require_positive(c.top, "channels")
            require_unit(c.gas, c.unit, self.basis, field="channels")


def settings_of(setup: RunSetup) -> DetectorSettings:
    """The detector's own settings."""
    s = setup.instrument.details
    return s if isinstance(s, DetectorSettings) else DetectorSettings()


def check_register(s: Any, register: Mapping[str, Any]) -> None:
    """A detector without channels must say which gas it watches for, in a unit of gas."""
    if not s.channels:
        if not s.gas:
            raise Fault("missing", "Say which gas it watches for.", field="gas")
        require_unit(s.gas, str(register["unit"]), s.basis, field="unit")


def require_unit(gas: str, unit: str, basis: str, *, field: str) -> None:
    """A gas's range must be in ppm, % vol or %LEL, and %LEL needs its basis."""
    if unit not in UNITS:
        raise Fault("unknown_unit", f"'{unit}' is not a unit of gas here; accepted are {', '.join(UNITS)}.", field=field)
    if unit == "%LEL":
        if basis not in BASES:
            told = f"%LEL of {gas} without its basis means nothing: choose {' or '.join(BASES.values())}."
            raise Fault("no_basis", told, field="basis")
        if lel_percent_vol(find_gas(gas), basis) is None:
            raise Fault("no_lel", f"{gas} has no lower explosive limit; use ppm or % vol.", field=field)
