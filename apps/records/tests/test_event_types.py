"""What events keep is what their types say; what is sent, what may be asked for."""

from typing import Any, get_type_hints

from django.test import SimpleTestCase
from typeguard import CollectionCheckStrategy, TypeCheckError, check_type

from apps.records.tests.corpus import names, read_run
from metrology.run.asked_types import ASKED
from metrology.run.event_types import KEPT, OPEN
from metrology.run.folding import _APPLY
from metrology.run.rules import _RULES


def misfits(kind: str, payload: dict[str, Any]) -> str:
    """What of a payload its type does not allow; empty where it fits."""
    named = payload
    if kind in OPEN:
        hints = get_type_hints(KEPT[kind])
        named = {k: v for k, v in payload.items() if k in hints}
        if odd := {k: v for k, v in payload.items() if k not in hints and not isinstance(v, str)}:
            return f"not texts: {odd}"
    try:
        check_type(named, KEPT[kind], collection_check_strategy=CollectionCheckStrategy.ALL_ITEMS)
    except TypeCheckError as error:
        return str(error)
    return ""


class EventTypes(SimpleTestCase):
    def test_every_event_of_the_corpus_fits_its_type(self):
        seen = set()
        for name in names():
            for e in read_run(name)[1]:
                seen.add(e.type)
                self.assertEqual(misfits(e.type, dict(e.payload)), "", f"{name}, event {e.seq}, {e.type}")
        # A new kind, or one that the corpus has lost, is said here.
        missing = {"hold_handed_over", "hold_accepted", "source_chosen", "device_accepted", "chromatogram_taken"}
        self.assertEqual(set(KEPT) - seen, missing)

    def test_a_payload_that_does_not_fit_is_seen(self):
        good = {"step": "hold", "kind": "bypass", "reason": "work", "until": "2026-11-29T10:00:00+00:00"}
        self.assertEqual(misfits("hold_placed", good), "")
        self.assertIn("reason", misfits("hold_placed", {k: v for k, v in good.items() if k != "reason"}))
        self.assertIn("untill", misfits("hold_placed", {**good, "untill": "x"}))
        self.assertIn("until", misfits("hold_placed", {**good, "until": 5}))
        reading = {
            k: "" for k in get_type_hints(KEPT["reading_taken"]) if k in ("step", "direction", "nominal", "applied", "indicated", "source")
        }
        self.assertEqual(misfits("reading_taken", {**reading, "slot": 0, "cycle": 1, "mv": "12.1"}), "")
        self.assertIn("mv", misfits("reading_taken", {**reading, "slot": 0, "cycle": 1, "mv": 12.1}))

    def test_every_kind_is_admitted_and_folded(self):
        self.assertEqual(set(_APPLY), set(KEPT) - {"run_started"})
        self.assertEqual(set(_RULES), set(KEPT) - {"run_started"})
        self.assertLess(set(ASKED), set(KEPT))
