"""Appending events: once, in order, chained, projected, and never half lost."""

import json
import threading
import uuid
from datetime import timedelta
from io import StringIO

from django.core.management import CommandError, call_command
from django.db import IntegrityError, connection, connections, transaction
from django.test import TransactionTestCase
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from apps.plant.models import Instrument
from apps.runs.arriving import NewEvent
from apps.runs.models import Hold, Run, RunEvent
from apps.runs.projections import project
from apps.runs.services import append_events, start_run
from apps.runs.store import CACHE, find_broken_link, load_events
from apps.runs.tests.base import GOOD, PlantClient, PlantTestCase, make_reference
from metrology.faults import Fault
from metrology.run.folding import fold


class Appending(PlantTestCase):
    def test_the_same_event_sent_twice_is_stored_once(self):
        self.prepare()
        event = {"id": str(uuid.uuid4()), "type": "reading_taken", "payload": {"step": "as_found", "slot": 0, "indicated": "4.01"}}
        body = {"expected_seq": self.seq, "events": [event]}
        first = self.post(f"runs/{self.run_id}/events/", body)
        again = self.post(f"runs/{self.run_id}/events/", body)
        self.assertEqual((first.status_code, again.status_code), (200, 200))
        self.assertEqual(first.json()["head"], again.json()["head"])
        self.assertEqual(RunEvent.objects.filter(type="reading_taken").count(), 1)

    def test_an_event_is_not_taken_for_another_of_its_number(self):
        self.prepare()
        event = {"id": str(uuid.uuid4()), "type": "note_added", "payload": {"text": "Fog"}}
        self.assertEqual(self.post(f"runs/{self.run_id}/events/", {"expected_seq": self.seq, "events": [event]}).status_code, 200)
        other = {**event, "type": "reading_taken", "payload": {"step": "as_found", "slot": 0, "indicated": "4.01"}}
        told = self.assertFailure(
            self.post(f"runs/{self.run_id}/events/", {"expected_seq": self.seq + 1, "events": [other]}), 400, "another_event"
        )
        self.assertIn("by Ines Calder", told["message"])
        other = {**event, "payload": {"text": "Frog"}}
        self.assertFailure(
            self.post(f"runs/{self.run_id}/events/", {"expected_seq": self.seq + 1, "events": [other]}), 400, "another_event"
        )
        later = {**event, "device_at": "2026-11-30T08:00:00Z"}  # sent again by a device, which says when
        self.assertEqual(self.post(f"runs/{self.run_id}/events/", {"expected_seq": self.seq + 1, "events": [later]}).status_code, 200)
        RunEvent.objects.update(asked="")  # stored before it was kept
        self.assertEqual(self.post(f"runs/{self.run_id}/events/", {"expected_seq": self.seq + 1, "events": [other]}).status_code, 200)
        self.sign_in(self.tomas)
        self.assertFailure(
            self.post(f"runs/{self.run_id}/events/", {"expected_seq": self.seq + 1, "events": [event]}), 400, "another_event"
        )

    def test_a_batch_whose_beginning_is_stored_already_goes_on_from_there(self):
        self.prepare()
        events = [
            {"id": str(uuid.uuid4()), "type": "reading_taken", "payload": {"step": "as_found", "slot": n, "indicated": GOOD[n]}}
            for n in range(4)
        ]
        body = {"expected_seq": self.seq, "events": events[:2]}
        self.assertEqual(self.post(f"runs/{self.run_id}/events/", body).status_code, 200)
        body["events"] = events
        self.assertEqual(self.post(f"runs/{self.run_id}/events/", body).status_code, 200)
        self.assertEqual(RunEvent.objects.filter(type="reading_taken").count(), 4)

    def test_a_stale_sequence_is_refused_and_says_what_happened_meanwhile(self):
        self.prepare()
        before = self.seq
        self.sign_in(self.tomas)
        self.read(["4.01"])
        self.sign_in(self.ines)
        answer = self.send(("reading_taken", {"step": "as_found", "slot": 0, "indicated": "4.02"}), seq=before)
        body = self.assertFailure(answer, 409, "stale")
        self.assertEqual(body["details"]["meanwhile"][0]["by"], "Tomas Calder")
        self.assertIn("took reading 1 (as found): 4.01", body["message"])
        self.assertEqual(RunEvent.objects.filter(type="reading_taken").count(), 1)

    def test_of_a_batch_the_events_before_the_refused_one_are_kept_and_counted(self):
        self.prepare()
        answer = self.send(
            ("reading_taken", {"step": "as_found", "slot": 0, "indicated": "4.01"}),
            ("reading_taken", {"step": "as_found", "slot": 1, "indicated": "eight"}),
            ("reading_taken", {"step": "as_found", "slot": 2, "indicated": "12.01"}),
        )
        body = self.assertFailure(answer, 400, "not_a_number")
        self.assertEqual((body["details"]["stored"], body["details"]["sent"]), (1, 3))
        self.assertEqual(RunEvent.objects.filter(type="reading_taken").count(), 1)

    def test_an_event_of_another_run_is_refused(self):
        self.prepare()
        taken = RunEvent.objects.first().event_id
        second = Instrument.objects.create(tag="PT-2", serial="S", service="S", area=self.area, unit="kPa", lrv=0, urv=1, tolerance_value=1)
        self.start(second.tag)
        body = {"expected_seq": 1, "events": [{"id": str(taken), "type": "note_added", "payload": {"text": "hello"}}]}
        self.assertFailure(self.post(f"runs/{self.run_id}/events/", body), 400, "foreign_event")

    def test_who_holds_the_view_is_sent_what_changed_and_it_adds_up_to_the_whole(self):
        self.prepare()
        held = self.get(f"runs/{self.run_id}/").json()["view"]
        answer = self._take_in_parts("4.01")
        self.assertIsNone(answer["view"])
        self.assertNotIn("instrument", answer["changed"])
        self.assertEqual({**held, **answer["changed"]}, self.get(f"runs/{self.run_id}/").json()["view"])

    def test_who_holds_a_view_that_the_server_does_not_know_any_more_is_sent_the_whole(self):
        self.prepare()
        CACHE.forget()
        answer = self._take_in_parts("4.01")
        self.assertIsNone(answer["changed"])
        self.assertEqual(answer["view"], self.get(f"runs/{self.run_id}/").json()["view"])

    def _take_in_parts(self, text):
        event = {"id": str(uuid.uuid4()), "type": "reading_taken", "payload": {"step": "as_found", "slot": 0, "indicated": text}}
        answer = self.post(f"runs/{self.run_id}/events/", {"expected_seq": self.seq, "events": [event], "parts": True})
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def test_a_second_run_on_the_instrument_is_refused_and_points_to_the_first(self):
        first = self.start()
        self.sign_in(self.tomas)
        body = self.assertFailure(self.post("runs/", {"tag": "PT-2110"}), 409, "run_open")
        self.assertEqual(body["details"]["run"], first["id"])
        self.assertIn("Ines Calder", body["message"])
        with self.assertRaises(IntegrityError), transaction.atomic():
            Run.objects.create(
                number=99, instrument=self.instrument, technician=self.ines, method="m", revision="1", started_at=timezone.now()
            )

    def test_tags_that_are_not_there_or_differ_in_case(self):
        self.assertFailure(self.post("runs/", {"tag": "XX-1"}), 404, "unknown_tag")
        body = self.assertFailure(self.post("runs/", {"tag": "pt-2110"}), 404, "differs_in_case")
        self.assertEqual(body["details"]["suggestion"], "PT-2110")

    def test_a_method_that_is_not_there_any_more_says_so(self):
        Instrument.objects.create(
            tag="AE-1", serial="S", service="S", area=self.area, unit="ppm", lrv=0, urv=5, tolerance_value=5, method="gone"
        )
        self.assertFailure(self.post("runs/", {"tag": "AE-1"}), 400, "unknown_method")

    def test_the_instrument_of_a_run_is_frozen_at_its_start(self):
        self.prepare()
        Instrument.objects.filter(pk=self.instrument.pk).update(urv=100)
        self.assertEqual(self.get(f"runs/{self.run_id}/").json()["view"]["instrument"]["range"], "0 to 400 kPa")


class ChainAndProjections(PlantTestCase):
    def test_a_whole_chain_is_verified_and_a_changed_event_is_named(self):
        self.signed_run()
        out = StringIO()
        call_command("verify_chain", stdout=out)
        self.assertIn("1 chains checked, none broken", out.getvalue())
        event = RunEvent.objects.get(seq=9)
        payload = dict(event.payload)
        payload["indicated"] = "4.00"
        RunEvent.objects.filter(pk=event.pk).update(payload=payload)
        with self.assertRaisesMessage(CommandError, "VL-000001: event 9"):
            call_command("verify_chain", stderr=StringIO())

    def test_a_missing_event_in_the_middle_and_at_the_end_is_named(self):
        self.signed_run()
        run = Run.objects.get()
        self.assertEqual(find_broken_link(run), "")
        last = run.events.order_by("-seq").first()
        RunEvent.objects.filter(pk=last.pk).delete()
        self.assertIn("events at its end are missing", find_broken_link(run))
        RunEvent.objects.filter(run=run, seq=5).delete()
        self.assertIn("event 5 is missing", find_broken_link(run))

    def test_rewriting_the_time_or_the_author_breaks_the_chain(self):
        self.signed_run()
        run = Run.objects.get()
        RunEvent.objects.filter(run=run, seq=4).update(author="tomas")
        self.assertIn("event 4", find_broken_link(run))
        RunEvent.objects.filter(run=run, seq=4).update(author="ines")
        self.assertEqual(find_broken_link(run), "")
        RunEvent.objects.filter(run=run, seq=3).update(at=timezone.now() + timedelta(days=1))
        self.assertIn("event 3", find_broken_link(run))

    def test_projections_are_rebuilt_from_the_events_alone(self):
        self.signed_run()
        run, instrument = Run.objects.values().get(), Instrument.objects.values().get(pk=self.instrument.pk)
        holds = list(Hold.objects.values("event_id", "kind", "released_at"))
        Run.objects.update(
            status="open", found_verdict="", found_error=None, closed=0, signed_at=None, ended_at=None, at_step="?", decision=""
        )
        Instrument.objects.update(next_due=None, last_done_on=None, last_found="")
        Hold.objects.all().delete()
        call_command("rebuild_projections", stdout=StringIO())
        self.assertEqual(Run.objects.values().get(), run)
        self.assertEqual(Instrument.objects.values().get(pk=self.instrument.pk), instrument)
        self.assertEqual(list(Hold.objects.values("event_id", "kind", "released_at")), holds)

    def test_signing_moves_the_due_date_by_the_interval(self):
        self.signed_run()
        self.instrument.refresh_from_db()
        self.assertEqual(self.instrument.next_due, self.instrument.last_done_on + timedelta(days=365))
        self.assertEqual(self.instrument.last_found, "pass")

    def test_what_stands_on_one_screen_is_stored_together_or_not_at_all(self):
        self.start()

        def sheet(humidity):
            told = (
                ("step_confirmed", {"step": "identity", "values": {"tag": "PT-2110", "serial": "MB-1"}}),
                ("reference_assigned", {"role": "applied", "code": "MB-P01"}),
                ("reference_assigned", {"role": "indicated", "code": "MB-I01"}),
                ("step_confirmed", {"step": "references"}),
                ("step_confirmed", {"step": "environment", "values": {"temperature": "21 C", "humidity": humidity}}),
            )
            events = [{"id": str(uuid.uuid4()), "type": kind, "payload": payload} for kind, payload in told]
            return self.post(f"runs/{self.run_id}/events/", {"expected_seq": 1, "events": events, "together": True})

        self.assertEqual(self.assertFailure(sheet("400"), 400, "out_of_range")["details"]["faults"][0]["field"], "humidity")
        self.assertEqual(RunEvent.objects.filter(run=self.run_id).count(), 1)
        self.assertEqual(sheet("40").json()["view"]["step"]["key"], "operator")

    def offered(self):
        return {o["code"]: (o["is_usual"], o["reaches"]) for o in self.get(f"runs/{self.run_id}/offers/applied/").json()}

    def test_the_only_reference_that_will_do_is_the_usual_one_once_it_was_used(self):
        self.start()
        self.assertFalse(any(usual for usual, _ in self.offered().values()))
        self.post(f"runs/{self.run_id}/void/", {"expected_seq": 1, "reason": "only to see"})
        self.signed_run()
        self.start()
        self.assertTrue(self.offered()["MB-P01"][0])
        self.assertRegex(self.offered()["MB-P01"][1], r"^TUR \d+\.\d:1$")
        self.assertEqual(self.offered()["MB-P04"], (False, ""))
        make_reference("MB-P09")  # a second that will do: which one is at hand is for a person to say
        self.assertFalse(any(usual for usual, _ in self.offered().values()))

    def test_a_device_with_another_time_is_kept_and_flagged_and_one_with_an_impossible_time_is_refused(self):
        self.start()
        now = timezone.now()

        def send(year):
            at = now.replace(year=year, month=6, day=1).isoformat()
            event = {"id": str(uuid.uuid4()), "type": "note_added", "payload": {"text": "hi"}, "device_at": at}
            answer = self.post(f"runs/{self.run_id}/events/", {"expected_seq": self.seq, "events": [event]})
            self.seq = answer.json()["view"]["seq"] if answer.status_code == 200 else self.seq
            return answer

        for year in (1999, now.year + 2):
            body = self.assertFailure(send(year), 400, "impossible_time")
            self.assertIn("set its clock and send it again", body["message"])
        for year in (2000, now.year + 1):
            self.assertEqual(send(year).status_code, 200)
        flags = self.get(f"runs/{self.run_id}/").json()["view"]["flags"]
        self.assertEqual(len([f for f in flags if f.startswith("2 events of Ines Calder came from a device whose clock was")]), 1, flags)

    def test_reading_a_run_costs_few_queries(self):
        self.signed_run()
        with CaptureQueriesContext(
            connection,
        ) as queries:
            self.get(f"runs/{self.run_id}/")
        self.assertLessEqual(len(queries), 8)  # two of them to see that it is as it was written
        for path in ("today/", "instruments/", "records/", "holds/"):
            with self.subTest(path=path), CaptureQueriesContext(connection) as queries:
                self.get(path)
            self.assertLessEqual(len(queries), 16)


class RaceForOnePlace(PlantClient, TransactionTestCase):
    """Two people append at the same moment: one is stored, the other is told."""

    def setUp(self):
        self.make_plant()

    def test_two_appends_at_once(self):
        run = start_run(actor=self.ines, instrument=self.instrument, now=timezone.now())
        barrier = threading.Barrier(2)
        results = []

        def append(person):
            barrier.wait()
            event = NewEvent(uuid.uuid4(), "note_added", {"text": f"from {person.username}"})
            try:
                append_events(actor=person, run_id=run.id, expected_seq=1, events=[event], now=timezone.now())
                results.append("stored")
            except Fault as fault:
                results.append(fault.code)
            finally:
                connections.close_all()

        threads = [threading.Thread(target=append, args=(p,)) for p in (self.ines, self.tomas)]
        for t in threads:
            t.start()
        for t in threads:
            t.join()
        self.assertEqual(sorted(results), ["stale", "stored"])
        self.assertEqual(RunEvent.objects.filter(run=run).count(), 2)
        run.refresh_from_db()
        self.assertEqual(find_broken_link(run), "")


class Rebuild(PlantTestCase):
    def test_the_exported_json_rebuilds_the_run(self):
        from datetime import datetime

        from metrology.methods.registry import get_method
        from metrology.run.events import GENESIS, Event, link
        from metrology.run.view import make_view

        signed = self.signed_run()
        document = json.loads(self.get(f"runs/{self.run_id}/export.json").content)
        self.assertEqual((document["format"], document["version"]), ("verify-loop-run", 1))
        events, previous = [], GENESIS
        for e in document["events"]:
            device = datetime.fromisoformat(e["device_at"]) if e["device_at"] else None
            event = Event(
                e["seq"], e["id"], e["type"], e["payload"], e["author"], e["author_name"], datetime.fromisoformat(e["at"]), device
            )
            previous = link(event, run_id=document["run"], previous=previous)
            self.assertEqual(previous, e["link"])
            events.append(event)
        self.assertEqual(previous, document["head"])
        view = make_view(fold(events), get_method(document["method"]), timezone.now())
        self.assertEqual(json.loads(json.dumps(view)), signed["view"])

    def test_projecting_twice_changes_nothing(self):
        self.signed_run()
        run = Run.objects.select_related("instrument__area", "technician").get()
        before = Run.objects.values().get()
        project(run, fold(load_events(run)))
        self.assertEqual(Run.objects.values().get(), before)


class Cache(PlantTestCase):
    def test_what_another_process_appended_is_seen_and_a_rewritten_past_is_not_believed(self):
        from apps.runs.store import CACHE, append_rows, load_run
        from metrology.run.events import Event

        self.prepare()
        run, known = load_run(self.run_id)
        elsewhere = Run.objects.get(pk=run.pk)  # as another process would, past this process's cache
        append_rows(elsewhere, [Event(self.seq + 1, str(uuid.uuid4()), "note_added", {"text": "hi"}, "tomas", "Tomas", timezone.now())])
        elsewhere.save()
        self.assertEqual(len(load_run(self.run_id)[1]), len(known) + 1)
        CACHE.keep(Run(id=run.id, head="f" * 64), known[:3])  # a past that does not lead to the stored head
        self.assertEqual([e.id for e in load_run(self.run_id)[1]], [e.id for e in load_run(self.run_id, fresh=True)[1]])
