"""Steps that methods share, in words: instructions, cautions, fields and checklists, and the way from as found to as left."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, replace

from metrology.methods.fragments import ABSOLUTE, DIFFERENTIAL, GAUGE, LoopSettings, pressure_kind
from metrology.methods.setup import RunSetup
from metrology.methods.steps import ON_BENCH, Check, Field, Step

RULE_OF_SITE = "Site procedures, permits, local codes and licensed practice rule over this screen."
MAX_REPEATS = 20
NORMAL_ROOM = 0.125  # of the range: how far outside it a normal reading is believed without asking

HOLD_KINDS = (
    ("inhibit", "Inhibit: signal held from tripping"),
    ("bypass", "Bypass: trip path bridged"),
    ("alarm hold-off", "Alarm hold-off"),
    ("control in manual", "Control in manual"),
    ("none", "No hold needed: say why"),
)
TRAPPED = "Pressure may be trapped between valve and instrument: vent slowly, face away, wear eye protection."
PRESSURE_CAUTIONS = {
    GAUGE: (TRAPPED, "Shut the isolation valve before the vent is opened."),
    ABSOLUTE: (TRAPPED, "Shut the isolation valve before the vent is opened; a line under vacuum draws in what stands before it."),
    DIFFERENTIAL: (TRAPPED, "Take the instrument off the process in the order of the manifold; open the equaliser before a high side."),
}
LIVE_TERMINALS = "Live terminals: in a hazardous area no cover comes off until the area is declared safe for it."
OFF_PROCESS = (
    Check("isolated", "Isolated from the process and vented"),
    Check("safe", "The cautions above are met"),
    Check("untouched", "Nothing adjusted yet: as found comes first"),
)
PUT_BACK = (
    Check("test_gear", "Test gear, leads and jumpers off; wires back on their terminals"),
    Check("valves", "Manifold back in service: isolation open, equaliser and vents closed"),
    Check("write_lock", "Communicator disconnected, write protection back on"),
    Check("covers", "Covers on, seals and locks back"),
    Check("tidy", "No leaks, tags and tools cleared away"),
)


def identity(setup: RunSetup) -> Step:
    """The plate read and checked against the register."""
    i = setup.instrument
    return Step(
        "identity",
        "confirm",
        "prepare",
        "Right instrument",
        "Type tag and serial as they stand on the plate; both are checked.",
        fields=(
            Field("tag", "Tag on the plate", "identity", expected=i.tag),
            Field("serial", "Serial on the plate", "identity", expected=i.serial),
        ),
        confirm_label="Check the plate",
    )


def references(*wanted: Field) -> Step:
    """The standards chosen, one a role."""
    return Step(
        "references",
        "confirm",
        "prepare",
        "References",
        "Choose what stands for the truth, and what reads the instrument.",
        fields=wanted,
        confirm_label="Use these",
    )


def environment() -> Step:
    """The air around the instrument."""
    return Step(
        "environment",
        "confirm",
        "prepare",
        "Surroundings",
        "Note the air around the instrument; it goes on the record.",
        fields=(
            Field("temperature", "Air temperature", "number", "°C", low=-40, high=70),
            Field("humidity", "Relative humidity", "number", "%", required=False, low=0, high=100),
        ),
    )


def warm_up(setup: RunSetup) -> Step:
    """Time under power before the first reading."""
    minutes = setup.instrument.warm_up_min
    warm = f"It needs {minutes:g} min under power before the first reading." if minutes else "No warm-up is set for it."
    return Step(
        "warm_up",
        "timer",
        "prepare",
        "Warm-up",
        f"Start the timer when the instrument and the references are under power. {warm} You can go on while it runs.",
        minutes=minutes,
        left_out="" if minutes else "No warm-up is set for this instrument.",
    )


def loop_budget(setup: RunSetup) -> Step:
    """The current loop's voltage, and whether a communicator can talk, before a failure is blamed on the transmitter."""
    d = setup.instrument.details if isinstance(setup.instrument.details, LoopSettings) else LoopSettings()
    return Step(
        "loop_budget",
        "compute",
        "prepare",
        "Loop budget",
        "Is there voltage enough for the transmitter at its alarm current, and resistance enough for a communicator? "
        "A bench supply has almost none: a communication failure is then the loop's, not the transmitter's.",
        fields=(
            Field("supply_v", "Supply", "number", "V", low=1, high=100),
            Field("ohms", "Resistance in the loop", "number", "ohm", low=0, high=10_000),
            Field("lift_off_v", "Lift-off voltage of the transmitter", "number", "V", low=1, high=100),
            Field("max_ma", "Its alarm current", "number", "mA", low=20, high=30),
        ),
        calculator="loop",
        given=tuple(
            (name, f"{value:g}")  # only what is known is filled in
            for name, value in (("supply_v", d.supply_v), ("ohms", d.loop_ohm), ("lift_off_v", d.lift_off_v), ("max_ma", d.alarm_ma))
            if value
        ),
        left_out="" if d.supply_v else "No loop supply is in the register for this instrument.",
        confirm_label="Keep the result",
    )


def operator(setup: RunSetup) -> Step:
    """The control room told, the permit noted."""
    i = setup.instrument
    feeds = f" It feeds: {i.feeds}." if i.feeds else ""
    permit = (Field("permit", "Permit number", "text", hint="This area needs a permit."),) if i.needs_permit else ()
    return Step(
        "operator",
        "confirm",
        "make safe",
        "Tell the operator",
        f"Tell the control room which signal will move and for how long.{feeds}",
        fields=(Field("operator", "Operator told (name)"), *permit),
        confirm_label="Told",
    )


BENCH = (ON_BENCH, "On the bench: taken out, no signal in the plant")


def hold(*, may_be_out: bool = False) -> Step:
    """The hold placed. may_be_out: it may have been taken to the bench instead."""
    return Step(
        "hold",
        "hold",
        "make safe",
        "Place the hold",
        "Say how the plant is kept from acting on the signal, why, and until when. "
        "The hold stays in sight on every page until it is released.",
        cautions=("While the hold is on, nobody is protected by this signal. Keep it short.",),
        options=(*HOLD_KINDS, BENCH) if may_be_out else HOLD_KINDS,
        usual=(("reason", "Calibration"),),
        confirm_label="Hold is on",
    )


def cautions(setup: RunSetup, *told: str, checks: Sequence[Check] = OFF_PROCESS) -> Step:
    """The usual cautions, with the instrument's own, each confirmed before anything is touched."""
    own = (setup.instrument.hazards,) if setup.instrument.hazards else ()
    return Step(
        "cautions",
        "confirm",
        "make safe",
        "Before you touch it",
        RULE_OF_SITE,
        cautions=(*told, LIVE_TERMINALS, *own),
        checks=tuple(checks),
        confirm_label="Safe to start",
    )


@dataclass(frozen=True)
class Wording:
    """How a set of readings and what follows it is told, and which steps a choice leads to before the set is taken again."""

    found: str
    judge: str
    phase: str
    judge_phase: str
    title: str
    judge_title: str
    instruction: str
    options: tuple[tuple[str, str], ...]
    follow: Mapping[str, Callable[[int], tuple[Step, ...]]]
    needs_timer: str = "warm_up"
    keys: tuple[str, ...] = ()


def numbered(name: str, n: int) -> str:
    """The key of the nth of a step that repeats."""
    return name if n == 1 else f"{name}_{n}"


def is_again(key: str, keys: Collection[str]) -> bool:
    """Whether a step repeats another of these, by how it is numbered."""
    name, _, n = key.rpartition("_")
    return n.isdigit() and name in keys


def take(words: Wording, n: int, *, if_needed: bool = False, left_out: str = "") -> tuple[Step, Step]:
    """A set of readings with its judgement, for the nth time."""
    key = numbered(words.found, n)
    return (
        Step(
            key,
            "readings",
            words.phase,
            words.title if n == 1 else f"{words.title}, take {n}",
            words.instruction,
            set_name=key,
            needs_timer=words.needs_timer,
            keys=words.keys,
            if_needed=if_needed,
            left_out=left_out,
        ),
        Step(
            numbered(words.judge, n),
            "judge",
            words.judge_phase,
            words.judge_title,
            "See what kind of error it is, then decide. A choice against the proposal needs a reason.",
            set_name=key,
            options=words.options,
            if_needed=if_needed,
            left_out=left_out,
        ),
    )


def found_to_left(found: Wording, left: Wording, choices: Mapping[str, str], spare: Step) -> list[Step]:
    """From as found to as left, each repeat a step of its own so that nothing earlier is overwritten.

    spare stands for the adjusting while it is not known whether there will be any.
    """
    out: list[Step] = []
    choice, n = "repeat", 0
    while choice == "repeat" and n < MAX_REPEATS:
        n += 1
        out += take(found, n)
        choice = choices.get(numbered(found.judge, n), "")
    n = 0
    while choice in left.follow and n < MAX_REPEATS:
        n += 1
        out += [*left.follow[choice](n), *take(left, n)]
        choice = choices.get(numbered(left.judge, n), "")
    if n == 0:
        why = "" if not choice else "Not adjusted: as found stands as as left."
        out += [
            Step(spare.key, spare.kind, spare.phase, spare.title, spare.instruction, if_needed=True, left_out=why),
            *take(left, 1, if_needed=True, left_out=why),
        ]
    return out


def set_of(words: Wording, choices: Mapping[str, str]) -> list[Step]:
    """A set that is taken again after each choice that has work to follow, such as a wet proof."""
    out = list(take(words, 1))
    n, choice = 1, choices.get(words.judge, "")
    while choice in words.follow and n < MAX_REPEATS:
        out += words.follow[choice](n)
        n += 1
        out += take(words, n)
        choice = choices.get(numbered(words.judge, n), "")
    return out


def adjust(n: int, *, title: str, instruction: str, caution: str, variant: str = "adjust") -> tuple[Step, ...]:
    """The nth round of turning, with the side it turns."""
    key = numbered("adjust", n)
    return (
        Step(
            key,
            "adjust",
            "adjust",
            title if n == 1 else f"{title}, round {n}",
            instruction,
            cautions=(caution,) if caution else (),
            set_name=key,
            variant=variant,
            confirm_label="Adjusting is finished",
        ),
    )


def repair(n: int, *, prefix: str = "repair") -> tuple[Step, ...]:
    """The cause corrected before the points are proved."""
    return (
        Step(
            numbered(prefix, n),
            "confirm",
            "adjust" if prefix == "repair" else "as left",
            "Correct the cause",
            "Correct what the error points to (configuration, tubing, wiring, dirt, friction). Then the points are taken again.",
            fields=(Field("work", "What was done", "long"),),
            confirm_label="Work is done",
        ),
    )


EXCHANGE = ("exchange", "Exchange it now, then prove the new one")
NEW_SERIAL, OLD_TO = "device_serial", "old_went_to"
NEW_PLATE = {"device_maker": "maker", "device_model": "model", "device_revision": "device_revision"}  # by field, what the register calls it


def exchange(setup: RunSetup, n: int, *, checks: Sequence[Check] = ()) -> tuple[Step, ...]:
    """Another one in its place: its plate, where the old one went; then the points are taken of it, which is its own proof."""
    i = setup.instrument
    return (
        Step(
            numbered("exchange", n),
            "confirm",
            "adjust",
            "Exchange it",
            "Put the new one in place of the old, give it its time under power, and read its plate. From as left on every reading is of the new one; "
            "once this is signed the register has its serial, and the old one is retired.",
            fields=(
                Field(NEW_SERIAL, "Serial on the plate of the new one", unlike=i.serial),
                Field("device_maker", "Its manufacturer", required=False),
                Field("device_model", "Its model", required=False),
                Field("device_revision", "Its revision", required=False),
                Field(OLD_TO, f"Where the old one went (serial {i.serial})", hint="Scrapped, to the maker, to the store as faulty"),
            ),
            checks=(
                Check("same", "Same type, range and approval for this place"),
                Check("set", "Its range, damping and failure direction are those of the old one"),
                *checks,
                Check("warm", "It has had its time under power"),
            ),
            cautions=("A part of another approval may not be fitted in a hazardous area: compare the plates.",),
            confirm_label="The new one is in",
            enters=True,
            variant="exchange",
        ),
    )


def _off_the_bench() -> Step:
    """Where it goes: it feeds nothing, so that no normal reading can be seen and nobody is given a signal back."""
    return Step(
        "release", "release", "restore", "Off the bench",
        "It is not in the plant: no normal reading is seen now, and none is pretended. When it is put in, it is looked at there.",
        fields=(Field("stored", "Where it goes now"), Field("label", "Marked with (label, date)")), unheld_label="It is put away",
    )  # fmt: skip


VALVES_BACK = {
    GAUGE: "Isolation valve open, vent closed and plugged",
    ABSOLUTE: "Isolation valve open, vent closed and plugged, no leak under vacuum",
    "": "Sensor wires and process connection as they were",
}


def put_back(setup: RunSetup) -> tuple[Check, ...]:
    """What must be as it was, by what the instrument measures."""
    label = VALVES_BACK.get(pressure_kind(setup))
    return tuple(replace(c, label=label) if label and c.key == "valves" else c for c in PUT_BACK)


def restore(setup: RunSetup, *, checks: Sequence[Check] = PUT_BACK, caution: str = "", normal: str = "") -> tuple[Step, ...]:
    """Everything put back, the normal reading seen, the hold released, the run signed."""
    i = setup.instrument
    room = NORMAL_ROOM * abs(i.urv - i.lrv)
    return (
        Step(
            "restore",
            "confirm",
            "restore",
            "Put it back",
            "Leave it as you would want to find it.",
            checks=tuple(checks),
            cautions=(caution or "Open isolation valves slowly; a shocked cell is a new error.",),
            confirm_label="It is back",
        ),
        _off_the_bench()
        if setup.is_on_bench
        else Step(
            "release",
            "release",
            "restore",
            "Release the hold",
            "See a normal process reading first, then take the hold off and tell the operator.",
            fields=(
                Field(
                    "reading",
                    f"Normal reading seen, in {i.unit}",
                    "number",
                    i.unit,
                    likely=(min(i.lrv, i.urv) - room, max(i.lrv, i.urv) + room),
                ),
                Field("operator", "Operator told (name)", as_before=True),
            ),
            cautions=("Releasing gives the plant back its signal. If the reading is not normal, don't release.",),
            confirm_label="Hold is off",
        ),
        Step(
            "sign",
            "sign",
            "sign",
            "Sign",
            "Your password again makes this your signature. The record can't be changed afterwards.",
            confirm_label="Sign",
        ),
    )
