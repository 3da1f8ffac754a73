"""The steps of the gas methods, in words: gas chosen before the hold, purge and countdown before the release."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache, partial

from metrology.judgement.gas_kit import REACTIVE
from metrology.judgement.tolerance import tolerance_percent
from metrology.methods.alarms import alarm_fields, latched_words
from metrology.methods.condition import condition_fields, life_words
from metrology.methods.detector import GasChannel, settings_of
from metrology.methods.exposing import channels_of
from metrology.methods.flow import common
from metrology.methods.flow.common import Wording, found_to_left, numbered, set_of
from metrology.methods.setup import RunSetup
from metrology.methods.steps import PURGED, Check, Field, Step
from metrology.methods.trials.exposure import GasKind
from metrology.quantities.transfer import Transfer

LATCHES = (("reset", "Reset, and seen clear"), ("none", "No alarm had latched"))
REMINDERS = (("reset", "Reset"), ("none", "It has none"))
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


NOT_NORMAL = "With this reading the hold does not come off: gas is there, or, below zero, it is blind by as much: zero it on clean gas."


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
        *loop_proof(g, setup),
        *closing(g, setup),
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


def loop_proof(g: GasFlow, setup: RunSetup) -> tuple[Step, ...]:
    """The whole way to the control room, by policy: current and alarm seen where they count, with the output released for it."""
    if setup.policy.loop_proof == "never" or g.is_carried or not g.kind.has_output:
        return ()
    band = setup.policy.inhibit_band_ma

    def current(name: str, ma: float) -> Field:
        return Field(
            name,
            f"Seen at the control system when it gives {ma:g} mA",
            "number",
            "mA",
            low=round(ma - band, 3),
            high=round(ma + band, 3),
            why="What the control room is shown is not what the detector says: find out where on the way it changes.",
        )

    return (
        Step(
            "loop_proof",
            "confirm",
            "restore",
            "Loop proof",
            "With the control room's agreement release the output for this: let it give 4 mA and 20 mA, or put the span gas on once more, and have "
            "somebody there say what they see. Put it on hold again before you go on.",
            cautions=("While the output is released the alarm acts, and so does what hangs on it: agree on it first, and on what stands in.",),
            fields=(
                current("loop_4", 4.0),
                current("loop_20", 20.0),
                Field(
                    "loop_alarm", "The alarm came there", "choice", options=(("yes", "Yes, and it was acknowledged"), ("no", "No")), expected="yes",
                    why="An alarm that does not arrive warns nobody. Correct the way to it; the hold stays on until then.",
                ),
                Field("loop_seen_by", "Who saw it there (name)"),
            ),
            checks=(Check("held_again", "The output is on hold again"),),
            confirm_label="Seen there",
        ),
    )  # fmt: skip


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


def keyed(key: str, channel: GasChannel) -> str:
    """The key of a step that each channel has for itself."""
    return f"{key}:{channel.name}" if channel.name else key


def titled(title: str, channel: GasChannel) -> str:
    """The title of a step that each channel has for itself."""
    return f"{title}, {channel.name}" if channel.name else title


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


REMINDER = Field("reminder", "The detector's own reminder of its function check", "choice", options=REMINDERS)


def closing(g: GasFlow, setup: RunSetup) -> tuple[Step, ...]:
    """Gas away, countdown, everything moved back, the normal reading seen."""
    restored = common.restore(
        setup,
        checks=(
            Check("gas_off", "Cylinder valve closed, regulator relieved, line and adapter off"),
            Check("guards", "Weather guard, splash guard and filter back"),
            Check("covers", "Covers on, seals and locks back"),
            Check("sensor_clear", "Nothing blocks the way of gas to the sensor"),
        ),
        caution="A cap or adapter left on makes a detector blind. Look twice.",
    )
    back = replace(restored[0], fields=(REMINDER,)) if g.kind.is_check else restored[0]
    last = () if g.is_carried and g.kind.is_check else (release(g, setup, restored[1]),)
    return (*purge(g, setup), *g.back(setup), back, *last, restored[2])


def purge(g: GasFlow, setup: RunSetup) -> tuple[Step, ...]:
    """Below the purge limit first, then the countdown."""
    if not g.purges:
        return ()
    percent, seconds = setup.policy.purge_percent, setup.policy.countdown_s
    purged = [c for c in channels_of(setup) if c.gas != "oxygen"]
    seen = min((setup.value(f"{PURGED}:{keyed('purge', c)}", 0.0) for c in purged), default=0.0)
    return (
        *(
            Step(
                keyed("purge", c),
                "condition",
                "restore",
                titled("Purge", c),
                f"Gas off, clean air to the sensor, until it reads below {percent:g} % of range.",
                fields=(
                    Field(
                        "purged", "Reading after purging", "number", c.unit, low=-0.25 * c.top, high=round(percent / 100 * c.top, 6),
                        why="Gas is still there: purge on, and don't release.",
                    ),
                ),
                enters=True,
                confirm_label="It is purged",
                variant="purge",
            )
            for c in purged
        ),
        Step(
            "countdown",
            "timer",
            "restore",
            "Countdown",
            "Gas lingers in filter and housing. The hold can come off when the time has run; go on with the rest meanwhile.",
            minutes=max(0.0, seconds - seen) / 60,
            left_out="No countdown is set here."
            if not seconds
            else f"It was seen below {percent:g} % of range for {seen:.0f} s."
            if seen >= seconds
            else "",
        ),
    )  # fmt: skip


def release(g: GasFlow, setup: RunSetup, plain: Step) -> Step:
    """Signal below the limit on every channel, latches reset, normal reading seen."""
    latched = latched_words(setup)
    why = f"{latched}. Reset it, and see it clear, before the hold comes off." if latched else ""
    latches = Field(
        "latches", "Latched alarms", "choice", options=LATCHES, expected="reset" if latched else "", why=why, hint=why,
        usual="" if latched else "none", nominal="reset" if latched else "none",
    )  # fmt: skip
    seen = tuple(
        Field(
            keyed("reading", c), f"Normal reading seen{f' of {c.name}' if c.name else ''}, in {c.unit}", "number", c.unit,
            low=low, high=high, why=NOT_NORMAL,
        )
        for c in channels_of(setup)
        for low, high in [normal_band(setup, c)]
    )  # fmt: skip
    return Step(
        **{
            **plain.__dict__,
            "instruction": "See the normal reading, reset what has latched, then take the hold off and tell the operator.",
            "fields": (*seen, latches, plain.fields[1]),
            "needs_timer": "countdown",
        }
    )


def normal_band(setup: RunSetup, channel: GasChannel) -> tuple[float, float]:
    """The readings of a channel with which a hold may come off: normal air for oxygen; for others within the tolerance of zero, purged.

    Far below zero a detector is blind by as much: it was zeroed on gas.
    """
    if channel.gas == "oxygen":
        return 19.5, 23.0
    room = tolerance_percent(setup.instrument.tolerance, 0.0, lrv=0.0, urv=channel.top, transfer=Transfer())
    zero = round(room / 100 * channel.top, 6)
    return -zero, min(zero, round(setup.policy.purge_percent / 100 * channel.top, 6))
