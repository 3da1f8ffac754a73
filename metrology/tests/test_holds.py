"""Holds: long ones are approved, handed over only when accepted, and what one does to a vote."""

from dataclasses import replace
from unittest import TestCase

from metrology.faults import Fault
from metrology.judgement.voting import read_scheme, vote_words
from metrology.run.flags import flags_of
from metrology.tests.runs import Play, instrument


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
        self.assertIn("On hold for more than 12 h, approved: Holt, shift lead: portable stands in", flags_of(run.state))

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
