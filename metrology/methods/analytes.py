"""An injected-sample analyzer: what it tells apart, when each comes out, and what may be left of it in a blank."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, ClassVar

from metrology.faults import Fault, require_positive, require_range
from metrology.methods.components import Component, MixtureSettings, components_of, tolerance_of
from metrology.methods.detector import GasChannel, require_unit
from metrology.methods.settings import asked
from metrology.methods.setup import RunSetup
from metrology.quantities.chromatography import Chromatogram, Peak, find_peaks, resolution
from metrology.quantities.gas import find_gas
from metrology.quantities.typed import parse_typed

AT, WITHIN, FACTOR, AIR = "at", "within", "factor", "air"
PLUNGER, PRESSURE = "plunger", "pressure"
LEAK_TESTS = ((PLUNGER, "the plunger comes back to its mark"), (PRESSURE, "pressure that is lost in half a minute"))
COLUMN = "column"


@dataclass(frozen=True)
class Analyte(Component):
    """One component. at_s: its retention time; within_s: half of its window; factor: signal a unit when nothing else is known.

    air_limit: of the one that the air itself holds, what a blank may show of it, in its unit; 0 for the others.
    """

    at_s: float = 0.0
    within_s: float = 0.0
    factor: float = 0.0
    air_limit: float = 0.0


def read_analytes(text: str) -> tuple[Analyte, ...]:
    """Components as typed: name, gas, range, unit, tolerance in %, then 'at 48', 'within 4', 'factor 12.5', 'air 60' where it is so."""
    out = []
    for row in (part.strip() for part in text.split(";") if part.strip()):
        parts = [p.strip() for p in row.split(",")]
        if len(parts) < 5:
            told = f"'{row}': a component is name, gas, range, unit, tolerance in %, then 'at' and 'within' in s, 'factor', 'air'."
            raise Fault("bad_component", told, field="analytes")
        more: dict[str, float] = {}
        for word in parts[5:]:
            name, _, number = word.partition(" ")
            if name not in (AT, WITHIN, FACTOR, AIR):
                raise Fault(
                    "bad_component",
                    f"'{word}' in '{row}' says nothing: write 'at', 'within', 'factor' or 'air' and a number.",
                    field="analytes",
                )
            more[name] = _number(number, word)
        if AT not in more:
            raise Fault("bad_component", f"'{row}': say when it comes out, like 'at 48'.", field="analytes")
        at = require_range(more[AT], 0.1, 86_400.0, field="analytes", unit="s")
        tolerance = require_range(_number(parts[4], "A tolerance"), 0.01, 50.0, field="analytes", unit="%")
        within = more.get(WITHIN, 0.05 * at)
        out.append(
            Analyte(
                parts[0], find_gas(parts[1]).name, _number(parts[2], "A range"), parts[3], tolerance_percent=tolerance, at_s=at,
                within_s=within, factor=more.get(FACTOR, 0.0), air_limit=more.get(AIR, 0.0),
            )
        )  # fmt: skip
    if not 1 <= len(out) <= 12 or len({a.name for a in out}) != len(out):
        raise Fault("bad_component", "1 to 12 components, each with a name of its own.", field="analytes")
    return tuple(sorted(out, key=lambda a: a.at_s))


def _number(text: str, name: str) -> float:
    return parse_typed(text, name=f"'{name}'", field="analytes").value


def _load(rows: Iterable[Mapping[str, Any]]) -> tuple[Analyte, ...]:
    return tuple(Analyte(**a) for a in rows)


@dataclass(frozen=True)
class InjectionSettings(MixtureSettings):
    """An analyzer into which samples are injected. Times in min and s, limits in %; leak_limit in kPa, or ml of the plunger; gas_l in l."""

    never_asked: ClassVar[frozenset[str]] = (MixtureSettings.never_asked - {"sensor_serial"}) | {
        "components", "effects", "mode_shows", "flow_percent", "cell_c", "cell_within_c", "rezero_min", "t90_s",
    }  # fmt: skip
    analytes: tuple[Analyte, ...] = asked(
        "What it tells apart", "text", default=(),
        hint="Like H2, hydrogen, 2000, ppm, 5, at 48, within 3, factor 2.1; CO2, carbon dioxide, 5000, ppm, 5, at 150, within 6, air 60",
        read=read_analytes, show=lambda found: ", ".join(a.name for a in found), load=_load,
    )  # fmt: skip
    pair: str = asked("Critical pair", "text", default="", hint="The two that come closest, like O2 N2")
    pair_resolution: float = asked("Resolution of the critical pair at least", default=1.5, low=0.5, high=10.0, is_policy=True)
    agree_percent: float = asked(
        "Two injections agree within", default=0.0, unit="%", hint="0: half of the tolerance", low=0.0, high=50.0, is_policy=True,
        show=lambda limit: f"{limit:g} %" if limit else "half of each one's tolerance",
    )  # fmt: skip
    most_injections: float = asked("Injections at most", default=4.0, low=2.0, high=10.0, is_policy=True)
    wait_min: float = asked(
        "Wait between injections", default=0.0, unit="min", hint="So that nothing of the last one is left", low=0.0, high=240.0
    )
    gas_l: float = asked("Gas an injection takes", default=0.05, unit="l", hint="With what purges the syringe", low=0.0001, high=50.0)
    blank_percent: float = asked("A blank may show", default=1.0, unit="% of range", low=0.01, high=20.0, is_policy=True)
    leak_test: str = asked("Leak test before an injection", "choice", default=PLUNGER, options=LEAK_TESTS)
    leak_limit: float = asked("It may lose", default=0.1, unit="kPa or ml", low=0.0, high=100.0, is_policy=True)
    sensor_serial: str = asked("Serial of the column", "text", default="")

    def check(self) -> None:
        """Each component has a unit of gas and a window that does not reach its neighbour's peak; the critical pair is of two of them."""
        for a in self.analytes:
            require_positive(a.top, "analytes")
            require_unit(a.gas, a.unit, self.basis, field="analytes")
        known = {a.name for a in self.analytes}
        if self.pair and (len(set(self.pair.split())) != 2 or not set(self.pair.split()) <= known):
            raise Fault("bad_pair", f"'{self.pair}': a critical pair is two of {', '.join(sorted(known))}.", field="pair")

    @property
    def measured(self) -> tuple[GasChannel, ...]:
        """Its components."""
        return self.analytes


def injection_settings(setup: RunSetup) -> InjectionSettings:
    """The analyzer's own settings."""
    s = setup.instrument.details
    return s if isinstance(s, InjectionSettings) else InjectionSettings()


def analytes_of(setup: RunSetup) -> tuple[Analyte, ...]:
    """Its components, in the order in which they come out."""
    return tuple(c for c in components_of(setup) if isinstance(c, Analyte))


def analyte_named(setup: RunSetup, name: str) -> Analyte:
    """The component of that name."""
    return next(a for a in analytes_of(setup) if a.name == name)


def critical_pair(setup: RunSetup) -> tuple[Analyte, Analyte] | None:
    """The two that come closest, in their order; None where none are named."""
    names = injection_settings(setup).pair.split()
    found = [a for a in analytes_of(setup) if a.name in names]
    return (found[0], found[1]) if len(found) == 2 else None


def agree_within(setup: RunSetup, a: Analyte) -> float:
    """How far apart two injections of a component may be, % of their mean."""
    d = injection_settings(setup)
    return d.agree_percent or tolerance_of(setup, a, 0.5 * a.top) / 2


def blank_limit(setup: RunSetup, a: Analyte) -> float:
    """What a blank may show of a component, in its unit."""
    return a.air_limit or injection_settings(setup).blank_percent / 100 * a.top


def factor_name(a: Analyte) -> str:
    """The name under which a response factor is followed."""
    return f"factor {a.name}"


def factor_of(setup: RunSetup, a: Analyte) -> float:
    """The response factor that the analyzer reckons with: as accepted in this run, as of the last calibration, or of the register; 0 for none."""
    entered = setup.value(f"factor:{a.name}", 0.0)
    past = setup.past(factor_name(a))
    return entered or (past[-1].value if past else a.factor)


@dataclass(frozen=True)
class Found:
    """One component in a chromatogram: its peak, None where there is none, and what the analyzer makes of it."""

    analyte: Analyte
    peak: Peak | None
    value: float


@dataclass(frozen=True)
class Injected:
    """A chromatogram read: its components, and the resolution of the critical pair, None where that can't be told."""

    chromatogram: Chromatogram
    found: tuple[Found, ...]
    resolution: float | None


def read_injection(setup: RunSetup, times: Sequence[float], signal: Sequence[float], *, is_blank: bool) -> Injected:
    """What a chromatogram holds of each component.

    A peak belongs to the component whose window it stands in; where the windows no longer fit but as many large peaks came as there are components,
    they belong to them in their order, and their retention says how far they are off. Raises a Fault for a chromatogram that is none, a component of
    a standard without a peak, and one without a response factor.
    """
    analytes = analytes_of(setup)
    made = find_peaks(times, signal)
    taken = _by_window(analytes, made.peaks)
    if not is_blank and any(p is None for p in taken.values()):
        taken = _by_order(analytes, made.peaks) or taken
    missing = [a for a in analytes if taken[a.name] is None]
    if missing and not is_blank:
        where = ", ".join(f"{p.apex:.4g} s" for p in made.peaks[:12]) or "none"
        a = missing[0]
        told = f"No peak of {a.name} in {a.at_s - a.within_s:g} to {a.at_s + a.within_s:g} s; peaks stand at {where}."
        raise Fault("no_peak", f"{told} Another gas, a column that has aged, or no injection at all. Nothing was stored.", field="file")
    found = tuple(_found(setup, a, taken[a.name]) for a in analytes)
    return Injected(made, found, _resolution(setup, taken))


def _by_window(analytes: Sequence[Analyte], peaks: Sequence[Peak]) -> dict[str, Peak | None]:
    """The largest peak in each window; one peak belongs to one component."""
    out: dict[str, Peak | None] = {}
    left = list(peaks)
    for a in analytes:
        inside = [p for p in left if abs(p.apex - a.at_s) <= a.within_s]
        best = max(inside, key=lambda p: p.area, default=None)
        out[a.name] = best
        if best:
            left.remove(best)
    return out


def _by_order(analytes: Sequence[Analyte], peaks: Sequence[Peak]) -> dict[str, Peak | None] | None:
    """The largest peaks in their order, where there are enough and none is further off than three windows."""
    if len(peaks) < len(analytes):
        return None
    largest = sorted(sorted(peaks, key=lambda p: -p.area)[: len(analytes)], key=lambda p: p.apex)
    if any(abs(p.apex - a.at_s) > 3 * a.within_s for a, p in zip(analytes, largest, strict=True)):
        return None
    return {a.name: p for a, p in zip(analytes, largest, strict=True)}


def _found(setup: RunSetup, a: Analyte, peak: Peak | None) -> Found:
    if peak is None:
        return Found(a, None, 0.0)
    factor = factor_of(setup, a)
    if factor <= 0:
        told = f"No response factor of {a.name} is known: its area of {peak.area:.4g} says nothing yet. Type what the analyzer shows this first time."
        raise Fault("no_factor", told, field="file")
    return Found(a, peak, peak.area / factor)


def _resolution(setup: RunSetup, taken: Mapping[str, Peak | None]) -> float | None:
    pair = critical_pair(setup)
    if pair is None:
        return None
    one, two = taken[pair[0].name], taken[pair[1].name]
    if one is None or two is None or two.apex <= one.apex or one.width <= 0 or two.width <= 0:
        return None
    return resolution(one.apex, two.apex, w1=one.width, w2=two.width)


def check_analytes(settings: Any, _register: Mapping[str, Any]) -> None:
    """There are components."""
    if not settings.analytes:
        raise Fault("missing", "Say what it tells apart.", field="analytes")
