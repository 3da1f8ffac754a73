"""A window with the flow blocked: readings of a mass flow meter whose mean is held against its stored zero.

Sources: ISO 10790:2015 (zero, zero stability, conditions), JCGM 100:2008 (mean and its standard error).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from metrology.faults import Fault
from metrology.judgement.errors import UP, Point
from metrology.judgement.signature import Signature
from metrology.judgement.uncertainty import Component
from metrology.judgement.zero_signature import ZeroSeen, find_zero_signatures, spread
from metrology.methods.budget import Budget, Spread
from metrology.methods.method import Columns
from metrology.methods.outcome import Criterion, Judged, Outcome, OutcomeTable, SeriesPoint
from metrology.methods.settings import Settings, asked
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Plan, Quantity, RawReading, Slot
from metrology.methods.steps import Step
from metrology.methods.trials.courses import on_day, trend_words
from metrology.methods.trials.points import InItsUnit, as_it_was
from metrology.quantities.flow import coriolis_zero
from metrology.quantities.typed import parse_typed
from metrology.quantities.words import decimals_for, number, signed

SHIFT, STORED = "zero_shift", "zero_stored"
SECOND, AT_ONCE, NEVER = "second", "at-once", "never"
RULES = ((SECOND, "after a second failure"), (AT_ONCE, "at the first failure (site rule)"), (NEVER, "never: the factory's zero stands"))
WHOLE = "One of the window: its mean is judged."
UNLIKELY = 100.0  # of the zero stability: a flow beyond it with the valves shut is asked about


@dataclass(frozen=True)
class ZeroSettings(Settings):
    """A mass flow meter. Flows in kg/h; stability: zero stability of the maker; tolerance_minimum: what zero may cost at minimum flow, %."""

    stability: float = asked("Zero stability", default=1.0, unit="kg/h", low=1e-6, high=1e6)
    normal_flow: float = asked("Normal flow", default=1000.0, unit="kg/h", low=1e-3, high=1e8)
    minimum_flow: float = asked("Minimum flow", default=100.0, unit="kg/h", low=1e-3, high=1e8)
    tolerance_minimum: float = asked("Zero may cost at minimum flow", default=1.0, unit="%", low=0.001, high=50.0)
    process_c: float = asked("Process temperature", default=20.0, unit="°C", low=-250.0, high=450.0)
    near_c: float = asked("Process temperature within", default=5.0, unit="°C", low=0.1, high=100.0, is_policy=True)
    warm_min: float = asked("Under power before the zero", default=20.0, unit="min", low=0.0, high=240.0, is_policy=True)
    window_min: float = asked("Window", default=5.0, unit="min", low=1.0, high=60.0, is_policy=True)
    count: float = asked("Readings in the window", default=6.0, low=3.0, high=60.0, is_policy=True)
    drive_limit: float = asked("Drive gain at most", default=50.0, unit="%", low=1.0, high=100.0, is_policy=True)
    density_band: float = asked("Density steady within", default=2.0, unit="kg/m3", low=0.01, high=100.0, is_policy=True)
    temp_band: float = asked("Temperature steady within", default=1.0, unit="°C", low=0.05, high=20.0, is_policy=True)
    new_zero: str = asked("A new zero is set", "choice", default=SECOND, options=RULES, is_policy=True)

    def check(self) -> None:
        """Minimum below normal flow."""
        if self.minimum_flow > self.normal_flow:
            told = f"Minimum flow is {self.minimum_flow:g}, normal flow {self.normal_flow:g} kg/h: minimum must be the smaller one."
            raise Fault("out_of_order", told, field="minimum_flow")


def settings_of(setup: RunSetup) -> ZeroSettings:
    """The meter's own settings."""
    d = setup.instrument.details
    return d if isinstance(d, ZeroSettings) else ZeroSettings()


@dataclass(frozen=True)
class ZeroFlow(InItsUnit):
    """The trial: readings over a window with the flow blocked, judged by their mean."""

    has_statistics = False
    least_for_signature = 3

    def plan(self, setup: RunSetup, set_key: str, taken: Sequence[RawReading] = ()) -> Plan:
        """So many readings, evenly over the window."""
        s = settings_of(setup)
        n = int(s.count)
        out = []
        for k in range(n):
            at = s.window_min * k / (n - 1)
            told = f"At {at:g} min of {s.window_min:g}: what it shows with nothing flowing, low-flow cut-off off."
            out.append(Slot(k, 1, UP, 100 * k / (n - 1), 0.0, 0.0, told, f"{at:g} min", {"min": f"{at:g}"}))
        return Plan(tuple(out))

    def asks(self, setup: RunSetup, slot: Slot) -> tuple[Quantity, ...]:
        """The flow; at both ends of the window density, drive gain and temperature too."""
        s = settings_of(setup)
        wide, ends = UNLIKELY * s.stability, slot.percent in (0.0, 100.0)
        doubt = "That is no zero: something flows. Look whether both valves are shut; then take it or type it again."
        decimals = decimals_for(s.stability) - 1
        return (
            Quantity(
                "indicated", "Flow it shows", "kg/h", max(decimals, 0), 0.0, -wide, wide, s.stability, doubt=doubt, span=s.minimum_flow
            ),
            Quantity("density", "Density", "kg/m3", 1, 1000, 0.1, 3000, 0, required=ends, span=1000),
            Quantity("drive", "Drive gain", "%", 1, 5, 0, 100, 0, required=ends, span=100),
            Quantity("temp", "Temperature it shows", "°C", 1, s.process_c, -260, 450, 0, required=ends, span=100),
        )

    def record(self, setup: RunSetup, slot: Slot, texts: Mapping[str, str]) -> Mapping[str, str]:
        """Nothing flows."""
        return {**texts, "applied": "0"}

    def measure(self, setup: RunSetup, slot: Slot, reading: RawReading) -> Point:
        """What it shows, in % of its range."""
        shown = parse_typed(reading.indicated, name="The flow", unit="kg/h").value
        return Point(0.0, shown, 0.0, slot.percent / 100, slot.percent, 100 * shown / _span(setup), UP, 1)

    def tolerance_for(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """The corridor: what zero may cost at minimum flow."""
        s = settings_of(setup)
        return s.tolerance_minimum * s.minimum_flow / _span(setup)

    def budget(self, setup: RunSetup, slot: Slot, point: Point, reading: RawReading, spread: Spread | None) -> tuple[Component, ...]:
        """The last digit."""
        made = Budget(setup, 0.0, reading, per_input=100 / _span(setup))
        made.resolution(parse_typed(reading.indicated, name="The flow", unit="kg/h").resolution, _span(setup))
        return tuple(made.parts)

    def seen(self, setup: RunSetup, readings: Sequence[RawReading]) -> ZeroSeen | None:
        """The window as the causes look at it; None of fewer than three readings."""
        if len(readings) < 3:
            return None
        s = settings_of(setup)

        def all_of(name: str) -> tuple[float, ...]:
            return tuple(float(r.extra[name]) for r in readings if r.extra.get(name))

        second = dict(setup.entered).get("second_valve") == "yes"
        return ZeroSeen(
            tuple(float(r.slot.extra["min"]) for r in readings), tuple(float(r.indicated) for r in readings), s.stability, all_of("density"),
            all_of("drive"), all_of("temp"), s.density_band, s.drive_limit, s.temp_band, setup.value("mean_before", 0.0) if second else None,
        )  # fmt: skip

    def finish(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome, set_key: str) -> Outcome:
        """Mean against zero stability and against the corridor; whether it stood still; the zero is followed."""
        judged = tuple(replace(j, aside=WHOLE) for j in outcome.judged)
        then = as_it_was(setup, readings[0]) if readings else setup
        z = self.seen(then, readings)
        if z is None or not outcome.is_complete:
            return replace(outcome, judged=judged)
        s, stored = settings_of(setup), then.value("zero_now", 0.0)
        found = coriolis_zero(stored, stored + z.mean, stability=s.stability, normal_flow=s.normal_flow, minimum_flow=s.minimum_flow)
        u = 2 * z.standard_error
        near = max(s.stability - u, 0.0)
        criteria = (
            Criterion(
                "zero", "Observed less stored zero", z.mean, "kg/h", -s.stability, s.stability, u=u, decimals=3, watch_low=-near, watch_high=near,
                says=found.reason,
            ),
            Criterion(
                "at_minimum", "It costs at minimum flow", found.error_percent_minimum, "%", -s.tolerance_minimum, s.tolerance_minimum,
                u=100 * u / s.minimum_flow, decimals=3,
            ),
            _steady("drift", "Drift over the window", abs(z.drift), "kg/h", s.stability, 3),
            _steady("drive", "Drive gain at most", max(z.drive, default=0.0), "%", s.drive_limit, 1),
            _steady("density", "Density moved by", spread(z.density), "kg/m3", s.density_band, 2),
            _steady("temp", "Temperature moved by", spread(z.temps), "°C", s.temp_band, 2),
        )  # fmt: skip
        table = OutcomeTable(
            "Zero", ("Stored", "Observed", "Difference", "Standard error", "Of normal flow", "Of minimum flow"),
            ((
                f"{stored:g} kg/h", f"{stored + z.mean:.4g} kg/h", f"{signed(z.mean, 3)} kg/h", f"{z.standard_error:.2g} kg/h",
                f"{signed(found.error_percent_normal, 3)} %", f"{signed(found.error_percent_minimum, 3)} %",
            ),),
        )  # fmt: skip
        series = (
            SeriesPoint(SHIFT, "Observed less stored zero", z.mean, "kg/h", -s.stability, s.stability),
            SeriesPoint(STORED, "Zero it holds", stored, "kg/h", is_followed=False),
        )
        return replace(outcome, judged=judged, criteria=criteria, tables=(table, *_change(then)), series=series)

    def signatures(self, setup: RunSetup, judged: Sequence[Judged], readings: Sequence[RawReading]) -> tuple[Signature, ...]:
        """What the window gives away."""
        z = self.seen(as_it_was(setup, readings[0]), readings)
        return find_zero_signatures(z) if z else ()

    def findings(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome) -> tuple[tuple[str, str], ...]:
        """Where the zero is heading."""
        s = settings_of(setup)
        now = next((p.value for p in outcome.series if p.name == SHIFT), None)
        if now is None:
            return ()
        past = setup.past(SHIFT, phase="as found")
        return (("Zero", trend_words(past, now, on_day(readings), -s.stability, s.stability, "kg/h", part="meter")),)

    def suggest(self, setup: RunSetup, readings: Sequence[RawReading], step: Step) -> Mapping[str, str]:
        """The mean of the take before, to set the next one against."""
        if not readings or not step.key.startswith("recheck"):
            return {}
        return {"mean_before": number(sum(float(r.indicated) for r in readings) / len(readings), 4)}

    def columns(self, setup: RunSetup, set_key: str = "") -> Columns:
        """In kg/h over the window."""
        return Columns(
            place="At", applied="", ideal="", read="It shows", error="", unit="kg/h", per_percent=_span(setup) / 100,
            decimals=max(decimals_for(settings_of(setup).stability) - 1, 0), has_direction=False, by_percent=False, by_criteria=True,
            x="window, %", y="flow, kg/h", csv_error="flow (kg/h)",
        )  # fmt: skip


def _span(setup: RunSetup) -> float:
    return setup.instrument.urv - setup.instrument.lrv


def _steady(name: str, label: str, value: float, unit: str, limit: float, decimals: int) -> Criterion:
    return Criterion(name, label, value, unit, None, limit, decimals=decimals, is_graded=False)


def _change(setup: RunSetup) -> tuple[OutcomeTable, ...]:
    """The new zero beside the old one, once there is one."""
    known = dict(setup.entered)
    if not known.get("zero_was"):
        return ()
    old, new = float(known["zero_was"]), float(known["zero_now"])
    row = (f"{old:g} kg/h", f"{new:g} kg/h", f"{signed(new - old, 4)} kg/h")
    return (OutcomeTable("New zero", ("Before", "Now", "Change"), (row,)),)
