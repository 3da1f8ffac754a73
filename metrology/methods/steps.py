"""The few kinds of step that every method is made of."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

PHASES = ("prepare", "make safe", "as found", "judge", "adjust", "as left", "restore", "sign")
PURGED = "purged_s"  # seconds that a trace was seen below its limit when a condition was taken from it; entered with the key of its step
NO_HOLD, ON_BENCH = "none", "bench"  # kinds of hold that hold nothing: not needed, or taken out of the plant
WHERE = "where"  # entered with the second: where the instrument is
CHOSEN = ("reference", "gas", "item")  # kinds of field that name what stands for the truth
KINDS = (
    "confirm",
    "hold",
    "timer",
    "condition",
    "compute",
    "readings",
    "judge",
    "adjust",
    "compare",
    "checkpairs",
    "count",
    "clock",
    "release",
    "sign",
)


@dataclass(frozen=True)
class Field:
    """Something asked for in a step.

    kind: text, long, number, choice, identity (must equal `expected`), reference (a standard for `role`), gas (a bottle), item (of another kind of kit).
    expected: of an identity, or of a choice the only one with which the work goes on. why: what a number outside its limits, or another choice,
    means, told with the refusal.
    """

    name: str
    label: str
    kind: str = "text"
    unit: str = ""
    required: bool = True
    options: tuple[tuple[str, str], ...] = ()
    expected: str = ""
    hint: str = ""
    low: float | None = None
    high: float | None = None
    why: str = ""
    unless: tuple[str, str] = (
        "",
        "",
    )  # another field of the step and the values, with | between, with which this one may stay empty; * for any
    excused_by: str = ""  # another field of the step: with a reason written there a number outside its limits stands
    unlike: str = ""  # what may not be entered, such as the serial of the one that was taken out
    usual: str = ""  # what is found where nothing is wrong: offered filled in, to be changed where it is not so
    likely: tuple[float, float] | None = None  # numbers believed without asking; one outside, and inside its limits, is asked about once
    as_before: bool = False  # what an earlier step was told under its name is mostly so again: offered filled in
    nominal: str = ""  # what must be seen, where a tap that tells it may say that it was; never filled in by itself
    beside: tuple[str, ...] = ()  # what is known of it, a text for each heading of its step
    doubt: str = ""  # what is said of a number that is not likely, instead of what was to be expected


@dataclass(frozen=True)
class Check:
    """One line of a checklist that must be ticked."""

    key: str
    label: str


READ_ACT, SENT_ACT = "read", "sent"  # acts on an instrument: what it told, what it was told


@dataclass(frozen=True)
class Readout:
    """Fields that an instrument on the bench tells itself, in one go.

    takes: each field with the name of its signal. still: how far its looks may lie apart before it counts as moving; 0: one look, at what doesn't move.
    """

    key: str
    label: str
    takes: tuple[tuple[str, str], ...]
    still: float = 0.0


@dataclass(frozen=True)
class Pair:
    """Something moved for the test that must be moved back: its place in service and in the test."""

    key: str
    label: str
    normal: str
    test: str
    unread: str = ""  # why nothing is read while it is out
    has_terminal: bool = False  # a wire: the terminal it comes from is typed, and typed again when it is back, where it must be the same


@dataclass(frozen=True)
class Unheld:
    """What stands instead of a hold. asks: for the reason; label: of the button; note: how it is called on the record."""

    asks: str
    label: str
    note: str


UNHELD = {
    NO_HOLD: Unheld("Why no hold is needed", "No hold needed", "no hold"),
    ON_BENCH: Unheld("Why it was taken out", "It is on the bench", "on the bench"),
}
UNHELD_NOTES = frozenset(u.note for u in UNHELD.values())


@dataclass(frozen=True)
class Duty:
    """Work that a step leaves behind, to be done within so many minutes: open on Today until somebody says what was seen, or why it is not done."""

    key: str
    title: str
    instruction: str
    minutes: float
    fields: tuple[Field, ...]


@dataclass(frozen=True)
class Step:
    """One step of a method. `if_needed` marks steps that a decision may leave out."""

    key: str
    kind: str
    phase: str
    title: str
    instruction: str
    cautions: tuple[str, ...] = ()
    fields: tuple[Field, ...] = ()
    checks: tuple[Check, ...] = ()
    minutes: float = 0.0
    set_name: str = ""  # readings, judge and adjust: which set of readings they belong to
    if_needed: bool = False
    left_out: str = ""  # why the step is not done in this run
    confirm_label: str = "Confirm"
    needs_timer: str = ""  # readings, confirm, release: the timer that must have run
    options: tuple[tuple[str, str], ...] = field(default=())
    variant: str = ""  # adjust: which side is turned
    is_told_with_set: bool = False  # what is entered in it stands with the findings of its set or its proof test, not by itself
    enters: bool = False  # what is entered changes how the run goes on
    calculator: str = ""  # compute: the calculation it runs, its fields filled from `given` and from the step's own fields
    given: tuple[tuple[str, Any], ...] = ()
    unheld_label: str = "Normal reading seen"  # release: its button where no hold is on
    of: str = ""  # hold: itself, where it has a release step of its own; release: the hold step that it releases, all others where empty
    needs_hold: str = ""  # it may only be done while the hold of that step is on, such as a lock-out
    usual: tuple[tuple[str, str], ...] = ()  # hold: its kind and reason as they mostly are, offered filled in
    joins: tuple[str, ...] = ()  # judge: sets that are judged together with its own
    keys: tuple[str, ...] = ()  # keys of the instrument that belong to it, where it is on the bench
    enters_result: tuple[str, ...] = ()  # compute: names of the result that change how the run goes on
    counts: tuple[str, ...] = ()  # count: what stands before the first and after each; as many times as there are more than one
    choice_sets: tuple[tuple[str, str], ...] = ()  # judge: choices that are about another set than its own, with that set
    takes: tuple[str, ...] = ()  # confirm: what its trial makes of the set, entered with it without being asked
    vouches: bool = False  # confirm: from here on the run stands for samples, until it no longer holds
    duty: Duty | None = None  # confirm: what it leaves to be done soon
    beside: tuple[str, ...] = ()  # headings of what is known of its fields
    readouts: tuple[Readout, ...] = ()  # confirm: what the instrument tells of its fields, where it is on the bench
    saves: tuple[tuple[str, str], ...] = ()  # confirm: what goes into a file of parameters: its name there, and under which it was entered
    loads: tuple[tuple[str, str], ...] = ()  # confirm: fields that such a file fills, each with its name there
    sends: tuple[tuple[str, float], ...] = ()  # confirm: what it is told before it is read back: the name of a signal, and the number
    pairs: tuple[Pair, ...] = ()  # checkpairs: what is moved, out into the test (variant "all": all of it) or (variant "back") back again
