"""Runs of every method and revision come to what they came to when they were put here."""

import json
import re
from collections.abc import Callable

from django.test import SimpleTestCase

from apps.records.tests.corpus import CORPUS, differences, names, read_run, surfaces
from metrology.methods.registry import METHODS, get_method
from metrology.run.events import GENESIS, link
from metrology.run.folding import fold
from metrology.run.seal import compare


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

    def test_a_changed_verdict_would_be_seen(self):
        self.assertEqual(differences({"a": [1.0, "pass"]}, {"a": [1.0, "fail"], "b": 2}), ["/a/1: 'pass' expected, 'fail' found"])
        self.assertEqual(differences({"a": 1, "b": [1]}, {"b": []}), ["/a is gone", "/b: 1 expected, 0 found"])
        self.assertEqual(differences({"a": 1.0}, {"a": 1.0 + 1e-6}), ["/a: 1.0 expected, 1.000001 found"])


def _comes_to_what_it_came_to(name: str) -> Callable[[SimpleTestCase], None]:
    """The test of one run: outcome, view, certificate and CSV are as they were."""

    def test(self: SimpleTestCase) -> None:
        told = json.loads(json.dumps(surfaces(name), ensure_ascii=False))
        expected = json.loads((CORPUS / f"{name}.expected.json").read_text())
        self.assertEqual(differences(expected, told), [])
        self.assertEqual(told["certificate"], (CORPUS / f"{name}.certificate.txt").read_text())
        self.assertEqual(told["csv"].encode(), (CORPUS / f"{name}.csv").read_bytes())

    return test


def _is_judged_as_it_was_sealed(name: str) -> Callable[[SimpleTestCase], None]:
    """The test of one run that was sealed by the revision in use: judged anew, nothing of it differs."""

    def test(self: SimpleTestCase) -> None:
        _, events = read_run(name)
        at, end = next((n, e) for n, e in reversed(list(enumerate(events))) if "seal" in e.payload)
        state = fold(events[:at])
        found = compare(end.payload["seal"], state, get_method(state.setup.method), end.at)
        self.assertEqual([d.says for d in found], [])

    return test


def _sealed_by_the_revision_in_use(name: str) -> bool:
    run, events = read_run(name)
    return run.revision == METHODS[run.method].revision and any("seal" in e.payload for e in events)


for _name in names():
    setattr(Corpus, "test_run_" + re.sub(r"\W", "_", _name), _comes_to_what_it_came_to(_name))
    if _sealed_by_the_revision_in_use(_name):
        setattr(Corpus, "test_seal_" + re.sub(r"\W", "_", _name), _is_judged_as_it_was_sealed(_name))
