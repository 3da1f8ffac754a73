"""Answers as JSON: the fast writer writes what the framework's own does."""

import json
import uuid
from collections import OrderedDict
from datetime import UTC, date, datetime
from decimal import Decimal

from django.test import SimpleTestCase
from django.utils.translation import gettext_lazy
from rest_framework.renderers import JSONRenderer

from apps.plant.sheets import guarded
from config.rendering import FastJSON
from metrology.run.entries import Reading
from metrology.run.events import Event

AT = datetime(2026, 11, 30, 8, 5, 1, 123456, tzinfo=UTC)


class Rendering(SimpleTestCase):
    def both(self, data):
        return json.loads(FastJSON().render(data)), json.loads(JSONRenderer().render(data))

    def test_everything_that_answers_are_made_of_reads_the_same(self):
        for data in (
            {"at": AT, "day": date(2026, 11, 30), "id": uuid.UUID(int=7), "sum": Decimal("1.50")},
            [1, 2.5, -0.0, 1e-300, 1e300, True, None, "°C µ \u2212 <&>"],
            {1: "a number as a key", "rows": ({"a": 1}, OrderedDict(b=2))},
            {"lazy": gettext_lazy("a word"), "none": {}, "set": [frozenset({3})]},
            Reading(Event(1, "e", "note_added", {}, "ines", "Ines", AT))[1:],
            {"huge": 2**70},
        ):
            fast, framework = self.both(data)
            self.assertEqual(fast, framework)

    def test_times_are_written_as_they_always_were(self):
        self.assertEqual(FastJSON().render({"at": AT}), b'{"at":"2026-11-30T08:05:01.123456Z"}')

    def test_nothing_to_say_is_an_empty_body(self):
        self.assertEqual(FastJSON().render(None), b"")


class Guarded(SimpleTestCase):
    def test_what_a_spreadsheet_would_run_is_written_as_text_and_numbers_stay(self):
        for text in ("=1+1", "+cmd", "-x", "@SUM(A1)", "\t=1", "\uff1d1+1", "\uff0bA", "\uff0dA", "\uff20A"):
            self.assertEqual(guarded(text), f"'{text}")
        for text in ("", "-5", "+0.25", "-1e3", "PT-2110", "1=1", "'=1"):
            self.assertEqual(guarded(text), text)
