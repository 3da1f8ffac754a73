"""The past of the transformer-oil gas analyzer: its column takes up moisture, and the critical pair comes closer quarter by quarter."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

from apps.accounts.models import Person
from apps.plant.models import Instrument
from apps.runs.gas import gas_snapshot
from demo.played import Played
from metrology.methods.analytes import Analyte, analyte_named, factor_of
from metrology.methods.components import applied_of
from metrology.methods.steps import Step
from metrology.quantities.words import number
from metrology.run.progress import current_slot

STANDARD = "mix:A"
# tag, (days ago, how wet the column was, response of carbon monoxide over what is stored) of each calibration
ANALYZERS: tuple[tuple[str, tuple[tuple[int, float, float], ...]], ...] = (
    (
        "AIT-7001",
        ((715, 0.02, 1.0), (626, 0.07, 0.99), (534, 0.13, 1.01), (447, 0.19, 1.0), (356, 0.24, 0.985), (265, 0.31, 0.99), (178, 0.36, 1.0),
         (88, 0.42, 0.99)),
    ),
)  # fmt: skip
MOISTURE = {"C2H6": 0.07}  # share by which a wet column moves it, where it is more than the others
OTHERS = 0.004
DRY, LOSS = 2.47, 1.55  # resolution of the pair on a dry column, and what it loses on one that is soaked


class PlayedInjections(Played):
    """One calibration, typed. wet: of the column; response: of carbon monoxide over what is stored."""

    values = {"operator": "Laboratory", "reading": "62", "permit": "P-4711", "work": "Baked out at 180 °C"}

    def __init__(
        self, instrument: Instrument, person: Person, number_: int, at: datetime, *, wet: float, response: float, seed: int
    ) -> None:
        super().__init__(instrument, person, number_, at, kind="injections", seed=seed)
        self.wet, self.response = wet, response

    def choose(self, proposed: str, step: Step) -> str:
        """As proposed."""
        return proposed

    def confirm(self, step: Step) -> None:
        """The standard as it was then."""
        for f in (f for f in step.fields if f.kind == "gas"):
            snapshot = gas_snapshot({"role": f.name, "bottle": "MB-G18", "regulator": "MB-V01", "line": "MB-L01", "reason": ""})
            snapshot["bottle"] |= {"expires_on": (self.now.date() + timedelta(days=200)).isoformat(), "litres_left": 100.0}
            self.do("gas_assigned", **snapshot, label="")
        super().confirm(step)

    def read(self, key: str) -> None:
        """Injections until they agree, or a blank."""
        blank = key.startswith("blank")
        same = 1.0
        while (slot := current_slot(self.state, self.method, key)) is not None:
            a = analyte_named(self.state.setup, slot.channel)
            more: dict[str, Any] = {}
            if slot.after_min:
                self.now += timedelta(minutes=slot.after_min)
                more["leak"], same = number(abs(self.rng.gauss(0.05, 0.03)), 2), 1 + self.rng.gauss(0, 0.003)
            more |= self._blank(a) if blank else self._standard(a, same)
            self.do("reading_taken", step=key, slot=slot.index, confirmed_unlikely=True, **more)

    def _blank(self, a: Analyte) -> dict[str, str]:
        left = 25 + self.rng.uniform(-8, 8) if a.air_limit else abs(self.rng.gauss(0, 0.0003)) * a.top
        return {"indicated": number(left, 1)}

    def _standard(self, a: Analyte, same: float) -> dict[str, str]:
        value = applied_of(self.state.setup, STANDARD, a) * same * (self.response if a.name == "CO" else 1.0)
        told = {"indicated": number(value, 1), "area": f"{value * factor_of(self.state.setup, a):.5g}"}
        told["retention"] = number(a.at_s * (1 - MOISTURE.get(a.name, OTHERS) * self.wet) + self.rng.gauss(0, 0.01), 2)
        if a.name == "C2H6":
            told["resolution"] = number(DRY - LOSS * self.wet + self.rng.gauss(0, 0.015), 2)
        return told

    def adjust(self, key: str) -> None:
        """Factors are accepted in a step of their own."""


def play_injections(now: datetime, last_number: int, technicians: list[Person], reviewer: Person) -> int:
    """Play the past of the injected-sample analyzers; the last run number used."""
    number_ = last_number
    for k, (tag, course) in enumerate(ANALYZERS):
        instrument = Instrument.objects.select_related("area").get(tag=tag)
        for n, (days, wet, response) in enumerate(course):
            number_ += 1
            at = now - timedelta(days=days)
            made = PlayedInjections(instrument, technicians[number_ % 3], number_, at, wet=wet, response=response, seed=1700 + 50 * k + n)
            made.finish(reviewer, is_last=n == len(course) - 1)
    return number_
