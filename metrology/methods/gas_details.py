"""What a gas method needs to know of a detector: its gas, its technology, its speed, its sensor, its channels."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from typing import Any

from metrology.faults import Fault, require_positive, require_range
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


@dataclass(frozen=True)
class GasDetails:
    """A detector beyond its range.

    gas: what it watches for; basis: of %LEL (iec, nfpa). cal_gas: a surrogate it is set with, relative_response: what it
    reads of 1 of the surrogate. flow_l_min: calibration flow. t90_s: of a healthy sensor. inhibit_ma: the current
    while inhibited, 0 when it has none. signal_unit, new_sensitivity: the raw signal and what a new sensor gives of it a
    unit of gas. path_l: volume of the optical path, l. partial_pressure: an oxygen cell that follows air pressure.
    """

    gas: str = ""
    basis: str = ""
    technology: str = "electrochemical"
    cal_gas: str = ""
    relative_response: float = 1.0
    flow_l_min: float = 0.5
    t90_s: float = 30.0
    inhibit_ma: float = 0.0
    needs_humid: bool = False
    partial_pressure: bool = False
    proves_zero: bool = False
    signal_unit: str = ""
    new_sensitivity: float = 0.0
    sensor_serial: str = ""
    sensor_since: str = ""
    life_months: float = 0.0
    channels: tuple[GasChannel, ...] = ()
    full_scale_v: float = 5.0
    path_l: float = 0.3

    @property
    def applied_gas(self) -> str:
        """What is in the bottle it is set with."""
        return self.cal_gas or self.gas


# name in the register, label, kind, unit, hint; texts of the register under these names become the details above
GAS_FIELDS: tuple[tuple[str, str, str, str, str], ...] = (
    ("gas", "Gas it watches for", "text", "", "Like hydrogen, chlorine, methane"),
    ("basis", "Basis of %LEL", "choice", "", "Needed where the unit is %LEL"),
    ("technology", "Sensor technology", "choice", "", ""),
    ("cal_gas", "Surrogate it is set with", "text", "", "Empty: its own gas"),
    ("relative_response", "Reads of 1 of the surrogate", "number", "", ""),
    ("flow_l_min", "Calibration flow", "number", "l/min", ""),
    ("t90_s", "T90 of a healthy sensor", "number", "s", ""),
    ("inhibit_ma", "Inhibit current", "number", "mA", "0: its output is not held by itself"),
    ("needs_humid", "It needs humid gas", "flag", "", ""),
    ("partial_pressure", "Its reading follows air pressure", "flag", "", "Oxygen cells of the partial-pressure kind"),
    ("proves_zero", "Zero is proved with nitrogen", "flag", "", "Oxygen"),
    ("signal_unit", "Unit of its raw signal", "text", "", "Like mV, nA, counts"),
    ("new_sensitivity", "Signal a unit of gas, sensor new", "number", "", "0: not known"),
    ("sensor_serial", "Sensor serial", "text", "", ""),
    ("sensor_since", "Sensor fitted on", "text", "", "Like 2026-03-01"),
    ("life_months", "Expected sensor life", "number", "months", "0: not known"),
    ("channels", "Channels or ranges", "text", "", "Like A, methane, 100, %LEL, 2.5; B, hydrogen sulphide, 50, ppm, 2.5"),
    ("full_scale_v", "Full-scale reference voltage", "number", "V", ""),
    ("path_l", "Volume of the optical path", "number", "l", ""),
)
OPTIONS: dict[str, tuple[tuple[str, str], ...]] = {
    "basis": (("", "none"), *BASES.items()),
    "technology": tuple(TECHNOLOGIES.items()),
}


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


def gas_details_from(values: Mapping[str, Any]) -> GasDetails:
    """Details from typed values, checked; raises a Fault naming the field."""
    d = GasDetails(**{k: v for k, v in values.items() if k not in ("gas", "cal_gas")})
    names = {k: find_gas(str(values[k])).name for k in ("gas", "cal_gas") if values.get(k)}
    return check_gas_details(GasDetails(**{**d.__dict__, **names}))


def gas_details_payload(payload: Mapping[str, Any]) -> GasDetails:
    """Details back from the first event of a run."""
    data = {k: v for k, v in payload.items() if k in GasDetails.__dataclass_fields__}
    data["channels"] = tuple(GasChannel(**c) for c in data.get("channels", ()))
    return GasDetails(**data)


def check_gas_details(d: GasDetails) -> GasDetails:
    """The details, or a Fault naming the one outside its range."""
    require_range(d.relative_response, 0.05, 20, field="relative_response")
    require_range(d.flow_l_min, 0.05, 20, field="flow_l_min", unit="l/min")
    require_range(d.t90_s, 0.1, 1800, field="t90_s", unit="s")
    require_range(d.inhibit_ma, 0, 22, field="inhibit_ma", unit="mA")
    require_range(d.new_sensitivity, 0, 1e6, field="new_sensitivity")
    require_range(d.life_months, 0, 240, field="life_months", unit="months")
    require_range(d.full_scale_v, 0.1, 24, field="full_scale_v", unit="V")
    require_range(d.path_l, 0.01, 20, field="path_l", unit="l")
    if d.sensor_since:
        try:
            date.fromisoformat(d.sensor_since)
        except ValueError:
            raise Fault("bad_date", f"'{d.sensor_since}' is not a date like 2026-03-01.", field="sensor_since") from None
    for c in d.channels:
        require_positive(c.top, "channels")
        require_unit(c.gas, c.unit, d.basis, field="channels")
    return d


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
