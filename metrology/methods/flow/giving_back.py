"""How a detector is given back: the way to the control room proved, gas away, everything put back, the hold off with a normal reading."""

from __future__ import annotations

from dataclasses import replace

from metrology.judgement.tolerance import tolerance_percent
from metrology.methods.alarms import latched_words
from metrology.methods.detector import GasChannel
from metrology.methods.exposing import channels_of, keyed, titled
from metrology.methods.flow import common
from metrology.methods.setup import RunSetup
from metrology.methods.steps import PURGED, Check, Field, Step
from metrology.quantities.transfer import Transfer

LATCHES = (("reset", "Reset, and seen clear"), ("none", "No alarm had latched"))
REMINDERS = (("reset", "Reset"), ("none", "It has none"))
NOT_NORMAL = "With this reading the hold does not come off: gas is there, or, below zero, it is blind by as much: zero it on clean gas."


def loop_proof(setup: RunSetup) -> tuple[Step, ...]:
    """The whole way to the control room, by policy: current and alarm seen where they count, with the output released for it."""
    if setup.policy.loop_proof == "never":
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


REMINDER = Field("reminder", "The detector's own reminder of its function check", "choice", options=REMINDERS)


def closing(setup: RunSetup, *, back: tuple[Step, ...], is_check: bool, is_carried: bool, purges: bool) -> tuple[Step, ...]:
    """Gas away, countdown, everything moved back, the normal reading seen; back: what a method moves back of its own."""
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
    put_back = replace(restored[0], fields=(REMINDER,)) if is_check else restored[0]
    last = () if is_carried and is_check else (release(setup, restored[1]),)
    return (*(purge(setup) if purges else ()), *back, put_back, *last, restored[2])


def purge(setup: RunSetup) -> tuple[Step, ...]:
    """Below the purge limit first, then the countdown."""
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


def release(setup: RunSetup, plain: Step) -> Step:
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
