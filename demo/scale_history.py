"""The past of scales and flow meters: a silo that a leg binds, a hopper, a zero that a leak was taken for, a meter whose electrode coats."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any

from apps.accounts.models import Person
from apps.kit.models import Reference
from apps.plant.models import Instrument
from apps.runs.services import snapshot
from demo.played import Played
from metrology.methods.steps import Step
from metrology.run.progress import current_slot

Told = Mapping[str, Any]
COMMON = {
    "operator": "Control room", "permit": "P-4711", "clear": "Tomas Wick", "locks": "Ines Calder, Tomas Wick", "work": "Freed the vent pipe's joint",
    "reason": "Isolator Q12", "support_test": "no", "creep_test": "no", "can_fill": "yes", "way": "weights",
}  # fmt: skip
INDICATOR = {
    "p_zero": "0.3640",
    "p_span": "1.5772",
    "p_max": "40000",
    "p_division": "20",
    "weights_kg": "10000",
    "weights_stored": "10000",
    "reading": "21400",
}
FREE = {
    f"{what}_{n}": text
    for n, (a, b) in enumerate((("0.3638", "0.6670"), ("0.3642", "0.6681"), ("0.3640", "0.6674")), 1)
    for what, text in (("empty", a), ("loaded", b))
}
BOUND = FREE | {"loaded_3": "0.5950", "support_test": "yes"}

# days ago, what it shows over its load at 10 t and empty, what is answered otherwise
SILO: tuple[tuple[int, float, float, Told], ...] = (
    (1130, 0.0, 0.0, {}), (768, 0.0, 20.0, {}), (404, -120.0, 20.0, BOUND), (39, 0.0, 20.0, {"support_test": "yes", **FREE}),
)  # fmt: skip
HOPPER = ((720, 0.00), (540, 0.02), (361, 0.02), (182, 0.04), (20, 0.04))
# days ago, zero stored, what it shows with the valves shut, and after a second one was shut
ZEROS: tuple[tuple[int, float, float, float | None], ...] = (
    (730, 0.2, 0.3, None),
    (548, 0.2, 0.5, None),
    (366, 0.2, 6.4, 0.4),
    (181, 0.2, 0.6, None),
    (33, 0.2, 0.7, None),
)
# days ago, electrode A, electrode B, kohm
ELECTRODES = {
    "FIT-2301": ((735, 11.4, 11.6), (370, 11.7, 11.5), (8, 11.9, 11.8)),
    "FIT-2302": ((741, 11.6, 11.4), (375, 14.9, 11.7), (12, 18.9, 12.0)),
}


class PlayedScale(Played):
    """A run on a scale: `over` what it shows over its load at `at` kg, `empty` what it shows empty."""

    values = COMMON

    def __init__(
        self,
        i: Instrument,
        person: Person,
        number: int,
        at: datetime,
        told: Told,
        *,
        kit: str,
        over: float,
        empty: float,
        full: float,
        seed: int,
    ) -> None:
        super().__init__(i, person, number, at, kind="scale", seed=seed)
        self.values = {**COMMON, **told}
        self.kit, self.over, self.empty, self.full = kit, over, empty, full

    def confirm(self, step: Step) -> None:
        """The weights, where they are asked for."""
        for f in step.fields:
            if f.kind == "reference":
                good = {"due_on": (self.now.date() + timedelta(days=200)).isoformat()}
                self.do("reference_assigned", role=f.name, reference=snapshot(self.kit) | good)
        if step.key.startswith("repair"):
            self.over = 0.0
        super().confirm(step)

    def read(self, key: str) -> None:
        """Empty, loads, empty: as far off as the load is heavy."""
        while (slot := current_slot(self.state, self.method, key)) is not None:
            shown = slot.nominal + self.empty + self.over * slot.nominal / self.full
            on: dict[str, Any] = {"applied": f"{slot.nominal:g}"} if slot.extra["kind"] == "load" else {}
            self.do("reading_taken", step=key, slot=slot.index, indicated=f"{shown:.{2 if self.full < 1000 else 0}f}", **on)

    def adjust(self, key: str) -> None:
        """Parameters are sent in steps of their own."""


class PlayedZero(Played):
    """A zero with the flow blocked; `again`: what it showed after a second valve was shut."""

    def __init__(
        self, i: Instrument, person: Person, number: int, at: datetime, *, stored: float, flow: float, again: float | None, seed: int
    ) -> None:
        super().__init__(i, person, number, at, kind="zero", seed=seed)
        self.flow, self.again = flow, again
        self.values = COMMON | {
            "zero_now": f"{stored:g}", "severe": "no", "temp_c": "-20", "flow_before": "5900", "full": "yes", "flashing": "no", "second_valve": "yes",
            "found": "Downstream valve passed", "reading": "5900",
        }  # fmt: skip

    def confirm(self, step: Step) -> None:
        """With a second valve shut the leak is gone."""
        super().confirm(step)
        if step.key.startswith("recheck") and self.again is not None:
            self.flow = self.again

    def read(self, key: str) -> None:
        """Readings over the window."""
        ends: dict[str, Any] = {"density": "1030.4", "drive": "4.2", "temp": "-20.1"}
        while (slot := current_slot(self.state, self.method, key)) is not None:
            more = ends if slot.percent in (0.0, 100.0) else {}
            self.do(
                "reading_taken",
                step=key,
                slot=slot.index,
                indicated=f"{self.flow + self.rng.gauss(0, 0.12):.3f}",
                confirmed=["indicated"],
                **more,
            )

    def adjust(self, key: str) -> None:
        """A new zero is set in a step of its own."""


class PlayedMeter(Played):
    """The electronics of a magnetic meter with two electrode resistances, kohm."""

    def __init__(self, i: Instrument, person: Person, number: int, at: datetime, *, a: float, b: float, seed: int) -> None:
        super().__init__(i, person, number, at, kind="magnetic", seed=seed)
        self.electrodes = {"electrode_a": a, "electrode_b": b}
        self.values = COMMON | {
            "fluid": "Reverse osmosis water", "conductivity": "480", "pipe": "Steel, rubber lining", "flow_before": "322", "status_seen": "yes",
            "empty_seen": "yes", "coil_again": "82.2", "flow_again": "320", "alarm_again": "no", "reading": "321",
            **{f"do_{g}": "yes" for g in ("electrodes", "signal", "current", "pulse", "status", "empty")},
        }  # fmt: skip

    def confirm(self, step: Step) -> None:
        """The milliammeter as it was then."""
        for f in step.fields:
            if f.kind == "reference":
                good = {"due_on": (self.now.date() + timedelta(days=200)).isoformat()}
                self.do("reference_assigned", role=f.name, reference=snapshot("MB-I01") | good)
        super().confirm(step)

    def read(self, key: str) -> None:
        """Row by row, as its electronics are."""
        while (slot := current_slot(self.state, self.method, key)) is not None:
            row = slot.extra["row"]
            value = self.electrodes.get(row) or (450.0 if row == "insulation" else slot.nominal * (1 + self.rng.gauss(0, 0.0004)))
            self.do("reading_taken", step=key, slot=slot.index, indicated=f"{value:.5g}", confirmed=["indicated"])

    def adjust(self, key: str) -> None:
        """Nothing is turned."""


def play_scales(now: datetime, last_number: int, technicians: list[Person], reviewer: Person) -> int:
    """Play the past of scales and flow meters; the last run number used."""
    made: list[tuple[type[Played], str, list[tuple[int, dict[str, Any]]]]] = []
    if Reference.objects.filter(code="MB-W05").exists():
        silo = [
            (d, {"told": INDICATOR | dict(told), "kit": "MB-W05", "over": over, "empty": empty, "full": 10_000.0})
            for d, over, empty, told in SILO
        ]
        hopper = [
            (
                d,
                {
                    "told": {"factor_found": "1.0004", "lock_found": "locked", "reading": "0"},
                    "kit": "MB-W06",
                    "over": over,
                    "empty": 0.0,
                    "full": 50.0,
                },
            )
            for d, over in HOPPER
        ]
        made += [(PlayedScale, "WT-3301", silo), (PlayedScale, "WT-4402", hopper)]
    made.append((PlayedZero, "FIT-5401", [(d, {"stored": s, "flow": f, "again": again}) for d, s, f, again in ZEROS]))
    made += [(PlayedMeter, tag, [(d, {"a": a, "b": b}) for d, a, b in course]) for tag, course in ELECTRODES.items()]
    number = last_number
    for k, (kind, tag, course) in enumerate(made):
        instrument = Instrument.objects.select_related("area").get(tag=tag)
        for n, (days, given) in enumerate(course):
            number += 1
            kind(instrument, technicians[number % 3], number, now - timedelta(days=days), seed=1300 + 20 * k + n, **given).finish(
                reviewer, is_last=n == len(course) - 1
            )
    return number
