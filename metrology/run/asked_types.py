"""What a person's browser may ask of a run, by the kind of event that it becomes. The API's description and its client are made from these.

The rules complete it to what is kept (`event_types`): what comes from the plant, the kit or a device is never taken from a browser.
"""

# The annotations are evaluated here, or TypedDict could not tell a key that may be missing.

from collections.abc import Mapping
from typing import Any, Literal, NotRequired, TypedDict

Texts = dict[str, str]


class Confirm(TypedDict):
    """A step done: its fields by name, the lines ticked; reason where its own rule asks for one."""

    step: str
    values: NotRequired[Texts]
    checks: NotRequired[list[str]]
    reason: NotRequired[str]


class StartTimer(TypedDict):
    """A timer or a clock."""

    step: str


class EndTimer(TypedDict):
    """reason: why it is cut short."""

    step: str
    reason: NotRequired[str]


class PlaceHold(TypedDict):
    """minutes: planned, as typed. agreement: who agreed to two of one group. approval: who agreed that it lasts so long."""

    step: str
    kind: str
    reason: str
    minutes: NotRequired[str]
    agreement: NotRequired[str]
    approval: NotRequired[str]


class ReleaseHold(TypedDict):
    """values: the normal reading seen, by field. reason: where it comes off early. ended: how a loop test was ended at the device."""

    hold: str
    values: Texts
    step: NotRequired[str]
    reason: NotRequired[str]
    ended: NotRequired[str]


class HandOverHold(TypedDict):
    """to: user name."""

    hold: str
    to: str
    note: str


class AcceptHold(TypedDict):
    """By the one it was offered to."""

    hold: str


class ExtendHold(TypedDict):
    """minutes: from now on, as typed."""

    hold: str
    minutes: str
    reason: str
    approval: NotRequired[str]


class AssignGas(TypedDict):
    """Codes of the bottle, its regulator and its line."""

    role: str
    bottle: str
    regulator: NotRequired[str]
    line: NotRequired[str]
    reason: NotRequired[str]


class AssignReference(TypedDict):
    """A reference by its code."""

    role: str
    code: str
    step: NotRequired[str]
    reason: NotRequired[str]


class AssignStandard(TypedDict):
    """A standard of another kind by its code."""

    role: str
    code: str
    reason: NotRequired[str]


class MovePair(TypedDict):
    """Something moved into the test, or back."""

    step: str
    pair: str
    to: Literal["out", "back"]
    terminal: NotRequired[str]


class Count(TypedDict):
    """One more: how many there are then."""

    step: str
    count: int


class Reopen(TypedDict):
    """A step taken back."""

    step: str
    reason: str


class ChooseSource(TypedDict):
    """signal: empty to read by hand."""

    quantity: str
    signal: str
    channel: NotRequired[str]


class CaptureParameters(TypedDict):
    """Parameters typed from a communicator."""

    step: str
    kind: str
    values: dict[str, Any]


class TakeReading(TypedDict):
    """A reading; texts by the name of each quantity that was asked for. read_at: when it was read, where it was on paper."""

    step: str
    slot: int
    applied: NotRequired[str]
    indicated: NotRequired[str]
    read_at: NotRequired[str]
    confirmed_unlikely: NotRequired[bool]


class StrikeReading(TypedDict):
    """A reading by the event it is."""

    reading: str
    reason: str


class Adjust(TypedDict):
    """A look at zero or span, as typed. force_reason, gas_proof: why what the rules refuse is accepted all the same."""

    step: str
    screw: str
    before: str
    after: NotRequired[str]
    outcome: NotRequired[str]
    said: NotRequired[str]
    force_reason: NotRequired[str]
    gas_proof: NotRequired[str]
    confirmed_unlikely: NotRequired[bool]


class Decide(TypedDict):
    """A choice; reason where it is not the proposed one. stand_in: what watches while it stays in service outside its limits."""

    step: str
    choice: str
    reason: NotRequired[str]
    stand_in: NotRequired[str]
    stand_in_hours: NotRequired[str]


class AddNote(TypedDict):
    """A remark."""

    text: str


ASKED: Mapping[str, type] = {
    "step_confirmed": Confirm,
    "timer_started": StartTimer,
    "timer_ended": EndTimer,
    "hold_placed": PlaceHold,
    "hold_released": ReleaseHold,
    "hold_handed_over": HandOverHold,
    "hold_accepted": AcceptHold,
    "hold_extended": ExtendHold,
    "gas_assigned": AssignGas,
    "pair_moved": MovePair,
    "counted": Count,
    "reference_assigned": AssignReference,
    "standard_assigned": AssignStandard,
    "step_reopened": Reopen,
    "source_chosen": ChooseSource,
    "parameters_captured": CaptureParameters,
    "reading_taken": TakeReading,
    "reading_struck": StrikeReading,
    "adjustment_made": Adjust,
    "decision_made": Decide,
    "note_added": AddNote,
}
