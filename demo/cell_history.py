"""The past of conductivity cells: a cell that scales slowly, quarter by quarter."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

from apps.accounts.models import Person
from apps.plant.models import Instrument
from demo.played import Played
from metrology.methods.steps import Step
from metrology.quantities.conductivity import solution_conductivity, to_reference
from metrology.quantities.words import number
from metrology.run.progress import current_slot, passes_of

# tag, (days ago, cell constant as it was, temperature of the solution, C) of each calibration
CELLS = (
    ("AIT-2401", ((712, 1.001, 20.5), (620, 1.006, 18.2), (533, 1.014, 21.0), (441, 1.019, 23.6), (350, 1.026, 20.1), (262, 1.034, 18.9),
     (171, 1.041, 20.4), (79, 1.052, 22.8))),
)  # fmt: skip


class PlayedCell(Played):
    """One calibration of a conductivity analyzer whose cell has a constant. shown: the constant set in it."""

    values = {
        "operator": "Control room",
        "reading": "418",
        "permit": "P-4711",
        "coefficient_now": "2",
        "new_serial": "CC-1",
        "work": "Scaled",
    }

    def __init__(
        self, instrument: Instrument, person: Person, number_: int, at: datetime, *, constant: float, shown: float, temp_c: float, seed: int
    ) -> None:
        super().__init__(instrument, person, number_, at, kind="cell", seed=seed)
        self.constant, self.shown, self.temp_c = constant, shown, temp_c

    def choose(self, proposed: str, step: Step) -> str:
        """As proposed while it is as found; then left."""
        return "leave" if step.phase == "as left" else proposed

    def confirm(self, step: Step) -> None:
        """A bottle as it was then."""
        for f in (f for f in step.fields if f.kind == "item"):
            good = (self.now.date() + timedelta(days=200)).isoformat()
            item = {
                "code": f"S-{self.now:%y%m}", "name": "Conductivity 1413 uS/cm", "us_cm": 1413.0, "table": "kcl-0.01", "points": [],
                "opened_on": "", "lot": f"T-{self.now:%y%m}", "expires_on": good, "good_until": good, "open_days": 90, "portions_left": 8.0,
                "portion_ml": 100.0, "u_percent": 0.5, "certificate": f"TS-{self.now:%y%m}", "state": "in service",
            }  # fmt: skip
            self.do("standard_assigned", role=f.name, item=item)
        super().confirm(step)

    def answers(self, step: Step) -> dict[str, str]:
        """Temperature in the beaker, the constant set in it."""
        own = {"solution_c": number(self.temp_c, 1), "cell_now": f"{self.shown:.4g}"}
        return super().answers(step) | {f.name: own[f.name] for f in step.fields if f.name in own}

    def _reads(self) -> float:
        return solution_conductivity("kcl-0.01", self.temp_c) * self.shown / self.constant * (1 + self.rng.gauss(0, 0.0004))

    def read(self, key: str) -> None:
        """Resistor, air, solution."""
        more: dict[str, Any]
        while (slot := current_slot(self.state, self.method, key)) is not None:
            place = slot.extra["place"]
            if place == "cable":
                more = {"ohm": "1000", "indicated": number(1000 * self.shown + self.rng.gauss(0, 0.3), 1)}
            elif place == "air":
                more = {"indicated": number(abs(self.rng.gauss(0, 0.2)), 1)}
            else:
                raw = self._reads()
                on = raw * to_reference(self.temp_c, "linear", percent_per_c=2.0)
                more = {"indicated": number(raw, 1), "referred": number(on, 1), "analyzer_c": number(self.temp_c + 0.1, 1)}
            self.do("reading_taken", step=key, slot=slot.index, **more)

    def adjust(self, key: str) -> None:
        """Zero in air, then the constant in the solution."""
        while screw := self.method.adjusting.progress(self.state.setup, passes_of(self.state, key), "adjust").next_screw:
            target = next(t for t in self.method.adjusting.targets(self.state.setup, "adjust") if t.screw == screw)
            before = self._reads() if screw == "constant" else abs(self.rng.gauss(0, 0.2))
            self.do("adjustment_made", step=key, screw=screw, before=number(before, 1), after=number(target.ideal, 1))
        self.shown = self.constant
        self.do("step_confirmed", step=key)


def play_cells(now: datetime, last_number: int, technicians: list[Person], reviewer: Person) -> int:
    """Play the past of the conductivity cells; the last run number used."""
    number_ = last_number
    for k, (tag, course) in enumerate(CELLS):
        instrument = Instrument.objects.select_related("area").get(tag=tag)
        shown = 1.0
        for n, (days, constant, temp_c) in enumerate(course):
            number_ += 1
            at = now - timedelta(days=days)
            made = PlayedCell(
                instrument, technicians[number_ % 3], number_, at, constant=constant, shown=shown, temp_c=temp_c, seed=1300 + 50 * k + n
            )
            made.finish(reviewer, is_last=n == len(course) - 1)
            shown = made.shown
    return number_
