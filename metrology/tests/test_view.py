"""The view: what each kind of step shows, what the evidence says, and that it is plain data ready for JSON."""

import json
from unittest import TestCase

from metrology.methods.steps import KINDS
from metrology.run.evidence import captured_words
from metrology.run.narrate import describe
from metrology.run.progress import find_blocks, make_progress
from metrology.tests.runs import CHECKS, Play, instrument

GOOD = [0.05] * 10


def every_view():
    """(step key, view) at each step of a run that goes through all kinds."""
    run = Play(instrument=instrument(warm_up_min=10.0))
    seen = []

    def look():
        seen.append((run.current, run.view))

    look()
    run.do("step_confirmed", step="identity", values={"tag": "PT-2101", "serial": "MB-48213"})
    look()
    from metrology.tests.runs import meter, reference

    run.do("reference_assigned", role="applied", reference=reference())
    run.do("reference_assigned", role="indicated", reference=meter())
    run.do("step_confirmed", step="references")
    look()
    run.do("step_confirmed", step="environment", values={"temperature": "21,5", "humidity": "40"})
    look()
    run.do("timer_started", step="warm_up")
    look()
    run.do("step_confirmed", step="operator", values={"operator": "Control room"})
    look()
    run.do("hold_placed", step="hold", kind="bypass", reason="Calibration", minutes="30")
    look()
    run.do("step_confirmed", step="cautions", checks=CHECKS["cautions"])
    run.do("timer_ended", step="warm_up", reason="warm since morning")
    look()
    run.read_errors("as_found", [0.8] * 10)
    look()
    run.do("decision_made", step="judge", choice="adjust")
    look()
    run.do("adjustment_made", step="adjust", screw="zero", before="4.128", after="4.001")
    run.do("adjustment_made", step="adjust", screw="span", before="20.002", after="")
    run.do("step_confirmed", step="adjust")
    run.read_errors("as_left", GOOD)
    run.do("decision_made", step="judge_left", choice="leave")
    look()
    run.do("step_confirmed", step="restore", checks=CHECKS["restore"])
    look()
    run.do("hold_released", hold=run.state.open_holds[0].id, values={"reading": "212", "operator": "Control room"})
    look()
    run.do("signed", note="done")
    look()
    return run, seen


class EveryStep(TestCase):
    @classmethod
    def setUpClass(cls):
        cls.run_played, cls.views = every_view()

    def test_every_kind_of_step_was_seen_and_each_view_is_plain_json(self):
        kinds = {v["step"]["kind"] for _, v in self.views if v["step"]}
        self.assertEqual(kinds, set(KINDS) - {"condition", "compute", "compare", "checkpairs", "count", "clock"})
        for key, view in self.views:
            with self.subTest(step=key):
                json.dumps(view, allow_nan=False)
                self.assertEqual(view["step"]["key"] if view["step"] else None, key)

    def test_the_loop_closes_step_by_step(self):
        closed = [v["closed"] for _, v in self.views]
        self.assertEqual(closed[0], 0.0)
        self.assertEqual(closed[-1], 1.0)

    def test_the_rail_shows_one_current_step(self):
        for key, view in self.views:
            current = [s["key"] for p in view["rail"] for s in p["steps"] if s["status"] == "current"]
            with self.subTest(step=key):
                self.assertEqual(current, [key] if key else [])

    def test_what_blocks_signing_shrinks_to_nothing(self):
        blocks = [len(v["blocks"]) for _, v in self.views]
        self.assertEqual(blocks[-2:], [0, 0])
        self.assertGreater(blocks[0], 5)

    def test_each_reading_carries_texts_with_sign_unit_and_fitting_digits(self):
        row = self.views[-1][1]["evidence"][0]["rows"][2]
        for name, text in (
            ("percent", "50 %"),
            ("applied", "200.00"),
            ("indicated", "12.1280"),
            ("ideal", "12.000"),
            ("error", "+0.80 %"),
            ("error_unit", "+3.20 kPa"),
            ("tolerance", "±0.50 %"),
            ("verdict", "fail"),
            ("says", "0.800 % is outside the tolerance of 0.500 %."),
        ):
            self.assertEqual(row[name], text, name)

    def test_adjusting_surroundings_and_references_are_told(self):
        view = self.views[-1][1]
        self.assertEqual([p["after_text"] for p in view["adjustments"][0]["passes"]], ["+0.006 %", "left alone"])
        self.assertEqual([s["value"] for s in view["surroundings"]], ["21.5 °C", "40 %"])
        self.assertEqual([r["tur"] for r in view["references"]], ["40.0:1", "40.0:1"])
        self.assertEqual(view["timers"][0]["reason"], "warm since morning")
        self.assertEqual(view["evidence"][0]["budget"]["k"], "2.00")

    def test_every_event_has_a_sentence(self):
        told = [describe(e) for e in self.run_played.events]
        self.assertEqual(len(told), len(self.run_played.events))
        for words in (
            "started the run on PT-2101",
            "confirmed 'identity'",
            "chose REF-P1 (applied)",
            "placed a hold (bypass): Calibration",
            "ended the warm-up timer: warm since morning",
            "took reading 1 (as found): 4.1280",
            "set zero: 4.128 to 4.001",
            "looked at span: 20.002, left alone",
            "decided: adjust",
            "released the hold",
            "signed the run",
        ):
            self.assertIn(words, told)


class Branches(TestCase):
    def test_what_is_not_needed_is_left_out_with_the_reason(self):
        run = Play().prepare().read_errors("as_found", GOOD)
        before = {p.step.key: p.status for p in make_progress(run.state, run.method).steps}
        self.assertEqual((before["warm_up"], before["adjust"]), ("left out", "if needed"))
        run.do("decision_made", step="judge", choice="leave")
        after = {p.step.key: p.status for p in make_progress(run.state, run.method).steps}
        self.assertEqual((after["adjust"], after["as_left"], after["judge_left"]), ("left out",) * 3)

    def test_a_run_without_a_hold_still_wants_the_normal_reading(self):
        run = Play()
        run.do("step_confirmed", step="identity", values={"tag": "PT-2101", "serial": "MB-48213"})
        from metrology.tests.runs import meter, reference

        run.do("reference_assigned", role="applied", reference=reference())
        run.do("reference_assigned", role="indicated", reference=meter())
        run.do("step_confirmed", step="references")
        run.do("step_confirmed", step="environment", values={"temperature": "20"})
        run.do("step_confirmed", step="operator", values={"operator": "Control room"})
        run.do("hold_placed", step="hold", kind="none", reason="indication only, feeds nothing")
        run.do("step_confirmed", step="cautions", checks=CHECKS["cautions"])
        run.read_errors("as_found", GOOD)
        run.do("decision_made", step="judge", choice="leave")
        run.do("step_confirmed", step="restore", checks=CHECKS["restore"])
        self.assertTrue(any("normal reading" in b for b in find_blocks(run.state, run.method, run.now)))
        run.do("step_confirmed", step="release", values={"reading": "212", "operator": "Control room"})
        self.assertEqual(find_blocks(run.state, run.method, run.now), ())

    def test_a_hold_past_its_planned_end_is_overdue(self):
        run = Play().prepare()
        self.assertFalse(run.view["holds"][0]["is_overdue"])
        run.now = run.state.open_holds[0].until.replace(year=2027)
        self.assertTrue(run.view["holds"][0]["is_overdue"])

    def test_a_reading_far_out_but_believable_is_questioned_beside_its_verdict(self):
        run = Play().prepare().read("as_found", ["4.00", "8.00", "10.24"])
        self.assertEqual(run.view["evidence"][0]["rows"][2]["slip"], "12.04")


class CapturedInWords(TestCase):
    def test_what_would_not_stand_says_so(self):
        told = {"label": "Display", "unit": "%LEL", "mean": 0.1, "sd": 0.02, "slope": 0.0, "window_s": 40.0, "peak": 0.2, "t90_s": None}
        self.assertIn("not settled", captured_words({**told, "settle_s": None}))
        self.assertIn("settled after 12.0 s", captured_words({**told, "settle_s": 12.0}))
