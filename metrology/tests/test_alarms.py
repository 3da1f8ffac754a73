"""Alarms of detectors: each set keeps its own, judged only as far as the exposure went, asked again with a struck span, reset before release."""

from unittest import TestCase

from metrology.faults import Fault
from metrology.judgement.exposure import alarms_on
from metrology.tests.gases import HYDROGEN, GasPlay, detector

ALARMS = {**HYDROGEN, "alarms": "Low 20 rising latching; High 40 rising"}


def seen(set_key="as_found", low="20.5", high="41"):
    return {f"alarm:{set_key}:Low": low, f"alarm:{set_key}:High": high}


class Alarms(TestCase):
    def run_to_alarms(self, *texts, method="gas-bump", details=None):
        p = GasPlay(method, instrument=detector(details or ALARMS))
        p.forward()
        return p.expose(*(texts or ("50",)))

    def criteria(self, p, set_no=0):
        return {c["name"]: (c["verdict"], c["says"]) for c in p.view["evidence"][set_no]["criteria"]}

    def test_they_are_announced_before_the_gas_rises(self):
        p = GasPlay("gas-bump", instrument=detector(ALARMS))
        p.forward()
        self.assertIn("Watch the alarms while it rises: 'Low' at 20 %LEL, 'High' at 40 %LEL.", p.view["step"]["readings"]["next"]["how"])

    def test_one_may_come_as_late_or_early_as_the_tolerance_and_no_further(self):
        for came, verdict in (("15", "pass"), ("14.99", "fail"), ("25", "pass"), ("25.01", "fail")):
            with self.subTest(came=came):
                p = self.run_to_alarms()
                p.do("step_confirmed", step="alarms", values=seen(low=came))
                self.assertEqual(self.criteria(p)["alarm:Low"][0], verdict)
                self.assertEqual(p.view["evidence"][0]["verdict"], verdict)

    def test_one_that_does_not_come_is_an_as_found_failure_once_the_reading_went_beyond_it(self):
        for reached, judged in (("45", False), ("45.1", True)):
            with self.subTest(reached=reached):
                p = self.run_to_alarms(reached)
                p.do("step_confirmed", step="alarms", values=seen(high=""))
                self.assertEqual("alarm:High" in self.criteria(p), judged)
                self.assertEqual(p.view["evidence"][0]["verdict"], "fail" if judged else "pass")

    def test_a_set_point_that_was_not_reached_is_not_judged_and_the_proposal_speaks_of_the_detector(self):
        p = self.run_to_alarms("33")
        p.do("step_confirmed", step="alarms", values=seen(high=""))
        judge = p.view["step"]["judge"]
        self.assertEqual(judge["proposal"], "calibrate")
        self.assertNotIn("alarm", judge["reason"].lower())
        told = {f["name"]: f["value"] for f in p.view["evidence"][0]["findings"]}
        self.assertIn("not reached: the reading went to 33 %LEL, set point 40 %LEL", told["Alarm 'High'"])

    def test_how_much_of_its_room_an_alarm_uses_does_not_ask_for_a_calibration(self):
        p = self.run_to_alarms("0", "50", method="gas-zero-span")
        p.do("step_confirmed", step="alarms", values=seen(low="24.5"))
        self.assertEqual(p.view["step"]["judge"]["proposal"], "leave")

    def test_later_alarms_do_not_overwrite_those_of_as_found(self):
        p = self.run_to_alarms("0", "33", method="gas-zero-span")
        p.do("step_confirmed", step="alarms", values=seen(low="19", high=""))
        p.decide("adjust")
        for screw, before, after in (("zero", "0", ""), ("span", "33", "50")):
            p.do("adjustment_made", step="adjust", screw=screw, before=before, after=after)
        p.do("step_confirmed", step="adjust")
        p.expose("0", "50")
        p.do("step_confirmed", step="alarms_2", values=seen("as_left", low="21"))
        self.assertIn("came at 19 %LEL", self.criteria(p, 0)["alarm:Low"][1])
        self.assertIn("came at 21 %LEL", self.criteria(p, 1)["alarm:Low"][1])

    def test_a_struck_span_asks_its_alarms_again(self):
        p = self.run_to_alarms()
        p.do("step_confirmed", step="alarms", values=seen(high=""))
        p.do("reading_struck", reading=p.state.readings[-1].id, reason="the cap was not tight")
        self.assertEqual(self.criteria(p), {})
        p.expose("51")
        self.assertEqual(p.step.key, "alarms")
        p.do("step_confirmed", step="alarms", values=seen())
        self.assertEqual(p.view["evidence"][0]["verdict"], "pass")

    def test_one_that_latched_in_this_run_is_reset_before_the_inhibit_comes_off(self):
        p = self.run_to_alarms()
        p.do("step_confirmed", step="alarms", values=seen())
        p.decide("leave")
        p.forward("release")
        values = {"reading": "0", "latches": "none", "operator": "Control"}
        with self.assertRaisesRegex(Fault, "No alarm had latched. 'Low' came at 20.5 %LEL and stays until it is reset"):
            p.do("hold_released", hold=p.state.open_holds[0].id, values=values)
        p.do("hold_released", hold=p.state.open_holds[0].id, values={**values, "latches": "reset"})

    def test_none_is_contradicted_where_none_latched(self):
        p = self.run_to_alarms("10")
        p.do("step_confirmed", step="alarms", values=seen(low="", high=""))
        p.decide("repair", reason="the filter is changed")
        self.assertEqual(next(f for f in p.method.steps(p.state.setup, {})[-2].fields if f.name == "latches").expected, "")

    def test_what_the_status_word_still_has_on_keeps_the_hold(self):
        p = self.run_to_alarms()
        p.do("step_confirmed", step="alarms", values=seen())
        p.decide("leave")
        p.forward("release")
        values = {"reading": "0", "latches": "reset", "operator": "Control"}
        with self.assertRaisesRegex(Fault, "still has 'Low' on"):
            p.do("hold_released", hold=p.state.open_holds[0].id, values=values, alarms_on=["Low"])
        self.assertEqual([alarms_on(w, 2) for w in (0, 7, 8, 16, 24, 32)], [(), (), (0,), (1,), (0, 1), ()])
