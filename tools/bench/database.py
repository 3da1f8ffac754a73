"""The large database: 50,000 instruments, 200,000 finished runs, 1,000,000 events, and one run of 500 events."""

from __future__ import annotations

import io
import json
import time
import uuid
import zipfile
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.core.handlers.wsgi import WSGIHandler
from django.core.management import call_command
from django.db import connection, transaction
from django.test import Client, RequestFactory
from django.utils import timezone

from apps.accounts.models import Person
from apps.accounts.sessions import BACKEND
from apps.plant.imports import start_import, undo_import, write_import
from apps.plant.models import Area, ImportBatch, Instrument
from apps.plant.sheets import read_table
from apps.runs.arriving import NewEvent
from apps.runs.models import Run, RunEvent
from apps.runs.projections import next_number
from apps.runs.services import append_events, start_run
from apps.runs.store import load_events
from metrology.faults import Fault

INSTRUMENTS, RUNS, EVENTS_EACH = 50_000, 200_000, 5
BATCH = 5_000
IMPORTED = 20_000


TOKEN = "b" * 32  # against foreign pages: the same in the cookie and in the header


class Environs(RequestFactory):
    """Makes what a server is handed of a request, and asks nobody."""

    def request(self, **request: Any) -> dict[str, Any]:  # type: ignore[override]
        """The request as a server hands it on."""
        return self._base_environ(**request)


class Bench:
    """Fills the database once and offers the acts that are measured."""

    def fill(self) -> None:
        call_command("migrate", verbosity=0)
        if not Instrument.objects.exists():
            call_command("load_demo")
        self.person = Person.objects.get(username="ines")
        if Instrument.objects.count() < INSTRUMENTS:
            print("Filling the large database (once, a few minutes)…", flush=True)
            self._instruments()
            self._runs()
            with connection.cursor() as cursor:
                cursor.execute("ANALYZE")
        self._long_run()
        self.server, self.client = WSGIHandler(), Environs(HTTP_X_CSRFTOKEN=TOKEN)
        signed_in = Client()
        signed_in.force_login(self.person, backend=BACKEND)
        self.client.cookies = signed_in.cookies
        self.client.cookies[settings.CSRF_COOKIE_NAME] = TOKEN
        self.certified = Run.objects.filter(status="accepted", number__lt=40).order_by("number").first()

    def _instruments(self) -> None:
        areas = list(Area.objects.all())
        today = timezone.localdate()
        made = INSTRUMENTS - Instrument.objects.count()
        first = 100_000 + Instrument.objects.filter(serial__startswith="B-").count()  # an earlier filling may have been stopped
        rows = [
            Instrument(
                tag=f"PT-{first + n}",
                serial=f"B-{n}",
                service=f"Line {n % 977} pressure",
                area=areas[n % len(areas)],
                family="transmitter",
                method="tx-multipoint",
                unit="kPa",
                lrv=0,
                urv=400,
                tolerance_value=0.5,
                next_due=today + timedelta(days=n % 400 - 20),
                last_done_on=today,
                last_found="pass",
            )
            for n in range(made)
        ]
        for row in rows:
            row.fold()
        Instrument.objects.bulk_create(rows, batch_size=BATCH)

    def _runs(self) -> None:
        now = timezone.now()
        ids = list(Instrument.objects.filter(tag__startswith="PT-1").values_list("id", flat=True))
        start = next_number()
        for first in range(0, RUNS, BATCH):
            runs = [self._run(start + n, ids[n % len(ids)], now - timedelta(minutes=n)) for n in range(first, first + BATCH)]
            events = [
                RunEvent(
                    run_id=r.id,
                    seq=s,
                    event_id=uuid.uuid4(),
                    type="note_added",
                    payload={"text": "a note of ordinary length, as people write them"},
                    author="ines",
                    author_name="Ines Calder",
                    at=r.started_at,
                    previous="0" * 64,
                    link=uuid.uuid4().hex * 2,
                )
                for r in runs
                for s in range(1, EVENTS_EACH + 1)
            ]
            with transaction.atomic():
                Run.objects.bulk_create(runs)
                RunEvent.objects.bulk_create(events, batch_size=BATCH)

    def _run(self, number: int, instrument_id: int, at: Any) -> Run:
        return Run(
            number=number,
            instrument_id=instrument_id,
            technician=self.person,
            method="tx-multipoint",
            revision="1",
            status="accepted",
            started_at=at,
            signed_at=at,
            ended_at=at,
            closed=1.0,
            found_verdict="pass",
            left_verdict="pass",
            found_error=0.1,
            left_error=0.1,
            events_count=EVENTS_EACH,
            head="0" * 64,
            decision="leave",
        )

    def _long_run(self) -> None:
        """A run at its as-found points with 500 events, most of them notes."""
        instrument = (
            Instrument.objects.filter(tag__startswith="PT-1", runs__status="accepted").exclude(runs__status="open").order_by("?").first()
        )
        assert instrument is not None
        run = start_run(actor=self.person, instrument=instrument, now=timezone.now())
        self.run_id, self.seq = run.id, 1
        self._send("step_confirmed", step="identity", values={"tag": instrument.tag, "serial": instrument.serial})
        self._send("reference_assigned", role="applied", code="MB-P01")
        self._send("reference_assigned", role="indicated", code="MB-I01")
        self._send("step_confirmed", step="references")
        self._send("step_confirmed", step="environment", values={"temperature": "20"})
        self._send("step_confirmed", step="operator", values={"operator": "Control room", "permit": "P-1"})
        self._send("hold_placed", step="hold", kind="none", reason="measuring")
        self._send("step_confirmed", step="cautions", checks=["isolated", "safe", "untouched"])
        notes = [NewEvent(uuid.uuid4(), "note_added", {"text": f"note {n}"}) for n in range(500 - self.seq - 2)]
        for first in range(0, len(notes), 200):
            self._append(notes[first : first + 200])
        self._send("reading_taken", step="as_found", slot=0, indicated="4.003")
        self._send("reading_taken", step="as_found", slot=1, indicated="8.003")
        self.run_length = self.seq

    def _append(self, events: list[NewEvent]) -> None:
        _, state = append_events(actor=self.person, run_id=self.run_id, expected_seq=self.seq, events=events, now=timezone.now())
        self.seq = state.seq

    def _send(self, event_type: str, /, **payload: Any) -> None:
        self._append([NewEvent(uuid.uuid4(), event_type, payload)])

    def strike_reading(self) -> None:
        """Make room for the next measured reading."""
        run = Run.objects.get(pk=self.run_id)
        taken = [e for e in load_events(run) if e.type == "reading_taken"][-1]
        self._send("reading_struck", reading=taken.id, reason="measuring")
        self.view()  # the page holds the view before the reading, as a technician's does

    def append_reading(self) -> None:
        event = {"id": str(uuid.uuid4()), "type": "reading_taken", "payload": {"step": "as_found", "slot": 1, "indicated": "8.003"}}
        self._ask("POST", f"runs/{self.run_id}/events/", {"expected_seq": self.seq, "events": [event], "parts": True})
        self.seq += 1

    def _get(self, path: str) -> None:
        self._ask("GET", path)

    def _ask(self, method: str, path: str, body: dict[str, Any] | None = None) -> None:
        """What the server does for a request, to the last byte of its answer; the bench's own browser is not counted."""
        request = self.client.generic(method, f"/api/v1/{path}", json.dumps(body or {}), content_type="application/json")
        ended: list[str] = []
        answer = b"".join(self.server(request, lambda status, _: ended.append(status)))
        assert ended == ["200 OK"], answer[:300]

    def today(self) -> None:
        self._get("today/")

    def view(self) -> None:
        self._get(f"runs/{self.run_id}/")

    def record(self) -> None:
        assert self.certified is not None
        self._get(f"runs/{self.certified.id}/")

    def certificate(self) -> None:
        assert self.certified is not None
        self._get(f"runs/{self.certified.id}/certificate.pdf")

    def search(self) -> None:
        self._get("instruments/?search=1234")

    def search_service(self) -> None:
        self._get("instruments/?search=line 123 pre")

    def due_list(self) -> None:
        self._get("due/?days=30")

    def import_file(self) -> tuple[float, float, float]:
        """Seconds to preview, write and take back a file of 20,000 new instruments."""
        planner = Person.objects.get(username="ruben")
        head = "Tag,Serial,Service,Area,Unit,LRV,URV,Tolerance,Tolerance basis,Interval,Test points,Cautions"
        lines = [f"XT-{n},S{n},Service of {n},RO,kPa,0,{100 + n},0.5,span,365,0 25 50 75 100,hot" for n in range(IMPORTED)]
        data = "\n".join([head, *lines]).encode()
        settings.BACKGROUND_INLINE = True
        times = [time.perf_counter()]
        batch = start_import(actor=planner, name="bench.csv", data=data, now=timezone.now())
        times.append(time.perf_counter())
        write_import(actor=planner, batch_id=batch.id)
        times.append(time.perf_counter())
        undo_import(actor=planner, batch_id=batch.id)
        times.append(time.perf_counter())
        batch.delete()
        return times[1] - times[0], times[2] - times[1], times[3] - times[2]

    def pages_meanwhile(self) -> tuple[list[float], float]:
        """Milliseconds of others' pages while 20,000 rows are read beside them, and how long the reading took then."""
        planner = Person.objects.get(username="ruben")
        head = "Tag,Serial,Service,Area,Unit,LRV,URV,Tolerance"
        data = "\n".join([head, *(f"YT-{n},S{n},Service of {n},RO,kPa,0,{100 + n},0.5" for n in range(IMPORTED))]).encode()
        settings.BACKGROUND_INLINE = False
        start = time.perf_counter()
        batch = start_import(actor=planner, name="beside.csv", data=data, now=timezone.now())
        taken = []
        while ImportBatch.objects.get(pk=batch.pk).status == "reading":
            before = time.perf_counter()
            self._get("instruments/?search=")
            taken.append(1000 * (time.perf_counter() - before))
            time.sleep(0.2)
        settings.BACKGROUND_INLINE = True
        whole = time.perf_counter() - start
        ImportBatch.objects.filter(pk=batch.pk).delete()
        return taken, whole

    def crafted_workbook(self) -> float:
        """Seconds until a workbook that unpacks to gigabytes is refused."""
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as book, book.open("xl/worksheets/sheet1.xml", "w", force_zip64=True) as part:
            for _ in range(300):
                part.write(b" " * 2**20)
        start = time.perf_counter()
        try:
            read_table("crafted.xlsx", out.getvalue())
        except Fault:
            return time.perf_counter() - start
        raise AssertionError("the workbook was read")

    def plant_list(self) -> None:
        self._get("instruments/")

    def year(self) -> None:
        self._get("year/")

    def records(self) -> None:
        self._get("records/")

    def size(self) -> str:
        return (
            f"Database: {Instrument.objects.count():,} instruments, {Run.objects.count():,} runs, {RunEvent.objects.count():,} events, "
            "synchronous=FULL."
        )
