"""The steps of tx-multipoint in words: instructions, cautions, fields and checklists."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache

from metrology.methods.setup import RunSetup
from metrology.methods.steps import Check, Field, Step

RULE_OF_SITE = "Site procedures, permits, local codes and licensed practice rule over this screen."

AS_FOUND_OPTIONS = (
    ("leave", "Leave as it is"),
    ("adjust", "Adjust zero and span"),
    ("repeat", "Take the points again"),
    ("repair", "Correct the cause, then prove"),
    ("replace", "Mark for replacement"),
)
AS_LEFT_OPTIONS = (
    ("leave", "Accept as left"),
    ("adjust", "Adjust again"),
    ("repair", "Correct the cause, then prove"),
    ("replace", "Mark for replacement"),
)
HOLD_KINDS = (
    ("inhibit", "Inhibit: signal held from tripping"),
    ("bypass", "Bypass: trip path bridged"),
    ("alarm hold-off", "Alarm hold-off"),
    ("control in manual", "Control in manual"),
    ("none", "No hold needed: say why"),
)
MAX_ROUNDS = 20


@lru_cache(maxsize=256)
def steps(setup: RunSetup, chosen: tuple[tuple[str, str], ...]) -> tuple[Step, ...]:
    """All steps in order; `chosen` holds pairs of a judge step and what was chosen there."""
    choices = dict(chosen)
    return (*_prepare(setup), *_make_safe(setup), *_middle(setup, choices), *_finish(setup))


def _prepare(setup: RunSetup) -> tuple[Step, ...]:
    i = setup.instrument
    warm = f"It needs {i.warm_up_min:g} min under power before the first reading." if i.warm_up_min else "No warm-up is set for it."
    return (
        Step(
            "identity",
            "confirm",
            "prepare",
            "Right instrument",
            "Read tag and serial off the plate and type them. They are checked against the register.",
            fields=(
                Field("tag", "Tag on the plate", "identity", expected=i.tag),
                Field("serial", "Serial on the plate", "identity", expected=i.serial),
            ),
            confirm_label="Check the plate",
        ),
        Step(
            "references",
            "confirm",
            "prepare",
            "References",
            "Choose what stands for the truth at the input, and what measures the output.",
            fields=(
                Field("applied", "Input reference", "reference", hint="It tells what is really applied."),
                Field("indicated", "Output meter", "reference", hint="It reads the transmitter's output."),
            ),
            confirm_label="Use these",
        ),
        Step(
            "environment",
            "confirm",
            "prepare",
            "Surroundings",
            "Note the air around the instrument; it goes on the record.",
            fields=(
                Field("temperature", "Air temperature", "number", "C", low=-40, high=70),
                Field("humidity", "Relative humidity", "number", "%", required=False, low=0, high=100),
            ),
        ),
        Step(
            "warm_up",
            "timer",
            "prepare",
            "Warm-up",
            f"Start the timer when transmitter and references are under power. {warm} You can go on while it runs.",
            minutes=i.warm_up_min,
            left_out="" if i.warm_up_min else "No warm-up is set for this instrument.",
        ),
    )


def _make_safe(setup: RunSetup) -> tuple[Step, ...]:
    i = setup.instrument
    cautions = [
        "Pressure may be trapped between valve and instrument: vent slowly, face away, wear eye protection.",
        "Take the instrument off the process in the order of the manifold; open the equaliser before a high side.",
        "Live terminals: in a hazardous area no cover comes off until the area is declared safe for it.",
    ]
    if i.hazards:
        cautions.append(i.hazards)
    feeds = f" It feeds: {i.feeds}." if i.feeds else ""
    permit = (Field("permit", "Permit number", "text", hint="This area needs a permit."),) if i.needs_permit else ()
    return (
        Step(
            "operator",
            "confirm",
            "make safe",
            "Tell the operator",
            f"Tell the control room which signal will move and for how long.{feeds}",
            fields=(Field("operator", "Operator told (name)"), *permit),
            confirm_label="Told",
        ),
        Step(
            "hold",
            "hold",
            "make safe",
            "Place the hold",
            "Say how the plant is kept from acting on the signal, why, and until when. "
            "The hold stays in sight on every page until it is released.",
            cautions=("While the hold is on, nobody is protected by this signal. Keep it short.",),
            options=HOLD_KINDS,
            confirm_label="Hold is on",
        ),
        Step(
            "cautions",
            "confirm",
            "make safe",
            "Before you touch it",
            RULE_OF_SITE,
            cautions=tuple(cautions),
            checks=(
                Check("isolated", "Isolated from the process and vented"),
                Check("safe", "The cautions above are met"),
                Check("untouched", "Nothing adjusted yet: as found comes first"),
            ),
            confirm_label="Safe to start",
        ),
    )


def _readings(key: str, phase: str, title: str, **kw: bool | str) -> Step:
    return Step(
        key,
        "readings",
        phase,
        title,
        "Apply each point from one side, wait until the output stands still, read it, type it.",
        set_name=key,
        needs_timer="warm_up",
        if_needed=bool(kw.get("if_needed")),
        left_out=str(kw.get("left_out", "")),
    )


def _judge(key: str, of: str, phase: str, options: tuple[tuple[str, str], ...], **kw: bool | str) -> Step:
    return Step(
        key,
        "judge",
        phase,
        "Judge as found" if phase == "judge" else "Judge as left",
        "See what kind of error it is, then decide. A choice against the proposal needs a reason.",
        set_name=of,
        options=options,
        if_needed=bool(kw.get("if_needed")),
        left_out=str(kw.get("left_out", "")),
    )


def _numbered(name: str, n: int) -> str:
    return name if n == 1 else f"{name}_{n}"


def _middle(setup: RunSetup, choices: Mapping[str, str]) -> list[Step]:
    """From as found to as left, each repeat a step of its own so that nothing earlier is overwritten."""
    out: list[Step] = []
    choice = "repeat"
    n = 0
    while choice == "repeat" and n < MAX_ROUNDS:
        n += 1
        found, judge = _numbered("as_found", n), _numbered("judge", n)
        out.append(_readings(found, "as found", "As found" if n == 1 else f"As found, take {n}"))
        out.append(_judge(judge, found, "judge", AS_FOUND_OPTIONS))
        choice = choices.get(judge, "")
    n = 0
    while choice in ("adjust", "repair") and n < MAX_ROUNDS:
        n += 1
        left, judge = _numbered("as_left", n), _numbered("judge_left", n)
        out.append(_adjust(n) if choice == "adjust" else _repair(n))
        out.append(_readings(left, "as left", "As left" if n == 1 else f"As left, take {n}"))
        out.append(_judge(judge, left, "as left", AS_LEFT_OPTIONS))
        choice = choices.get(judge, "")
    if n == 0:
        why = "" if not choice else "Not adjusted: as found stands as as left."
        out += [
            Step(
                "adjust", "adjust", "adjust", "Adjust", "Zero, then span, until neither disturbs the other.", if_needed=True, left_out=why
            ),
            _readings("as_left", "as left", "As left", if_needed=True, left_out=why),
            _judge("judge_left", "as_left", "as left", AS_LEFT_OPTIONS, if_needed=True, left_out=why),
        ]
    return out


def _adjust(n: int) -> Step:
    key = _numbered("adjust", n)
    return Step(
        key,
        "adjust",
        "adjust",
        "Adjust" if n == 1 else f"Adjust, round {n}",
        "Zero at the bottom, span at the top, in turn. Type what it reads before you turn, and after.",
        cautions=("Adjust the side that is wrong: an output trim must not hide a sensor error.",),
        set_name=key,
        confirm_label="Adjusting is finished",
    )


def _repair(n: int) -> Step:
    return Step(
        _numbered("repair", n),
        "confirm",
        "adjust",
        "Correct the cause",
        "Correct what the error points to (configuration, tubing, wiring, dirt, friction). Then the points are taken again as left.",
        fields=(Field("work", "What was done", "long"),),
        confirm_label="Work is done",
    )


def _finish(setup: RunSetup) -> tuple[Step, ...]:
    i = setup.instrument
    return (
        Step(
            "restore",
            "confirm",
            "restore",
            "Put it back",
            "Leave it as you would want to find it.",
            checks=(
                Check("test_gear", "Test gear, leads and jumpers off; wires back on their terminals"),
                Check("valves", "Manifold back in service: isolation open, equaliser and vents closed"),
                Check("write_lock", "Communicator disconnected, write protection back on"),
                Check("covers", "Covers on, seals and locks back"),
                Check("tidy", "No leaks, tags and tools cleared away"),
            ),
            cautions=("Open isolation valves slowly; a shocked cell is a new error.",),
            confirm_label="It is back",
        ),
        Step(
            "release",
            "release",
            "restore",
            "Release the hold",
            "See a normal process reading first, then take the hold off and tell the operator.",
            fields=(
                Field("reading", f"Normal reading seen, in {i.unit}", "number", i.unit),
                Field("operator", "Operator told (name)"),
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
