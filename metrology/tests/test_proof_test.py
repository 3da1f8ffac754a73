"""The proof test of a safety function in a run: where it trips, which side is dangerous, what is asked as left."""

from dataclasses import replace
from unittest import TestCase

from metrology.faults import Fault
from metrology.judgement.decision import FAIL, PASS
from metrology.methods.proof_test import FOUND, LEFT, Trip
from metrology.methods.registry import settings_of
from metrology.methods.setup import FALLING, RISING, TripPoint, setup_from, setup_payload
from metrology.run.results import results_of
from metrology.tests.runs import Play

HIGH = TripPoint("SIF-1", "High pressure", 2, 300.0, 2.0, RISING, "kPa")
LOW_TRIP = replace(HIGH, code="SIF-2", direction=FALLING)


class Trips(TestCase):
    def test_late_is_dangerous_early_is_not(self):
        for point, at, verdict, is_dangerous in (
            (HIGH, 302.0, PASS, False), (HIGH, 302.01, FAIL, True), (HIGH, 298.0, PASS, False), (HIGH, 297.99, FAIL, False), (HIGH, None, FAIL, True),
            (LOW_TRIP, 298.0, PASS, False), (LOW_TRIP, 297.99, FAIL, True), (LOW_TRIP, 302.01, FAIL, False),
        ):  # fmt: skip
            with self.subTest(at=at, direction=point.direction):
                t = Trip(point, at)
                self.assertEqual((t.verdict, t.is_dangerous), (verdict, is_dangerous))
        self.assertEqual(Trip(HIGH, 303.5).says, "3.5 kPa late: on the dangerous side")
        self.assertEqual(Trip(HIGH, 290.0).says, "10 kPa early: on the safe side, it trips without need")
        self.assertIn("would not have acted", Trip(HIGH, None).says)


class InARun(TestCase):
    """The transmitter of 0 to 400 kPa, in functions that require 300 kPa."""

    def play(self, *points):
        self.p = Play(functions=points).prepare()
        return self.p

    def found(self, **values):
        self.p.do("step_confirmed", step=FOUND, values=values)

    def decide(self, choice):
        self.p.do("decision_made", step=self.p.current, choice=choice, reason="seen and agreed")

    def fields(self):
        return [f["name"] for f in self.p.view["step"]["fields"]]

    def test_without_a_function_nothing_is_asked_and_nothing_is_kept_of_it(self):
        p = Play().prepare().read_errors("as_found", [0.1] * 10)
        self.assertEqual(p.current, "judge")
        self.assertNotIn("functions", p.events[0].payload)
        self.assertNotIn("proofs", results_of(p.state, p.method))

    def test_the_setup_comes_back_as_it_was_frozen(self):
        p = self.play(HIGH, LOW_TRIP)
        again = setup_from(setup_payload(p.state.setup), settings_of("tx-multipoint"))
        self.assertEqual(again.functions, (HIGH, LOW_TRIP))

    def test_it_is_asked_after_the_readings_as_found_and_before_the_judgement(self):
        p = self.play(HIGH).read_errors("as_found", [0.1] * 10)
        self.assertEqual((p.current, self.fields()), (FOUND, ["proof:SIF-1", "trip:SIF-1"]))
        with self.assertRaises(Fault) as refused:
            self.found(**{"proof:SIF-1": "whole", "trip:SIF-1": ""})
        self.assertEqual(refused.exception.field, "trip:SIF-1")
        self.found(**{"proof:SIF-1": "whole", "trip:SIF-1": "301"})
        self.decide("leave")
        self.assertEqual((p.current, self.fields()), (LEFT, ["bypass_min"]))  # nothing has changed since
        p.do("step_confirmed", step=LEFT, values={"bypass_min": "25"})
        p.finish()
        self.assertEqual(
            p.state.seal["summary"]["proofs"],
            [
                {
                    "code": "SIF-1", "path": "whole path", "trip": 300.0, "found": 301.0, "found_verdict": PASS, "is_dangerous": False, "left": 301.0,
                    "left_verdict": PASS, "bypass_min": 25.0,
                }
            ],
        )  # fmt: skip
        told = p.view["proofs"][0]
        self.assertEqual(
            (told["required"], told["found"], told["left_says"], told["bypass"]), ("300 ±2 kPa rising", "301 kPa", "as required", "25 min")
        )
        self.assertEqual([r["verdict"] for r in p.view["results"]], [PASS, PASS][: len(p.view["results"])])

    def test_late_as_found_fails_the_record_though_every_reading_passes(self):
        p = self.play(HIGH).read_errors("as_found", [0.1] * 10)
        self.found(**{"proof:SIF-1": "part", "trip:SIF-1": "304"})
        self.decide("leave")
        self.assertEqual(self.fields(), ["trip:SIF-1", "why:SIF-1", "bypass_min"])
        with self.assertRaises(Fault) as refused:
            p.do("step_confirmed", step=LEFT, values={"trip:SIF-1": "304"})
        self.assertIn("Put it right, or say why", refused.exception.message)
        with self.assertRaises(Fault):
            p.do("step_confirmed", step=LEFT, values={})
        p.do("step_confirmed", step=LEFT, values={"trip:SIF-1": "300.5"})
        p.finish()
        summary = p.state.seal["summary"]
        self.assertEqual((summary["found"]["verdict"], summary["left"]["verdict"]), (FAIL, PASS))
        self.assertEqual(p.view["results"][0], {"phase": "as found", "verdict": FAIL, "share": "the trip of SIF-1 is not as required"})
        self.assertEqual([(r["phase"], r["verdict"]) for r in p.view["results"]], [("as found", FAIL), ("as left", PASS)])
        self.assertIn("SIF-1, proof test as found: 4 kPa late: on the dangerous side. Required: 300 ±2 kPa rising.", p.view["flags"])

    def test_one_that_does_not_trip_and_is_left_so_says_why_and_is_left_outside(self):
        p = self.play(HIGH).read_errors("as_found", [0.1] * 10)
        self.found(**{"proof:SIF-1": "whole-no-trip"})
        self.decide("leave")
        p.do("step_confirmed", step=LEFT, values={"why:SIF-1": "Valve stuck, plant stays down"})
        p.finish()
        proof = p.state.seal["summary"]["proofs"][0]
        self.assertEqual((proof["found"], proof["is_dangerous"], proof["left_verdict"]), (None, True, FAIL))
        self.assertEqual(p.state.seal["summary"]["left"]["verdict"], FAIL)
        self.assertTrue(any("Valve stuck" in f for f in p.view["flags"]))

    def test_after_an_adjustment_the_trip_is_proved_again(self):
        p = self.play(HIGH).read_errors("as_found", [0.6] * 10)
        self.found(**{"proof:SIF-1": "whole", "trip:SIF-1": "299"})
        self.decide("adjust")
        names = [s["key"] for phase in p.view["rail"] for s in phase["steps"]]
        self.assertLess(names.index("adjust"), names.index(LEFT))
        left = next(s for s in p.method.steps(p.state.setup, {"judge": "adjust"}) if s.key == LEFT)
        self.assertEqual([f.name for f in left.fields], ["trip:SIF-1", "why:SIF-1", "bypass_min"])

    def test_no_proof_test_is_said_once_and_not_asked_again(self):
        p = self.play(HIGH, LOW_TRIP).read_errors("as_found", [0.1] * 10)
        with self.assertRaises(Fault):
            self.found(**{"proof:SIF-1": "none"})  # each function is answered
        self.found(**{"proof:SIF-1": "none", "proof:SIF-2": "none"})
        self.decide("leave")
        self.assertEqual(p.current, "restore")
        p.finish()
        self.assertEqual(p.view["proofs"], [])
