"""The whole plant into another database and back out of a backup of it: the same rows, the same journal, and nothing overwritten."""

from io import StringIO
from unittest import skipUnless
from unittest.mock import patch

from django.core.management import CommandError, call_command
from django.db import connection, connections

from apps.accounts.models import Person
from apps.evidence.backup import copy_database
from apps.evidence.management.commands import move_to
from apps.evidence.moving import OTHER, beside, copy_all, differing
from apps.evidence.tests.test_evidence import EvidenceCase
from apps.journal import verify
from apps.journal.anchoring import BY_HAND, keys, make_anchor
from apps.journal.models import Entry
from apps.plant.models import Instrument
from apps.runs.models import Run, RunEvent
from apps.runs.store import find_broken_link


class Moving(EvidenceCase):
    def setUp(self):
        super().setUp()
        make_anchor(BY_HAND)
        self.address = f"sqlite:///{self.home / 'other.sqlite3'}"

    def test_every_row_goes_over_and_the_journal_holds_there(self):
        out = StringIO()
        call_command("move_to", self.address, stdout=out)
        self.assertIn("All of it is as it was here", out.getvalue())
        self.assertIn("Moved: ", out.getvalue())
        self.assertEqual(verify.check(str(self.home / "other.sqlite3"), keys(), say=lambda _: None), [])
        with beside(self.address) as other:
            self.assertEqual(Run.objects.using(other).get().head, self.record.head)
            self.assertEqual(RunEvent.objects.using(other).count(), RunEvent.objects.count())
            there = Person.objects.using(other).create(username="newcomer")  # numbers go on behind the last one
            self.assertGreater(there.pk, max(Person.objects.values_list("pk", flat=True)))
        with self.assertRaisesMessage(CommandError, "something in that database already"):
            call_command("move_to", self.address, stdout=StringIO())

    def test_what_does_not_hold_is_not_moved_unless_it_is_meant(self):
        RunEvent.objects.filter(seq=3).delete()
        err = StringIO()
        with self.assertRaisesMessage(CommandError, "Not moved"):
            call_command("move_to", self.address, stdout=StringIO(), stderr=err)
        self.assertIn("WRONG", err.getvalue())
        self.assertFalse((self.home / "other.sqlite3").exists())
        out = StringIO()
        call_command("move_to", self.address, anyway=True, stdout=out, stderr=StringIO())
        self.assertIn("Moved: ", out.getvalue())

    def test_what_does_not_hold_there_alone_is_told(self):
        err = StringIO()
        with (
            patch.object(move_to, "copy_all", self.copied_and_spoilt),
            self.assertRaisesMessage(CommandError, "not the same on both sides"),
        ):
            call_command("move_to", self.address, stdout=StringIO(), stderr=err)
        self.assertIn("is not as it stands in the journal", err.getvalue())

    @staticmethod
    def copied_and_spoilt(source, target, tell):
        counts = copy_all(source, target, tell)
        Instrument.objects.using(target).update(urv=401)
        return counts

    def test_a_difference_is_named(self):
        with beside(self.address) as other:
            counts = copy_all("default", other)
            self.assertEqual(differing("default", other, counts), [])
            Entry.objects.using(other).order_by("-seq").first().delete()
            told = differing("default", other, counts)
        self.assertEqual(len(told), 2)
        self.assertIn("The journal ended at entry", told[1])

    def test_a_database_that_is_not_there_is_a_sentence(self):
        for address in ("postgres://nobody:x@127.0.0.1:1/none", "nothing://x", "sqlite:////no/such/folder/x.sqlite3"):
            with self.subTest(address=address), self.assertRaisesMessage(CommandError, "can't be used"):
                call_command("move_to", address, stdout=StringIO())

    @skipUnless(connection.vendor == "sqlite", "both are files of SQLite")
    def test_the_tables_are_those_that_the_migrations_make(self):
        with beside(self.address) as other:
            copy_all("default", other)
            shape = [self.shape(alias) for alias in ("default", other)]
        self.assertEqual(shape[0], shape[1])

    @staticmethod
    def shape(alias):
        """Columns, and constraints by what they are and not by their names, of every table."""
        told, out = connections[alias].introspection, {}
        with connections[alias].cursor() as cursor:
            for table in told.table_names(cursor):
                columns = {(c.name, c.null_ok) for c in told.get_table_description(cursor, table)}
                kinds = ("primary_key", "unique", "foreign_key", "check")
                held = told.get_constraints(cursor, table).values()
                out[table] = columns, {(tuple(c["columns"] or ()), *(bool(c[k]) for k in kinds)) for c in held if not c["check"]}
        return out

    def test_any_engine_is_backed_up_as_a_file_that_verify_can_read(self):
        copy_database(self.home / "copy.sqlite3")
        self.assertEqual(verify.check(str(self.home / "copy.sqlite3"), keys(), say=lambda _: None), [])

    def test_what_is_odd_to_an_engine_reads_back_as_it_was_written(self):
        payload = {"z": -0.0, "a": 1e22, "m": 1e-300, "b": [2**70, "é"], "": None}
        event = RunEvent.objects.filter(run=self.record).first()
        RunEvent.objects.filter(pk=event.pk).update(payload=payload)
        back = RunEvent.objects.get(pk=event.pk).payload
        self.assertEqual(list(back), list(payload))
        self.assertEqual(repr(back), repr(payload))
        self.assertIn("does not match its link", find_broken_link(self.record))

    def test_the_other_one_is_forgotten_afterwards(self):
        with beside(self.address) as other:
            self.assertIn(other, connections.settings)
        self.assertNotIn(OTHER, connections.settings)
