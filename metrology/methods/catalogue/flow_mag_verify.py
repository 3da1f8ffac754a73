"""flow-mag-verify: the electronics of a magnetic flow meter verified with a test card, every wire moved out and moved back. Not a flow calibration.

Sources: ISO 20456:2017 (electromagnetic flow meters); IEC 60204-1 and site procedure (isolation), IEC 61340-5-1 (electrostatic discharge).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

from metrology.judgement.decision import FAIL
from metrology.methods.flow import common
from metrology.methods.flow.common import numbered
from metrology.methods.method import Method, Traits
from metrology.methods.outcome import Outcome, Proposal
from metrology.methods.setup import RunSetup
from metrology.methods.standards.base import Need, Standards
from metrology.methods.steps import Check, Field, Pair, Step
from metrology.methods.trials.verification import (
    COIL,
    CURRENT,
    ELECTRODES,
    GROUPS,
    PULSE,
    SIGNAL,
    MagSettings,
    Verification,
    group_at,
    groups_read,
    has_own_baseline,
    left_out,
    settings_of,
)  # fmt: skip
from metrology.methods.watching import Still
from metrology.quantities.words import plain

YES_NO, NO_YES = (("yes", "Yes"), ("no", "No")), (("no", "No"), ("yes", "Yes"))
INCOMPLETE = "incomplete"
OPENED = (
    "Mains and coil voltage kill: power off, locked, and proved dead before a cover comes off.",
    "The boards are ruined by static: wrist strap on, on a bare earth point, before anything is touched.",
)
WIRES = tuple(
    Pair(key, f"Wire {label}", "its terminal", "the test card", has_terminal=True)
    for key, label in (
        ("coil_1", "coil 1"), ("coil_2", "coil 2"), ("electrode_a", "electrode A"), ("electrode_b", "electrode B"), ("reference", "electrode reference"),
        ("output", "current output +"),
    )
)  # fmt: skip
OPTIONS = (
    ("leave", "Verified"), ("again", "Look at the wires, check again"), (INCOMPLETE, "Sign as not complete"), ("repair", "Report it: to be put right"),
)  # fmt: skip
TITLES = {
    COIL: "Resistance across the coil and to earth, converter off.",
    ELECTRODES: "Each electrode against the reference, pipe full.",
    SIGNAL: "The card stands for the sensor; what does the converter show?",
    CURRENT: "The output set to fixed values, a milliammeter in its loop.",
    PULSE: "The output set to fixed frequencies, a counter on its pulses.",
}


@dataclass(frozen=True)
class MagAdvice:
    """Verified only when it is whole and put together again."""

    def propose(self, setup: RunSetup, outcome: Outcome, *, is_as_left: bool) -> Proposal:
        """The proposed decision."""
        failed = [c for c in outcome.criteria if c.verdict == FAIL]
        loose = next((c for c in failed if c.name == "reconnect"), None)
        if loose:
            return Proposal("again", loose.says)
        cause = next(iter(outcome.signatures), None)
        if failed:
            told = "; ".join(c.says or f"{c.label} {c.value:.{c.decimals}f} {c.unit}".strip() for c in failed)
            return Proposal("repair", f"{told}. {f'{cause.says} {cause.first_action}' if cause else 'Find the cause.'}")
        missing = next((c for c in outcome.criteria if c.name == "missing" and c.value), None)
        if missing:
            return Proposal(INCOMPLETE, missing.says)
        watch = f" {cause.says} {cause.first_action}" if cause else ""
        return Proposal("leave", f"Every group is inside its limits and the reconnection check passed.{watch}")

    def refuse(self, setup: RunSetup, outcome: Outcome, choice: str) -> str:
        """What is not whole is not verified."""
        if choice != "leave":
            return ""
        loose = next((c for c in outcome.criteria if c.name == "reconnect" and c.verdict == FAIL), None)
        if loose:
            return f"{loose.says} Put it right and check again, or sign it as not complete."
        missing = next((c for c in outcome.criteria if c.name == "missing" and c.value), None)
        return f"{missing.says} Sign it as not complete, or go back and do the rest." if missing else ""


def steps(setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
    """The steps, as the choices so far shape them."""
    return _steps(setup, tuple(sorted(choices.items())))


@lru_cache(maxsize=256)
def _steps(setup: RunSetup, chosen: tuple[tuple[str, str], ...]) -> tuple[Step, ...]:
    return (
        common.identity(setup),
        _bring(setup),
        _application(setup),
        _groups(),
        common.references(Field("meter", "Milliammeter", "reference", hint="For the current output.")),
        common.operator(setup),
        common.hold(),
        common.cautions(setup, *OPENED, checks=CHECKS),
        _before(setup),
        _power("power_off", "Power off", "Switch it off, lock it, prove it dead, then take the cover off."),
        _wires("wires_out", "Wires to the test card", "One by one. Read the number at each terminal and type it before the wire comes off.", is_out=True),
        _group(setup, COIL),
        _group(setup, ELECTRODES),
        _on(setup),
        *(_group(setup, g) for g in (SIGNAL, CURRENT, PULSE)),
        _seen(setup, "status", "Switch the status input: does the meter act on it?"),
        _seen(setup, "empty", "Let the card stand for an empty pipe: does the meter tell it?"),
        _power("power_off_again", "Power off again", "Switch it off, lock it, prove it dead before a wire is touched."),
        _wires("wires_back", "Wires back", "One by one, each to the terminal that it came from. Pull at it, then type the number.", is_out=False),
        *_judged(setup, dict(chosen)),
        *common.restore(
            setup,
            checks=(
                Check("card", "Test card, leads and strap away; nothing was left in the housing"),
                Check("cover", "Cover on, its seal whole, glands tight"),
                Check("lock", "Outputs follow the flow again, write lock on"),
                Check("tidy", "Tools cleared away"),
            ),
            caution="A cover that is not tight is a wet board in a year.",
        ),
    )  # fmt: skip


CHECKS = (
    Check("area", "The area is safe for an open housing, or was made so"),
    Check("safe", "The cautions above are met"),
    Check("full", "Pipe full; it may stay so without a flow signal"),
)


def _bring(setup: RunSetup) -> Step:
    """What the file tells to bring: the last verification and the baseline."""
    s, last = settings_of(setup), setup.past(COIL)
    when = f"Last verified on {last[-1].on}." if last else "No verification is on file."
    if not has_own_baseline(setup):
        based = f"The baseline on file is of {s.baseline_serial}, another meter: it does not count here. What is found today can become the baseline."
    elif s.coil_ohm:
        based = f"Baseline: coil {s.coil_ohm:g} ohm, electrodes {s.electrode_a_kohm:g} and {s.electrode_b_kohm:g} kohm."
    else:
        based = "No baseline is on file: limits of its kind count, and what is found today can become the baseline."
    return Step(
        "bring", "confirm", "prepare", "What to bring", f"{when} {based}",
        checks=(
            Check("card", "Test card for this converter, its own check in date"),
            Check("meters", "Ohmmeter, insulation tester 500 V, milliammeter, counter"),
            Check("esd", "Wrist strap and mat; lock and key for the isolator"),
            Check("file", "List of terminals of this meter"),
        ),
        confirm_label="All there",
    )  # fmt: skip


def _application(setup: RunSetup) -> Step:
    s = settings_of(setup)
    return Step(
        "application", "confirm", "prepare", "Application", "What it measures belongs on the record: the same values mean another thing in another liquid.",
        fields=(
            Field("fluid", "Liquid"),
            Field(
                "conductivity", "Its conductivity", "number", "uS/cm", low=s.least_us_cm, high=2e6, excused_by="why_low",
                why=f"It needs {s.least_us_cm:g} uS/cm at least; below that no reading of it counts. Say why it is verified all the same.",
            ),
            Field("why_low", "Why with so little", "long", required=False),
            Field("pipe", "Pipe: material and lining"),
            Field("liquid_c", "Temperature of the liquid", "number", "°C", required=False, low=-50, high=250),
            Field("remark", "Remark", "long", required=False),
        ),
        enters=True,
    )  # fmt: skip


def _groups() -> Step:
    fields = tuple(
        Field(f"do_{g}", words, "choice", options=YES_NO, usual="yes") for g, words in GROUPS.items() if g != COIL
    )  # the coil always is: what is put back is checked against it
    return Step(
        "groups", "confirm", "prepare", "What is verified", "All of it, or the record says what is missing. The coil always is.",
        fields=fields, enters=True,
    )  # fmt: skip


def _before(setup: RunSetup) -> Step:
    i = setup.instrument
    room = 0.2 * abs(i.urv - i.lrv)
    return Step(
        "before", "confirm", "as found", "As it works now", "Before the power goes off: what does it show, and is an alarm on?",
        fields=(
            Field("flow_before", "Flow it shows", "number", i.unit, likely=(min(i.lrv, i.urv) - room, max(i.lrv, i.urv) + room)),
            Field("alarm_before", "Alarm, as it reads", required=False, hint="Empty: none"),
        ),
        enters=True,
    )  # fmt: skip


def _power(key: str, title: str, told: str) -> Step:
    return Step(
        key, "confirm", "as found", title, told, cautions=OPENED,
        checks=(Check("dead", "Locked off and measured dead"), Check("esd", "Wrist strap on, earthed")), confirm_label="Dead and earthed",
    )  # fmt: skip


def _wires(key: str, title: str, told: str, *, is_out: bool) -> Step:
    return Step(
        key, "checkpairs", "as found", title, told, pairs=WIRES, variant="all" if is_out else "back",
        confirm_label="All on the card" if is_out else "All back",
    )  # fmt: skip


def _group(setup: RunSetup, group: str) -> Step:
    none = f"{GROUPS[group]} is not verified today." if group in left_out(setup) else ""
    return Step(group, "readings", "as found", GROUPS[group], TITLES[group], set_name=group, left_out=none)


def _on(setup: RunSetup) -> Step:
    rest = [g for g in (SIGNAL, CURRENT, PULSE) if g not in left_out(setup)]
    return Step(
        "power_on", "confirm", "as found", "Power on with the card", "Hands off the housing, then switch on. Wait until it has started.",
        cautions=OPENED[:1],
        checks=(Check("clear", "Hands and tools out of the housing"), Check("started", "It started without an alarm of its own electronics")),
        left_out="" if rest else "Nothing is verified under power today.", confirm_label="It runs",
    )  # fmt: skip


def _seen(setup: RunSetup, group: str, told: str) -> Step:
    none = f"{GROUPS[group]} is not verified today." if group in left_out(setup) else ""
    return Step(
        f"{group}_input", "confirm", "as found", GROUPS[group], told,
        fields=(Field(f"{group}_seen", "It acted", "choice", options=YES_NO),), enters=True, left_out=none,
    )  # fmt: skip


def _judged(setup: RunSetup, choices: Mapping[str, str]) -> list[Step]:
    """The reconnection check, then all groups judged as one; checked again as often as a wire was not right."""
    groups = groups_read(setup)
    out: list[Step] = []
    n, choice = 0, "again"
    while choice == "again" and n < common.MAX_REPEATS:
        n += 1
        out += [_reconnect(setup, n), _judge(groups, n)]
        choice = choices.get(numbered("judge", n), "")
    return out


def _reconnect(setup: RunSetup, n: int) -> Step:
    i = setup.instrument
    again = " Power off and prove it dead before a wire is touched." if n > 1 else ""
    return Step(
        numbered("reconnect", n), "confirm", "as left", "Reconnection check",
        f"Measure the coil once more at the converter's terminals, then cover on, power up.{again} Everything must be as before.",
        fields=(
            Field("coil_again", "Coil, reconnected", "number", "ohm", low=0, high=1e7),
            Field("flow_again", "Flow it shows", "number", i.unit, low=-1e9, high=1e9, hint=f"Before: {plain(setup.value('flow_before', 0.0))}"),
            Field("alarm_again", "An alarm is on that was not before", "choice", options=NO_YES),
        ),
        set_name=COIL, enters=True, takes=("coil_seen",), confirm_label="Checked",
    )  # fmt: skip


def _judge(groups: tuple[str, ...], n: int) -> Step:
    return Step(
        numbered("judge", n), "judge", "as left", "Judge the verification",
        "All groups and the reconnection check are judged as one. A choice against the proposal needs a reason.",
        set_name=groups[-1], joins=groups[:-1], options=OPTIONS,
    )  # fmt: skip


def needs(_setup: RunSetup) -> tuple[Need, ...]:
    """The milliammeter for the current output."""
    return (Need("meter", "Milliammeter", unit="mA", low=4.0, high=20.0, is_informative=True),)


def words(setup: RunSetup) -> tuple[str, str]:
    """Output and tolerance as the record tells them."""
    s = settings_of(setup)
    return (
        "its electronics",
        f"flow ±{s.signal_within:g} %, ±{s.current_within:g} mA",
    )


@dataclass(frozen=True)
class OnCard(Still):
    """Rows of a group share what drives them and what reads them; a resistance has a source of its own."""

    def source_channel(self, quantity: str, channel: str) -> str:
        """The group of a row."""
        return group_at(channel)


TRIAL = Verification()
METHOD = Method(
    key="flow-mag-verify",
    title="Magnetic flow meter, verification of electronics",
    revision="2",
    traits=Traits(
        "flow meter", measures=("flow",), default_points=(), has_points=False, paired_adjusting=False, wears=("Wrist strap, lock for the isolator",),
        document="Verification of electronics, not a flow calibration",
    ),
    settings=MagSettings,
    flow=steps,
    trial=TRIAL,
    standards=Standards(needs),
    advice=MagAdvice(),
    watching=OnCard(TRIAL),
    words=words,
    undone=frozenset({INCOMPLETE}),
    names={"leave": "verified", INCOMPLETE: "signed as not complete", "again": "reconnected again"},
)  # fmt: skip
