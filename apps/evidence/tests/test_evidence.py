"""Tampering seen, anchors and proofs checked without the product, backups made and put back."""

import io
import json
import os
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import uuid
import zipfile
from contextlib import redirect_stdout
from datetime import timedelta
from pathlib import Path
from unittest.mock import patch

from django.conf import settings
from django.core import mail
from django.core.management import CommandError, call_command
from django.db import connection
from django.test import TransactionTestCase, override_settings
from django.utils import timezone
from pypdf import PdfReader

from apps.bench.hub import HUB
from apps.evidence import checking
from apps.evidence.backup import is_overdue, make_backup
from apps.evidence.models import Backup
from apps.evidence.restoring import restore
from apps.evidence.taking_over import take_over
from apps.evidence.watch import Clock, do_what_is_due
from apps.journal import keys, verify
from apps.journal.anchoring import BY_DAY, BY_HAND, BY_SIGNATURE, make_anchor
from apps.journal.anchoring import keys as keys_of_journal
from apps.journal.models import Anchor, Entry
from apps.journal.writing import Told, moment, write
from apps.kit.models import Reference
from apps.plant.models import Instrument
from apps.runs.models import Run, RunEvent
from apps.runs.tests.base import PlantClient, make_reference
from metrology.faults import Fault
from metrology.run.events import GENESIS, Event, link


class EvidenceCase(PlantClient, TransactionTestCase):
    def setUp(self):
        self.home = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.home)
        keys._key.cache_clear()
        self.addCleanup(keys._key.cache_clear)
        places = {"KEY_FOLDER": "keys", "ANCHORS_HERE": "anchors", "BACKUP_FOLDER": "backups", "MEDIA_ROOT": "files"}
        told = override_settings(**{name: self.home / place for name, place in places.items()})
        told.enable()
        self.addCleanup(told.disable)
        self.make_plant()
        self.sign_in(self.ines)
        self.signed_run()
        self.record = Run.objects.get(pk=self.run_id)

    def sql(self, text, *values):
        """Past the product, as somebody with the file would."""
        with connection.cursor() as cursor:
            cursor.execute(text, values)

    def chained_anew(self, run_id, changes):
        """Write a run's chain anew for a run's id, with payloads changed by type; the new head."""
        previous = GENESIS
        for row in RunEvent.objects.filter(run_id=run_id).order_by("seq"):
            payload = {**row.payload, **changes.get(row.type, {})}
            event = Event(row.seq, str(row.event_id), row.type, payload, row.author, row.author_name, row.at, row.device_at)
            made = link(event, run_id=str(run_id), previous=previous)
            RunEvent.objects.filter(pk=row.pk).update(payload=payload, previous=previous, link=made)
            previous = made
        return previous

    def assertFound(self, part):
        found = checking.look_through()
        self.assertTrue(any(part in says for says in found), found)


class Tampering(EvidenceCase):
    def test_a_plant_as_it_was_written_holds(self):
        self.assertEqual(checking.look_through(), [])
        self.assertEqual(self.get(f"runs/{self.run_id}/").json()["broken"], "")

    def test_a_deleted_run_is_missed(self):
        for table, column in (
            ("runs_runevent", "run_id"),
            ("runs_hold", "run_id"),
            ("runs_kituse", "run_id"),
            ("runs_result", "run_id"),
            ("runs_run", "id"),
        ):
            self.sql(f"DELETE FROM {table} WHERE {column} = %s", self.record.pk.hex)
        self.assertFound("event 1 stands in the journal and is gone")

    def test_a_chain_that_was_written_anew_whole_is_not_the_one_of_the_journal(self):
        """All of its links hold among themselves again: only the journal and its anchor know better."""
        head = self.chained_anew(self.record.pk, {"reading_taken": {"indicated": "12.0"}})
        Run.objects.filter(pk=self.record.pk).update(head=head)
        self.assertFound("is not the one that the journal knows")
        self.assertIn("the journal knows", self.get(f"runs/{self.run_id}/").json()["broken"])

    def test_a_run_put_in_past_the_product_is_foreign_and_a_start_of_the_server_does_not_take_it_over(self):
        take_over()
        forged = Run.objects.get(pk=self.record.pk)
        forged.pk, forged.number = uuid.uuid4(), forged.number + 1
        forged.save(force_insert=True)
        for row in RunEvent.objects.filter(run=self.record):
            row.pk, row.event_id, row.run_id = None, uuid.uuid4(), forged.pk
            RunEvent.objects.bulk_create([row])
        hold = RunEvent.objects.get(run=forged, type="hold_placed").event_id
        Run.objects.filter(pk=forged.pk).update(head=self.chained_anew(forged.pk, {}))
        for kind in ("", "certificate.pdf", "export.csv"):  # the hold that is released is another run's
            self.assertFailure(self.get(f"runs/{forged.pk}/{kind}"), 400, "unreadable")
        Run.objects.filter(pk=forged.pk).update(head=self.chained_anew(forged.pk, {"hold_released": {"hold": str(hold)}}))
        self.assertEqual(take_over(), 0)
        self.assertFound(f"VL-{forged.number:06d}: event 1 is not in the journal")
        self.assertEqual(self.get(f"runs/{forged.pk}/").json()["broken"], f"VL-{forged.number:06d} is not in the journal.")

    def test_the_last_event_removed_with_its_counter_is_seen_everywhere(self):
        last = RunEvent.objects.filter(run=self.record).order_by("-seq").first()
        self.sql("DELETE FROM runs_runevent WHERE id = %s", last.pk)
        Run.objects.filter(pk=self.record.pk).update(head=last.previous, events_count=last.seq - 1)
        self.assertFound(f"event {last.seq} stands in the journal and is gone")

    def test_one_changed_event_is_told_on_screen_on_the_certificate_and_in_the_files(self):
        event = RunEvent.objects.filter(run=self.record, type="reading_taken").first()
        RunEvent.objects.filter(pk=event.pk).update(payload={**event.payload, "indicated": "12.5"})
        told = f"event {event.seq} (reading_taken"
        self.assertIn(told, self.get(f"runs/{self.run_id}/").json()["broken"])
        pdf = PdfReader(io.BytesIO(self.client.get(f"/api/v1/runs/{self.run_id}/certificate.pdf").content))
        self.assertIn("THIS RECORD DOES NOT HOLD", pdf.pages[0].extract_text())
        self.assertIn(told, self.client.get(f"/api/v1/runs/{self.run_id}/export.json").json()["broken"])
        self.assertIn("DOES NOT HOLD", self.client.get(f"/api/v1/runs/{self.run_id}/export.csv").content.decode())
        self.assertFound(told)

    def test_a_certificate_value_changed_in_the_table_shows(self):
        self.assertEqual(checking.look_through(), [])
        Reference.objects.filter(code="MB-P01").update(u_absolute=0.0001)
        self.assertFound("Reference MB-P01 is not as it stands in the journal")

    def test_what_is_put_in_or_taken_out_past_the_product_shows(self):
        self.sql("INSERT INTO plant_area (code, name, needs_permit, east_m, north_m) VALUES ('X', 'Backyard', FALSE, 0, 0)")
        self.assertFound("Area Backyard is not in the journal")
        self.sql("DELETE FROM plant_area WHERE code = 'X'")
        make_reference("MB-X", "kPa", 0, 10, 0.1)
        self.sql("DELETE FROM kit_reference WHERE code = 'MB-X'")
        self.assertFound("Reference MB-X stands in the journal and is gone")

    def test_an_entry_changed_taken_out_or_cut_off_shows(self):
        make_anchor(BY_HAND)
        first = Entry.objects.get(seq=3)
        Entry.objects.filter(seq=3).update(body=first.body + " ")
        self.assertFound("Entry 3 of the journal")
        Entry.objects.filter(seq=3).update(body=first.body)
        self.assertEqual(checking.look_through(), [])
        last = Entry.objects.order_by("-seq").first()
        Entry.objects.filter(seq=3).delete()
        self.assertFound("Entry 3 of the journal is missing; the next one is 4")
        first.save(force_insert=True)
        Entry.objects.filter(seq=last.seq).delete()
        self.assertFound("what was written last is lost")  # the file of the anchor is newer than the journal

    def test_a_journal_written_anew_whole_does_not_lead_to_its_anchors(self):
        make_anchor(BY_HAND)
        previous = verify.GENESIS
        for e in Entry.objects.order_by("seq"):
            body = e.body.replace("Calder", "Nobody")
            content = verify.content_of(e.seq, e.at, e.kind, e.subject, e.place, e.digest, body)
            previous = verify.entry_link(previous, content)
            Entry.objects.filter(seq=e.seq).update(body=body, content=content, link=previous)
        self.assertFound("was signed for another journal")

    def test_a_row_that_belongs_to_nothing_is_told(self):
        if connection.vendor != "sqlite":
            self.skipTest("Another engine lets no such row be")
        self.sql("PRAGMA foreign_keys=OFF")
        self.addCleanup(self.sql, "PRAGMA foreign_keys=ON")
        self.sql("UPDATE plant_instrument SET area_id = 9999 WHERE tag = 'PT-2110'")
        self.assertFound("of plant_area that is not there")
        self.sql("UPDATE plant_instrument SET area_id = (SELECT MIN(id) FROM plant_area) WHERE tag = 'PT-2110'")


class Journal(EvidenceCase):
    def test_every_change_is_found_by_who_and_what(self):
        self.sign_in(self.ruben)
        i = Instrument.objects.get(tag="PT-2110")
        before = Entry.objects.count()
        i.changes.create(
            at=timezone.now(), by=self.ruben, reason="renamed by the process", values={"service": [i.service, "Other service"]}
        )
        rows = self.get("journal/?search=PT-2110 renamed").json()["rows"]
        self.assertEqual([(r["subject"], r["by"], r["reason"]) for r in rows], [("PT-2110", self.ruben.name, "renamed by the process")])
        self.assertIn("→ Other service", rows[0]["says"])
        self.assertGreater(Entry.objects.count(), before)
        self.assertEqual(self.get("journal/?search=no-such-thing").json()["total"], 0)
        area = {"name": "Far hall", "needs_permit": False, "east_m": "10", "north_m": "0", "is_new": True}
        self.assertEqual(self.client.put("/api/v1/areas/FAR/", area, content_type="application/json").status_code, 200)
        (told,) = self.get("journal/?search=Far hall").json()["rows"]
        self.assertEqual((told["kind"], told["subject"], told["by"]), ("area", "FAR", self.ruben.name))
        text = self.client.get("/api/v1/journal/file/?search=renamed").content.decode("utf-8-sig")
        self.assertIn("renamed by the process", text)
        runs = self.get("journal/?group=runs").json()
        self.assertEqual(runs["total"], RunEvent.objects.count())
        self.assertEqual(self.get("journal/?group=runs&until=2001-01-01").json()["total"], 0)

    def test_a_clock_that_was_set_is_written_down_and_the_order_stays(self):
        last = Entry.objects.order_by("-seq").first()
        for ahead, told in ((timedelta(seconds=4), 0), (timedelta(seconds=60), 1)):
            Entry.objects.filter(seq=last.seq).update(at=moment(timezone.now() + ahead))
            write([Told("policy", "x", {})])
            self.assertEqual(Entry.objects.filter(kind="clock").count(), told, ahead)
            last = Entry.objects.order_by("-seq").first()
        self.assertEqual(list(Entry.objects.order_by("-seq").values_list("kind", flat=True)[:2]), ["policy", "clock"])
        now = timezone.now()
        for seconds, ticks, step in ((90, 60, None), (91, 60, "set forward"), (30, 60, None), (29, 60, "set back")):
            found = Clock(now, 1000.0).look(now + timedelta(seconds=seconds), 1000.0 + ticks)
            self.assertEqual(found is None, step is None, seconds)
            if step:
                self.assertEqual(Entry.objects.order_by("-seq").first().subject, step)
        self.sign_in(self.marta)
        self.assertTrue(any("The server's clock was set back" in says for says in self.get("evidence/").json()["wrong"]))
        self.assertIn("set", self.get("journal/?search=clock").json()["rows"][0]["subject"])

    def test_no_password_and_no_hash_of_one_stands_in_it(self):
        self.ines.set_password("another-Long-1")
        self.ines.save()
        self.assertFalse(Entry.objects.filter(body__contains="argon2").exists() or Entry.objects.filter(body__contains="md5$").exists())

    def test_what_was_there_before_is_taken_over_once(self):
        held = RunEvent.objects.count()
        for rows in (Entry, Anchor):
            rows.objects.all().delete()
        shutil.rmtree(self.home / "anchors")
        self.assertFound("is not in the journal")
        self.assertGreater(take_over(), held)
        self.assertEqual(checking.look_through(), [])
        self.assertEqual(take_over(), 0)

    def test_who_may_not_look_after_it_is_told(self):
        for act in ("anchor", "backup", "look-through"):
            self.assertEqual(self.post(f"evidence/{act}/").status_code, 403, act)
        self.sign_in(self.marta)
        told = self.post("evidence/look-through/").json()
        self.assertEqual((told["findings"], told["looked"]["total"]), ([], Entry.objects.count()))
        self.assertEqual(self.post("evidence/anchor/").json()["anchor"]["seq"], Entry.objects.order_by("-seq").first().seq)


class Outside(EvidenceCase):
    """What the file that is shipped says, run by itself with nothing but Python."""

    def setUp(self):
        super().setUp()
        self.key = keys.public_key()

    def verify(self, path, *more):
        env = {k: v for k, v in os.environ.items() if not k.startswith(("DJANGO", "PYTHON"))}
        command = [sys.executable, "-I", str(Path(verify.__file__)), str(path), *more]
        return subprocess.run(command, cwd=self.home, env=env, capture_output=True, text=True, check=False)

    def exported(self, name="record.json", kind="export.json"):
        path = self.home / name
        path.write_bytes(self.client.get(f"/api/v1/runs/{self.run_id}/{kind}").content)
        return path

    def test_a_record_holds_and_a_changed_one_names_its_first_wrong_event(self):
        path = self.exported()
        out = self.verify(path, "--key", self.key)
        self.assertEqual(out.returncode, 0, out.stdout + out.stderr)
        self.assertIn("It stands in the journal as entry", out.stdout)
        record = json.loads(path.read_text())
        at = next(n for n, e in enumerate(record["events"], 1) if e["type"] == "reading_taken")
        record["events"][at - 1]["payload"]["indicated"] = "12.0"
        path.write_text(json.dumps(record))
        out = self.verify(path, "--key", self.key)
        self.assertEqual(out.returncode, 1)
        self.assertIn(f"event {at} (reading_taken", out.stdout)

    def test_another_key_a_forged_signature_and_a_moved_proof_do_not_hold(self):
        record = json.loads(self.exported().read_text())
        for change, told in (
            (lambda r: r["journal"]["anchor"].update(key="00" * 32), "another key"),
            (lambda r: r["journal"]["anchor"].update(signature="ab" * 64), "The signature of the anchor"),
            (lambda r: r["journal"]["anchor"].update(at="2020-01-01T00:00:00.000000Z"), "The signature of the anchor"),
            (lambda r: r["journal"]["entry"].update(digest="0" * 64), "of something else"),
            (lambda r: r["journal"].update(previous="0" * 64), "does not lead to the anchor"),
            (lambda r: r.pop("journal"), "carries nothing of the journal"),
            (lambda r: r["events"].pop(), "events at its end are missing"),
            (lambda r: r["events"].pop(2), "event 3 is missing"),
        ):
            made = json.loads(json.dumps(record))
            change(made)
            path = self.home / "changed.json"
            path.write_text(json.dumps(made))
            with redirect_stdout(io.StringIO()) as said:
                self.assertEqual(verify.main([str(path), "--key", self.key]), 1)
            self.assertIn(told, said.getvalue())

    def test_how_far_the_signature_reaches_is_told_and_without_a_key_nothing_is_asked_of_the_journal(self):
        record = json.loads(self.exported().read_text())
        said = []
        self.assertEqual(verify.check_record(record, [self.key], said.append), [])
        self.assertFalse(any("covers its events" in s for s in said))
        more = {**record["events"][-1], "seq": len(record["events"]) + 1, "id": str(uuid.uuid4()), "previous": record["head"]}
        more["link"] = record["head"] = verify.event_link(record["run"], more, more["previous"])
        record["events"].append(more)
        self.assertEqual(verify.check_record(record, [self.key], said.append), [])
        self.assertIn(f"That covers its events 1 to {more['seq'] - 1} of {more['seq']}.", said)
        del record["journal"]
        self.assertEqual(verify.check_record(record, [], said.append), [])

    def test_an_evidence_package_holds_and_a_file_changed_in_it_is_named(self):
        path = self.exported("evidence.zip", "evidence.zip")
        self.assertEqual(verify.check(str(path), [self.key], say=lambda _: None), [])
        changed = self.home / "changed.zip"
        with zipfile.ZipFile(path) as old, zipfile.ZipFile(changed, "w") as new:
            for name in old.namelist():
                new.writestr(name, old.read(name).replace(b"pass", b"fail") if name == "readings.csv" else old.read(name))
        self.assertEqual(verify.check(str(changed), [self.key], say=lambda _: None), ["readings.csv is missing or was changed."])

    def test_the_certificate_prints_where_it_stands_and_by_which_key(self):
        text = "".join(
            p.extract_text() for p in PdfReader(io.BytesIO(self.client.get(f"/api/v1/runs/{self.run_id}/certificate.pdf").content)).pages
        )
        self.assertIn("of the plant's journal, which was signed", text.replace("’", "'"))
        self.assertIn(self.key, text)

    def test_what_is_nothing_is_said_to_be_nothing(self):
        for name, data in (("a.json", b"{}"), ("b.bin", b"\x00\x01"), ("c.zip", b"PK\x03\x04")):
            path = self.home / name
            path.write_bytes(data)
            out = self.verify(path)
            self.assertEqual((out.returncode, "Traceback" in out.stderr), (2, False), out.stderr)

    def test_a_published_signature_holds_and_no_neighbour_of_it(self):
        """RFC 8032, 7.1, test 2: the one octet 72."""
        key = "3d4017c3e843895a92b70aa74d1b7ebc9c982ccf2ec4968cc0cd55f12af4660c"
        good = "92a009a9f0d4cab8720e820b5f642540a2b27b5416503f8fb3762223ebdb69da085ac1e43e15996e458f3613d0f11d8c387b2eaeb4302aeeb00d291612bb0c00"
        self.assertTrue(verify.is_signed(key, "r", good))
        for text, signature in (("s", good), ("", good), ("r", good[:-2] + "01"), ("r", "00" + good[2:]), ("r", "zz"), ("r", "")):
            self.assertFalse(verify.is_signed(key, text, signature))
        low = int.from_bytes(bytes.fromhex(good[64:]), "little") + verify.L  # the same signature said otherwise must not hold
        self.assertFalse(verify.is_signed(key, "r", good[:64] + low.to_bytes(32, "little").hex()))


class BackingUp(EvidenceCase):
    def setUp(self):
        super().setUp()
        kept = self.home / "files" / "kit"
        kept.mkdir(parents=True)
        (kept / "certificate.pdf").write_bytes(b"%PDF-1.4 a certificate")

    def made(self, **changes):
        with override_settings(**changes):
            backup = make_backup(timezone.now())
        self.assertEqual(backup.problem, "")
        return self.home / "backups" / backup.name

    def test_it_is_put_back_into_an_empty_place_to_the_last_entry(self):
        path = self.made()
        back = restore(path, self.home / "new")
        self.assertEqual((back.faults, back.files, back.counts["events"]), ([], 1, RunEvent.objects.count()))
        self.assertEqual(back.last_entry, Entry.objects.order_by("-seq").first().seq)
        db = sqlite3.connect(self.home / "new" / "verify-loop.sqlite3")
        self.assertEqual(db.execute("SELECT number, status FROM runs_run").fetchall(), [(self.record.number, "signed")])
        db.close()
        self.assertEqual((self.home / "new" / "files" / "kit" / "certificate.pdf").read_bytes(), b"%PDF-1.4 a certificate")
        self.assertFalse((self.home / "new" / "keys").exists())  # what signs stays where it was made
        with self.assertRaisesRegex(Fault, "is not empty"):
            restore(path, self.home / "new")

    def test_an_encrypted_one_takes_its_passphrase_and_shows_a_changed_octet(self):
        path = self.made(BACKUP_KEY="correct horse")
        self.assertNotIn(b"SQLite", path.read_bytes())
        for word in ("", "wrong horse"):
            with self.assertRaises(Fault):
                restore(path, self.home / "no", passphrase=word)
        self.assertFalse((self.home / "no").exists())
        self.assertEqual(restore(path, self.home / "yes", passphrase="correct horse").faults, [])
        data = bytearray(path.read_bytes())
        for name, changed in (("flipped", data[:200] + bytes([data[200] ^ 1]) + data[201:]), ("cut", data[:-40])):
            bad = self.home / name
            bad.write_bytes(changed)
            with self.assertRaisesRegex(Fault, "changed or cut short"):
                restore(bad, self.home / "no", passphrase="correct horse")

    def test_one_that_was_changed_is_put_back_and_what_is_wrong_is_told(self):
        path = self.made()
        with self.assertRaises(CommandError), redirect_stdout(io.StringIO()):
            call_command("restore", str(path), to=self.home / "other-key", key=["00" * 32], stderr=io.StringIO())
        self.assertTrue((self.home / "other-key" / "verify-loop.sqlite3").exists())
        (self.home / "junk").write_bytes(b"not a tar" * 100)
        with self.assertRaisesRegex(Fault, "can't be read as a backup"):
            restore(self.home / "junk", self.home / "no")

    def test_what_does_not_hold_is_not_kept_as_a_backup(self):
        RunEvent.objects.filter(type="reading_taken").update(author_name="Nobody")
        backup = make_backup(timezone.now())
        self.assertIn("The copy does not hold", backup.problem)
        self.assertEqual([p.name for p in (self.home / "backups").iterdir()], [])
        self.sign_in(self.marta)
        self.assertTrue(any("The copy does not hold" in says for says in self.get("evidence/").json()["wrong"]))

    def test_the_oldest_go_and_the_newest_stay(self):
        folder = self.home / "backups"
        folder.mkdir()
        for n in range(4):
            (folder / f"verify-loop-2026-01-0{n + 1}-000000.tar").write_bytes(b"old")
        path = self.made(BACKUPS_KEPT=3)
        self.assertEqual(
            sorted(p.name for p in folder.iterdir()), ["verify-loop-2026-01-03-000000.tar", "verify-loop-2026-01-04-000000.tar", path.name]
        )

    def test_a_folder_that_is_not_to_be_had_is_a_sentence(self):
        (self.home / "file").write_text("in the way")
        with override_settings(BACKUP_FOLDER=self.home / "file" / "backups"):
            self.assertIn("No backup was made", make_backup(timezone.now()).problem)

    def test_a_restored_plant_goes_on_with_a_key_of_its_own_and_holds(self):
        make_anchor(BY_HAND)
        old = keys.public_key()
        keys._key.cache_clear()
        with override_settings(KEY_FOLDER=self.home / "new-keys", ANCHORS_HERE=self.home / "new-anchors"):
            make_anchor(BY_HAND)
            self.assertNotEqual(keys.public_key(), old)
            self.assertEqual(checking.look_through(), [])
        keys._key.cache_clear()


class Watch(EvidenceCase):
    def test_once_a_day_it_signs_backs_up_and_at_night_looks_through(self):
        Anchor.objects.all().delete()
        noon = timezone.localtime().replace(hour=12, minute=0)
        with override_settings(KEEPS_WATCH=True):
            self.assertTrue(is_overdue(noon))
            self.assertEqual(do_what_is_due(timezone.now())[:2], ["anchor", "backup"])
            last = Backup.objects.first().at
            for hours, overdue in ((35.9, False), (36.0, False), (36.1, True)):  # a day and half of one
                self.assertEqual(is_overdue(last + timedelta(hours=hours)), overdue, hours)
            for hours, due in ((23.9, False), (24.0, True)):
                self.assertEqual("backup" in do_what_is_due(last + timedelta(hours=hours)), due, hours)
            night = (noon + timedelta(days=3)).replace(hour=2)
            self.assertIn("look through", do_what_is_due(night))
            self.assertNotIn("look through", do_what_is_due(night + timedelta(minutes=5)))

    def test_a_folder_elsewhere_that_is_gone_holds_up_nothing_and_is_told(self):
        (self.home / "file").write_text("in the way")
        with override_settings(ANCHOR_FOLDER=str(self.home / "file" / "share")):
            made = make_anchor(BY_HAND)
        self.assertIn("share", made.problem)
        self.sign_in(self.marta)
        self.assertTrue(any("did not reach every folder" in says for says in self.get("evidence/").json()["wrong"]))
        self.assertEqual(settings.ANCHOR_FOLDER, "")

    def test_a_device_that_does_not_answer_is_told_after_a_minute_and_not_before(self):
        self.sign_in(self.marta)
        for ago, is_told in ((59, False), (61, True)):
            with self.subTest(ago=ago), patch.object(HUB, "silent", return_value={"CAL-1": timezone.now().timestamp() - ago}):
                wrong = self.get("evidence/").json()["wrong"]
                self.assertEqual(any("CAL-1 does not answer since" in says for says in wrong), is_told)

    @override_settings(ANCHOR_MAIL=["assessor@example.org"])
    def test_one_goes_by_mail_each_day_and_by_hand_and_none_at_a_signature(self):
        for why in (BY_HAND, BY_DAY, BY_SIGNATURE):
            make_anchor(why)
        self.assertEqual(len(mail.outbox), 2)
        told = mail.outbox[0]
        self.assertEqual((told.to, told.attachments[0][2]), (["assessor@example.org"], "application/json"))
        sent = json.loads(told.attachments[0][1])
        self.assertEqual(verify.find_anchor_fault(sent, keys_of_journal()), "")
        self.assertEqual(sent["link"], Anchor.objects.order_by("pk").first().link)
        self.assertIn(sent["signature"], told.body)

    @override_settings(
        ANCHOR_MAIL=["assessor@example.org"],
        EMAIL_BACKEND="django.core.mail.backends.smtp.EmailBackend",
        EMAIL_HOST="127.0.0.1",
        EMAIL_PORT=1,
    )
    def test_a_mail_that_does_not_go_holds_up_nothing_and_is_told(self):
        self.assertIn("by mail: ", make_anchor(BY_DAY).problem)
