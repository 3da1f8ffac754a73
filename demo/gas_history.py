"""The gas detectors' past: calibrations played through the same rules, on sensors that age."""

from __future__ import annotations

import math
from datetime import datetime, timedelta
from typing import Any

from apps.accounts.models import Person
from apps.plant.models import Instrument
from apps.runs.gas import gas_snapshot
from demo.played import Played
from metrology.methods.alarms import KEY
from metrology.methods.detector import settings_of
from metrology.methods.fragments import alarms_of
from metrology.methods.steps import Step
from metrology.quantities.words import number
from metrology.run.progress import passes_of

# tag, loss of sensitivity a year, bottles by role, calibrations
PAST = (
    ("AE-6001A", 0.04, {"zero": "MB-G10", "span": "MB-G01"}, 6),
    ("AE-6001B", 0.31, {"zero": "MB-G10", "span": "MB-G01"}, 6),
    ("AE-6002", 0.38, {"zero": "MB-G10", "span": "MB-G05"}, 7),
    ("AE-3001", 0.02, {"zero": "MB-G10", "span": "MB-G06"}, 4),
    ("AE-3002", 0.22, {"air": "MB-G10", "zero": "MB-G11"}, 4),
    ("AIT-5301", 0.17, {"span": "MB-G15"}, 7),
)
FITTED = {"MB-G15": ("MB-V04", "MB-L03")}  # what is on a bottle, where it is not the usual
VALUES = {
    "operator": "Control room", "temperature": "19", "exposed_to": "none", "condition": "clean", "pressure_kpa": "101.1", "reading": "0.0",
    "purged": "0.0", "latches": "reset", "regulator_left": "on", "permit": "P-4711", "fault_relay": "not tried",
}  # fmt: skip


class PlayedDetector(Played):
    """One calibration of a detector whose sensitivity is a share of new. gases: bottles by role."""

    values = VALUES

    def __init__(
        self,
        instrument: Instrument,
        person: Person,
        number_: int,
        at: datetime,
        *,
        gain: float,
        share: float,
        seed: int,
        gases: dict[str, str],
    ) -> None:
        super().__init__(instrument, person, number_, at, kind="gas", seed=seed)
        self.gain, self.share, self.gases = gain, share, gases

    def choose(self, proposed: str, step: Step) -> str:
        """A detector is adjusted rather than tried again."""
        return "adjust" if proposed == "repeat" else proposed if proposed in ("adjust", "leave") else "leave"

    def released(self, step: Step) -> dict[str, str]:
        """Air reads what air holds."""
        return super().released(step) | {
            "reading": "20.9" if self.state.setup.instrument.unit == "% vol" and self._watches_oxygen else "0.0"
        }

    @property
    def _watches_oxygen(self) -> bool:
        return settings_of(self.state.setup).gas == "oxygen"

    def confirm(self, step: Step) -> None:
        """Bottles chosen, alarms tried, the inhibit seen."""
        for f in step.fields:
            if f.kind == "gas":
                code = self.gases[f.name]
                regulator, line = FITTED.get(code, ("MB-V01", "MB-L01"))
                chosen = {"role": f.name, "bottle": code, "regulator": regulator, "line": line, "reason": ""}
                snapshot = gas_snapshot(chosen)
                snapshot["bottle"] |= {"expires_on": (self.now.date() + timedelta(days=200)).isoformat(), "litres_left": 90.0}
                self.do("gas_assigned", **snapshot, label="")
        given = self.answers(step)
        points = {a.name: a.set_point for a in alarms_of(self.state.setup)}
        given |= {f.name: number(points[f.name.rpartition(":")[2]] * 1.01, 2) for f in step.fields if f.name.startswith(KEY)}
        if step.key == "inhibit_check":
            given["ma"] = f"{settings_of(self.state.setup).inhibit_ma:g}"
        self.do("step_confirmed", step=step.key, values=given, checks=[c.key for c in step.checks])

    def read(self, key: str) -> None:
        """Every exposure of a set."""
        d = settings_of(self.state.setup)
        for slot in self.method.plan(self.state.setup, key):
            read = slot.ideal * self.gain * (1 + self.rng.gauss(0, 0.004))
            more: dict[str, Any] = {}
            if slot.ideal and d.new_sensitivity:
                more["signal"] = number(slot.nominal * d.new_sensitivity * self.share * (1 + self.rng.gauss(0, 0.006)), 2)
            if slot.ideal:
                more["t90_s"] = f"{d.t90_s * (1 + 0.8 * (1 - self.share)):.0f}"
            self.do("reading_taken", step=key, slot=slot.index, indicated=number(read, 2), **more)

    def adjust(self, key: str) -> None:
        """Accepted until everything is inside its aim."""
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


def play_detectors(now: datetime, last_number: int, technicians: list[Person], reviewer: Person) -> int:
    """Play every detector's past; the last run number used."""
    number_ = last_number
    for k, (tag, loss, gases, count) in enumerate(PAST):
        instrument = Instrument.objects.select_related("area").get(tag=tag)
        share_before = 1.0
        for n in range(count):
            days = instrument.interval_days * (count - n) - (25, 118, 4, 60, 100, 18)[k]
            at = now - timedelta(days=days)
            share = math.exp(-loss * n * instrument.interval_days / 365)
            number_ += 1
            person = technicians[number_ % 3]
            played = PlayedDetector(instrument, person, number_, at, gain=share / share_before, share=share, seed=100 * k + n, gases=gases)
            played.play()
            if n < count - 1:
                played.do("reviewed", by=reviewer, note="")
            played.store()
            share_before = share
    return number_
