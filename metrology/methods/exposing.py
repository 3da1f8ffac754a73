"""Channels, roles of gas, exposures and litres of a gas method: what is exposed to what, in which order."""

from __future__ import annotations

import math
from collections.abc import Mapping

from metrology.judgement.errors import UP
from metrology.judgement.gas_kit import GasNeed
from metrology.methods.detector import GasChannel, settings_of
from metrology.methods.fragments import alarms_of
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Slot
from metrology.quantities.words import plain

ZERO, SPAN, AIR, BUMP, BACKGROUND = "zero", "span", "air", "bump", "background"
NITROGEN = "nitrogen"  # the role of zero gas for the oxygen range beside others, whose zero is air
PURGE_MIN = 1.0  # of flow to flush regulator and line
NO_GAS = (ZERO, BACKGROUND)


def channels_of(setup: RunSetup) -> tuple[GasChannel, ...]:
    """The sensors of a head or the ranges of a portable; one without a name for a single-channel detector."""
    i = setup.instrument
    d = settings_of(setup)
    return d.measured or (GasChannel("", d.gas or i.service.lower(), i.urv, i.unit),)


def role_of(kind: str, channel: GasChannel) -> str:
    """The role of the gas of an exposure; zero gas serves every channel."""
    base = kind if kind not in (BUMP, BACKGROUND) else SPAN if kind == BUMP else ZERO
    if base == ZERO and channel.gas == "oxygen" and channel.name and kind != BACKGROUND:
        return NITROGEN
    return f"{base}:{channel.name}" if base == SPAN and channel.name else base


def applied_for(setup: RunSetup, kind: str, channel: GasChannel) -> float:
    """What the detector should read of an exposure: of the bottle chosen, or half of the range before one is chosen."""
    if kind == AIR:
        return setup.value(f"{AIR}.value", setup.policy.air_percent)
    if kind in NO_GAS:
        return setup.policy.air_percent if kind == BACKGROUND and channel.gas == "oxygen" else 0.0
    return setup.value(f"{role_of(kind, channel)}.value", 0.5 * channel.top)


def exposure_windows(setup: RunSetup) -> tuple[float, float]:
    """Settle windows for zero and span, s: by the clock or by the sensor's own speed, whichever is longer."""
    p, t90 = setup.policy, settings_of(setup).t90_s
    return max(p.zero_window_s, t90), max(p.span_window_s, 2 * t90)


def exposure_minutes(setup: RunSetup, kind: str) -> float:
    """How long an exposure takes: three T90 to get there, then its window."""
    zero, span = exposure_windows(setup)
    return ((zero if kind in NO_GAS else span) + 3 * settings_of(setup).t90_s) / 60.0


def gas_need(setup: RunSetup, kind: str, channel: GasChannel, *, exposures: int, proves_alarms: bool = False) -> GasNeed:
    """What one role needs of its bottle."""
    d = settings_of(setup)
    minutes = exposure_minutes(setup, kind)
    rising = [a.set_point for a in alarms_of(setup) if a.rising]
    is_span = kind in (SPAN, BUMP)
    surrogate = d.cal_gas if is_span and d.cal_gas and not channel.name else ""
    is_oxygen = channel.gas == "oxygen"
    wanted = surrogate or channel.gas if is_span else "oxygen" if kind == AIR else "nitrogen" if is_oxygen else "air"
    what = {SPAN: "Span gas", BUMP: "Span gas", AIR: "Air", ZERO: "Zero gas"}[kind]
    if kind == ZERO and is_oxygen:
        what = "Nitrogen, for the zero of oxygen"
    return GasNeed(
        role=role_of(kind, channel),
        label=f"{what}, {channel.name}" if channel.name and is_span else what,
        kind=SPAN if is_span else kind,
        gas=wanted,
        top=channel.top,
        unit=channel.unit,
        basis=d.basis,
        technology="oxygen" if is_oxygen else d.technology,
        flow_l_min=d.flow_l_min,
        exposures=exposures,
        litres=d.flow_l_min * (minutes * exposures + PURGE_MIN),
        alarm=max(rising, default=0.0) if proves_alarms and is_span else 0.0,
        needs_humid=d.needs_humid,
        relative_response=d.relative_response if surrogate else 1.0,
        surrogate_for=channel.gas if surrogate else "",
        watches=channel.gas,
    )


def exposure(setup: RunSetup, index: int, kind: str, channel: GasChannel) -> Slot:
    """One exposure as a slot: what to put on, and what should be read."""
    value = applied_for(setup, kind, channel)
    role = role_of(kind, channel)
    entered = dict(setup.entered)
    extra = {"gas": role, "exposure": kind, **({"bottle": entered[f"{role}.bottle"]} if entered.get(f"{role}.bottle") else {})}
    flow = f"{settings_of(setup).flow_l_min:g} l/min"
    bottle = extra.get("bottle", "the gas")
    shown = f"{plain(value)} {channel.unit}"
    how = {
        ZERO: f"Put zero gas ({bottle}) on at {flow} and wait until it stands.",
        BACKGROUND: "Back to clean air: wait until the background is normal again.",
        AIR: f"Give it clean air ({bottle}): it should read {shown}.",
    }.get(kind, f"Put span gas ({bottle}) on at {flow}: it should read {shown}.")
    ideal = value * pressure_factor(setup, channel)
    return Slot(index, 1, UP, 100 * value / channel.top, value, ideal, how, channel=channel.name, extra=extra)


def pressure_factor(setup: RunSetup, channel: GasChannel) -> float:
    """What a partial-pressure oxygen cell reads of 1, at the air pressure noted; 1 for others."""
    if not (settings_of(setup).partial_pressure and channel.gas == "oxygen"):
        return 1.0
    return setup.value("pressure_kpa", 101.325) / 101.325


def litres_of(setup: RunSetup, kind: str, captured: Mapping[str, object] | None) -> float:
    """Litres that one exposure used: by the time it was captured to take, else by the time it should take."""
    minutes = exposure_minutes(setup, kind)
    told = (captured or {}).get("indicated")
    if isinstance(told, Mapping) and told.get("settle_s") is not None:
        minutes = (float(told["settle_s"]) + float(told["window_s"])) / 60.0
    return settings_of(setup).flow_l_min * minutes


def channel_named(setup: RunSetup, name: str) -> GasChannel:
    """The channel of that name."""
    return next(c for c in channels_of(setup) if c.name == name)


def is_off_scale(value: float, channel: GasChannel) -> bool:
    """Above the range, or not a number at all."""
    return not math.isfinite(value) or value > channel.top
