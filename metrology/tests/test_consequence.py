"""What ended jobs leave behind: in doubt, due at once, until a calibration or a check has the last word."""

from dataclasses import replace
from datetime import date, timedelta
from unittest import TestCase

from metrology.judgement.consequence import Ended, open_doubt

GOOD = Ended("VL-1", date(2026, 3, 1), False, True, "calibration", False, "pass", "leave")
CHECK = replace(GOOD, sets=False, method="check")
OTHER = replace(CHECK, method="another check")


def after(*jobs):
    """The doubt after jobs a day apart, numbered from 1."""
    return open_doubt([replace(j, label=f"VL-{n}", on=date(2026, 3, 1) + timedelta(days=n)) for n, j in enumerate(jobs, 1)])


FAILED, FAILED_CHECK = replace(GOOD, left="fail"), replace(CHECK, left="fail")
MARKED = replace(GOOD, decision="replace")
VOIDED = replace(GOOD, is_voided=True, adjusted=True, left="")


class Doubts(TestCase):
    def test_each_job_and_what_it_leaves(self):
        for name, jobs, says in (
            ("nothing done yet", (), None),
            ("good", (GOOD,), None),
            ("marginal", (replace(GOOD, left="marginal"),), None),
            ("a check left outside", (GOOD, FAILED_CHECK), "it failed its check and was left so in VL-2"),
            ("a calibration left outside", (GOOD, FAILED), "left outside its limits in VL-2"),
            ("marked", (GOOD, MARKED), "marked for replacement in VL-2"),
            ("marked by a check", (GOOD, replace(CHECK, decision="replace")), "marked for replacement"),
            ("voided with something set", (GOOD, VOIDED), "how it stands was not proved"),
            ("voided with nothing set", (GOOD, replace(VOIDED, adjusted=False)), None),
        ):
            with self.subTest(name):
                doubt = after(*jobs)
                self.assertEqual(doubt is None, says is None)
                if doubt:
                    self.assertIn(says, doubt.says)
                    self.assertEqual(doubt.on, date(2026, 3, 1) + timedelta(days=len(jobs)))

    def test_a_calibration_takes_every_doubt_away(self):
        for bad in (FAILED, FAILED_CHECK, MARKED, VOIDED):
            with self.subTest(bad=bad):
                self.assertIsNone(after(bad, GOOD))
                self.assertIsNotNone(after(bad, replace(GOOD, is_voided=True)))

    def test_a_check_takes_away_what_a_check_found_and_nothing_else(self):
        self.assertIsNone(after(FAILED_CHECK, CHECK))
        self.assertIsNotNone(after(FAILED_CHECK, OTHER))
        both = (FAILED_CHECK, replace(OTHER, left="fail"))
        for check in (CHECK, OTHER):
            with self.subTest(both=check.method):
                self.assertIsNotNone(after(*both, check))  # what the one found the other does not take away
        self.assertIsNone(after(*both, GOOD))
        for bad in (FAILED, MARKED, VOIDED):
            with self.subTest(bad=bad):
                self.assertIsNotNone(after(bad, CHECK))
                self.assertIsNotNone(after(bad, FAILED_CHECK, CHECK))

    def test_a_trim_beside_the_calibration_is_in_doubt_until_the_next_one(self):
        configured = replace(CHECK, method="configuring", adjusted=True, trims=True)
        doubt = after(GOOD, configured)
        self.assertIn("not calibrated since", doubt.says)
        self.assertIsNotNone(after(GOOD, configured, replace(configured, trims=False, adjusted=False)))
        self.assertIsNone(after(GOOD, configured, GOOD))
        self.assertIsNone(after(GOOD, replace(configured, trims=False)))

    def test_a_check_that_became_a_calibration_is_one(self):
        self.assertIsNone(after(FAILED, replace(CHECK, sets=True, adjusted=True)))
