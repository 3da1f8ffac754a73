"""What each kind of event keeps. Stored events are never rewritten: a key that came later is not required, and none is taken away.

What somebody asks for is less than what is kept of it; its shapes are in `asked_types`.
"""

# The annotations are evaluated here, or TypedDict could not tell a key that may be missing.

from collections.abc import Mapping
from typing import Any, NotRequired, TypedDict

Values = dict[str, Any]
Entered = dict[str, str]


class RunStarted(TypedDict):
    """The setup as frozen; `metrology.methods.setup` reads it, `upcast` brings older ones up to it."""

    method: str
    revision: str
    instrument: dict[str, Any]
    points_percent: list[float]
    cycles: int
    policy: dict[str, Any]
    history: NotRequired[list[dict[str, Any]]]
    started_on: NotRequired[str]
    entered: NotRequired[dict[str, str]]


class StepConfirmed(TypedDict):
    """A step done. enters: what it adds to the setup. computed: calculator, result and reason. captured: statistics of a condition seen live."""

    step: str
    values: Values
    checks: NotRequired[list[str]]
    enters: NotRequired[Entered]
    computed: NotRequired[dict[str, Any]]
    captured: NotRequired[dict[str, Any]]
    duty: NotRequired[dict[str, Any]]
    vouches: NotRequired[bool]


class TimerStarted(TypedDict):
    """minutes: how long it is to run."""

    step: str
    minutes: float


class TimerEnded(TypedDict):
    """reason: why it was cut short; empty where it had run its time."""

    step: str
    minutes: NotRequired[float]
    reason: NotRequired[str]
    enters: NotRequired[Entered]


class HoldPlaced(TypedDict):
    """until: the planned end, ISO. others: open holds of one group with it. own: its own hold step, such as a lock-out. kind "none": not needed;
    "bench": out of the plant, which is entered.
    """

    step: str
    kind: str
    reason: str
    enters: NotRequired[dict[str, str]]
    until: NotRequired[str]
    own: NotRequired[str]
    agreement: NotRequired[str]
    others: NotRequired[list[dict[str, Any]]]
    approval: NotRequired[str]


class HoldReleased(TypedDict):
    """values: the normal reading seen. seen: what was read live of it. is_early, undone: it came off while the run was at work.

    ended: how a loop test that still held the output was ended otherwise.
    """

    step: NotRequired[str]
    hold: str
    values: NotRequired[Values]
    reason: NotRequired[str]
    seen: NotRequired[dict[str, Any]]
    ended: NotRequired[str]
    is_early: NotRequired[bool]
    undone: NotRequired[list[str]]


class HoldHandedOver(TypedDict):
    """to: user name. is_offer: it counts once that one has accepted; older ones counted at once."""

    hold: str
    to: str
    to_name: str
    note: NotRequired[str]
    is_offer: NotRequired[bool]


class HoldAccepted(TypedDict):
    """Taken over by the event's author."""

    hold: str


class HoldExtended(TypedDict):
    """until: the new planned end, ISO."""

    hold: str
    reason: str
    until: str
    approval: NotRequired[str]


class Assigned(TypedDict):
    """What every assignment has: who stands for what, and what it lets the run know."""

    role: str
    reason: str


class GasAssigned(Assigned):
    """A bottle with its fittings, frozen. applied: what it stands for, in unit. parts: of a mixture, one a channel."""

    label: str
    bottle: dict[str, Any]
    regulator: dict[str, Any] | None
    line: dict[str, Any] | None
    applied: float
    unit: str
    litres: float
    remarks: list[dict[str, Any]]
    enters: Values
    parts: NotRequired[list[Any]]


class ReferenceAssigned(Assigned):
    """A reference standard, frozen. tur: the ratio it reaches. override: who vouched for one that is out of date."""

    step: str
    reference: dict[str, Any]
    tur: float | None
    override: NotRequired[dict[str, Any]]


class StandardAssigned(Assigned):
    """A standard of another kind, frozen: a buffer, weight, solution or test leaf."""

    label: str
    kind: str
    item: dict[str, Any]
    remarks: list[dict[str, Any]]
    shows: str
    enters: Values


class PairMoved(TypedDict):
    """to: out or back. terminal: of a wire, which it came from or was put back to."""

    step: str
    pair: str
    label: str
    to: str
    terminal: NotRequired[str]


class Counted(TypedDict):
    """count: how many there are now."""

    step: str
    count: int
    says: str
    enters: NotRequired[Entered]


class StepReopened(TypedDict):
    """A step taken back."""

    step: str
    reason: str


class SourceChosen(TypedDict):
    """signal: empty when it is read by hand again."""

    quantity: str
    signal: str
    label: str
    unit: str
    stimulus: str
    channel: NotRequired[str]


class ParametersCaptured(TypedDict):
    """kind: before, pending, sent, read back or after."""

    step: str
    kind: str
    values: Values
    source: str


class DeviceActed(TypedDict):
    """Something done to the instrument itself, in words, with what it answered."""

    step: str
    act: str
    words: str
    values: NotRequired[Values]
    enters: NotRequired[Entered]


class DeviceAccepted(TypedDict):
    """An exchanged device that has another tag than the run's, or none."""

    serial: str
    tag: str
    reason: str


class ChromatogramTaken(TypedDict):
    """A curve with what was found in it; times in s."""

    step: str
    injection: str
    title: str
    label: str
    rows: int
    times: list[float]
    signal: list[float]
    baseline: list[float]
    peaks: list[dict[str, Any]]
    values: dict[str, Any]
    windows: list[dict[str, Any]]
    pair: list[str]


class ReadingTaken(TypedDict):
    """A reading. Beside these keys it holds texts by the name of each quantity that the method asks for, which is why it is open."""

    step: str
    slot: int
    cycle: int
    direction: str
    nominal: str
    applied: str
    indicated: str
    source: str
    point: NotRequired[dict[str, Any]]
    standards: NotRequired[dict[str, str]]
    captured: NotRequired[dict[str, Any]]
    channel: NotRequired[str]
    chromatogram: NotRequired[str]
    read_at: NotRequired[str]
    confirmed_unlikely: NotRequired[bool]


class ReadingStruck(TypedDict):
    """undone: steps that rested on it and were taken back with it."""

    reading: str
    reason: str
    undone: NotRequired[list[str]]


class AdjustmentMade(TypedDict):
    """after: empty when it was left alone. outcome "refused": the instrument kept what it had, and said why."""

    step: str
    screw: str
    before: str
    after: str
    outcome: NotRequired[str]
    said: NotRequired[str]
    forced: NotRequired[dict[str, Any]]
    confirmed_unlikely: NotRequired[bool]


class DecisionMade(TypedDict):
    """What was chosen, what was proposed and why, and the verdict it stood on."""

    step: str
    choice: str
    proposed: str
    proposed_because: NotRequired[str]
    verdict: NotRequired[str]
    reason: NotRequired[str]
    stand_in: NotRequired[dict[str, Any]]


class NoteAdded(TypedDict):
    """A remark."""

    text: str


class Signed(TypedDict):
    """seal: what was judged, as it stood."""

    step: str
    note: NotRequired[str]
    seal: NotRequired[dict[str, Any]]


class Reviewed(TypedDict):
    """Accepted."""

    note: NotRequired[str]


class Countersigned(TypedDict):
    """A second name under a signature. capacity: as what, of `countersigning.CAPACITIES`."""

    capacity: str
    note: NotRequired[str]


class Returned(TypedDict):
    """Sent back to be put right."""

    reason: str


class Voided(TypedDict):
    """Ended without a result."""

    reason: str
    seal: NotRequired[dict[str, Any]]


KEPT: Mapping[str, type] = {
    "run_started": RunStarted,
    "step_confirmed": StepConfirmed,
    "timer_started": TimerStarted,
    "timer_ended": TimerEnded,
    "hold_placed": HoldPlaced,
    "hold_released": HoldReleased,
    "hold_handed_over": HoldHandedOver,
    "hold_accepted": HoldAccepted,
    "hold_extended": HoldExtended,
    "gas_assigned": GasAssigned,
    "pair_moved": PairMoved,
    "counted": Counted,
    "reference_assigned": ReferenceAssigned,
    "standard_assigned": StandardAssigned,
    "step_reopened": StepReopened,
    "source_chosen": SourceChosen,
    "parameters_captured": ParametersCaptured,
    "device_acted": DeviceActed,
    "device_accepted": DeviceAccepted,
    "chromatogram_taken": ChromatogramTaken,
    "reading_taken": ReadingTaken,
    "reading_struck": ReadingStruck,
    "adjustment_made": AdjustmentMade,
    "decision_made": DecisionMade,
    "note_added": NoteAdded,
    "signed": Signed,
    "countersigned": Countersigned,
    "reviewed": Reviewed,
    "returned": Returned,
    "voided": Voided,
}
OPEN = frozenset({"reading_taken"})  # keep texts under the names of their method's quantities as well
