"""A displacer replaced by weights: which loads stand for which levels, dry on the hook and wet in the column, and what that is uncertain by.

Buoyancy after Archimedes. Gravity acts on displacer and weights alike and is not counted (since revision 2; the first one did).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

from metrology.faults import Fault
from metrology.judgement.errors import DOWN, UP, Point
from metrology.judgement.reference import ReferenceStandard
from metrology.judgement.uncertainty import Component
from metrology.methods.adjusting.alternate import ends_of_range
from metrology.methods.adjusting.base import AdjustTarget
from metrology.methods.budget import Budget, Spread, ideal_for
from metrology.methods.settings import Settings, asked
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Quantity, RawReading, Slot
from metrology.methods.standards.base import Need
from metrology.methods.trials.curve import Curve, approach, output_need
from metrology.quantities.buoyancy import HungLoad, cylinder_volume, hung_loads
from metrology.quantities.typed import parse_typed
from metrology.quantities.words import number


def _volume(text: str) -> float:
    parts = [parse_typed(p, name="The displacer's volume", field="displacer_volume").value for p in text.lower().split("x")]
    if len(parts) == 1:
        return parts[0]
    if len(parts) == 2:
        return cylinder_volume(parts[0], parts[1])
    raise Fault("bad_volume", "The displacer's volume is one number, or diameter x length.", field="displacer_volume")


def _pieces_on_hand(text: str) -> tuple[float, ...]:
    parts = text.replace(";", " ").split()
    weights = tuple(parse_typed(p, name="A weight on hand", field="weights_on_hand").value for p in parts)
    if any(w <= 0 for w in weights) or len(weights) > 24:
        raise Fault("bad_weights", "Weights on hand: at most 24 numbers above zero.", field="weights_on_hand")
    return tuple(sorted(weights, reverse=True))


@dataclass(frozen=True)
class DisplacerSettings(Settings):
    """A displacer: weight in air and loads in weight_unit (kg or lb), volume in cm3 or in3, densities in kg/cm3 or lb/in3.

    tray_weight: of the tray or hook that hangs with the weights. glass_u: how well the gauge glass can be read, % of level, half a width.
    gravity: local over standard gravity, counted in runs of revision 1 only.
    """

    interface: bool = asked("It measures an interface of two liquids", "flag", default=False)
    weight_unit: str = asked("Weight unit", "choice", default="kg", options=(("kg", "kg, cm3"), ("lb", "lb, in3")))
    displacer_weight: float = asked("Displacer, weight in air", default=0.0, low=0.0, high=1000.0)
    displacer_volume: float = asked(
        "Displacer, volume", "text", default=0.0, hint="A number, or diameter x length: 5.08 x 81.3", read=_volume, show=lambda v: f"{v:g}"
    )
    density: float = asked("Density, lower liquid", default=0.001, hint="kg/cm3 or lb/in3")
    upper_density: float = asked("Density, upper liquid", default=0.0, hint="For an interface")
    gravity: float = asked(
        "Local gravity / standard", default=1.0, hint="Not counted: it acts on weights and displacer alike", low=0.9, high=1.1
    )
    tray_weight: float = asked(
        "Tray or hook that hangs with the weights", default=0.0, hint="Of its own, in the weight unit", low=0.0, high=100.0
    )
    weights_on_hand: tuple[float, ...] = asked(
        "Weights on hand", "text", default=(), hint="Like 1 0.5 0.2 0.2 0.1", read=_pieces_on_hand, load=tuple
    )
    has_column: bool = asked("Its column can be filled for a wet proof", "flag", default=False)
    glass_u: float = asked("Gauge glass read to", default=0.5, unit="% of level", low=0.0, high=10.0, is_policy=True)

    @property
    def volume_unit(self) -> str:
        """What volumes and densities go by."""
        return "cm3" if self.weight_unit == "kg" else "in3"


def settings_of(setup: RunSetup) -> DisplacerSettings:
    """The displacer's own settings."""
    s = setup.instrument.details
    return s if isinstance(s, DisplacerSettings) else DisplacerSettings()


def slots(setup: RunSetup, set_key: str) -> tuple[Slot, ...]:
    """The levels up and down: as the loads make them when dry, as the glass shows them when wet."""
    return _plan(setup, set_key.startswith("wet_proof"))


def applied(setup: RunSetup, slot: Slot) -> Quantity:
    """What hangs, or the level in the glass; a run of revision 1 asks for the level that the load stands for."""
    if not slot.extra or "glass" in slot.extra:
        glass = float(slot.extra.get("glass", slot.nominal))
        return Quantity(
            "applied", "Level in the glass", "%", 2, glass, glass - 5, glass + 5, 0, hint="As read on the gauge glass.", span=100.0
        )
    if is_first(setup):
        low, high = slot.nominal - 5, slot.nominal + 5
        hint = "Change it only if another load hangs."
        return Quantity("applied", "True level of this load", "%", 2, slot.nominal, low, high, 0, hint=hint, span=100.0)
    load, lift, unit = load_at(setup, slot.nominal), _full_lift(setup), settings_of(setup).weight_unit
    low, high = max(0.0, load - lift / 20), load + lift / 20
    return Quantity(
        "applied",
        "Load hung",
        unit,
        4,
        load,
        low,
        high,
        0,
        hint="Change it if another load hangs; the tray is counted by itself.",
        span=lift,
    )


@dataclass(frozen=True)
class Hung(Curve):
    """The trial: a load becomes the level it stands for, a level in the glass that at which the liquid to be measured would lift as much."""

    def record(self, setup: RunSetup, slot: Slot, texts: Mapping[str, str]) -> Mapping[str, str]:
        """The level beside what was typed."""
        if is_first(setup):
            return texts
        typed = float(texts["applied"])
        if "glass" in slot.extra:
            return {**texts, "applied": f"{level_of_glass(setup, typed):.3f}", "simulated": f"{texts['applied']} % in the glass"}
        if abs(typed - load_at(setup, slot.nominal)) < 1e-4:
            return {**texts, "applied": f"{slot.nominal:.3f}"}
        level = 100.0 * (load_at(setup, 0.0) - typed) / _full_lift(setup)
        return {**texts, "applied": f"{level:.3f}", "simulated": f"{texts['applied']} {settings_of(setup).weight_unit}"}


def targets(setup: RunSetup, variant: str) -> tuple[AdjustTarget, ...]:
    """Zero with the first load, span with the last, at the level each really stands for."""
    plan = slots(setup, "as_found")
    ends = plan[0], plan[len(setup.points_percent) - 1]
    return tuple(replace(t, apply=s.extra["load"], ideal=s.ideal) for t, s in zip(ends_of_range(setup, variant), ends, strict=True))


def budget(setup: RunSetup, slot: Slot, point: Point, reading: RawReading, spread: Spread | None) -> tuple[Component, ...]:
    """Weights (only while they hang), meter, resolution, settling, repeatability."""
    if not reading.references:
        return ()
    d, i = settings_of(setup), setup.instrument
    b = Budget(setup, point.applied, reading)
    weights, meter = reading.references.get("applied"), reading.references.get("indicated")
    is_wet = not slot.extra or "glass" in slot.extra
    if weights and not is_wet:
        full = _full_lift(setup)
        b.source(weights, at=load_at(setup, point.applied), unit=d.weight_unit, per=100.0 / full, what="Weights")
    if is_wet and not is_first(setup):
        b.add("Gauge glass", b.at_input(d.glass_u * _filling(setup) / (d.density - upper_density(setup))), "rectangular")
    if meter:
        b.meter(meter, ideal_for(setup, point.applied), i.output_unit, b.out_span)
    typed = parse_typed(reading.indicated, name="The reading", unit=i.output_unit).resolution
    b.read_on(reading.references.get("indicated"), i.output_unit, b.out_span, typed=typed)
    b.settling({"indicated": b.out_span})
    b.repeatability(spread)
    return tuple(b.parts)


def needs(setup: RunSetup) -> tuple[Need, ...]:
    """The weights for the loads to be hung, and what reads the output."""
    loads = [r.load for r in loads_of(setup)]
    return (Need("applied", "Weights", unit=settings_of(setup).weight_unit, low=min(loads), high=max(loads)), output_need(setup))


def width(setup: RunSetup, nominal: float, reference: ReferenceStandard) -> float:
    """The weights' uncertainty as a width of level, %."""
    return 100.0 * reference.expanded(load_at(setup, nominal), unit=settings_of(setup).weight_unit) / _full_lift(setup)


DENSITIES = {"kg": (5e-5, 0.025), "lb": (0.0018, 0.9)}  # kg/cm3, lb/in3: between a gas under pressure and a metal


def check(s: Any, _register: Mapping[str, Any]) -> None:
    """What can't be hung is refused in the register already, and a density that no liquid has."""
    low, high = DENSITIES[s.weight_unit]
    for name, value in (("density", s.density), ("upper_density", s.upper_density if s.interface else None)):
        if value is not None and not low <= value <= high:
            unit = f"{s.weight_unit}/{s.volume_unit}"
            water = 0.001 if s.weight_unit == "kg" else 0.0361
            told = f"A density of {value:g} {unit} can't be; liquids have {low:g} to {high:g} {unit}. Water has {water:g}."
            raise Fault("impossible_density", told, field=name)
    heavy = [w for w in s.weights_on_hand if w > HEAVY * s.displacer_weight]
    if s.displacer_weight and heavy:
        told = f"A weight of {heavy[0]:g} {s.weight_unit} beside a displacer of {s.displacer_weight:g} {s.weight_unit}: look at the unit."
        raise Fault("impossible_weight", told, field="weights_on_hand")
    if s.tray_weight >= s.displacer_weight > 0:
        raise Fault("impossible_weight", "The tray is as heavy as the displacer: nothing could be hung on it.", field="tray_weight")
    upper = s.upper_density if s.interface else 0.0
    hung_loads(
        s.displacer_weight - s.tray_weight, s.displacer_volume, density=s.density, upper_density=upper, percents=(0.0, 100.0),
        on_hand=s.weights_on_hand,
    )  # fmt: skip


HEAVY = 5.0  # times the displacer: a piece above it is a slip of the unit


def is_first(setup: RunSetup) -> bool:
    """Whether the run is of the first revision."""
    return setup.revision == "1"


def gravity_of(setup: RunSetup) -> float:
    """Local over standard gravity where it is counted, else 1."""
    return settings_of(setup).gravity if is_first(setup) else 1.0


def hung_weight(setup: RunSetup) -> float:
    """What weights have to stand for: the displacer without the tray that hangs with them."""
    d = settings_of(setup)
    return d.displacer_weight if is_first(setup) else d.displacer_weight - d.tray_weight


def load_at(setup: RunSetup, percent: float) -> float:
    """The weights that stand for a level, in the weight unit; 0 where it would be none."""
    empty = hung_weight(setup) - settings_of(setup).displacer_volume * gravity_of(setup) * upper_density(setup)
    return max(0.0, empty - percent / 100 * _full_lift(setup))


def upper_density(setup: RunSetup) -> float:
    """Density above: that of the upper liquid for an interface, else nothing."""
    d = settings_of(setup)
    return d.upper_density if d.interface else 0.0


def _full_lift(setup: RunSetup) -> float:
    """What the load loses from 0 to 100 %, in the weight unit."""
    d = settings_of(setup)
    return d.displacer_volume * gravity_of(setup) * (d.density - upper_density(setup))


def _filling(setup: RunSetup) -> float:
    """Density of what the column is filled with for the wet proof; the liquid it measures where nothing else was told."""
    return setup.value("filling_density", settings_of(setup).density)


def level_of_glass(setup: RunSetup, glass: float) -> float:
    """The level at which the liquid to be measured lifts as much as the filling does at a level in the glass, both in %."""
    d = settings_of(setup)
    return (glass * _filling(setup) - 100.0 * upper_density(setup)) / (d.density - upper_density(setup))


def glass_for(setup: RunSetup, percent: float) -> float:
    """The level in the glass that stands for a level of the liquid to be measured, both in %."""
    d = settings_of(setup)
    return (percent * (d.density - upper_density(setup)) + 100.0 * upper_density(setup)) / _filling(setup)


def loads_of(setup: RunSetup) -> tuple[HungLoad, ...]:
    """The loads of the points, from the weights entered in the run or those in the register."""
    d = settings_of(setup)
    text = dict(setup.entered).get("weights_on_hand", "")
    on_hand = tuple(float(w.replace(",", ".")) for w in text.replace(";", " ").split()) if text else d.weights_on_hand
    return hung_loads(
        hung_weight(setup),
        d.displacer_volume,
        density=d.density,
        upper_density=upper_density(setup),
        gravity=gravity_of(setup),
        percents=setup.points_percent,
        on_hand=on_hand,
    )


@lru_cache(maxsize=256)
def _plan(setup: RunSetup, is_wet: bool) -> tuple[Slot, ...]:
    unit = settings_of(setup).weight_unit
    rows: list[tuple[float, float, dict[str, str]]]
    if is_wet and is_first(setup):
        rows = [(p, p, {}) for p in setup.points_percent]
    elif is_wet:
        rows = _fillings(setup)
    else:
        rows = [(r.percent, r.true_percent, {"load": f"{number(r.load, 4)} {unit}" + _pieces(r.weights)}) for r in loads_of(setup)]
    slots: list[Slot] = []
    for cycle in range(1, setup.cycles + 1):
        for n, (percent, true, extra) in enumerate((*rows, *reversed(rows))):
            direction = UP if n < len(rows) else DOWN
            if is_wet:
                to = (
                    f"Fill to {float(extra['glass']):.1f} % in the glass. " if "glass" in extra and float(extra["glass"]) != percent else ""
                )
                how = to + approach(n, len(rows), direction)
            else:
                tray = settings_of(setup).tray_weight
                with_tray = f" on the tray of {tray:g} {unit}" if tray and not is_first(setup) else ""
                how = f"Hang {extra['load']}{with_tray}." + (" Lift the hook a little first, then let it down." if n == len(rows) else "")
            slots.append(Slot(len(slots), cycle, direction, percent, true, ideal_for(setup, true), how, extra=extra))
    return tuple(slots)


def _fillings(setup: RunSetup) -> list[tuple[float, float, dict[str, str]]]:
    """The points that the filling can stand for; a light one ends below the top, at the full glass."""
    rows = [(p, p, {"glass": f"{glass_for(setup, p):.4f}"}) for p in setup.points_percent if 0.0 <= glass_for(setup, p) <= 100.0]
    if len(rows) < len(setup.points_percent) and level_of_glass(setup, 100.0) > (rows[-1][0] if rows else 0.0) + 1.0:
        top = level_of_glass(setup, 100.0)
        if top <= setup.points_percent[-1]:
            rows.append((top, top, {"glass": "100"}))
    return rows


def _pieces(weights: tuple[float, ...]) -> str:
    return f" ({' + '.join(f'{w:g}' for w in weights)})" if weights else ""


TRIAL = Hung(slots=slots, applied=applied, budgeted=budget)
