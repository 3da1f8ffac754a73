"""The past of the product gas analyzer: the gain of carbon monoxide wanders off quarter by quarter, the others stand."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

from apps.accounts.models import Person
from apps.plant.models import Instrument
from apps.runs.gas import gas_snapshot
from apps.runs.models import Duty
from demo.played import Played
from metrology.methods.adjusting.base import ZERO
from metrology.methods.steps import Step
from metrology.quantities.words import decimals_for, number
from metrology.run.progress import passes_of

GASES = {"zero": "MB-G11", "mix:A": "MB-G16", "mix:B": "MB-G17"}
# tag, (days ago, gains as found by component) of each calibration
MIXTURES: tuple[tuple[str, tuple[tuple[int, dict[str, float]], ...]], ...] = (
    (
        "AIT-5302",
        (
            (718, {"CO": 0.996}), (631, {"CO": 0.988, "CO2": 1.001}), (540, {"CO": 0.992}), (452, {"CO": 0.976, "O2": 1.004}),
            (360, {"CO": 0.987}), (268, {"CO": 0.983, "CO high": 0.99}), (181, {"CO": 0.972}), (92, {"CO": 0.979}),
        ),
    ),
)  # fmt: skip


class PlayedMixture(Played):
    """One calibration. gains: read over applied, by component."""

    values = {
        "operator": "Control room", "reading": "99.1", "permit": "P-4711", "mode": "continuous", "flow": "0.5", "cell_c": "60.1", "left:CO": "3",
    }  # fmt: skip

    def __init__(self, instrument: Instrument, person: Person, number_: int, at: datetime, *, gains: dict[str, float], seed: int) -> None:
        super().__init__(instrument, person, number_, at, kind="mixture", seed=seed)
        self.gains = dict(gains)

    def choose(self, proposed: str, step: Step) -> str:
        """As proposed while it is as found; then left."""
        return "leave" if step.phase == "as left" else "adjust" if proposed == "repeat" else proposed

    def confirm(self, step: Step) -> None:
        """The bottles as they were then."""
        for f in (f for f in step.fields if f.kind == "gas"):
            snapshot = gas_snapshot({"role": f.name, "bottle": GASES[f.name], "regulator": "MB-V01", "line": "MB-L01", "reason": ""})
            snapshot["bottle"] |= {"expires_on": (self.now.date() + timedelta(days=200)).isoformat(), "litres_left": 150.0}
            self.do("gas_assigned", **snapshot, label="")
        super().confirm(step)

    def _reads(self, name: str, ideal: float, top: float) -> str:
        return number(ideal * self.gains.get(name, 1.0) + self.rng.gauss(0, 0.0006) * top, decimals_for(top) + 1)

    def read(self, key: str) -> None:
        """Every component on every gas."""
        for slot in self.method.plan(self.state.setup, key):
            top = next(q.span for q in self.method.trial.asks(self.state.setup, slot) if q.name == "indicated")
            more: dict[str, Any] = {"indicated": self._reads(slot.channel, slot.ideal, top), "confirmed_unlikely": True}
            self.do("reading_taken", step=key, slot=slot.index, **more)

    def adjust(self, key: str) -> None:
        """Each set once, those before it read again."""
        while screw := self.method.adjusting.progress(self.state.setup, passes_of(self.state, key), "adjust").next_screw:
            t = next(t for t in self.method.adjusting.targets(self.state.setup, "adjust") if t.screw == screw)
            before = self._reads(t.channel, t.ideal, t.span)
            after = number(t.ideal, decimals_for(t.span) + 1) if abs(float(before) - t.ideal) > t.aim else ""
            self.do("adjustment_made", step=key, screw=screw, before=before, after=after, confirmed_unlikely=True)
            if after and t.kind != ZERO:
                self.gains[t.channel] = 1.0
        self.do("step_confirmed", step=key)


def play_mixtures(now: datetime, last_number: int, technicians: list[Person], reviewer: Person) -> int:
    """Play the past of the analyzers of several components, each zeroed again in time; the last run number used."""
    number_ = last_number
    for k, (tag, course) in enumerate(MIXTURES):
        instrument = Instrument.objects.select_related("area").get(tag=tag)
        for n, (days, gains) in enumerate(course):
            number_ += 1
            made = PlayedMixture(
                instrument, technicians[number_ % 3], number_, now - timedelta(days=days), gains=gains, seed=1500 + 50 * k + n
            )
            made.finish(reviewer, is_last=n == len(course) - 1)
            for duty in Duty.objects.filter(run=made.run):
                duty.values = {f["name"]: "0" for f in duty.fields}
                duty.outcome, duty.closed_by, duty.closed_at = "done", made.person.name, duty.opened_at + timedelta(minutes=17)
                duty.save()
    return number_
