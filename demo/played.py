"""A finished run of the past, played event by event through the same rules as a live one; each kind of instrument says what it reads."""

from __future__ import annotations

import random
import uuid
from abc import ABC, abstractmethod
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any

from apps.accounts.models import Person
from apps.plant.models import Instrument
from apps.plant.policies import policy_for
from apps.runs.history import history_of
from apps.runs.models import Run
from apps.runs.projections import project
from apps.runs.store import append_rows
from demo.history import NAMESPACE
from metrology.methods.registry import get_method
from metrology.methods.setup import setup_payload
from metrology.methods.steps import Step
from metrology.run.events import Event
from metrology.run.folding import apply, fold
from metrology.run.progress import evaluate_together, make_progress
from metrology.run.rules import admit
from metrology.run.state import RunState

FIRST_TERMINAL = 41


class Played(ABC):
    """A run played from the plate to the signature. values: what is answered to the fields of its steps."""

    values: dict[str, str] = {}

    def __init__(self, instrument: Instrument, person: Person, number_: int, at: datetime, *, kind: str, seed: int) -> None:
        self.person, self.now, self.rng = person, at, random.Random(seed)
        self.method = get_method(instrument.method)
        setup = replace(instrument.run_setup(policy_for(instrument), self.method.revision), history=history_of(instrument))
        self.run = Run(
            id=uuid.uuid5(NAMESPACE, f"{kind} {number_}"), number=number_, instrument=instrument, technician=person,
            method=self.method.key, revision=self.method.revision, started_at=at,
        )  # fmt: skip
        self.events = [self._event(1, "run_started", setup_payload(setup), person)]
        self.state: RunState = fold(self.events)

    def _event(self, seq: int, kind: str, payload: dict[str, Any], person: Person) -> Event:
        return Event(seq, str(uuid.uuid5(NAMESPACE, f"{self.run.id} {seq}")), kind, payload, person.username, person.name, self.now)

    def do(self, event_type: str, /, *, by: Person | None = None, **payload: Any) -> None:
        """One event two minutes later."""
        self.now += timedelta(minutes=2)
        full = admit(self.state, self.method, event_type, payload=payload, now=self.now)
        event = self._event(len(self.events) + 1, event_type, full, by or self.person)
        self.events.append(event)
        apply(self.state, event)

    def play(self) -> None:
        """From the plate to the signature."""
        while (step := make_progress(self.state, self.method).current) is not None:
            if step.kind == "readings":
                self.read(step.key)
            elif step.kind == "judge":
                result = evaluate_together(self.state, self.method, step.set_name)
                told = self.method.advice.propose(self.state.setup, result, is_as_left=step.phase == "as left")
                self.do("decision_made", step=step.key, choice=self.choose(told.choice, step), reason="proved with a second bottle")
            elif step.kind == "adjust":
                self.adjust(step.key)
            elif step.kind == "timer":
                self.do("timer_started", step=step.key)
                self.now += timedelta(minutes=step.minutes)
            elif step.kind == "hold":
                self.do("hold_placed", step=step.key, kind=step.options[0][0], reason="Scheduled calibration", minutes="90")
            elif step.kind == "release":
                holds = [h for h in self.state.holds_of(step.of) if h.released_at is None]
                if not holds:
                    self.do("step_confirmed", step=step.key, values=self.released(step))
                for hold in holds:
                    self.do("hold_released", hold=hold.id, values=self.released(step))
            elif step.kind == "count":
                self.do("counted", step=step.key, count=self.state.counts.get(step.key, 0) + 1)
            elif step.kind == "clock":
                self.do("timer_started", step=step.key)
                self.do("timer_ended", step=step.key)
            elif step.kind == "checkpairs":
                out = {p.key for p in self.state.pairs_out}
                for n, pair in enumerate(step.pairs, FIRST_TERMINAL):
                    if step.variant != "back" or pair.key in out:
                        terminal: dict[str, Any] = {"terminal": str(n)} if pair.has_terminal else {}
                        self.do("pair_moved", step=step.key, pair=pair.key, to="back" if step.variant == "back" else "out", **terminal)
                self.do("step_confirmed", step=step.key)
            elif step.kind == "sign":
                self.do("signed", note="")
            else:
                self.confirm(step)

    def answers(self, step: Step) -> dict[str, str]:
        """What is entered in a step."""
        return {f.name: f.expected or self.values.get(f.name, "") for f in step.fields}

    def released(self, step: Step) -> dict[str, str]:
        """What is seen before a hold comes off."""
        return {f.name: self.values.get(f.name, "") for f in step.fields}

    def choose(self, proposed: str, step: Step) -> str:
        """The decision, given the proposal."""
        return proposed

    def confirm(self, step: Step) -> None:
        """A step with its answers and all lines ticked."""
        self.do("step_confirmed", step=step.key, values=self.answers(step), checks=[c.key for c in step.checks])

    @abstractmethod
    def read(self, key: str) -> None:
        """The readings of a set."""

    @abstractmethod
    def adjust(self, key: str) -> None:
        """An adjust step."""

    def finish(self, reviewer: Person, *, is_last: bool) -> None:
        """Play it and store it; the last one still waits for its review."""
        self.play()
        if not is_last:
            self.do("reviewed", by=reviewer, note="")
        self.store()

    def store(self) -> None:
        """Write the run and what is projected from it."""
        self.run.save(force_insert=True)
        append_rows(self.run, self.events)
        project(self.run, self.state)
