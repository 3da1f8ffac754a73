"""The gas detectors' past: calibrations played through the same rules, on sensors that age."""

from __future__ import annotations

import math
import random
import uuid
from datetime import datetime, timedelta
from typing import Any

from apps.accounts.models import Person
from apps.plant.models import Instrument
from apps.plant.services import policy_for
from apps.runs.gas import gas_snapshot
from apps.runs.models import Run
from apps.runs.projections import project
from apps.runs.store import append_rows
from demo.history import NAMESPACE
from metrology.methods.detector import settings_of
from metrology.methods.fragments import alarms_of
from metrology.methods.registry import get_method
from metrology.methods.setup import setup_payload
from metrology.quantities.words import number
from metrology.run.events import Event
from metrology.run.progress import evaluate_set, make_progress, passes_of
from metrology.run.rules import admit
from metrology.run.state import RunState, apply, fold

# tag, loss of sensitivity a year, bottles by role, calibrations
PAST = (
    ("AE-6001A", 0.04, {"zero": "MB-G10", "span": "MB-G01"}, 6),
    ("AE-6001B", 0.31, {"zero": "MB-G10", "span": "MB-G01"}, 6),
    ("AE-6002", 0.38, {"zero": "MB-G10", "span": "MB-G05"}, 7),
    ("AE-3001", 0.02, {"zero": "MB-G10", "span": "MB-G06"}, 4),
    ("AE-3002", 0.22, {"air": "MB-G10", "zero": "MB-G11"}, 4),
)
VALUES = {
    "operator": "Control room", "temperature": "19", "exposed_to": "none", "pressure_kpa": "101.1", "reading": "0.0",
    "purged": "0.0", "latches": "reset", "permit": "P-4711", "fault_relay": "not tried",
}  # fmt: skip


class PlayedDetector:
    """One calibration of a detector whose sensitivity is a share of new."""

    def __init__(self, instrument: Instrument, person: Person, number_: int, at: datetime, *, gain: float, share: float, seed: int) -> None:
        self.person, self.now, self.gain, self.share, self.rng = person, at, gain, share, random.Random(seed)
        self.method = get_method(instrument.method)
        setup = instrument.run_setup(policy_for(instrument), self.method.revision)
        self.run = Run(
            id=uuid.uuid5(NAMESPACE, f"gas {number_}"), number=number_, instrument=instrument, technician=person,
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

    def play(self, gases: dict[str, str]) -> None:
        """From the plate to the signature."""
        while (step := make_progress(self.state, self.method).current) is not None:
            if step.kind == "readings":
                self._expose(step.key)
            elif step.kind == "judge":
                result = evaluate_set(self.state, self.method, step.set_name)
                told = self.method.advice.propose(self.state.setup, result, is_as_left=step.phase == "as left")
                choice = "adjust" if told.choice == "repeat" else told.choice if told.choice in ("adjust", "leave") else "leave"
                self.do("decision_made", step=step.key, choice=choice, reason="proved with a second bottle")
            elif step.kind == "adjust":
                self._adjust(step.key)
            elif step.kind == "timer":
                self.do("timer_started", step=step.key)
                self.now += timedelta(minutes=step.minutes)
            elif step.kind == "hold":
                self.do("hold_placed", step=step.key, kind="inhibit", reason="Scheduled calibration", minutes="90")
            elif step.kind == "release":
                normal = "20.9" if self.method.key == "gas-oxygen" else "0.0"
                values = {f.name: VALUES.get(f.name, "") for f in step.fields} | {"reading": normal}
                self.do("hold_released", hold=self.state.open_holds[0].id, values=values)
            elif step.kind == "sign":
                self.do("signed", note="")
            else:
                self._confirm(step, gases)

    def _confirm(self, step: Any, gases: dict[str, str]) -> None:
        for f in step.fields:
            if f.kind == "gas":
                chosen = {"role": f.name, "bottle": gases[f.name], "regulator": "MB-V01", "line": "MB-L01", "reason": ""}
                snapshot = gas_snapshot(chosen)
                snapshot["bottle"] |= {"expires_on": (self.now.date() + timedelta(days=200)).isoformat(), "litres_left": 90.0}
                self.do("gas_assigned", **snapshot, label="")
        given = {f.name: f.expected or VALUES.get(f.name, "") for f in step.fields}
        given |= {f"alarm:{a.name}": number(a.set_point * 1.01, 2) for a in alarms_of(self.state.setup)}
        if step.key == "inhibit_check":
            given["ma"] = f"{settings_of(self.state.setup).inhibit_ma:g}"
        self.do("step_confirmed", step=step.key, values=given, checks=[c.key for c in step.checks])

    def _expose(self, key: str) -> None:
        d = settings_of(self.state.setup)
        for slot in self.method.plan(self.state.setup, key):
            read = slot.ideal * self.gain * (1 + self.rng.gauss(0, 0.004))
            more: dict[str, Any] = {}
            if slot.ideal and d.new_sensitivity:
                more["signal"] = number(slot.nominal * d.new_sensitivity * self.share * (1 + self.rng.gauss(0, 0.006)), 2)
            if slot.ideal:
                more["t90_s"] = f"{d.t90_s * (1 + 0.8 * (1 - self.share)):.0f}"
            self.do("reading_taken", step=key, slot=slot.index, indicated=number(read, 2), **more)

    def _adjust(self, key: str) -> None:
        while True:
            made = passes_of(self.state, key)
            screw = self.method.adjusting.progress(self.state.setup, made, "adjust").next_screw
            if not screw:
                break
            target = next(t for t in self.method.adjusting.targets(self.state.setup, "adjust") if t.screw == screw)
            before = target.ideal * self.gain
            off = abs(before - target.ideal) > target.aim
            reason: dict[str, Any] = {"force_reason": "gas proved with a second bottle"} if off else {}
            after = number(target.ideal, 2) if off else ""
            self.do("adjustment_made", step=key, screw=screw, before=number(before, 2), after=after, confirmed_unlikely=True, **reason)
        self.gain = 1.0
        self.do("step_confirmed", step=key)

    def store(self) -> None:
        """Write the run and what is projected from it."""
        self.run.save(force_insert=True)
        append_rows(self.run, self.events)
        project(self.run, self.state)


def play_detectors(now: datetime, last_number: int, technicians: list[Person], reviewer: Person) -> int:
    """Play every detector's past; the last run number used."""
    number_ = last_number
    for k, (tag, loss, gases, count) in enumerate(PAST):
        instrument = Instrument.objects.select_related("area").get(tag=tag)
        share_before = 1.0
        for n in range(count):
            days = instrument.interval_days * (count - n) - (25, 118, 4, 60, 100)[k]
            at = now - timedelta(days=days)
            share = math.exp(-loss * n * instrument.interval_days / 365)
            number_ += 1
            person = technicians[number_ % 3]
            played = PlayedDetector(instrument, person, number_, at, gain=share / share_before, share=share, seed=100 * k + n)
            played.play(gases)
            if n < count - 1:
                played.do("reviewed", by=reviewer, note="")
            played.store()
            share_before = share
    return number_
