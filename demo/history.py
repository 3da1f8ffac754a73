"""Two years of finished runs, played on simulated transmitters through the same rules as live ones."""

from __future__ import annotations

import uuid
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any

from apps.accounts.models import Person
from apps.plant.models import Instrument
from apps.plant.policies import policy_for
from apps.runs.models import Run
from apps.runs.projections import project
from apps.runs.services import snapshot
from apps.runs.store import append_rows
from apps.safety.proving import points_of
from metrology.methods.proof_test import FOUND, LEFT, PART, WHOLE, proof_key, trip_key
from metrology.methods.registry import get_method
from metrology.methods.setup import setup_payload
from metrology.methods.slots import Slot
from metrology.methods.steps import Step
from metrology.quantities.words import decimals_for, number
from metrology.run.events import Event
from metrology.run.folding import apply, fold
from metrology.run.progress import evaluate_set, make_progress, passes_of
from metrology.run.rules import admit
from metrology.run.state import RunState
from metrology.simulation.transmitter import SimulatedTransmitter

NAMESPACE = uuid.UUID("6b1f6a52-6a05-4c60-9a5a-2f4c7b6f0d11")


class PlayedRun:
    """A run of a simulated transmitter, played event by event at past times."""

    def __init__(
        self, instrument: Instrument, device: SimulatedTransmitter, *, technician: Person, number_: int, at: datetime, refs: tuple[str, str]
    ) -> None:
        self.instrument, self.device, self.person, self.now, self.refs = instrument, device, technician, at, refs
        self.method = get_method(instrument.method)
        setup = replace(instrument.run_setup(policy_for(instrument), self.method.revision), functions=points_of(instrument))
        self.run = Run(
            id=uuid.uuid5(NAMESPACE, f"run {number_}"),
            number=number_,
            instrument=instrument,
            technician=technician,
            method=self.method.key,
            revision=self.method.revision,
            started_at=at,
        )
        self.events = [self._event(1, "run_started", setup_payload(setup), technician)]
        self.state: RunState = fold(self.events)

    def _event(self, seq: int, kind: str, payload: dict[str, Any], person: Person) -> Event:
        return Event(seq, str(uuid.uuid5(NAMESPACE, f"{self.run.id} {seq}")), kind, payload, person.username, person.name, self.now)

    def do(self, event_type: str, /, *, after_s: float = 40, by: Person | None = None, **payload: Any) -> None:
        """Add one event `after_s` seconds later."""
        self.now += timedelta(seconds=after_s)
        full = admit(self.state, self.method, event_type, payload=payload, now=self.now)
        event = self._event(len(self.events) + 1, event_type, full, by or self.person)
        self.events.append(event)
        apply(self.state, event)

    def prepare(self, *, hold_minutes: int = 90) -> None:
        """From the plate to the last caution."""
        i = self.state.setup.instrument
        self.do("step_confirmed", step="identity", values={"tag": i.tag, "serial": i.serial})
        for role, code in zip(("applied", "indicated"), self.refs, strict=True):
            self.do("reference_assigned", role=role, reference=snapshot(code), reason="nothing better free that day")
        self.do("step_confirmed", step="references")
        self.do("step_confirmed", step="environment", values={"temperature": f"{14 + self.run.number % 11}", "humidity": "62"})
        if getattr(i.details, "supply_v", 0):
            self.do("step_confirmed", step="loop_budget")
        if i.warm_up_min:
            self.do("timer_started", step="warm_up")
        values = {"operator": "Control room", **({"permit": f"P-{4000 + self.run.number}"} if i.needs_permit else {})}
        self.do("step_confirmed", step="operator", values=values)
        self.do(
            "hold_placed",
            step="hold",
            kind="inhibit" if i.feeds else "control in manual",
            reason="Scheduled calibration",
            minutes=str(hold_minutes),
        )
        self.do("step_confirmed", step="cautions", checks=["isolated", "safe", "untouched"])
        self.now += timedelta(minutes=i.warm_up_min)

    def _read(self, slot: Slot) -> str:
        i = self.state.setup.instrument
        over = 0.02 * (i.urv - i.lrv) if slot.direction == "down" and slot.percent == 100 else 0.0
        return number(self.device.settle_at(slot.nominal, overshoot=over), decimals_for(i.output_hi - i.output_lo))

    def take(self, step: str, *, only: int | None = None) -> None:
        """All readings of a set, or the first few."""
        for slot in self.method.plan(self.state.setup, step)[:only]:
            indicated = self._read(slot)
            payload: dict[str, Any] = {"step": step, "slot": slot.index, "indicated": indicated, **self._digital()}
            self.do("reading_taken", after_s=55, **payload)

    def _digital(self) -> dict[str, str]:
        """The digital value beside the output, where it is read."""
        i = self.state.setup.instrument
        if not getattr(i.details, "has_digital", False):
            return {}
        return {"pv": number(i.lrv + self.device.pv_fraction * (i.urv - i.lrv), decimals_for(i.urv - i.lrv))}

    def finish(self) -> None:
        """Take, judge and follow the proposals to the signature."""
        while True:
            step = make_progress(self.state, self.method).current
            if step is None:
                return
            if step.kind == "readings":
                self.take(step.key)
            elif step.kind == "judge":
                self._judge(step.key, step.set_name, is_as_left=step.phase == "as left")
            elif step.kind == "adjust":
                self._adjust(step.key, step.variant)
            elif step.key in (FOUND, LEFT):
                self._prove(step)
            elif step.key.startswith("repair"):
                self.device.faults = replace(self.device.faults, hysteresis=0.05)
                self.do("step_confirmed", after_s=1200, step=step.key, values={"work": "Impulse line rodded and flushed, cell cleaned"})
            else:
                self._close(step.key)

    def _prove(self, step: Step) -> None:
        """Where it trips: at the value at which its output stands for the trip; as left within what is required."""
        values = {f.name: "" for f in step.fields}
        for p in self.state.setup.functions:
            at = p.trip - self._off_by(p.trip) if step.key == FOUND else p.trip
            values |= {proof_key(p.code): WHOLE if self.run.number % 3 else PART, trip_key(p.code): f"{at:.2f}"}
        self.do("step_confirmed", after_s=300, step=step.key, values={f.name: values[f.name] for f in step.fields})

    def _off_by(self, applied: float) -> float:
        """How much more than is applied its output tells, in its unit."""
        i = self.state.setup.instrument
        told = (self.device.settle_at(applied) - i.output_lo) / (i.output_hi - i.output_lo)
        return i.lrv + told * (i.urv - i.lrv) - applied

    def _judge(self, step: str, of: str, *, is_as_left: bool) -> None:
        proposal = self.method.advice.propose(self.state.setup, evaluate_set(self.state, self.method, of), is_as_left=is_as_left)
        choice = "leave" if is_as_left or proposal.choice == "repeat" else proposal.choice
        self.do("decision_made", step=step, choice=choice, reason="" if choice == proposal.choice else "good enough until the next stop")

    def _adjust(self, step: str, variant: str) -> None:
        i = self.state.setup.instrument
        sign = -1.0 if i.transfer.kind == "reverse" else 1.0
        while True:
            progress = self.method.adjusting.progress(self.state.setup, passes_of(self.state, step), variant)
            if not progress.next_screw:
                break
            target = next(t for t in self.method.adjusting.targets(self.state.setup, variant) if t.screw == progress.next_screw)
            before = self._at(target.nominal, variant)
            miss = before - target.ideal
            after = ""
            if abs(round(miss, 3)) > target.aim:
                turn = -sign * 100 * miss / target.span
                (self.device.turn_zero if target.screw == "zero" else self.device.turn_span)(turn)
                after = number(self._at(target.nominal, variant), 3)
            self.do("adjustment_made", after_s=90, step=step, screw=target.screw, before=number(before, 3), after=after)
        self.do("step_confirmed", step=step, reason="" if progress.is_converged else "close enough to prove")

    def _at(self, nominal: float, variant: str) -> float:
        """What is looked at while turning: the output, or the digital value for a trim of the sensor."""
        i = self.state.setup.instrument
        output = self.device.settle_at(nominal)
        return i.lrv + self.device.pv_fraction * (i.urv - i.lrv) if variant == "trim_sensor" else output

    def _close(self, step: str) -> None:
        if step == "restore":
            self.do("step_confirmed", after_s=400, step=step, checks=["test_gear", "valves", "write_lock", "covers", "tidy"])
        elif step == "release":
            i = self.state.setup.instrument
            normal = number(i.lrv + 0.6 * (i.urv - i.lrv), decimals_for(i.urv - i.lrv))
            for hold in self.state.open_holds:
                self.do("hold_released", hold=hold.id, values={"reading": normal, "operator": "Control room"})
        else:
            self.do("signed", note="")

    def store(self) -> Run:
        """Write the run and what is projected from it."""
        self.run.save(force_insert=True)
        append_rows(self.run, self.events)
        project(self.run, self.state)
        return self.run
