"""tx-multipoint: an analogue or smart transmitter checked at several points, adjusted and proved.

Sources: IEC 61298-2:2008 (test procedure, terms), JCGM 100:2008 (uncertainty), ILAC-G8:09/2019 (decision).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import lru_cache, partial

from metrology.judgement.errors import DOWN, UP
from metrology.methods.adjusting.alternate import Alternate
from metrology.methods.advice.transmitter import CurveAdvice
from metrology.methods.flow import common
from metrology.methods.flow.common import Wording, found_to_left
from metrology.methods.fragments import LoopSettings, PressureSettings, SensorSettings, pressure_kind
from metrology.methods.hookup import transmitter_hookup
from metrology.methods.method import Method, Traits
from metrology.methods.settings import asked
from metrology.methods.setup import RunSetup
from metrology.methods.standards.base import Need, Standards
from metrology.methods.steps import Field, Step
from metrology.methods.trials.curve import Curve, check_sensor, curve_tur, input_need, output_need
from metrology.methods.watching import Still


@dataclass(frozen=True)
class TransmitterSettings(SensorSettings, PressureSettings, LoopSettings):
    """A transmitter beyond its range."""

    has_digital: bool = asked("Its digital value is read beside the output", "flag", default=False)
    tests_dead_band: bool = asked("Its dead band is tested", "flag", default=False)


def settings_of(setup: RunSetup) -> TransmitterSettings:
    """The transmitter's own settings."""
    s = setup.instrument.details
    return s if isinstance(s, TransmitterSettings) else TransmitterSettings()


def has_digital(setup: RunSetup) -> bool:
    """Whether a digital value is read beside the output."""
    return settings_of(setup).has_digital


_TAKE_AGAIN = ("repeat", "Take the points again")
_CAUSE = (("repair", "Correct the cause, then prove"), common.EXCHANGE, ("replace", "Mark for replacement"))
_SCREWS = (("adjust", "Adjust zero and span"),)
_TRIMS = (("trim_sensor", "Trim the sensor"), ("trim_output", "Trim the output"))
INSTRUCTION = "Apply each point from one side, wait until the output stands still, read it, type it."


def _turns(setup: RunSetup) -> tuple[tuple[str, str], ...]:
    return _TRIMS if has_digital(setup) else _SCREWS


def _again(options: tuple[tuple[str, str], ...]) -> tuple[tuple[str, str], ...]:
    return tuple((key, f"{label} again" if key == "adjust" else label) for key, label in options)


FOLLOW = {
    "adjust": lambda n: common.adjust(
        n,
        title="Adjust",
        instruction="Zero at the bottom, span at the top, in turn. Type what it reads before you turn, and after.",
        caution="Adjust the side that is wrong: an output trim must not hide a sensor error.",
    ),
    "trim_sensor": lambda n: common.adjust(
        n,
        title="Trim the sensor",
        instruction="Apply the bottom, then the top, in turn. Type the digital value before the trim, and after.",
        caution="Range and output stay untouched; this sets what the sensor says to what is applied.",
        variant="trim_sensor",
    ),
    "trim_output": lambda n: common.adjust(
        n,
        title="Trim the output",
        instruction="Put the output to its low end, then to its high end, in turn. Type what the meter reads before the trim, and after.",
        caution="The loop current moves whatever the process does: the hold must be on. An output trim must not hide a sensor error.",
        variant="trim_output",
    ),
    "repair": common.repair,
}


def steps(setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
    """The steps, with repeated and left-out ones as the choices demand."""
    return _steps(setup, tuple(sorted(choices.items())))


@lru_cache(maxsize=256)
def _steps(setup: RunSetup, chosen: tuple[tuple[str, str], ...]) -> tuple[Step, ...]:
    turns = _turns(setup)
    follow: dict[str, Callable[[int], tuple[Step, ...]]] = {**FOLLOW, "exchange": partial(common.exchange, setup)}
    found = Wording(
        "as_found",
        "judge",
        "as found",
        "judge",
        "As found",
        "Judge as found",
        INSTRUCTION,
        (("leave", "Leave as it is"), *turns, _TAKE_AGAIN, *_CAUSE),
        follow,
    )
    left = Wording(
        "as_left",
        "judge_left",
        "as left",
        "as left",
        "As left",
        "Judge as left",
        INSTRUCTION,
        (("leave", "Accept as left"), *_again(turns), *_CAUSE),
        follow,
    )
    spare = Step("adjust", "adjust", "adjust", "Adjust", "Zero, then span, until neither disturbs the other.")
    meter = (
        () if setup.instrument.is_digital else (Field("indicated", "Output meter", "reference", hint="It reads the transmitter's output."),)
    )
    return (
        common.identity(setup),
        common.references(Field("applied", "Input reference", "reference", hint="It tells what is really applied."), *meter),
        common.environment(),
        *_cold_junction(setup),
        common.loop_budget(setup),
        common.warm_up(setup),
        common.operator(setup),
        common.hold(may_be_out=True),
        common.cautions(setup, *common.PRESSURE_CAUTIONS.get(pressure_kind(setup), ())),
        *_with_dead_band(setup, found_to_left(found, left, dict(chosen), spare)),
        *common.restore(setup, checks=common.put_back(setup)),
    )


def _with_dead_band(setup: RunSetup, made: list[Step]) -> list[Step]:
    """After the as-found points the dead band, where the register asks for it; nothing has been adjusted yet."""
    if not settings_of(setup).tests_dead_band:
        return made
    i = setup.instrument
    middle = 0.5 * (i.lrv + i.urv)
    low, high = sorted((i.lrv, i.urv))
    at = next(n for n, s in enumerate(made) if s.kind == "readings")
    step = Step(
        "dead_band",
        "confirm",
        "as found",
        "Dead band",
        f"Come to {middle:g} {i.unit} from below and let it stand. Raise the input as slowly as you can until the output just begins to "
        "follow, and note the input; then lower it until the output follows again, and note that.",
        fields=(
            Field("dead_band_up", "Input at which it followed on the way up", "number", i.unit, low=low, high=high),
            Field("dead_band_down", "Input at which it followed on the way down", "number", i.unit, low=low, high=high),
        ),
        enters=True,
        confirm_label="Noted",
    )
    return [*made[: at + 1], step, *made[at + 1 :]]


def _cold_junction(setup: RunSetup) -> tuple[Step, ...]:
    if not settings_of(setup).thermocouple:
        return ()
    return (
        Step(
            "cold_junction",
            "condition",
            "prepare",
            "Cold junction",
            "Measure the temperature at the transmitter's own terminals. The millivolts to apply are computed against it. "
            "If the calibrator compensates by itself through the right extension wire, type 0.",
            fields=(Field("cold_junction_c", "Temperature at the terminals", "number", "°C", low=-40, high=85),),
            enters=True,
        ),
    )


def needs(setup: RunSetup) -> tuple[Need, ...]:
    """What stands for the truth at the input, and what measures the output; a digital value needs no meter."""
    meter = () if setup.instrument.is_digital else (output_need(setup),)
    return (input_need(setup, "Input reference"), *meter)


def dead_band_percent(setup: RunSetup) -> float | None:
    """The change of input that leaves the output standing, in % of input span; None where it was not tested.

    IEC 61298-2:2008, dead band: the input at which the output begins to follow on the way up, less that on the way down.
    """
    up, down = (dict(setup.entered).get(f"dead_band_{way}") for way in (UP, DOWN))
    if not up or not down:
        return None
    return 100.0 * abs(float(up) - float(down)) / abs(setup.instrument.urv - setup.instrument.lrv)


def found(setup: RunSetup) -> tuple[tuple[str, str], ...]:
    """The dead band, where it was tested; the rest is in the statistics."""
    width = dead_band_percent(setup)
    return (("Dead band", f"{width:.2f} % of span, at mid-range as found"),) if width is not None else ()


TRIAL = Curve(found=found, reads_digital=has_digital)
METHOD = Method(
    key="tx-multipoint",
    title="Transmitter, multi-point check",
    revision="6",
    traits=Traits("transmitter", also=("tx-configure", "loop-check"), is_usual=True),
    settings=TransmitterSettings,
    flow=steps,
    trial=TRIAL,
    standards=Standards(needs, curve_tur(TRIAL)),
    advice=CurveAdvice(has_digital),
    watching=Still(TRIAL),
    adjusting=Alternate(),
    hookup=transmitter_hookup,
    check=check_sensor,
)
