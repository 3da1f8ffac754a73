"""A full disk, a locked or unwritable database: a sentence, nothing half stored, and reading goes on."""

import errno
import sqlite3
from unittest.mock import patch

import yaml
from django.conf import settings
from django.db import OperationalError, connection
from django.test import SimpleTestCase, TransactionTestCase

from apps.runs.models import RunEvent
from apps.runs.tests.base import PlantClient
from config.trouble import trouble_of


def read_addresses():
    """Every address that is read and names nothing in itself."""
    told = yaml.safe_load((settings.BASE_DIR / "docs/openapi.yaml").read_text())["paths"]
    return [path for path, verbs in told.items() if "get" in verbs and "{" not in path]


class Refused(PlantClient, TransactionTestCase):
    def setUp(self):
        if connection.vendor != "sqlite":
            self.skipTest("The refusals of SQLite")
        self.make_plant()
        self.sign_in(self.ines)
        self.prepare()
        self.before = RunEvent.objects.count()

    def pragma(self, text):
        with connection.cursor() as cursor:
            cursor.execute(f"PRAGMA {text}")
            return cursor.fetchone()

    def refused(self, code):
        event = ("note_added", {"text": "x" * 1500})
        answers = [self.send(event)]
        while answers[-1].status_code == 200 and len(answers) < 60:
            answers.append(self.send(event))
        last = answers[-1]
        self.assertFailure(last, 503, code)
        self.assertIn("sent again by itself", last.json()["message"])
        self.assertEqual(last["Retry-After"], "3")
        self.assertEqual(RunEvent.objects.count(), self.before + sum(a.status_code == 200 for a in answers))
        for path in (*read_addresses(), f"/api/v1/runs/{self.run_id}/", f"/api/v1/runs/{self.run_id}/log/"):
            with self.subTest(path=path):
                self.assertLess(self.client.get(path).status_code, 500)
        return event

    def test_a_full_disk(self):
        with connection.cursor() as cursor:
            cursor.execute("VACUUM")  # other tests leave pages that are free again
        self.pragma(f"max_page_count={self.pragma('page_count')[0]}")
        event = self.refused("store_full")
        self.pragma("max_page_count=1073741823")
        self.assertEqual(self.send(event).status_code, 200)

    def test_a_disk_that_can_only_be_read(self):
        self.pragma("query_only=1")
        self.addCleanup(self.pragma, "query_only=0")
        event = self.refused("store_read_only")
        self.pragma("query_only=0")
        self.assertEqual(self.send(event).status_code, 200)

    def test_a_database_that_stays_locked(self):
        other = sqlite3.connect(connection.settings_dict["NAME"], isolation_level=None)
        self.addCleanup(other.close)
        self.pragma("busy_timeout=10")
        other.execute("BEGIN IMMEDIATE")
        event = self.refused("store_busy")
        other.execute("ROLLBACK")
        self.pragma("busy_timeout=20000")
        self.assertEqual(self.send(event).status_code, 200)

    def test_what_fails_before_any_view_is_a_sentence_too(self):
        self.client.raise_request_exception = False
        for raised, status, code in ((_locked(), 503, "store_busy"), (ValueError("no such luck"), 500, "server_error")):
            with self.subTest(code=code), patch("django.contrib.sessions.backends.db.SessionStore.load", side_effect=raised):
                answer = self.get("today/")
                self.assertFailure(answer, status, code)
                self.assertNotIn("luck", answer.content.decode())


def _locked():
    error = OperationalError("database is locked")
    error.__cause__ = sqlite3.OperationalError("database is locked")
    error.__cause__.sqlite_errorcode = sqlite3.SQLITE_BUSY
    return error


class State(Exception):
    def __init__(self, sqlstate):
        super().__init__()
        self.sqlstate = sqlstate


class Told(SimpleTestCase):
    def test_each_refusal_has_its_sentence(self):
        for error, code in (
            (State("53100"), "store_full"),
            (State("25006"), "store_read_only"),
            (State("40P01"), "store_busy"),
            (State("08006"), "store_away"),
            (State("XX001"), "store_broken"),
            (OSError(errno.ENOSPC, "no room"), "store_full"),
            (OSError(errno.EROFS, "read only"), "store_read_only"),
        ):
            with self.subTest(code=code, error=error):
                self.assertEqual(trouble_of(error).code, code)

    def test_what_is_no_refusal_has_none(self):
        for error in (State("22P02"), OSError(errno.ENOENT, "gone"), ValueError("x"), sqlite3.OperationalError("no such table: x"), None):
            with self.subTest(error=error):
                self.assertIsNone(trouble_of(error))

    def test_a_damaged_page_by_its_extended_code(self):
        error = sqlite3.DatabaseError("malformed")
        error.sqlite_errorcode = sqlite3.SQLITE_CORRUPT | (1 << 8)
        self.assertEqual(trouble_of(error).code, "store_broken")
