"""Load Marram Bay: people, areas, instruments, references, two years of history, one run under way."""

from __future__ import annotations

import random
from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import transaction
from django.utils import timezone

from apps.accounts.models import Person, Qualification
from apps.agenda.models import WeekHours
from apps.bench.maps import load_map
from apps.evidence.taking_over import take_over
from apps.journal.anchoring import BY_HAND, make_anchor
from apps.kit.models import Buffer, GasBottle, GasFitting, Reference, Solution, Syringe, Trap
from apps.planning.making import make_round
from apps.planning.rounds import solve_round
from apps.plant.models import Area, Instrument, InstrumentChange
from apps.runs.due import ask_deferral, report_trigger
from demo.analyzer_history import play_analyzers
from demo.cell_history import play_cells
from demo.follow_ups import follow_up
from demo.functions import put_in_functions
from demo.gas_history import play_detectors
from demo.history import PlayedRun
from demo.injection_history import play_injections
from demo.kit import BOTTLES, BUFFERS, EXPLOSIVE, FITTINGS, LAB, REFERENCES, SOLUTIONS, TRACE
from demo.mixture_history import play_mixtures
from demo.plant import AREAS, MUSTS, OTHERS, PASSWORD, PEOPLE, SKILLS, TRANSMITTERS
from demo.scale_history import play_scales
from metrology.simulation.transmitter import Faults, SimulatedTransmitter

SEED = 2101
MAPS = Path(__file__).resolve().parents[2] / "bench"


class Command(BaseCommand):
    help = "Loads the demonstration plant into an empty database; does nothing when it is there already."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--quick", action="store_true", help="without history, for tests")

    def handle(self, *args: Any, **options: Any) -> None:
        if not settings.IS_DEMONSTRATION:
            raise CommandError(
                "This is not the demonstration: made-up people with a known password would be let into a real plant. Nothing was loaded. "
                "Run it with DJANGO_SETTINGS_MODULE=config.settings.demo."
            )
        if Instrument.objects.exists():
            take_over()  # one from before there was a journal
            self.stdout.write("The plant is loaded already; nothing was changed.")
            return
        with transaction.atomic():
            Loader(timezone.now(), with_history=not options["quick"]).load()
            take_over()  # what was put in many rows at a time
        make_anchor(BY_HAND)
        self.stdout.write("Marram Bay is loaded.")


class Loader:
    """Loads everything, relative to `now`."""

    def __init__(self, now: datetime, *, with_history: bool) -> None:
        self.now, self.with_history = now, with_history
        self.random = random.Random(SEED)
        self.number = 0

    def load(self) -> None:
        self.people = {u: self._person(u, first, last, role) for u, first, last, role in PEOPLE}
        self._qualify()
        self.areas = {
            code: Area.objects.create(code=code, name=name, needs_permit=permit, east_m=east, north_m=north)
            for code, name, permit, east, north in AREAS
        }
        for row in REFERENCES:
            self._reference(row)
        devices = [(self._instrument(row), faults) for row, faults in TRANSMITTERS]
        for row in OTHERS:
            self._instrument(row)
        for code, name, gases, balance, oxygen, litres, used, days in BOTTLES:
            GasBottle.objects.create(
                code=code,
                name=name,
                gases=gases,
                balance=balance,
                oxygen=oxygen,
                litres=litres,
                litres_drawn=used,
                expires_on=self.now.date() + timedelta(days=days),
                certificate=f"TG-{self.random.randint(20000, 99999)}",
                laboratory=LAB,
                is_declared=code in EXPLOSIVE,
            )
        for row in FITTINGS:
            GasFitting.objects.create(**row)
        for code, ph, table, lot, opened, expires in BUFFERS:
            Buffer.objects.create(
                code=code,
                ph=ph,
                table=table,
                lot=lot,
                litres=1,
                opened_on=self.now.date() - timedelta(days=opened) if opened else None,
                expires_on=self.now.date() + timedelta(days=expires),
            )
        today = timezone.localdate()
        Syringe.objects.create(
            code="MB-Y01",
            name="Gas-tight, 1 ml",
            serial="Y-118",
            opened_on=today - timedelta(days=90),
            expires_on=today + timedelta(days=640),
        )
        for code, days, is_capped in (("MB-X01", 20, True), ("MB-X02", 12, False)):
            Trap.objects.create(
                code=code, name="Carbon dioxide, soda lime", opened_on=today - timedelta(days=days), open_days=180, is_capped=is_capped,
                expires_on=today + timedelta(days=400),
            )  # fmt: skip
        for code, value, table, u, points, lot, opened, expires in SOLUTIONS:
            Solution.objects.create(
                code=code,
                us_cm=value,
                table=table,
                u_percent=u,
                points=points,
                lot=lot,
                litres=1,
                opened_on=self.now.date() - timedelta(days=opened) if opened else None,
                expires_on=self.now.date() + timedelta(days=expires),
            )
        for path in sorted(MAPS.glob("*.json")):
            if path.name != "world.json":
                load_map(path)
        WeekHours.objects.create(week=None, hours=3, by=self.people["ruben"], at=self.now)
        put_in_functions(self.now, self.people["ruben"])
        if self.with_history:
            runs = sorted(self._schedule(devices), key=lambda r: r[0])
            for at, instrument, device, is_last in runs:
                self._play(at, instrument, device, is_last=is_last)
            self._under_way(devices[3][0])
            self._plan()
            technicians = [self.people[u] for u in ("ines", "tomas", "oda")]
            for play in (play_analyzers, play_cells, play_detectors, play_mixtures, play_injections, play_scales):
                self.number = play(self.now, self.number, technicians, self.people["marta"])
            follow_up(self.now, self.people["ines"], self.people["marta"])
            yesterday = timezone.localdate(self.now) - timedelta(days=1)
            GasFitting.objects.exclude(stays_on="").update(purged_on=yesterday)  # purged anew, after it had been off for its test

    def _plan(self) -> None:
        """A round for tomorrow, and what happened since."""
        day = timezone.localdate(self.now) + timedelta(days=1)
        crew = [{"username": u, "start": "07:30", "end": "15:30"} for u in ("ines", "tomas", "oda")]
        permits = [{"area": code, "start": "08:00", "end": "15:00"} for code, area in self.areas.items() if area.needs_permit]
        asked = {"name": "Morning round", "day": day.isoformat(), "crew": crew, "permits": permits, "musts": MUSTS}
        made = make_round(actor=self.people["ruben"], data=asked, now=self.now)
        solve_round(made.id, "draft", 0, 3.0)
        moved = Instrument.objects.get(tag="AE-3001")
        report_trigger(actor=self.people["oda"], instrument=moved, kind="power-down", note="breaker of the storage hall", now=self.now)
        late = Instrument.objects.get(tag="PT-1102")
        until = (timezone.localdate(self.now) + timedelta(days=30)).isoformat()
        why = "Pump B stands still until the shutdown; pump A is watched"
        ask_deferral(actor=self.people["ruben"], instrument=late, until=until, reason=why, now=self.now)

    def _person(self, username: str, first: str, last: str, role: str) -> Person:
        return Person.objects.create_user(username, password=PASSWORD, first_name=first, last_name=last, role=role)

    def _qualify(self) -> None:
        """What people may do, given by the administrator; one ends soon."""
        today, at = timezone.localdate(self.now), self.now - timedelta(days=200)
        for n, (username, name, days) in enumerate(SKILLS):
            until = today + timedelta(days=days) if days else None
            Qualification.objects.create(
                person=self.people[username], name=name, until=until, proof=f"HR-{2100 + n}", given_at=at,
                given_by=self.people["holt"],
            )  # fmt: skip

    def _reference(self, row: dict[str, Any]) -> None:
        data = dict(row)
        due = self.now.date() + timedelta(days=data.pop("days_to_due"))
        code = data["code"]
        Reference.objects.create(
            **data,
            serial=f"{code.replace('-', '')}-{self.random.randint(1000, 9999)}",
            calibrated_on=due - timedelta(days=365),
            due_on=due,
            certificate=f"TP-{self.random.randint(20000, 99999)}",
            laboratory=LAB,
            traceability=TRACE,
        )

    def _instrument(self, row: dict[str, Any]) -> Instrument:
        data = {**row, "area": self.areas[row["area"]]}
        due = self.now.date() + timedelta(days=self.random.randint(-20, 200))
        instrument = Instrument.objects.create(**data, serial=f"MB-{self.random.randint(10000, 99999)}", next_due=due)
        InstrumentChange.objects.create(
            instrument=instrument, at=self.now - timedelta(days=800), by=self.people["ruben"], reason="Added at commissioning"
        )
        return instrument

    def _schedule(self, devices: list[tuple[Instrument, Faults]]) -> list[tuple[datetime, Instrument, SimulatedTransmitter, bool]]:
        """When each transmitter was calibrated over the last two years; the last two in the list have no history yet."""
        out = []
        for n, (instrument, faults) in enumerate(devices[:-2]):
            i = instrument.setup()
            device = SimulatedTransmitter(i.lrv, i.urv, transfer=i.transfer, faults=faults, noise=0.006, seed=SEED + n, lag_s=0.4)
            # The latest calibration is placed so that some are overdue now, some due soon, some not for long.
            since = instrument.interval_days + (-150, 12, -9, 3, -22, -80, 1, -4, 25, -300, -14, -60, 6, -120, -200)[n % 15]
            first = since + instrument.interval_days * max(1, (730 - since) // instrument.interval_days)
            days = list(range(first, since - 1, -instrument.interval_days))
            for d in days:
                at = (self.now - timedelta(days=d)).replace(hour=8 + n % 7, minute=(7 * n) % 60, second=0, microsecond=0)
                out.append((at, instrument, device, d == days[-1]))
        return out

    def _play(self, at: datetime, instrument: Instrument, device: SimulatedTransmitter, *, is_last: bool) -> None:
        technicians = [self.people[u] for u in ("ines", "tomas", "oda")]
        device.pass_days(instrument.interval_days)
        self.number += 1
        played = PlayedRun(
            instrument, device, technician=technicians[self.number % 3], number_=self.number, at=at, refs=self._refs(instrument)
        )
        played.prepare()
        played.finish()
        reviewer = self.people["marta"]
        if not is_last or self.number % 4:
            played.do("reviewed", after_s=86400, by=reviewer, note="")
        elif self.number % 8 == 0:
            played.do("returned", after_s=86400, by=reviewer, reason="Say which manifold valve was passing.")
        played.store()

    def _refs(self, instrument: Instrument) -> tuple[str, str]:
        if instrument.unit == "bar":
            return "MB-P03", "MB-I01"
        return ("MB-P02" if max(abs(instrument.lrv), abs(instrument.urv)) <= 100 else "MB-P01"), "MB-I01"

    def _under_way(self, instrument: Instrument) -> None:
        """A colleague's run with its hold past the planned end."""
        self.number += 1
        i = instrument.setup()
        device = SimulatedTransmitter(i.lrv, i.urv, transfer=i.transfer, faults=replace(Faults(), zero=0.2), seed=SEED)
        played = PlayedRun(
            instrument,
            device,
            technician=self.people["tomas"],
            number_=self.number,
            at=self.now - timedelta(minutes=75),
            refs=self._refs(instrument),
        )
        played.prepare(hold_minutes=45)
        played.take("as_found", only=3)
        played.store()
