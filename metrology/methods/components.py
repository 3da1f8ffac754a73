"""An analyzer of several components: what it measures, on which mixture each is set, and what each moves of the others."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, ClassVar

from metrology.faults import Fault, require_positive, require_range
from metrology.judgement.tolerance import tolerance_percent
from metrology.methods.detector import UNITS, DetectorSettings, GasChannel, require_unit
from metrology.methods.settings import asked
from metrology.methods.setup import RunSetup
from metrology.quantities.crosseffects import MOST, Order, least_disturbing
from metrology.quantities.gas import find_gas
from metrology.quantities.transfer import Transfer
from metrology.quantities.typed import parse_typed

SLOW, FROM = "slow", "from"
ZERO_ROLE = "zero"
Effect = tuple[str, str, float]


@dataclass(frozen=True)
class Component(GasChannel):
    """One component, or one range of it: 0 to top in unit.

    tolerance_percent: of its range, 0: the analyzer's own. mixture: the letter of the gas mixture that it is set on. gain_from: the concentration
    from which on its gain may be set, 0: any. is_slow: it comes down slowly after gas.
    """

    tolerance_percent: float = 0.0
    mixture: str = "A"
    gain_from: float = 0.0
    is_slow: bool = False

    @property
    def role(self) -> str:
        """The role of its mixture."""
        return mixture_role(self.mixture)


def mixture_role(letter: str) -> str:
    """The role of a mixture by its letter."""
    return f"mix:{letter}"


def read_components(text: str) -> tuple[Component, ...]:
    """Components as typed, one a semicolon: name, gas, top of range, unit, tolerance in % of it, mixture; then 'from 1000' and 'slow' where it is so."""
    out = []
    for row in (part.strip() for part in text.split(";") if part.strip()):
        parts = [p.strip() for p in row.split(",")]
        if len(parts) < 4:
            told = f"'{row}': a component is name, gas, range, unit, then tolerance in %, mixture, 'from' a concentration, 'slow'."
            raise Fault("bad_component", told, field="components")
        top = _number(parts[2], "A component's range")
        out.append(Component(parts[0], find_gas(parts[1]).name, top, parts[3], **_more(row, parts[4:])))
    if not 1 <= len(out) <= MOST or len({c.name for c in out}) != len(out):
        raise Fault("bad_component", f"1 to {MOST} components, each with a name of its own.", field="components")
    return tuple(out)


def _more(row: str, words: list[str]) -> dict[str, Any]:
    """What stands behind range and unit of a component."""
    more: dict[str, Any] = {}
    for n, word in enumerate(words):
        if word.lower() == SLOW:
            more["is_slow"] = True
        elif word.lower().startswith(f"{FROM} "):
            more["gain_from"] = _number(word[len(FROM) :].strip(), "The concentration from which its gain may be set")
        elif n == 0:
            more["tolerance_percent"] = require_range(_number(word, "A component's tolerance"), 0.0, 50.0, field="components", unit="%")
        elif len(word) == 1 and word.isalpha():
            more["mixture"] = word.upper()
        else:
            told = f"'{word}' in '{row}' says nothing: write a mixture's letter, 'from' and a concentration, or 'slow'."
            raise Fault("bad_component", told, field="components")
    return more


def _number(text: str, name: str) -> float:
    return parse_typed(text, name=name, field="components").value


_EFFECT = re.compile(r"^(.+?)\s+on\s+(.+?)\s+([-+]?[0-9][0-9.,eE+-]*)$")


def read_effects(text: str) -> tuple[Effect, ...]:
    """Cross-effects as typed, one a semicolon: 'CO2 on CO 0.004', so many units of CO a unit of CO2."""
    out = []
    for row in (part.strip() for part in text.split(";") if part.strip()):
        found = _EFFECT.match(row)
        if found is None:
            raise Fault("bad_effect", f"'{row}': an effect is like 'CO2 on CO 0.004', units of CO a unit of CO2.", field="effects")
        value = parse_typed(found[3], name="An effect", field="effects").value
        out.append((found[1], found[2], value))
    if len({(a, b) for a, b, _ in out}) != len(out):
        raise Fault("bad_effect", "An effect of one component on another stands twice.", field="effects")
    return tuple(out)


def _load_components(rows: Iterable[Mapping[str, Any]]) -> tuple[Component, ...]:
    return tuple(Component(**c) for c in rows)


def _load_effects(rows: Iterable[Iterable[Any]]) -> tuple[Effect, ...]:
    return tuple((str(a), str(b), float(v)) for a, b, v in rows)


@dataclass(frozen=True)
class MixtureSettings(DetectorSettings):
    """An extractive analyzer of several components. flow in l/min, times in min and s, cell_c: temperature of its optics or cells, C."""

    never_asked: ClassVar[frozenset[str]] = frozenset(
        {
            "gas",
            "technology",
            "cal_gas",
            "relative_response",
            "inhibit_ma",
            "needs_humid",
            "partial_pressure",
            "proves_zero",
            "signal_unit",
            "new_sensitivity",
            "sensor_serial",
            "sensor_since",
            "life_months",
            "full_scale_v",
            "path_l",
            "channels",
            "alarms",
        }
    )
    technology: str = asked("Sensor technology", "text", default="optical")
    components: tuple[Component, ...] = asked(
        "Components", "text", default=(),
        hint="Like CO, carbon monoxide, 500, ppm, 2, A; CO high, carbon monoxide, 5000, ppm, 2, B, from 2000; NO2, nitrogen dioxide, 100, ppm, 3, A, slow",
        read=read_components, show=lambda found: ", ".join(c.name for c in found), load=_load_components,
    )  # fmt: skip
    effects: tuple[Effect, ...] = asked(
        "What disturbs what", "text", default=(), hint="Units of the one a unit of the other, like CO2 on CO 0.004; NO on NO2 0.03",
        read=read_effects, show=lambda found: "; ".join(f"{a} on {b} {v:g}" for a, b, v in found), load=_load_effects,
    )  # fmt: skip
    mode_shows: str = asked("How it shows continuous mode", "text", default="", hint="Like: 'CONT' at the top right of its display")
    flow_percent: float = asked("Sample flow may be off by", default=10.0, unit="%", low=1.0, high=50.0, is_policy=True)
    cell_c: float = asked("Its cell works at", default=0.0, unit="°C", hint="0: it does not tell", low=0.0, high=250.0)
    cell_within_c: float = asked("Warm when within", default=1.0, unit="°C", low=0.05, high=50.0, is_policy=True)
    rezero_min: float = asked("Zero again within", default=20.0, unit="min", low=1.0, high=480.0, is_policy=True)

    def check(self) -> None:
        """Each component has a unit of gas; each effect is of one known component on another."""
        super().check()
        for c in self.components:
            require_positive(c.top, "components")
            require_unit(c.gas, c.unit, self.basis, field="components")
        if self.effects and self.components:
            least_disturbing({c.name: 1.0 for c in self.components}, self.effects)

    @property
    def measured(self) -> tuple[GasChannel, ...]:
        """Its components."""
        return self.components


def mixture_settings(setup: RunSetup) -> MixtureSettings:
    """The analyzer's own settings."""
    s = setup.instrument.details
    return s if isinstance(s, MixtureSettings) else MixtureSettings()


@lru_cache(maxsize=256)
def components_of(setup: RunSetup) -> tuple[Component, ...]:
    """Its components; the analyzer's own range where it has just one."""
    i = setup.instrument
    found = tuple(c for c in mixture_settings(setup).measured if isinstance(c, Component))
    return found or (Component("", i.service.lower(), i.urv, i.unit),)


def component_named(setup: RunSetup, name: str) -> Component:
    """The component of that name."""
    return next(c for c in components_of(setup) if c.name == name)


def mixtures_of(setup: RunSetup) -> tuple[str, ...]:
    """The letters of the mixtures that are needed, in their order."""
    return tuple(sorted({c.mixture for c in components_of(setup)}))


def tolerance_of(setup: RunSetup, c: Component, applied: float) -> float:
    """Tolerance of a component in % of its range: its own, or the analyzer's."""
    return c.tolerance_percent or tolerance_percent(setup.instrument.tolerance, applied, lrv=0.0, urv=c.top, transfer=Transfer())


@lru_cache(maxsize=256)
def order_of(setup: RunSetup) -> Order:
    """The order of setting the components that disturbs least, by their tolerances in units."""
    tolerances = {c.name: tolerance_of(setup, c, 0.5 * c.top) / 100 * c.top for c in components_of(setup)}
    return least_disturbing(tolerances, mixture_settings(setup).effects)


def applied_of(setup: RunSetup, role: str, c: Component) -> float:
    """What a component should read of the gas in a role: as its bottle holds it; half of its range of its own mixture before one is chosen."""
    if role == ZERO_ROLE:
        return 0.0
    return setup.value(f"{role}.value:{c.name}", 0.5 * c.top if c.role == role else 0.0)


def barred(setup: RunSetup, c: Component) -> str:
    """Why the gain of a range may not be set on the gas at hand, as a sentence; empty when it may."""
    value = applied_of(setup, c.role, c)
    if not c.gain_from or value > c.gain_from:
        return ""
    bottle = dict(setup.entered).get(f"{c.role}.bottle", "this gas")
    return (
        f"The gain of {c.name} may only be set above {c.gain_from:g} {c.unit}; {bottle} gives {value:g} {c.unit}: so near to its lower end it would "
        f"tilt the whole range. Bring a gas above {c.gain_from:g} {c.unit}, or leave it."
    )


def check_components(settings: Any, register: Mapping[str, Any]) -> None:
    """There are components, and the analyzer's own range is one in a unit of gas."""
    if not settings.components:
        raise Fault("missing", "Say which components it measures.", field="components")
    if str(register["unit"]) not in UNITS:
        raise Fault("unknown_unit", f"'{register['unit']}' is not a unit of gas; take that of the first component.", field="unit")
