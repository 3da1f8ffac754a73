"""The past of pH analyzers and the belt weigher: electrodes that age, a belt that gathers salt and got a new splice."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

from apps.accounts.models import Person
from apps.kit.models import Reference
from apps.plant.models import Instrument
from apps.runs.services import snapshot
from demo.played import Played
from metrology.methods.steps import Step
from metrology.quantities.acidity import theoretical_slope
from metrology.quantities.words import number
from metrology.run.progress import current_slot, passes_of

COMMON = {"operator": "Control room", "temperature": "18", "reading": "7.1", "permit": "P-4711"}

# tag, buffers, temperature of the buffers, (days ago, slope %, offset mV) of each calibration
ELECTRODES: tuple[tuple[str, tuple[str, str], float, tuple[tuple[int, float, float], ...]], ...] = (
    (
        "AIT-1401", ("MB-B02", "MB-B01"), 16.0,
        ((236, 99.0, -1.5), (201, 98.4, 0.4), (168, 97.6, 2.3), (133, 96.9, 4.6), (98, 95.8, 6.4), (62, 95.0, 8.2), (27, 94.1, 9.9)),
    ),
    ("AIT-3401", ("MB-B02", "MB-B03"), 20.0, ((152, 98.6, -4.0), (118, 98.7, -3.2), (86, 98.3, -3.6), (49, 98.4, -2.9), (16, 98.2, -3.1))),
)  # fmt: skip
# days ago, zero count: salt builds up, then a new splice, then salt again
BELT = ((395, 48_420), (340, 48_452), (288, 48_481), (231, 48_516), (178, 48_544), (121, 48_980), (66, 49_009), (24, 49_037))
SPAN_COUNT, TURNS = 138_420, 15
BOTTLES = {"MB-B01": 4.005, "MB-B02": 6.865, "MB-B03": 9.18}  # used up by now


class PlayedAnalyzer(Played):
    """One calibration of a pH analyzer whose electrode has a slope in % and an offset in mV. shown: the calibration it reckons with."""

    values = COMMON | {"new_serial": "E-1", "work": "Aged glass"}

    def __init__(
        self, instrument: Instrument, person: Person, number_: int, at: datetime, *, buffers: tuple[str, str], temp_c: float, slope: float,
        offset: float, shown: tuple[float, float], seed: int,
    ) -> None:  # fmt: skip
        super().__init__(instrument, person, number_, at, kind="ph", seed=seed)
        self.buffers, self.temp_c, self.slope, self.offset, self.shown = buffers, temp_c, slope, offset, shown

    def choose(self, proposed: str, step: Step) -> str:
        """Adjusted once, then left."""
        return "leave" if step.phase == "as left" else "adjust"

    def confirm(self, step: Step) -> None:
        """Buffers as they were then: in date, with portions enough."""
        for f, code in zip((f for f in step.fields if f.kind == "item"), self.buffers, strict=False):
            good = (self.now.date() + timedelta(days=200)).isoformat()
            item = {
                "code": code, "name": f"Buffer pH {BOTTLES[code]:g}", "ph": BOTTLES[code], "table": "nist", "points": [], "opened_on": "",
                "lot": f"T-{self.now:%y%m}", "expires_on": good, "good_until": good, "open_days": 90, "portions_left": 8.0, "portion_ml": 100.0,
                "u_ph": 0.02, "certificate": f"TB-{self.now:%y%m}", "state": "in service",
            }  # fmt: skip
            self.do("standard_assigned", role=f.name, item=item)
        super().confirm(step)

    def answers(self, step: Step) -> dict[str, str]:
        """The temperature in the beaker and the calibration it shows."""
        own = {"buffer_c": number(self.temp_c, 1), "slope_now": number(self.shown[0], 1), "offset_now": number(self.shown[1], 1)}
        return super().answers(step) | {f.name: own[f.name] for f in step.fields if f.name in own}

    def _reads(self, ph: float) -> tuple[float, float]:
        theory = abs(theoretical_slope(self.temp_c))
        mv = self.offset - self.slope / 100 * theory * (ph - 7.0) + self.rng.gauss(0, 0.05)
        return mv, 7.0 - (mv - self.shown[1]) / (self.shown[0] / 100 * theory)

    def read(self, key: str) -> None:
        """Both buffers."""
        for slot in self.method.plan(self.state.setup, key):
            mv, ph = self._reads(slot.nominal)
            seconds = f"{20 + 2.5 * (100 - self.slope) + self.rng.uniform(0, 4):.0f}"
            self.do("reading_taken", step=key, slot=slot.index, indicated=number(ph, 2), mv=number(mv, 1), response_s=seconds)

    def adjust(self, key: str) -> None:
        """Offset and slope accepted: from then on it reckons with the electrode as it is."""
        while True:
            made = passes_of(self.state, key)
            screw = self.method.adjusting.progress(self.state.setup, made, "adjust").next_screw
            if not screw:
                break
            target = next(t for t in self.method.adjusting.targets(self.state.setup, "adjust") if t.screw == screw)
            before = self._reads(target.ideal)[1]
            self.do("adjustment_made", step=key, screw=screw, before=number(before, 2), after=number(target.ideal, 2))
        self.shown = (self.slope, self.offset)
        self.do("step_confirmed", step=key)


class PlayedBelt(Played):
    """One calibration of the belt weigher at a zero count."""

    values = COMMON | {
        "first": "no", "clear": "Tomas Wick", "locks": "Ines Calder, Tomas Wick", "weights_stored": "2", "material": "no", "cause": "belt",
        "work": "Belt spliced anew by maintenance, idlers aligned", "reading": "0",
    }  # fmt: skip

    def __init__(self, instrument: Instrument, person: Person, number_: int, at: datetime, *, zero: int, stored: int, seed: int) -> None:
        super().__init__(instrument, person, number_, at, kind="belt", seed=seed)
        self.zero, self.stored = zero, stored

    def choose(self, proposed: str, step: Step) -> str:
        """As proposed while it is as found; then left."""
        return "leave" if step.phase == "as left" else proposed

    def answers(self, step: Step) -> dict[str, str]:
        """The counts it holds, or the ones that are accepted."""
        own = {"zero_now": str(self.stored), "span_now": str(SPAN_COUNT)}
        if step.key.startswith("accept"):
            own = {"zero_now": str(self.zero), "span_now": str(SPAN_COUNT)}
        return super().answers(step) | {f.name: own[f.name] for f in step.fields if f.name in own}

    def confirm(self, step: Step) -> None:
        """The weights, where they are asked for."""
        for f in step.fields:
            if f.kind == "reference":
                weights = snapshot("MB-W04") | {"due_on": (self.now.date() + timedelta(days=200)).isoformat()}
                self.do("reference_assigned", role=f.name, reference=weights)
        super().confirm(step)

    def read(self, key: str) -> None:
        """Tests until the set is complete."""
        while (slot := current_slot(self.state, self.method, key)) is not None:
            zero = slot.extra["test"] == "zero"
            count = (self.zero if zero else SPAN_COUNT) + self.rng.gauss(0, 5)
            payload: dict[str, Any] = {
                "indicated": number(count, 0),
                **({} if zero else {"total": number(45_000 + self.rng.gauss(0, 40), 0)}),
            }
            self.do("reading_taken", step=key, slot=slot.index, applied=str(TURNS), **payload)

    def adjust(self, key: str) -> None:
        """Counts are accepted in steps of their own."""


def play_analyzers(now: datetime, last_number: int, technicians: list[Person], reviewer: Person) -> int:
    """Play the past of the analyzers and of the belt; the last run number used."""
    number_ = last_number
    for k, (tag, buffers, temp_c, course) in enumerate(ELECTRODES):
        instrument = Instrument.objects.select_related("area").get(tag=tag)
        shown = (99.4, -2.0)
        for n, (days, slope, offset) in enumerate(course):
            number_ += 1
            made = PlayedAnalyzer(
                instrument, technicians[number_ % 3], number_, now - timedelta(days=days), buffers=buffers, temp_c=temp_c, slope=slope,
                offset=offset, shown=shown, seed=500 * k + n,
            )  # fmt: skip
            made.finish(reviewer, is_last=n == len(course) - 1)
            shown = made.shown
    belt = Instrument.objects.select_related("area").get(tag="WT-4401")
    if Reference.objects.filter(code="MB-W04").exists():
        stored = BELT[0][1]
        for n, (days, zero) in enumerate(BELT):
            number_ += 1
            played = PlayedBelt(belt, technicians[number_ % 3], number_, now - timedelta(days=days), zero=zero, stored=stored, seed=900 + n)
            played.finish(reviewer, is_last=n == len(BELT) - 1)
            stored = zero if played.run.decision in ("adjust", "cause") or abs(zero - stored) > 40 else stored
    return number_
