"""The steps of the gas methods, in words: gas chosen before the hold, purge and countdown before the release."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache, partial

from metrology.judgement.gas_kit import REACTIVE
from metrology.methods.alarms import alarm_fields
from metrology.methods.condition import condition_fields, life_words
from metrology.methods.detector import settings_of
from metrology.methods.exposing import channels_of, keyed, titled
from metrology.methods.flow import common
from metrology.methods.flow.common import Wording, found_to_left, numbered, set_of
from metrology.methods.flow.giving_back import closing, loop_proof
from metrology.methods.setup import RunSetup
from metrology.methods.steps import Check, Field, Step
from metrology.methods.trials.exposure import GasKind

POWERED = "It is powered all year, and nothing is known to have cut its power."
TOXIC = "Gas can hurt before it is smelt: wear your personal monitor, ventilate, cylinder upright and secured, nobody downwind."
BURNING = "Flammable gas: no sparks, only what the permit allows; stay clear of the vent."
STIFLING = "Nitrogen takes the place of the air: in a closed hall keep an oxygen monitor on, lead the vent outside, never work alone."
BLIND = "While the detector is on hold nobody is warned by it: keep your own monitor on and tell those around you."
OPTIONS = {
    "leave": "Leave as it is",
    "adjust": "Calibrate: zero, then span",
    "repeat": "Prove the gas, expose again",
    "exchange": "Replace the sensor, then calibrate",
    "repair": "Correct the cause, then prove",
    "replace": "Mark for replacement",
}
PROVE = "Prove the gas: right bottle, valve open, regulator and line sound, typed value as on the certificate."


@dataclass(frozen=True)
class AdjustWords:
    """How setting a detector is told."""

    title: str
    instruction: str
    caution: str


ZERO_THEN_SPAN = AdjustWords(
    "Calibrate",
    "Zero on zero gas first, then span on span gas. Type what it read before and after. If it refuses, the old calibration stands.",
    "Never force what the gas does not explain: a zero on dirty air makes the detector blind by as much.",
)
Extra = Callable[[RunSetup], tuple[Step, ...]]


def nothing(_setup: RunSetup) -> tuple[Step, ...]:
    """No steps of its own."""
    return ()


@dataclass(frozen=True)
class GasFlow:
    """How a gas method's steps differ from what all share.

    found_options, left_options: what can be decided; option_words: what else they are called. exposing: how it is exposed, in words.
    waits_for: the timer that must have run before the first reading. incoming, settings, opening, back: steps of its own: looked at first,
    compared before the hold, opened or moved under it, moved back. calibration: what a failed function check goes on with. is_carried: it
    goes with a person, so that no plant signal hangs on it.
    """

    kind: GasKind
    found_options: tuple[str, ...] = ("leave", "adjust", "repeat", "exchange", "repair", "replace")
    left_options: tuple[str, ...] = ("leave", "adjust", "exchange", "repair", "replace")
    option_words: tuple[tuple[str, str], ...] = ()
    exposing: str = "Zero gas first, then span gas."
    waits_for: str = "warm_up"
    adjust_words: AdjustWords = ZERO_THEN_SPAN
    needs_proof: bool = True
    purges: bool = True
    is_carried: bool = False
    incoming: Extra = nothing
    settings: Extra = nothing
    opening: Extra = nothing
    back: Extra = nothing
    calibration: Callable[[RunSetup, int], tuple[Step, ...]] | None = None

    def __call__(self, setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
        """The steps as the choices shape them."""
        return steps(self, setup, tuple(sorted(choices.items())))


@lru_cache(maxsize=512)
def steps(g: GasFlow, setup: RunSetup, chosen: tuple[tuple[str, str], ...]) -> tuple[Step, ...]:
    """The whole run."""
    choices = dict(chosen)
    return (
        plate(g, setup),
        *g.incoming(setup),
        sensor(setup),
        surroundings(setup),
        gases(g, setup),
        warm_up(g, setup),
        *g.settings(setup),
        *(() if g.is_carried and g.kind.is_check else held(g, setup)),
        dangers(setup, g.kind),
        *g.opening(setup),
        *with_alarms(g, setup, list(body(g, setup, choices))),
        *proof(g, setup, choices),
        *(() if g.is_carried or not g.kind.has_output else loop_proof(setup)),
        *closing(setup, back=g.back(setup), is_check=g.kind.is_check, is_carried=g.is_carried, purges=g.purges),
    )


def plate(g: GasFlow, setup: RunSetup) -> Step:
    """The plate; of a function check, which sets nothing, the tag is enough, and the serial is read before anything is set after all."""
    step = common.identity(setup)
    if not g.kind.is_check:
        return step
    tag, serial = step.fields
    told = "Scan the tag, or type it off the plate; it is checked against the register."
    return replace(step, instruction=told, fields=(tag, replace(serial, required=False)))


def plate_again(setup: RunSetup, n: int) -> Step:
    """The serial read, before a check goes on with setting something."""
    return Step(
        numbered("plate", n),
        "confirm",
        "adjust",
        "Right instrument",
        "From here on something is set: read the serial off the plate.",
        fields=(common.identity(setup).fields[1],),
        confirm_label="Check the plate",
    )


def warm_up(g: GasFlow, setup: RunSetup) -> Step:
    """Time under power; not asked of what is powered all year, unless its power is known to have been cut."""
    step = common.warm_up(setup)
    if g.is_carried or step.left_out:
        return step
    return (
        replace(step, instruction=f"{setup.instrument.power_cut}. {step.instruction}")
        if setup.instrument.power_cut
        else replace(step, left_out=POWERED)
    )


def held(g: GasFlow, setup: RunSetup) -> tuple[Step, ...]:
    """The operator told, the hold placed, the held current seen."""
    why = "Function check" if g.kind.is_check else "Calibration"
    return (common.operator(setup), replace(common.hold(), usual=(("kind", "inhibit"), ("reason", why))), *inhibit_check(setup))


def sensor(setup: RunSetup, *, asks_condition: bool = True) -> Step:
    """The sensor looked at: its serial, its age by the register, the condition it is in. asks_condition: False where it is only ticked as sound."""
    d = settings_of(setup)
    serial = (Field("sensor_serial", "Serial of the sensor", "identity", expected=d.sensor_serial),) if d.sensor_serial else ()
    sound = (Check("filter", "Filter, membrane and weather guard clean and dry"), Check("life", "The sensor is within its expected life"))
    return Step(
        "sensor",
        "confirm",
        "prepare",
        "Sensor and filter",
        f"Look at the sensor before gas is spent on it, and leave it as it is until as found is read.{life_words(setup)}",
        fields=(*serial, *(condition_fields(setup) if asks_condition else ())),
        checks=() if asks_condition else sound,
        enters=asks_condition,
        confirm_label="Looked at",
    )


def surroundings(setup: RunSetup) -> Step:
    """The air around it; its pressure where the reading follows it."""
    step = common.environment()
    if not settings_of(setup).partial_pressure:
        return step
    pressure = Field("pressure_kpa", "Air pressure here", "number", "kPa", low=50, high=115, hint="This cell's reading follows it.")
    return Step(**{**step.__dict__, "fields": (*step.fields, pressure), "enters": True})


def gases(g: GasFlow, setup: RunSetup, *, key: str = "gas") -> Step:
    """The bottles, each judged before gas is spent."""
    fields = tuple(Field(n.role, n.label, "gas", n.unit) for n in g.kind.needs(setup) if n.at_start)
    return Step(
        key,
        "confirm",
        "prepare",
        "Gas",
        "Choose bottle, regulator and line. Each is judged before gas is spent; what can't be used says why.",
        fields=fields,
        confirm_label="Use these",
    )


def inhibit_check(setup: RunSetup) -> tuple[Step, ...]:
    """The inhibit current of each channel seen where it counts: at the control system."""
    ma, band = settings_of(setup).inhibit_ma, setup.policy.inhibit_band_ma
    return tuple(
        Step(
            keyed("inhibit_check", c),
            "condition",
            "make safe",
            titled("Inhibit current", c),
            f"Put the detector into inhibit and read its current at the control system: it must stand at {ma:g} mA.",
            fields=(
                Field(
                    "ma", "Current at the control system", "number", "mA", low=round(ma - band, 3), high=round(ma + band, 3),
                    why="The signal is not held: gas would trip the alarm. Don't apply any, unless the control system shows it held at this current.",
                    excused_by="held_by", nominal=f"{ma:g}",
                ),
                Field("held_by", "Held at another current: who sees that it is held", required=False, hint="Only where it differs from the register."),
            ),
            enters=True,
            left_out="" if ma else "Its output has no inhibit current; the hold is at the control system.",
            confirm_label="It is held",
            variant="inhibit",
        )
        for c in (channels_of(setup) if ma else channels_of(setup)[:1])
    )  # fmt: skip


def dangers(setup: RunSetup, kind: GasKind) -> Step:
    """What can hurt, confirmed; the humidifier, where the sensor needs one that its gas can bear."""
    d, channels = settings_of(setup), channels_of(setup)
    flammable = any(c.unit == "%LEL" for c in channels)
    nitrogen = any(n.unit and n.detail.gas == "nitrogen" for n in kind.needs(setup))
    humid = d.needs_humid and not any(c.gas in REACTIVE for c in channels)
    return common.cautions(
        setup,
        TOXIC,
        *((BURNING,) if flammable else ()),
        *((STIFLING,) if nitrogen else ()),
        BLIND,
        checks=(
            Check("monitor", "Personal monitor on, area ventilated"),
            Check("cylinder", "Cylinder secured, fittings tight, adapter fits"),
            *((Check("humidifier", "Humidifier in the line, filled"),) if humid else ()),
            Check("safe", "The cautions above are met"),
        ),
    )


def exposures_wording(g: GasFlow, setup: RunSetup, *, found: bool) -> Wording:
    """How as found and as left are told."""
    setting, renewing = partial(adjust, words=g.adjust_words), partial(exchange, words=g.adjust_words)
    follow: dict[str, Callable[[int], tuple[Step, ...]]] = {
        "adjust": setting,
        "exchange": renewing,
        "repair": common.repair,
        "calibrate": partial(g.calibration, setup) if g.calibration else setting,
    }
    offered = g.found_options if found else g.left_options
    options = tuple(
        (k, "Accept as left" if k == "leave" and not found else dict(g.option_words).get(k, OPTIONS.get(k, k))) for k in offered
    )
    name = "as found" if found else "as left"
    return Wording(
        name.replace(" ", "_"),
        "judge" if found else "judge_left",
        name,
        "judge" if found else "as left",
        name.capitalize(),
        f"Judge {name}",
        f"{g.exposing} A peak while gas is forced in is not the reading: wait for the plateau.",
        options,
        {k: v for k, v in follow.items() if k in (*g.found_options, *g.left_options)},
        g.waits_for,
    )


def body(g: GasFlow, setup: RunSetup, choices: dict[str, str]) -> list[Step]:
    """From as found to as left."""
    spare = Step("adjust", "adjust", "adjust", g.adjust_words.title, g.adjust_words.instruction)
    return found_to_left(exposures_wording(g, setup, found=True), exposures_wording(g, setup, found=False), choices, spare)


def with_alarms(g: GasFlow, setup: RunSetup, made: list[Step]) -> list[Step]:
    """After the as-found exposures, at which reading each alarm came."""
    alarms = g.kind.proved_alarms(setup)
    if not alarms:
        return made
    while_ = "gas rose" if alarms[0].rising else "oxygen fell"
    out: list[Step] = []
    for step in made:
        out.append(step)
        if step.kind == "readings" and not step.left_out and not step.if_needed:
            n = len([s for s in out if s.key.startswith("alarms")]) + 1
            out.append(
                Step(
                    numbered("alarms", n),
                    "confirm",
                    step.phase,
                    "Alarms",
                    f"At which reading did each alarm come while {while_}? Leave it empty if it did not come.",
                    fields=(
                        *alarm_fields(setup, step.key, alarms),
                        Field(
                            "fault_relay",
                            "Fault relay",
                            "choice",
                            required=False,
                            options=(("seen", "Seen to act"), ("not tried", "Not tried")),
                        ),
                    ),
                    set_name=step.key,
                    variant="alarms",
                    is_told_with_set=True,
                    enters=True,
                    confirm_label="Noted",
                )
            )
    return out


def adjust(n: int, words: AdjustWords = ZERO_THEN_SPAN) -> tuple[Step, ...]:
    """What is set is accepted on the detector."""
    return common.adjust(n, title=words.title, instruction=words.instruction, caution=words.caution)


def exchange(n: int, words: AdjustWords = ZERO_THEN_SPAN) -> tuple[Step, ...]:
    """A new sensor, then the calibration."""
    return (
        Step(
            numbered("exchange", n),
            "confirm",
            "adjust",
            "Replace the sensor",
            "Fit the new sensor, give it its settling time under power, then calibrate. A new life starts with it.",
            fields=(Field("new_serial", "Serial of the new sensor"), Field("work", "What was done", "long")),
            checks=(Check("type", "Same type and range as the old one"), Check("stable", "It has had its settling time under power")),
            confirm_label="New sensor is in",
        ),
        *adjust(n, words),
    )


def proof(g: GasFlow, setup: RunSetup, choices: dict[str, str]) -> list[Step]:
    """The bump after a calibration, by policy."""
    adjusted = any(v in ("adjust", "exchange", "repair", "calibrate") for v in choices.values())
    decided = any(k.startswith("judge") for k in choices)
    why = "This method proves itself." if not g.needs_proof else ""
    if not why and setup.policy.proof == "never":
        why = "By policy the as-left span is the proof."
    if not why and decided and not adjusted:
        why = "Nothing was adjusted: the as-found exposure is the proof."
    words = Wording(
        "proof",
        "judge_proof",
        "restore",
        "restore",
        "Proof after calibration",
        "Judge the proof",
        "One bump of span gas, as the last word on the calibration.",
        (("leave", "Accept"), ("repair", "Correct the cause, then prove"), ("replace", "Mark for replacement")),
        {"repair": lambda n: common.repair(n, prefix="proof_repair")},
    )
    made = set_of(words, choices)
    waits = not decided or not adjusted
    return [Step(**{**s.__dict__, "left_out": why, "if_needed": waits}) for s in made]
