"""A server killed while somebody types, with and without room on the disk: what was acknowledged is there, once. The long one is in `make bench`."""

import tempfile
from pathlib import Path
from unittest import TestCase

from tools.standing import Typist, eight_writers, killed, lost_and_doubled


class Standing(TestCase):
    def test_nothing_acknowledged_is_lost_or_doubled(self):
        stood = killed(3, seed=7)
        self.assertEqual((stood.lost, stood.doubled, stood.failures, stood.wrong), (0, 0, 0, []), stood)
        self.assertGreaterEqual(stood.acknowledged, 3)
        self.assertGreaterEqual(stood.refused, 1)  # it was full indeed

    def test_eight_who_write_on_one_run_at_once_lose_and_double_nothing(self):
        stood = eight_writers(80, on_one=True)
        self.assertEqual((stood.acknowledged, stood.lost, stood.doubled, stood.failures, stood.wrong), (80, 0, 0, 0, []), stood)

    def test_what_is_not_there_would_be_seen(self):
        import sqlite3

        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "x.sqlite3"
            db = sqlite3.connect(path)
            db.execute("CREATE TABLE runs_runevent (event_id TEXT, type TEXT)")
            db.executemany("INSERT INTO runs_runevent VALUES (?, 'note_added')", [("ab",), ("cd",), ("cd",)])
            db.commit()
            db.close()
            self.assertEqual(lost_and_doubled(path, ["a-b", "c-d", "e-f"]), (1, 1))

    def test_a_typist_stops_when_it_is_enough(self):
        Typist(1, "", "", lambda done: True).work()
