"""What is proposed at a judge step can be chosen there."""

from dataclasses import dataclass, replace
from unittest import TestCase

from metrology.methods.outcome import Outcome, Proposal
from metrology.methods.registry import METHODS
from metrology.methods.steps import Step
from metrology.run.proposing import proposal_at
from metrology.tests.runs import Play

OPTIONS = {
    "dry": (("leave", "Leave as it is"), ("adjust", "Adjust"), ("repeat", "Again")),
    "wet": (("leave", "Accept"), ("repair", "Correct the cause, then prove")),
    "trims": (("leave", "Leave"), ("trim_output", "Trim the output"), ("replace", "Mark for replacement")),
    "nothing": (("leave", "Accept"),),
}


@dataclass(frozen=True)
class Says:
    """An advice that always says the same."""

    choice: str

    def propose(self, setup, outcome, *, is_as_left):
        return Proposal(self.choice, "It is off.")


@dataclass(frozen=True)
class Failed(Outcome):
    fails: bool = True

    @property
    def verdict(self):
        return "fail" if self.fails else "pass"


class Proposing(TestCase):
    def proposed(self, advised, options, *, fails=True):
        play = Play()
        method = replace(play.method, advice=Says(advised))
        return proposal_at(
            play.state, method, Step("judge", "judge", "judge", "Judge", "", options=OPTIONS[options]), Failed((), fails=fails)
        )

    def test_what_is_offered_is_proposed_as_advised(self):
        self.assertEqual(self.proposed("adjust", "dry"), Proposal("adjust", "It is off."))

    def test_what_is_not_offered_gives_way_to_what_comes_nearest(self):
        for advised, options, choice in (
            ("adjust", "wet", "repair"),
            ("repeat", "wet", "repair"),
            ("trim_sensor", "dry", "adjust"),
            ("trim_sensor", "trims", "trim_output"),
            ("adjust", "trims", "trim_output"),
            ("repair", "trims", "replace"),
        ):
            with self.subTest(advised=advised, options=options):
                told = self.proposed(advised, options)
                self.assertEqual(told.choice, choice)
                self.assertIn(f"'{dict(OPTIONS[options])[choice]}' comes nearest", told.reason)

    def test_what_failed_is_never_proposed_to_be_left(self):
        self.assertEqual(self.proposed("adjust", "nothing").choice, "adjust")
        self.assertEqual(self.proposed("adjust", "nothing", fails=False).choice, "leave")

    def test_every_judge_step_offers_something_for_what_failed(self):
        play = Play()
        for key, method in METHODS.items():
            if key != "tx-multipoint" and not hasattr(method.trial, "slots"):
                continue
            for step in method.steps(play.state.setup, {}):
                if step.kind == "judge":
                    with self.subTest(method=key, step=step.key):
                        self.assertTrue({"adjust", "trim_sensor", "trim_output", "repair", "replace", "repeat"} & set(dict(step.options)))
