"""Runs of every method and revision come to what they came to when they were put here."""

import json

from django.test import SimpleTestCase

from apps.records.tests.corpus import CORPUS, differences, names, read_run, surfaces
from metrology.methods.registry import METHODS
from metrology.run.events import GENESIS, link


class Corpus(SimpleTestCase):
    maxDiff = 4000

    def test_every_method_at_every_revision_there_has_been_is_in_it(self):
        there = {(run.method, int(run.revision)) for run, _ in map(read_run, names())}
        wanted = {(key, n) for key, method in METHODS.items() for n in range(1, int(method.revision) + 1)}
        self.assertEqual(wanted - there, set())

    def test_the_chains_are_whole(self):
        for name in names():
            with self.subTest(name):
                run, events = read_run(name)
                head = GENESIS
                for e in events:
                    head = link(e, run_id=str(run.id), previous=head)
                self.assertEqual(head, run.head)

    def test_outcome_view_certificate_and_csv_are_as_they_were(self):
        for name in names():
            with self.subTest(name):
                told = json.loads(json.dumps(surfaces(name), ensure_ascii=False))
                expected = json.loads((CORPUS / f"{name}.expected.json").read_text())
                self.assertEqual(differences(expected, told), [])
                self.assertEqual(told["certificate"], (CORPUS / f"{name}.certificate.txt").read_text())
                self.assertEqual(told["csv"].encode(), (CORPUS / f"{name}.csv").read_bytes())

    def test_a_changed_verdict_would_be_seen(self):
        self.assertEqual(differences({"a": [1.0, "pass"]}, {"a": [1.0, "fail"], "b": 2}), ["/a/1: 'pass' expected, 'fail' found"])
        self.assertEqual(differences({"a": 1, "b": [1]}, {"b": []}), ["/a is gone", "/b: 1 expected, 0 found"])
        self.assertEqual(differences({"a": 1.0}, {"a": 1.0 + 1e-6}), ["/a: 1.0 expected, 1.000001 found"])
