"""What is asked for on one screen, and how far the ring is closed."""

import unittest

from metrology.tests.runs import Play, instrument, meter, reference


def asked(play):
    return [s["key"] for s in play.view["beside"]]


class OnOneScreen(unittest.TestCase):
    def test_plate_references_and_air_together(self):
        self.assertEqual(asked(Play()), ["references", "environment"])

    def test_a_calculation_or_a_timer_ends_it(self):
        play = Play(instrument=instrument(warm_up_min=30.0))
        self.assertEqual(asked(play), ["references", "environment"])
        play.do("step_confirmed", step="identity", values={"tag": "PT-2101", "serial": "MB-48213"})
        self.assertEqual(asked(play), [])  # references are chosen one by one

    def test_the_hold_stands_with_who_was_told_and_nothing_that_is_done_under_it(self):
        play = Play()
        play.do("step_confirmed", step="identity", values={"tag": "PT-2101", "serial": "MB-48213"})
        play.do("reference_assigned", role="applied", reference=reference())
        play.do("reference_assigned", role="indicated", reference=meter())
        play.do("step_confirmed", step="references")
        play.do("step_confirmed", step="environment", values={"temperature": "21"})
        self.assertEqual(asked(play), ["hold"])
        play.do("step_confirmed", step="operator", values={"operator": "Tomas"})
        self.assertEqual(asked(play), [])
        play.do("hold_placed", step="hold", kind="inhibit", reason="Calibration", minutes="60")
        self.assertEqual(play.current, "cautions")
        self.assertEqual(asked(play), [])

    def test_readings_stand_alone_and_who_was_told_is_offered_at_the_release(self):
        play = Play().prepare().read_errors("as_found", [0.0] * 10)
        self.assertEqual(asked(play), [])
        play.do("decision_made", step="judge", choice="leave", reason="")
        self.assertEqual(asked(play), ["release"])
        play.do("step_confirmed", step="restore", checks=["test_gear", "valves", "write_lock", "covers", "tidy"])
        usual = {f["name"]: f["usual"] for f in play.view["step"]["fields"]}
        self.assertEqual(usual["operator"], "Control room")
        self.assertEqual(usual["reading"], "")  # what is seen is never filled in


class Ring(unittest.TestCase):
    def test_it_never_falls_because_more_is_needed(self):
        play, seen = Play().prepare(), []

        def look():
            seen.append(play.view["closed"])

        look()
        play.read_errors("as_found", [2.0] * 10)
        look()
        play.do("decision_made", step="judge", choice="adjust", reason="")
        look()
        for screw, before, after in (("zero", "4.3", "4.0"), ("span", "20.3", "20.0"), ("zero", "4.0", "")):
            play.do("adjustment_made", step="adjust", screw=screw, before=before, after=after)
        play.do("step_confirmed", step="adjust")
        look()
        play.read_errors("as_left", [1.5] * 10)
        look()
        play.do("decision_made", step="judge_left", choice="adjust", reason="still off")
        look()
        self.assertEqual(seen, sorted(seen))
        self.assertLess(seen[0], seen[-1])


if __name__ == "__main__":
    unittest.main()
