"""Channels, roles of gas, exposures and litres of a gas method: what is exposed to what, in which order."""

from __future__ import annotations

import math
from collections.abc import Mapping

from metrology.judgement.errors import UP
from metrology.judgement.gas_kit import GasNeed
from metrology.judgement.tolerance import tolerance_percent
from metrology.methods.detector import GasChannel, settings_of
from metrology.methods.fragments import alarms_of
from metrology.methods.setup import Past, RunSetup
from metrology.methods.slots import AT_ONCE, STREAM, Slot
from metrology.quantities.transfer import Transfer
from metrology.quantities.words import plain

ZERO, SPAN, AIR, BUMP, BACKGROUND = "zero", "span", "air", "bump", "background"
MIXED = "mixed"  # one bottle that holds the gas of every range, put on all of them at once
CHECKS = (BUMP, MIXED)  # exposures that a function check judges by its own tolerance
NITROGEN = "nitrogen"  # the role of zero gas for the oxygen range beside others, whose zero is air
PURGE_MIN = 1.0  # of flow to flush regulator and line
NO_GAS = (ZERO, BACKGROUND)
STANDARD_KPA = 101.325
FACTOR, SET_KPA = "factor", "set_kpa"  # of a slot: what it should read of 1; of the history: the air pressure at which it was set


def channels_of(setup: RunSetup) -> tuple[GasChannel, ...]:
    """The sensors of a head or the ranges of a portable; one without a name for a single-channel detector."""
    i = setup.instrument
    d = settings_of(setup)
    return d.measured or (GasChannel("", d.gas or i.service.lower(), i.urv, i.unit),)


def role_of(kind: str, channel: GasChannel) -> str:
    """The role of the gas of an exposure; zero gas serves every channel, and so does a mixture."""
    if kind == MIXED:
        return MIXED
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
    if kind == MIXED:
        return setup.value(f"{MIXED}.value:{channel.name}", 0.5 * channel.top)
    return setup.value(f"{role_of(kind, channel)}.value", 0.5 * channel.top)


def u_applied(setup: RunSetup, role: str, channel: GasChannel) -> float:
    """Expanded uncertainty of what is applied, % of it (k = 2); of a mixture that of its component."""
    return setup.value(f"{role}.u:{channel.name}" if role == MIXED else f"{role}.u", 0.0)


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
    is_span = kind in (SPAN, *CHECKS)
    surrogate = d.cal_gas if is_span and d.cal_gas and not channel.name else ""
    is_oxygen = channel.gas == "oxygen"
    wanted = surrogate or channel.gas if is_span else "oxygen" if kind == AIR else "nitrogen" if is_oxygen else "air"
    what = {SPAN: "Span gas", BUMP: "Span gas", MIXED: "Mixed gas", AIR: "Air", ZERO: "Zero gas"}[kind]
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
        keeps_off=tuple((a.name, a.set_point) for a in alarms_of(setup)) if kind == AIR else (),
        room=tolerance_percent(setup.instrument.tolerance, 0.0, lrv=0.0, urv=channel.top, transfer=Transfer()) / 100 * channel.top,
    )


def exposure(setup: RunSetup, index: int, kind: str, channel: GasChannel, *, as_found: bool = False) -> Slot:
    """One exposure as a slot: what to put on, and what should be read. as_found: it reads by what it was set to, and at which pressure, then."""
    value = applied_for(setup, kind, channel)
    role = role_of(kind, channel)
    entered = dict(setup.entered)
    by_pressure = follows_pressure(setup, channel)
    factor = since_set(setup)[0] if by_pressure and as_found else 1.0
    extra = {
        "gas": role,
        "exposure": kind,
        **({"bottle": entered[f"{role}.bottle"]} if entered.get(f"{role}.bottle") else {}),
        **({FACTOR: f"{factor:.5f}"} if by_pressure else {}),
        **({STREAM: MIXED} if kind == MIXED else {}),
        **({AT_ONCE: "yes"} if kind == MIXED and index else {}),
    }
    flow = f"{settings_of(setup).flow_l_min:g} l/min"
    bottle = extra.get("bottle", "the gas")
    ideal = value * factor
    shown = f"{plain(round(ideal, 3))} {channel.unit}"
    told = f" {pressure_words(setup, value, channel.unit)}" if by_pressure and as_found and kind == AIR else ""
    how = {
        ZERO: f"Put zero gas ({bottle}) on at {flow} and wait until it stands.",
        BACKGROUND: "Back to clean air: wait until the background is normal again.",
        AIR: f"Give it clean air ({bottle}): it should read {shown}.{told}",
        MIXED: f"All ranges see {bottle} at once, at {flow}: this one should read {shown}.",
    }.get(kind, f"Put span gas ({bottle}) on at {flow}: it should read {shown}.")
    return Slot(index, 1, UP, 100 * value / channel.top, value, ideal, how, channel=channel.name, extra=extra)


def follows_pressure(setup: RunSetup, channel: GasChannel) -> bool:
    """Whether a channel is an oxygen cell that reads partial pressure."""
    return settings_of(setup).partial_pressure and channel.gas == "oxygen"


def since_set(setup: RunSetup) -> tuple[float, Past | None]:
    """What such a cell reads today of 1 that it was set to, by the air pressure now and then; with the record of then, None where there is none.

    Without one the pressure then is taken as the standard atmosphere, 101.325 kPa.
    """
    last = next(iter(reversed(setup.past(SET_KPA))), None)
    then = last.value if last else STANDARD_KPA
    return setup.value("pressure_kpa", then) / then, last


def pressure_words(setup: RunSetup, value: float, unit: str) -> str:
    """What the pressure alone makes of it, in words."""
    factor, last = since_set(setup)
    now = setup.value("pressure_kpa", last.value if last else STANDARD_KPA)
    then = f"at {last.value:g} kPa on {last.on}" if last else f"at a pressure nobody noted ({STANDARD_KPA:g} kPa is taken)"
    return f"It was set {then}; at {now:g} kPa the pressure alone makes that {value * (factor - 1):+.2f} {unit}."


def pressure_factor(setup: RunSetup, slot: Slot, channel: GasChannel) -> float:
    """What a partial-pressure oxygen cell should read of 1 at a slot; 1 for others. Slots of earlier revisions count from the standard atmosphere."""
    if FACTOR in slot.extra:
        return float(slot.extra[FACTOR])
    return setup.value("pressure_kpa", STANDARD_KPA) / STANDARD_KPA if follows_pressure(setup, channel) else 1.0


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


def keyed(key: str, channel: GasChannel) -> str:
    """The key of a step that each channel has for itself."""
    return f"{key}:{channel.name}" if channel.name else key


def titled(title: str, channel: GasChannel) -> str:
    """The title of a step that each channel has for itself."""
    return f"{title}, {channel.name}" if channel.name else title
