"""Holds: long ones are approved, handed over only when accepted, and what one does to a vote."""

from dataclasses import replace
from unittest import TestCase

from metrology.faults import Fault
from metrology.judgement.voting import read_scheme, vote_words
from metrology.methods.registry import get_method
from metrology.methods.setup import RunSetup
from metrology.run.flags import flags_of
from metrology.run.parameters import require_hold
from metrology.tests.runs import CHECKS, Play, instrument


class OnTheBench(TestCase):
    def out(self, reason="New cell fitted in the shop"):
        return Play().prepare(kind="bench", reason=reason)

    def test_no_hold_is_pretended_and_no_normal_reading_asked(self):
        p = self.out()
        self.assertEqual(p.state.open_holds, [])
        p.read_errors("as_found", [0.0] * 10)
        p.do("decision_made", step="judge", choice="leave", reason="")
        p.do("step_confirmed", step="restore", checks=CHECKS["restore"])
        step = p.view["step"]
        self.assertEqual((step["title"], [f["name"] for f in step["fields"]]), ("Off the bench", ["stored", "label"]))
        p.do("step_confirmed", step="release", values={"stored": "Rack 3", "label": "Green, 29 Nov"})
        p.do("signed", note="")
        told = [n["text"] for n in p.view["notes"] if n["kind"] == "on the bench"]
        self.assertEqual(told, ["New cell fitted in the shop"])

    def test_it_takes_a_reason_and_is_offered_only_where_it_makes_sense(self):
        self.assertRaises(Fault, self.out, "")
        for key, there in (("tx-multipoint", True), ("tx-configure", True), ("loop-check", False), ("weigh-vessel", False)):
            method = get_method(key)
            made = RunSetup(key, "1", instrument(details=method.settings()), points_percent=())
            made = replace(made, points_percent=(0.0, 50.0, 100.0))
            options = next(s.options for s in method.steps(made, {}) if s.key == "hold")
            self.assertEqual("bench" in dict(options), there, key)

    def test_a_device_on_the_bench_is_written_to_without_a_hold(self):
        require_hold(self.out().state, "A trim changes what the plant sees")
        p = Play()
        self.assertRaises(Fault, require_hold, p.state, "A trim changes what the plant sees")


class PlacedLater(TestCase):
    def to_readings(self, kind):
        return Play().prepare(kind=kind, reason="The loop is out of use this week").read_errors("as_found", [0.0] * 10)

    def test_where_none_was_placed_one_can_be_later_and_it_has_to_come_off(self):
        for kind in ("none", "bench"):
            p = self.to_readings(kind)
            self.assertIn("hold", p.view["can_reopen"])
            p.do("decision_made", step="judge", choice="leave", reason="")
            p.do("step_reopened", step="hold", reason="Operations want the loop in manual")
            self.assertEqual(p.current, "hold")
            p.do("hold_placed", step="hold", kind="inhibit", reason="After all", minutes="60")
            self.assertEqual(p.current, "restore")
            self.assertIn("The loop is out of use this week", p.view["reopened"][0]["values"])
            with self.assertRaises(Fault):
                p.do("signed", note="")
            p.finish()
            self.assertEqual(p.view["status"], "signed")

    def test_a_hold_that_is_on_is_not_taken_back(self):
        p = self.to_readings("inhibit")
        self.assertNotIn("hold", p.view["can_reopen"])
        with self.assertRaises(Fault) as told:
            p.do("step_reopened", step="hold", reason="Not needed any more")
        self.assertIn("it is released", told.exception.message)

    def test_not_when_the_run_is_given_back(self):
        p = self.to_readings("none")
        p.do("decision_made", step="judge", choice="leave", reason="")
        p.do("step_confirmed", step="restore", checks=CHECKS["restore"])
        p.do("step_confirmed", step="release", values={"reading": "212", "operator": "Control room"})
        self.assertRaises(Fault, p.do, "step_reopened", step="hold", reason="Operations want it")


class Holds(TestCase):
    def place(self, minutes, **more):
        run = Play().prepare()
        run.do("hold_released", hold=run.state.open_holds[0].id, reason="called away", values={"reading": "210", "operator": "Control"})
        run.do("step_confirmed", step="operator", values={"operator": "Control room"})
        run.do("hold_placed", step="hold", kind="inhibit", reason="Calibration", minutes=minutes, **more)
        return run

    def test_past_the_limit_it_takes_an_approval(self):
        self.assertEqual(self.place("720").state.open_holds[0].approval, "")
        with self.assertRaisesRegex(Fault, "more than 12 h takes an approval"):
            self.place("721")
        run = self.place("721", approval="Holt, shift lead: portable stands in")
        self.assertIn("On hold for more than 12 h, approved: Holt, shift lead: portable stands in", flags_of(run.state, run.method))

    def test_an_extension_counts_from_when_it_was_placed(self):
        run = Play().prepare()
        hold = run.state.open_holds[0]
        # It was placed two minutes ago when this is asked: one for the step after it, one for this.
        run.do("hold_extended", hold=hold.id, reason="slow cell", minutes="718")
        with self.assertRaises(Fault) as refused:
            run.do("hold_extended", hold=hold.id, reason="slow cell", minutes="718")
        self.assertTrue(refused.exception.context["needs_approval"])
        run.do("hold_extended", hold=hold.id, reason="slow cell", minutes="718", approval="Holt, shift lead")
        self.assertEqual(run.state.open_holds[0].approval, "Holt, shift lead")

    def test_it_is_handed_over_once_the_other_has_accepted_and_the_note_stays(self):
        run = Play().prepare()
        hold = run.state.open_holds[0].id
        run.do("hold_handed_over", hold=hold, to="tomas", to_name="Tomas Wray", note="purge next")
        self.assertEqual((run.state.open_holds[0].holder, run.state.open_holds[0].offered_to), ("ines", "tomas"))
        with self.assertRaisesRegex(Fault, "handed over to Tomas Wray; only they"):
            run.do("hold_accepted", hold=hold, who={"by": "oda"})
        run.do("hold_accepted", hold=hold, who={"by": "tomas"})
        now = run.state.open_holds[0]
        self.assertEqual((now.offered_to, now.note), ("", "purge next"))
        with self.assertRaisesRegex(Fault, "not being handed over"):
            run.do("hold_accepted", hold=hold, who={"by": "tomas"})


class Votes(TestCase):
    def test_what_is_left_of_a_vote(self):
        for scheme, held, told in (
            ("2oo2", 1, "only 1 can vote, so the trip can't come"),
            ("2oo3", 1, "becomes 2 of 2, all 2 others must see it"),
            ("2oo3", 2, "only 1 can vote"),
            ("1oo2", 1, "becomes 1 of 1, the other one alone must see it"),
            ("2oo4", 1, "becomes 2 of 3."),
            ("1oo1", 1, "only 0 can vote"),
        ):
            self.assertIn(told, vote_words(scheme, "Cell trip", held=held), (scheme, held))
        self.assertEqual(vote_words("", "Cell trip"), "")

    def test_a_vote_is_written_one_way(self):
        self.assertEqual(read_scheme(" 2oo3 "), (2, 3))
        for wrong in ("3oo2", "2 of 3", "2oo", "0oo1"):
            with self.assertRaises(Fault):
                read_scheme(wrong)

    def test_it_is_told_before_the_hold_is_placed(self):
        run = Play(instrument=replace(instrument(), voting_group="Cell trip V-6001", voting="2oo2")).prepare()
        run.do("hold_released", hold=run.state.open_holds[0].id, reason="called away", values={"reading": "210", "operator": "Control"})
        run.do("step_confirmed", step="operator", values={"operator": "Control room"})
        self.assertTrue(any("Cell trip V-6001, 2 of 2: with 1 on hold only 1 can vote" in c for c in run.view["step"]["cautions"]))
