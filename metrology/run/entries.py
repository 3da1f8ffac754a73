"""What the events of a run leave behind: confirmations, timers, holds, readings, adjustments, decisions, notes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any, NamedTuple

from metrology.methods.slots import Slot
from metrology.run.events import Event

# Keys of a reading's payload that have a place of their own; all others are extras of its method.
OWN_KEYS = frozenset(("step", "slot", "applied", "indicated", "cycle", "direction", "nominal", "point", "standards", "confirmed_unlikely"))


@dataclass(frozen=True)
class Confirmation:
    """A confirmed step with what was entered in it."""

    step: str
    values: Mapping[str, Any]
    by: str
    at: datetime


@dataclass(frozen=True)
class Timer:
    """A running or finished timer."""

    step: str
    started_at: datetime
    minutes: float
    ended_at: datetime | None = None
    reason: str = ""

    @property
    def due_at(self) -> datetime:
        """When it has run its time."""
        return self.started_at + timedelta(minutes=self.minutes)

    def is_over(self, now: datetime) -> bool:
        """True when it has run its time or was ended with a reason."""
        return self.ended_at is not None or now >= self.due_at


@dataclass(frozen=True)
class Hold:
    """An inhibit, bypass, alarm hold-off or control-in-manual, open until released."""

    id: str
    kind: str
    reason: str
    placed_at: datetime
    placed_by: str
    until: datetime
    released_at: datetime | None = None
    released_by: str = ""
    release_values: Mapping[str, Any] = field(default_factory=dict)
    holder: str = ""  # user name of who answers for it now
    holder_name: str = ""
    agreement: str = ""  # who agreed to two of one group or zone on hold together, and why
    own: str = ""  # the hold step that it was placed at, where that has a release step of its own
    extended: tuple[str, ...] = ()  # sentences: when, by whom, why
    step: str = ""  # the step at which it was placed
    offered_to: str = ""  # user name of who is asked to take it over, until they have
    offered_name: str = ""
    note: str = ""  # what the next one must know; it stays with the hold
    approval: str = ""  # who approved that it lasts so long
    early: str = ""  # why it came off before the run was through; the run then needs another to go on


class Reading(NamedTuple):
    """A reading as typed or captured, for one slot of one set: the event that took it, and how it stood with it.

    standards: what stood for the truth then, as role and the event that assigned it. entered: what the run's steps had entered by then.
    What it says is looked up in its event when it is asked for: a run of a thousand readings is folded much more often than all of it is read.
    """

    event: Event
    standards: Mapping[str, str] = {}
    entered: tuple[tuple[str, str], ...] = ()
    struck_reason: str = ""
    struck_by: str = ""

    @property
    def id(self) -> str:
        """The id of its event."""
        return self.event.id

    @property
    def step(self) -> str:
        """The set that it belongs to."""
        return str(self.event.payload["step"])

    @property
    def slot(self) -> int:
        """Its place in the plan of the set."""
        return int(self.event.payload["slot"])

    @property
    def applied(self) -> str:
        """What was applied, as text."""
        return str(self.event.payload["applied"])

    @property
    def indicated(self) -> str:
        """What was read, as text."""
        return str(self.event.payload["indicated"])

    @property
    def at(self) -> datetime:
        """When it was taken."""
        return self.event.at

    @property
    def by(self) -> str:
        """The name of who took it."""
        return self.event.author_name

    @property
    def was_confirmed_unlikely(self) -> bool:
        """True where it was asked about and confirmed."""
        return bool(self.event.payload.get("confirmed_unlikely"))

    @property
    def extra(self) -> Mapping[str, Any]:
        """Digital value, simulated signal, cold junction, and under "captured" the statistics of each live quantity."""
        return {k: v for k, v in self.event.payload.items() if k not in OWN_KEYS}

    @property
    def captured(self) -> Mapping[str, Any]:
        """The statistics of each quantity that was read live; empty of a typed reading."""
        told: Mapping[str, Any] | None = self.event.payload.get("captured")
        return told or {}

    @property
    def point(self) -> Slot | None:
        """The slot as it was when it was taken; None of older readings, whose slot is looked up in the plan."""
        p: Mapping[str, Any] = self.event.payload
        was = p.get("point")
        if was is None:
            return None
        place = was["percent"], was["nominal"], was["ideal"]
        return Slot(p["slot"], p["cycle"], p["direction"], *place, "", p.get("channel", ""), was["extra"])

    @property
    def is_struck(self) -> bool:
        """True when the reading was struck; it stays on the record."""
        return bool(self.struck_reason)


@dataclass(frozen=True)
class ParameterSet:
    """Parameters of a smart transmitter as read from it, typed from a communicator, or pending until they are sent."""

    kind: str  # before, pending, sent, read back, after
    step: str
    values: Mapping[str, Any]
    source: str
    by: str
    at: datetime


@dataclass(frozen=True)
class PairMoved:
    """A jumper, selector or test point that was moved: out into the test, or back into service."""

    key: str
    label: str
    to: str  # out or back
    by: str
    at: datetime
    terminal: str = ""  # of a wire: where it came from, or was put back to


@dataclass(frozen=True)
class Adjustment:
    """One look at zero or span: what it read before, and after when it was turned (empty: left alone).

    outcome: refused when the instrument kept its old calibration. said: why, in its own words. forced: reason and, by policy, the second person.
    """

    step: str
    screw: str
    before: str
    after: str
    at: datetime
    by: str
    outcome: str = ""
    forced: Mapping[str, Any] = field(default_factory=dict)
    said: str = ""


@dataclass(frozen=True)
class DecisionMade:
    """The choice of a judge step, with what was proposed."""

    step: str
    choice: str
    proposed: str
    reason: str
    by: str
    at: datetime
    because: str = ""  # why that was proposed
    stand_in: Mapping[str, Any] = field(default_factory=dict)  # what watches while it stays in service outside its limits


ENDED_OTHERWISE = "loop test ended otherwise"  # the kind of note that tells how, where the device could not be reached


@dataclass(frozen=True)
class Note:
    """A remark, or a reviewer's word."""

    kind: str
    text: str
    by: str
    at: datetime


@dataclass(frozen=True)
class Reopened:
    """A step taken back, with what had been entered in it, and why."""

    step: str
    values: Mapping[str, Any]
    reason: str
    by: str
    at: datetime
