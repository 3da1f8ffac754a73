"""What stands in the unit of an instrument and goes with it when that is changed: alarms, and what a new sensor gives of it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from metrology.faults import Fault
from metrology.judgement.gas_kit import BottleGas, in_unit
from metrology.methods.detector import UNITS, DetectorSettings
from metrology.methods.fragments import alarms_in
from metrology.methods.settings import Settings, read_settings
from metrology.quantities.units import convert


def carried(kind: type[Settings], given: Mapping[str, Any], before: Mapping[str, Any], *, was: str, unit: str) -> dict[str, Any]:
    """The settings with what was left as it stood turned into the new unit; raises a Fault where that can't be done."""
    out = dict(given)
    settings = read_settings(kind, given)
    if given.get("alarms") and given["alarms"] == before.get("alarms"):
        out["alarms"] = "; ".join(
            f"{a.name} {_turned(settings, a.set_point, was, unit):.6g} {'rising' if a.rising else 'falling'}{' latching' if a.latching else ''}"
            for a in alarms_in(settings)
        )
    if given.get("new_sensitivity") and given["new_sensitivity"] == before.get("new_sensitivity"):
        out["new_sensitivity"] = f"{float(given['new_sensitivity']) / _turned(settings, 1.0, was, unit):.6g}"
    return out


def _turned(settings: Settings, value: float, was: str, unit: str) -> float:
    try:
        if isinstance(settings, DetectorSettings) and was in UNITS and unit in UNITS:
            return in_unit(BottleGas(settings.gas, value, was, 0.0, settings.basis), unit, settings.basis)
        return convert(value, was, to_unit=unit)
    except Fault as fault:
        told = f"Its alarms stand in {was}, which does not turn into {unit}: {fault.message} Write them anew."
        raise Fault("other_unit", told, field="alarms") from fault


def require_alarms_inside(settings: Settings, lrv: float, urv: float, unit: str) -> None:
    """An alarm outside of the range never comes, or never goes."""
    for a in alarms_in(settings):
        if not min(lrv, urv) <= a.set_point <= max(lrv, urv):
            told = f"Alarm '{a.name}' at {a.set_point:g} {unit} lies outside of the range of {lrv:g} to {urv:g} {unit}."
            raise Fault("alarm_outside", told, field="alarms")
