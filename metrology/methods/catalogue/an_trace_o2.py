"""an-trace-o2: a trace of oxygen, set on a span gas in nitrogen whose regulator was purged in counted cycles.

Sources: IEC 60079-29-2:2015 clause 11 (gas, lines, flow), ISO 16664:2017 (handling of gases in lines and regulators: cycle purging).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any, ClassVar

from metrology.faults import Fault
from metrology.judgement.comedown import LEAST, fit_come_down, forecast, forecast_words
from metrology.judgement.settling import Sample
from metrology.methods.adjusting.exposed import targets_of
from metrology.methods.adjusting.in_order import InOrder, admit_force
from metrology.methods.advice.gas import GasAdvice
from metrology.methods.detector import DetectorSettings, GasChannel, check_register
from metrology.methods.exposing import SPAN, ZERO, applied_for, channels_of, exposure, exposure_minutes
from metrology.methods.flow import analyzer, common
from metrology.methods.flow.common import Wording, found_to_left
from metrology.methods.flow.gas import PROVE, GasFlow, gases, sensor
from metrology.methods.gas_method import gas_analyzer
from metrology.methods.method import Method
from metrology.methods.outcome import Outcome, Proposal
from metrology.methods.settings import asked
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Quantity, Slot
from metrology.methods.standards.base import Need, Standards
from metrology.methods.steps import Check, Field, Step
from metrology.methods.trials.exposure import ExposureWatching, GasKind, exposed, need_of, role_at, uses
from metrology.methods.trials.trace import TraceExposed
from metrology.quantities.gas import purge_cycles
from metrology.quantities.permeation import residuals, swept_ppm
from metrology.quantities.words import number

AIR_PPM = 209_000.0
EACH = 4  # as found, once more, adjusting, as left
VOLUMES, DEAD_SHARE = 10.0, 0.05  # of the simple purge that the cycles are set against
ALARMS = (
    "Hold the alarms off for as long as span gas and come-down take: the oxygen of the span gas would trip them. The hold stays in sight on every page "
    "until it is released."
)
STIFLING = "Nitrogen takes the place of air without a warning: ventilate, carry an oxygen monitor, vent to a safe place."
PRESSED = "Regulators and lines hold pressure after the bottle is shut: open vents slowly, face away."
CAUSTIC = "The cell's electrolyte burns: gloves and goggles when it leaks or is exchanged."


@dataclass(frozen=True)
class TraceSettings(DetectorSettings):
    """A trace oxygen analyzer. Pressures are gauge, kPa; shares in %, times in s and min, targets in the unit of its range."""

    never_asked: ClassVar[frozenset[str]] = frozenset(
        {
            "gas",
            "basis",
            "technology",
            "cal_gas",
            "relative_response",
            "inhibit_ma",
            "needs_humid",
            "partial_pressure",
            "channels",
            "full_scale_v",
            "path_l",
        }
    )
    gas: str = asked("Gas it watches for", "text", default="oxygen")
    technology: str = asked("Sensor technology", "text", default="oxygen")
    t90_s: float = asked("T90 of a healthy sensor", default=60.0, unit="s", low=0.1, high=1800.0)
    target_ppm: float = asked("Ready for work below", default=2.0, unit="ppm", low=0.01, high=1000.0)
    span_percent: float = asked("Span gas near", default=80.0, unit="% of range", low=30.0, high=90.0, is_policy=True)
    residual_percent: float = asked(
        "Air left in the regulator, of the span gas", default=1.0, unit="%", low=0.01, high=20.0, is_policy=True
    )
    high_kpa: float = asked("High-pressure side is filled to", default=5000.0, unit="kPa", low=50.0, high=30_000.0, is_policy=True)
    low_kpa: float = asked("Low-pressure side is filled to", default=300.0, unit="kPa", low=20.0, high=3000.0, is_policy=True)
    air_s: float = asked("A new sensor may stand in air for", default=15.0, unit="s", low=1.0, high=600.0, is_policy=True)


def settings_of(setup: RunSetup) -> TraceSettings:
    """The analyzer's own settings."""
    s = setup.instrument.details
    return s if isinstance(s, TraceSettings) else TraceSettings()


def exposures(setup: RunSetup, _set_key: str) -> list[tuple[str, GasChannel]]:
    """Span; nitrogen before it where zero is proved."""
    c = channels_of(setup)[0]
    return [(ZERO, c), (SPAN, c)] if settings_of(setup).proves_zero else [(SPAN, c)]


def needs(setup: RunSetup) -> tuple[Need, ...]:
    """The span gas in nitrogen, through metal all the way; pure nitrogen where zero is proved."""
    out = []
    for kind, c in exposures(setup, "found"):
        need = need_of(setup, kind, c, exposures=EACH)
        wanted = settings_of(setup).span_percent if kind == SPAN else 0.0
        out.append(replace(need, detail=replace(need.detail, is_trace_oxygen=True, wanted_percent=wanted)))
    return tuple(out)


KIND = GasKind(screws=(SPAN,), found_kinds=(SPAN,), exposures_each=EACH, proves_alarms=False, own_exposures=exposures, own_needs=needs)
TRIAL = TraceExposed(KIND)
FLOW = GasFlow(KIND)


@dataclass(frozen=True)
class TraceAdvice(GasAdvice):
    """What reads high with air in the line is not adjusted to."""

    def propose(self, setup: RunSetup, outcome: Outcome, *, is_as_left: bool) -> Proposal:
        """The leak first, then what exposures say."""
        first = outcome.signatures[0] if outcome.signatures else None
        if first and first.code == "air-in-line":
            return Proposal("repair" if is_as_left else "repeat", f"{first.says} {first.first_action}")
        return super().propose(setup, outcome, is_as_left=is_as_left)

    def refuse(self, setup: RunSetup, outcome: Outcome, choice: str) -> str:
        """The gain is not set on leaking air."""
        first = outcome.signatures[0] if outcome.signatures else None
        if choice == "adjust" and first and first.code == "air-in-line":
            return f"{first.says} Setting the gain to that would make it read low once the leak is closed. {first.first_action}"
        return super().refuse(setup, outcome, choice)


@dataclass(frozen=True)
class TraceWatching(ExposureWatching):
    """As an exposure; the come-down of a new sensor is watched to its target."""

    def watched(self, setup: RunSetup, step: Step) -> tuple[Slot, tuple[Quantity, ...]] | None:
        """The come-down can be read live."""
        if step.variant != "comedown":
            return super().watched(setup, step)
        slot = exposure(setup, 0, SPAN, channels_of(setup)[0])
        return slot, tuple(q for q in self.trial.asks(setup, slot) if q.name == "indicated")

    def course(self, setup: RunSetup, step: Step, slot: Slot, samples: Sequence[Sample]) -> str:
        """When the come-down will be under its target, in words."""
        if step.variant != "comedown":
            return ""
        top = channels_of(setup)[0].top
        seen = [(t, v) for t, v in samples if 0 < v <= top]  # above its range it shows no course
        peak = max(range(len(seen)), key=lambda n: seen[n][1], default=0)
        seen = seen[peak:]
        if len(seen) < 3 * LEAST:
            return "Its course shows once it is inside the range."
        try:
            found = fit_come_down([t / 60 for t, _ in seen], [v for _, v in seen])
        except Fault as fault:
            return fault.message
        d = settings_of(setup)
        return forecast_words(forecast(found, d.target_ppm), d.target_ppm, channels_of(setup)[0].unit)


VALVES = ("span_on", "zero_on", "flow", "twice", "sample")  # keys of its manifold, where it is on the bench
OPTIONS = (
    ("leave", "Leave as it is"),
    ("adjust", "Set the span"),
    ("repeat", "Find the leak, read again"),
    ("exchange", "Replace the sensor, then set"),
    ("repair", "Correct the cause, then prove"),
    ("replace", "Mark for replacement"),
)


def steps(setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
    """The steps, as the choices so far shape them."""
    return _steps(setup, tuple(sorted(choices.items())))


@lru_cache(maxsize=256)
def _steps(setup: RunSetup, chosen: tuple[tuple[str, str], ...]) -> tuple[Step, ...]:
    told = "Span gas on at the set flow, and wait until it stands: the last of the air comes out of a line slowly. " + PROVE
    follow = {"adjust": _adjusting, "exchange": lambda n: (*_exchange(setup, n), *_adjusting(n)), "repair": common.repair}
    found = Wording("as_found", "judge", "as found", "judge", "As found", "Judge as found", told, OPTIONS, follow, keys=VALVES)
    left_options = tuple(o for o in OPTIONS if o[0] != "repeat")
    left = Wording(
        "as_left", "judge_left", "as left", "as left", "As left", "Judge as left", "The span gas once more.", left_options, follow
    )
    spare = Step("adjust", "confirm", "adjust", "Set the span", "On the span gas, once it stands.")
    return (
        common.identity(setup),
        sensor(setup, asks_condition=False),
        gases(FLOW, setup),
        _materials(setup),
        *_purge(setup),
        common.warm_up(setup),
        common.operator(setup),
        analyzer.hold(setup, ALARMS, "While the hold is on, nobody is protected by this signal. Keep it short.", first="alarm hold-off"),
        common.cautions(setup, STIFLING, PRESSED, checks=CHECKS),
        *found_to_left(found, left, dict(chosen), spare),
        _left_on(setup),
        *common.restore(setup, checks=PUT_BACK, caution="Sample back on slowly: a burst of air costs hours of come-down."),
    )


CHECKS = (
    Check("vent", "Vent led to a safe place, room ventilated"),
    Check("cylinder", "Cylinder secured, fittings tight"),
    Check("safe", "The cautions above are met"),
)
PUT_BACK = (
    Check("sample", "Sample back on at its flow, bypass and vent as they were"),
    Check("caps", "Ports capped, no fitting left loose"),
    Check("covers", "Covers on, seals and locks back"),
    Check("tidy", "Tags and tools cleared away"),
)


def _materials(setup: RunSetup) -> Step:
    return Step(
        "materials",
        "confirm",
        "prepare",
        "Metal all the way",
        "A trace of oxygen is lost in what plastic lets through. Look along the way from bottle to analyzer.",
        checks=(
            Check("line", "Stainless line, or one that lets no gas through; no plastic, not even a short piece"),
            Check("diaphragm", "Regulator with a stainless diaphragm"),
            Check("fittings", "Compression fittings, no tape, no push-on hose"),
        ),
        confirm_label="It is so",
    )


def _cycles(setup: RunSetup, gauge_kpa: float) -> tuple[str, ...]:
    """What is left before the first and after each cycle of one side."""
    c = channels_of(setup)[0]
    target = settings_of(setup).residual_percent / 100 * applied_for(setup, SPAN, c)
    n, _ = purge_cycles(gauge_kpa, AIR_PPM, target_ppm=target)
    return tuple(f"{_ppm(v)} ppm left" for v in residuals(gauge_kpa, AIR_PPM, cycles=n))


def _ppm(value: float) -> str:
    """Two digits that count, never as a power of ten."""
    return number(value, max(0, 1 - math.floor(math.log10(value))) if value < 100 else 0)


def _purge(setup: RunSetup) -> tuple[Step, ...]:
    """The regulator purged side by side in counted cycles; not where it has stayed on this bottle since it was."""
    d, known = settings_of(setup), dict(setup.entered)
    bottle, since = known.get("span.bottle", ""), known.get("span.purged_on", "")
    why = (
        f"{known.get('span.regulator', 'The regulator')} has stayed on {bottle} since {since}, purged, shut and under pressure."
        if since
        else ""
    )
    high, low = setup.value("high_kpa", d.high_kpa), setup.value("low_kpa", d.low_kpa)
    sides = (("high", "high-pressure", high), ("low", "low-pressure", low))
    counts = {side: _cycles(setup, kpa) for side, _, kpa in sides}
    simple = _ppm(swept_ppm(AIR_PPM, volumes=VOLUMES, dead_share=DEAD_SHARE))
    plan = Step(
        "purge_plan",
        "confirm",
        "prepare",
        "Purge the regulator",
        f"Fill and vent each side by itself: {len(counts['high']) - 1} times at {high:g} kPa on the high-pressure side and {len(counts['low']) - 1} "
        f"times at {low:g} kPa on the low-pressure side leave less than {d.residual_percent:g} % of the span value. Letting ten volumes blow "
        f"through leaves some {simple} ppm: what stands in dead legs, about a twentieth, is not swept and bleeds out for hours. And close "
        "the outlet afterwards instead of venting: what is vented has to be purged again next time.",
        fields=(
            Field(
                "high_kpa",
                "High side is filled to",
                "number",
                "kPa",
                required=False,
                low=50,
                high=30_000,
                hint=f"Gauge. Empty: {d.high_kpa:g}",
            ),
            Field(
                "low_kpa", "Low side is filled to", "number", "kPa", required=False, low=20, high=3000, hint=f"Gauge. Empty: {d.low_kpa:g}"
            ),
        ),
        enters=True,
        confirm_label="Start purging",
        left_out=why,
    )
    return (
        plan,
        *(
            Step(
                f"purge_{side}:{bottle}" if bottle else f"purge_{side}",
                "count",
                "prepare",
                f"Purge the {words} side",
                f"Fill to {kpa:g} kPa, shut, wait a breath, vent to just above nothing, shut: that is one. Press once for each.",
                counts=counts[side],
                confirm_label="Filled and vented",
                left_out=why,
            )
            for side, words, kpa in sides
        ),
    )


def _left_on(setup: RunSetup) -> Step:
    return Step(
        "left_on",
        "confirm",
        "restore",
        "Leave the regulator ready",
        "Shut the outlet, then the bottle; leave the regulator on and under pressure. It keeps its purge for next time; vented it has to be "
        "purged again.",
        fields=(
            Field(
                "regulator_left", "The regulator", "choice",
                options=(("on", "stays on the bottle, outlet shut, under pressure"), ("off", "was taken off or vented")),
            ),
        ),
        enters=True,
    )  # fmt: skip


def _adjusting(n: int) -> tuple[Step, ...]:
    return common.adjust(
        n,
        title="Set the span",
        instruction="On the span gas, once it stands. Type what it read before and after. If it refuses, the old calibration stands.",
        caution="A reading that is high because of a leak is not a gain: never set it away.",
    )


def _exchange(setup: RunSetup, n: int) -> tuple[Step, ...]:
    """All at hand before the bag is opened, the time in air taken, and the come-down to the target."""
    d = settings_of(setup)
    unit = channels_of(setup)[0].unit
    return (
        Step(
            common.numbered("at_hand", n),
            "confirm",
            "adjust",
            "New sensor: all at hand",
            "Every second in air costs minutes of come-down. Lay out everything before the bag is opened.",
            cautions=(CAUSTIC,),
            fields=(Field("new_serial", "Serial of the new sensor"), Field("work", "Why it is replaced", "long")),
            checks=(
                Check("tools", "Tools, seals and the new sensor within reach, housing loosened"),
                Check("nitrogen", "Zero gas or the cleanest gas there is flows through the housing"),
                Check("shorted", "Shorting clip of the new sensor is known, and what has to come off first"),
                Check("old", "A bag for the old one"),
            ),
            enters=True,
            confirm_label="All is at hand",
        ),
        Step(
            "in_air" if n == 1 else f"in_air_{n}",
            "clock",
            "adjust",
            "Sensor in air",
            f"Press as the bag is opened, and again when the housing is shut with gas flowing. Aim: {d.air_s:g} s or less.",
            minutes=d.air_s / 60,
            confirm_label="The bag is open",
            keys=("bag", "shut"),
        ),
        Step(
            common.numbered("come_down", n),
            "condition",
            "adjust",
            "Come-down",
            f"The cleanest gas there is flows through it until it reads {d.target_ppm:g} {unit} or less. Read live, its course is forecast.",
            fields=(
                Field(
                    "come_down", "It reads", "number", unit, low=-0.1 * d.target_ppm, high=d.target_ppm,
                    why="It is not down yet: setting the span now would be undone by what still comes out of it.",
                ),
            ),
            confirm_label="It is down",
            variant="comedown",
            keys=("zero_on",),
        ),
    )  # fmt: skip


def check(settings: Any, register: Mapping[str, Any]) -> None:
    """A trace is told in ppm, and a target that lies inside the range."""
    check_register(settings, register)
    if str(register["unit"]) != "ppm":
        raise Fault("wrong_unit", f"'{register['unit']}' is not ppm; a trace of oxygen has its range in ppm.", field="unit")


def minutes(setup: RunSetup, slot: Slot) -> float:
    """An exposure, and the line before it."""
    return exposure_minutes(setup, str(slot.extra["exposure"])) + 2.0


METHOD = Method(
    key="an-trace-o2",
    title="Trace oxygen",
    revision="2",
    traits=gas_analyzer(unguarded="Nobody is warned of oxygen in this gas.", wears="Personal oxygen monitor", follows_life=True),
    settings=TraceSettings,
    flow=steps,
    trial=TRIAL,
    standards=Standards(needs, role_at=role_at),
    advice=TraceAdvice(KIND),
    watching=TraceWatching(TRIAL),
    adjusting=InOrder(targets_of(TRIAL), admit_force, hint="Wait until it stands before you accept.", proof="Prove it with the span gas."),
    check=check,
    minutes=minutes,
    uses=uses,
    exposed=exposed,
)
