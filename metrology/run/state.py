"""The state of a run: what its events add up to once they are folded (`folding`)."""

from __future__ import annotations

from collections.abc import Mapping
from copy import copy
from dataclasses import dataclass, field, fields, replace
from datetime import datetime, timedelta
from typing import Any

from metrology.judgement.reference import ReferenceStandard
from metrology.methods.setup import RunSetup
from metrology.methods.slots import RawReading
from metrology.run.entries import (
    Adjustment,
    Confirmation,
    DecisionMade,
    Hold,
    Note,
    PairMoved,
    ParameterSet,
    Reading,
    Reopened,
    Timer,
)


@dataclass
class RunState:
    """Everything a run's events add up to."""

    setup: RunSetup
    started_at: datetime
    started_by: str
    started_by_name: str
    seq: int = 0
    confirmations: dict[str, Confirmation] = field(default_factory=dict)
    timers: dict[str, Timer] = field(default_factory=dict)
    holds: dict[str, Hold] = field(default_factory=dict)
    hold_steps: set[str] = field(default_factory=set)
    references: dict[str, Mapping[str, Any]] = field(default_factory=dict)
    items: dict[str, Mapping[str, Any]] = field(default_factory=dict)  # standards of other kinds in use, by role
    assigned: dict[str, Mapping[str, Any]] = field(default_factory=dict)  # every assignment there was, by its event
    standing: dict[str, str] = field(default_factory=dict)  # role to the event that assigned what stands for it now
    reopened: list[Reopened] = field(default_factory=list)
    read_from_it: dict[str, dict[str, str]] = field(default_factory=dict)  # by step: what the instrument told of its fields
    made: dict[str, ReferenceStandard] = field(default_factory=dict, compare=False)  # references by event, made once
    counting: dict[str, dict[int, list[Reading]]] = field(default_factory=dict)  # readings that are not struck, by set and slot
    raws: dict[str, RawReading] = field(default_factory=dict, compare=False)  # readings by their id, as they are judged
    told: dict[str, tuple[tuple[Any, ...], Any]] = field(
        default_factory=dict, compare=False
    )  # parts of the view, with what they are made of
    sources: dict[str, Mapping[str, Any]] = field(default_factory=dict)
    computed: dict[str, Mapping[str, Any]] = field(default_factory=dict)
    parameters: list[ParameterSet] = field(default_factory=list)
    acts: list[Mapping[str, Any]] = field(default_factory=list)
    accepted_devices: list[Mapping[str, Any]] = field(default_factory=list)  # with another tag than the run's, or none
    gases: dict[str, Mapping[str, Any]] = field(default_factory=dict)
    gas_at: dict[str, datetime] = field(default_factory=dict)  # when the gas of a role was put on
    pairs: dict[str, PairMoved] = field(default_factory=dict)
    chromatograms: list[Mapping[str, Any]] = field(default_factory=list)
    vouched_at: datetime | None = None  # since when the run stands for samples
    duties: dict[str, Mapping[str, Any]] = field(default_factory=dict)  # what steps left to be done soon, by key, with the moment
    counts: dict[str, int] = field(default_factory=dict)  # how often something was done, by step
    readings: list[Reading] = field(default_factory=list)
    adjustments: list[Adjustment] = field(default_factory=list)
    decisions: dict[str, DecisionMade] = field(default_factory=dict)
    notes: list[Note] = field(default_factory=list)
    signed: Note | None = None
    countersigned: list[Note] = field(default_factory=list)
    signers: set[str] = field(default_factory=set)  # whose names are under it: nobody's twice
    reviewed: Note | None = None
    voided: Note | None = None
    was_returned: bool = False
    seal: Mapping[str, Any] | None = None  # what was judged, as it stood when the run was signed or voided
    contributors: set[str] = field(default_factory=set)  # whoever wrote anything into it: they don't review it
    workers: set[str] = field(default_factory=set)  # of them, whoever did part of the work: they sign it
    off_clock: dict[str, tuple[int, timedelta]] = field(
        default_factory=dict
    )  # by who sent them: events whose device was a day off, and the most

    @property
    def open_holds(self) -> list[Hold]:
        """Holds not yet released."""
        return [h for h in self.holds.values() if h.released_at is None]

    def holds_of(self, step: str) -> list[Hold]:
        """The holds that one release step lets go: those of a hold step of its own, or all others where empty."""
        return [h for h in self.holds.values() if h.own == step]

    @property
    def pairs_out(self) -> list[PairMoved]:
        """What was moved for the test and is not back yet."""
        return [p for p in self.pairs.values() if p.to == "out"]

    @property
    def status(self) -> str:
        """open, returned, signed, accepted or voided."""
        if self.voided:
            return "voided"
        if self.reviewed:
            return "accepted"
        if self.signed:
            return "signed"
        return "returned" if self.was_returned else "open"

    def branch(self) -> RunState:
        """A state that can be carried on while this one stays as it is for those who are reading it."""
        own: dict[str, Any] = {f.name: copy(value) for f in fields(self) if isinstance(value := getattr(self, f.name), dict | list | set)}
        own["counting"] = {step: {slot: list(held) for slot, held in slots.items()} for step, slots in self.counting.items()}
        return replace(self, **own)

    def active_readings(self, step: str) -> dict[int, Reading]:
        """The readings of a step that count, by slot."""
        return {slot: held[-1] for slot, held in self.counting.get(step, {}).items()}


def source_key(quantity: str, channel: str = "") -> str:
    """Under what a chosen source is kept; the method tells which quantities each channel has for itself."""
    return f"{quantity}:{channel}" if channel else quantity
