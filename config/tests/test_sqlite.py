"""Connections to SQLite are lent and taken back; one that is not to be trusted any more is closed."""

from __future__ import annotations

import os
import sqlite3
import tempfile
import threading
from contextlib import suppress
from pathlib import Path

from django.db import DatabaseError
from django.test import SimpleTestCase

from config.sqlite.base import MOST_KEPT, DatabaseWrapper, Kept, Lent


class LentConnections(SimpleTestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "plant.sqlite3"
        sqlite3.connect(self.path).executescript("CREATE TABLE t (n INTEGER UNIQUE); INSERT INTO t VALUES (1);")

    def wrapper(self) -> DatabaseWrapper:
        settings = {"NAME": self.path, "OPTIONS": {}, "AUTOCOMMIT": True, "CONN_MAX_AGE": 0, "CONN_HEALTH_CHECKS": False, "TIME_ZONE": None}
        return DatabaseWrapper(
            {**settings, "ATOMIC_REQUESTS": False, "TEST": {}},
            "other",
        )

    def used(self, wrapper: DatabaseWrapper, sql: str = "SELECT n FROM t") -> sqlite3.Connection:
        """The connection itself that answered, given back as the end of a request does it."""
        with wrapper.cursor() as cursor:
            cursor.execute(sql)
            cursor.fetchall()
        raw = wrapper.connection
        wrapper.close_if_unusable_or_obsolete()
        self.assertIsNone(wrapper.connection)
        return raw

    def is_open(self, raw: sqlite3.Connection) -> bool:
        try:
            raw.execute("SELECT 1")
        except sqlite3.ProgrammingError:
            return False
        return True

    def test_the_next_request_gets_the_same_one_whatever_its_thread(self) -> None:
        first = self.used(self.wrapper())
        found = []

        def ask() -> None:
            found.append(self.used(self.wrapper()))

        thread = threading.Thread(target=ask)
        thread.start()
        thread.join()
        self.assertIs(found[0], first)

    def test_two_at_once_get_one_each(self) -> None:
        a, b = self.wrapper(), self.wrapper()
        a.ensure_connection()
        b.ensure_connection()
        self.assertIsNot(a.connection, b.connection)

    def test_one_on_which_something_failed_is_closed(self) -> None:
        wrapper = self.wrapper()
        with suppress(DatabaseError):
            self.used(wrapper, "SELECT n FROM nowhere")
        raw = wrapper.connection
        wrapper.close_if_unusable_or_obsolete()
        self.assertFalse(self.is_open(raw))
        self.assertIsNot(self.used(self.wrapper()), raw)

    def test_one_in_the_middle_of_a_change_is_closed_and_the_change_undone(self) -> None:
        wrapper = self.wrapper()
        wrapper.ensure_connection()
        raw = wrapper.connection
        raw.execute("BEGIN")
        raw.execute("INSERT INTO t VALUES (2)")
        wrapper.close()
        self.assertFalse(self.is_open(raw))
        with self.wrapper().cursor() as cursor:
            self.assertEqual(cursor.execute("SELECT n FROM t").fetchall(), [(1,)])

    def test_a_file_put_in_its_place_is_opened_anew(self) -> None:
        raw = self.used(self.wrapper())
        other = self.path.with_suffix(".other")
        sqlite3.connect(other).executescript("CREATE TABLE t (n INTEGER); INSERT INTO t VALUES (7);")
        other.replace(self.path)
        with self.wrapper().cursor() as cursor:
            self.assertEqual(cursor.execute("SELECT n FROM t").fetchall(), [(7,)])
        self.assertFalse(self.is_open(raw))

    def test_a_database_in_memory_is_not_lent(self) -> None:
        self.path = Path(":memory:")
        wrapper = self.wrapper()
        wrapper.ensure_connection()
        raw = wrapper.connection
        wrapper._close()
        self.assertFalse(self.is_open(raw))

    def test_no_more_wait_than_are_allowed(self) -> None:
        lent = Lent()
        all_of_them = [sqlite3.connect(":memory:") for _ in range(MOST_KEPT + 1)]
        for raw in all_of_them:
            lent.give_back("x", Kept(raw, (1, 2)))
        self.assertEqual([self.is_open(raw) for raw in all_of_them], [True] * MOST_KEPT + [False])
        lent.close()
        self.assertFalse(any(map(self.is_open, all_of_them)))
        self.assertIsNone(lent.take("x", (1, 2)))

    def test_a_child_uses_none_of_its_parent_and_closes_none(self) -> None:
        lent = Lent()
        raw = sqlite3.connect(self.path)
        lent.give_back("x", Kept(raw, (1, 2)))
        child = os.fork()
        if child == 0:
            lent.after_fork()
            os._exit(0 if lent.take("x", (1, 2)) is None else 1)
        self.assertEqual(os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]), 0)
        self.assertIs(lent.take("x", (1, 2)), raw)
