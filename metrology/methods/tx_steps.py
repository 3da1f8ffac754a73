"""The steps of tx-multipoint in words."""

from __future__ import annotations

from functools import lru_cache

from metrology.methods import common_steps as common
from metrology.methods.common_steps import Wording, found_to_left
from metrology.methods.setup import RunSetup
from metrology.methods.steps import Field, Step

_TAKE_AGAIN = ("repeat", "Take the points again")
_CAUSE = (("repair", "Correct the cause, then prove"), ("replace", "Mark for replacement"))
_SCREWS = (("adjust", "Adjust zero and span"),)
_TRIMS = (("trim_sensor", "Trim the sensor"), ("trim_output", "Trim the output"))
INSTRUCTION = "Apply each point from one side, wait until the output stands still, read it, type it."


def _turns(setup: RunSetup) -> tuple[tuple[str, str], ...]:
    return _TRIMS if setup.instrument.details.has_digital else _SCREWS


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


@lru_cache(maxsize=256)
def steps(setup: RunSetup, chosen: tuple[tuple[str, str], ...]) -> tuple[Step, ...]:
    """All steps in order; `chosen` holds pairs of a judge step and what was chosen there."""
    turns = _turns(setup)
    found = Wording(
        "as_found",
        "judge",
        "as found",
        "judge",
        "As found",
        "Judge as found",
        INSTRUCTION,
        (("leave", "Leave as it is"), *turns, _TAKE_AGAIN, *_CAUSE),
        FOLLOW,
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
        FOLLOW,
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
        common.hold(),
        common.cautions(setup, *(() if setup.instrument.details.sensor else common.PRESSURE_CAUTIONS)),
        *_with_dead_band(setup, found_to_left(found, left, dict(chosen), spare)),
        *common.restore(setup),
    )


def _with_dead_band(setup: RunSetup, made: list[Step]) -> list[Step]:
    """After the as-found points the dead band, where the register asks for it; nothing has been adjusted yet."""
    if not setup.instrument.details.tests_dead_band:
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
    if not setup.instrument.details.thermocouple:
        return ()
    return (
        Step(
            "cold_junction",
            "condition",
            "prepare",
            "Cold junction",
            "Measure the temperature at the transmitter's own terminals. The millivolts to apply are computed against it. "
            "If the calibrator compensates by itself through the right extension wire, type 0.",
            fields=(Field("cold_junction_c", "Temperature at the terminals", "number", "C", low=-40, high=85),),
            enters=True,
            confirm_label="Use it",
        ),
    )
