"""A belt weigher: whole revolutions, tests that agree, weights under lock-out, causes, the first time, and what its zero says over time."""

from unittest import TestCase

from metrology.faults import Fault
from metrology.judgement.belt_signature import BeltResult, find_belt_signatures
from metrology.quantities.belt import belt_total
from metrology.run.results import results_of
from metrology.tests.belts import BeltPlay, weigher


class Tests(TestCase):
    def test_whole_revolutions_for_the_time_asked_and_their_true_duration(self):
        p = BeltPlay().forward()
        self.assertEqual([c["says"] for c in p.view["computed"]], ["revolutions 15; duration 600 s.", "load 50 kg/m; rate 270 t/h."])
        self.assertIn("15 whole revolutions, 600 s", p.view["step"]["readings"]["next"]["how"])
        self.assertEqual(belt_total(50.0, 60.0, revolutions=15), 45_000.0)

    def test_a_speed_measured_on_the_day_changes_the_test(self):
        p = BeltPlay()
        p.do("step_confirmed", step="identity", values={"tag": "WT-1", "serial": "MB-48213"})
        p.do("step_confirmed", step="revolutions", values={"speed_m_s": "1.2", "minutes": "7"})  # 1.2 x 420 / 60 = 8.4: nine
        self.assertEqual(p.view["computed"][0]["says"], "revolutions 9; duration 450 s.")
        p.forward()
        self.assertIn("9 whole revolutions", p.view["step"]["readings"]["next"]["how"])

    def test_a_part_of_a_revolution_or_another_number_is_refused(self):
        p = BeltPlay().forward()
        for made, code in (("14.6", "not_whole"), ("15.03", "not_whole"), ("14", "other_revolutions")):
            with self.assertRaises(Fault) as refused:
                p.take(50_000, applied=made, confirmed_unlikely=True)
            self.assertEqual(refused.exception.code, code, made)
        p.take(50_000, applied="15.02")  # a counter that shows hundredths

    def test_zero_is_tested_until_two_agree(self):
        p = BeltPlay().forward().take(50_100, 50_060)
        self.assertEqual(p.step.key, "as_found_zero")  # 40 counts of 50000 are 0.08 %
        p.take(50_031)  # 29 counts, 0.058 %
        self.assertEqual(p.step.key, "lock_on_found_1")
        rows = p.view["evidence"][0]["rows"]
        self.assertEqual([r["verdict"] for r in rows], [None, "fail", "pass"])  # the first is set aside; 0.12 and 0.062 % of 0.1 %

    def test_agreement_just_inside_at_and_just_outside(self):
        for second, goes_on in ((50_029, False), (50_030, False), (50_031, True)):
            p = BeltPlay().forward().take(50_000, second)
            self.assertEqual(p.step.key == "as_found_zero", goes_on, second)

    def test_after_the_most_tests_it_ends_and_is_told(self):
        p = BeltPlay({"most_tests": "3"}).forward().take(50_000, 50_200, 50_000).forward().take(81_000)
        self.assertEqual(p.view["step"]["judge"]["proposal"], "repeat")
        self.assertIn("zero-not-repeating", [s["code"] for s in p.view["evidence"][0]["signatures"]])

    def test_limits_of_the_class(self):
        for name, zero, span in (("r50-0.5", 0.05, 0.5), ("r50-2", 0.2, 2.0), ("hb44", 0.06, 0.25)):
            for part, verdict in ((0.99, "pass"), (1.0, "pass"), (1.01, "fail")):
                count = 100_000 * (1 + part * zero / 100)
                p = BeltPlay({"belt_class": name, "zero_agree": "5"}).forward(zero_now="100000", span_now="100000").take(count, count)
                self.assertEqual(p.view["evidence"][0]["verdict"], verdict, (name, part))
                p.forward().take(100_000 * (1 + part * span / 100))
                self.assertEqual(p.view["evidence"][1]["verdict"], verdict, (name, part))
        p = BeltPlay({"belt_class": ""})
        self.assertEqual(p.view["instrument"]["tolerance"], "own tolerance: 1 % of the load, zero 0.1 %")

    def test_a_change_of_zero_is_told_of_the_full_load_where_that_is_known(self):
        p = BeltPlay({"full_counts": "200000"}).forward().take(50_100, 50_100)
        self.assertEqual(p.view["evidence"][0]["rows"][0]["error"], "+0.050 %")

    def test_the_total_under_the_weights_is_judged_too(self):
        for total, verdict in (("45450", "pass"), ("45451", "fail")):
            p = BeltPlay().both(total=total)
            found = next(c for c in p.view["evidence"][1]["criteria"] if c["name"] == "total")
            self.assertEqual(found["verdict"], verdict)


class LockOut(TestCase):
    def test_weights_move_only_while_the_lock_out_is_on(self):
        p = BeltPlay().forward().take(50_000, 50_000)
        self.assertEqual(p.step.kind, "hold")
        with self.assertRaises(Fault):
            p.do("pair_moved", step="weights_on_found_1", pair="weights", to="out")
        p.do("hold_placed", step=p.step.key, kind="lock-out", reason="Isolator 4", minutes="30")
        lock = next(h for h in p.state.open_holds if h.kind == "lock-out")
        p.do("hold_released", hold=lock.id, values={"clear": "Tomas", "locks": "Ines"}, reason="called away")
        with self.assertRaises(Fault) as refused:
            p.do("pair_moved", step="weights_on_found_1", pair="weights", to="out")
        self.assertEqual((refused.exception.code, p.step.kind), ("hold_off", "hold"))

    def test_it_is_a_hold_of_its_own_beside_the_one_of_the_plant(self):
        p = BeltPlay().forward().take(50_000, 50_000).forward("release")
        self.assertEqual({h.kind for h in p.state.open_holds}, {"inhibit", "lock-out"})
        self.assertEqual(len(p.view["step"]["lets_go"]), 1)
        with self.assertRaises(Fault):  # nobody said that all are clear
            p.do("hold_released", hold=p.view["step"]["lets_go"][0], values={"locks": "Ines"})
        p.forward()
        self.assertEqual([h.kind for h in p.state.open_holds], ["inhibit"])
        self.assertEqual(p.step.key, "as_found_span")

    def test_the_belt_is_not_restarted_before_every_weight_is_at_its_place(self):
        p = BeltPlay().forward().take(50_000, 50_000).forward("checkpairs")
        with self.assertRaises(Fault) as refused:
            p.do("step_confirmed", step=p.step.key)
        self.assertEqual(refused.exception.code, "pairs_lacking")

    def test_weights_are_counted_before_the_plant_gets_it_back(self):
        p = BeltPlay().both().decide("leave")
        with self.assertRaises(Fault) as refused:
            p.forward(weights_stored="1")
        self.assertIn("look for the one that is missing", refused.exception.message)
        p.forward()
        p.do("signed", note="")
        self.assertEqual(p.state.status, "signed")


class Deciding(TestCase):
    def test_zero_and_span_are_one_result(self):
        p = BeltPlay().both(zero=(50_100, 50_100))
        self.assertEqual(p.view["step"]["judge"], {**p.view["step"]["judge"], "proposal": "adjust", "verdict": "fail"})
        p.decide("leave", "shutdown tomorrow")
        self.assertEqual(results_of(p.state, p.method)["found"]["verdict"], "fail")  # though the span is good

    def test_a_change_beyond_the_limit_wants_its_cause(self):
        for zero, needs in ((50_249, False), (50_250, False), (50_251, True)):
            p = BeltPlay().both(zero=(zero, zero))
            self.assertEqual(p.view["step"]["judge"]["proposal"], "cause" if needs else "adjust")
            if needs:
                with self.assertRaises(Fault) as refused:
                    p.decide("adjust", "it is only a little")
                self.assertIn("note what it was", refused.exception.message)
                p.decide("cause").forward()
                self.assertIn("Belt changed or repaired", str(p.view["noted"]))

    def test_as_left_is_told_against_what_was_accepted_and_as_found_stays(self):
        p = BeltPlay().both(zero=(50_100, 50_100), span=(81_200,)).decide("adjust").forward().take(50_101, 50_099).forward().take(81_190)
        shown = {s["key"]: [r["error"] for r in s["rows"]] for s in p.view["evidence"]}
        self.assertEqual(shown["as_found_zero"], ["+0.20 %", "+0.20 %"])
        self.assertEqual(shown["as_left_zero"], ["+0.002 %", "-0.002 %"])
        self.assertEqual(shown["as_left_span"], ["-0.012 %"])
        self.assertEqual(p.view["step"]["judge"]["proposal"], "leave")

    def test_the_first_time_zero_and_span_are_set_twice(self):
        first = {"first": "yes", "zero_now": "", "span_now": ""}
        p = BeltPlay().forward(**first).take(50_000, 50_010).forward().take(81_000, 81_050)
        self.assertEqual(p.view["step"]["judge"]["proposal"], "adjust")
        with self.assertRaises(Fault):
            p.decide("leave")
        p.decide("adjust").both((50_005, 50_005), (81_020,))
        self.assertEqual(p.view["step"]["judge"]["proposal"], "adjust")
        with self.assertRaises(Fault):
            p.decide("leave")
        p.decide("adjust").both((50_005, 50_005), (81_020,)).decide("leave").forward()
        p.do("signed", note="")
        self.assertEqual(len(p.view["evidence"]), 6)
        self.assertEqual({r["name"] for r in p.state.seal["results"] if r["phase"] == "as found"}, {"zero_count"})

    def test_counts_that_are_stored_must_be_named_unless_it_is_the_first_time(self):
        with self.assertRaises(Fault):
            BeltPlay().forward(zero_now="")

    def test_material_of_known_mass_proves_the_simulated_load(self):
        for total, choice in ((12_120, "leave"), (12_121, "repair")):
            p = BeltPlay({"tests_material": True}).both().decide("leave").forward()
            self.assertEqual(p.step.key, "material")
            p.do("reading_taken", step="material", slot=0, indicated=str(total), true_mass="12000")
            self.assertEqual(p.view["step"]["judge"]["proposal"], choice)
        self.assertEqual(p.view["evidence"][-1]["tables"][0]["rows"][0][2], "0.99002")
        skipped = BeltPlay({"tests_material": True}).both().decide("leave").forward(material="no")
        self.assertEqual(skipped.step.key, "sign")

    def test_repeated_as_found_takes_the_weights_off_first(self):
        p = BeltPlay().both().decide("repeat").forward()
        self.assertEqual(p.step.key, "as_found_zero_2")
        self.assertEqual(p.state.pairs_out, [])

    def test_what_does_not_hold_together_is_refused(self):
        with self.assertRaises(Fault):
            weigher({"weight_count": "0"})


class ZeroHistory(TestCase):
    def causes(self, counts, change=None, days=None):
        base, new = 50_000.0, counts[-1]
        change = 100 * (new - counts[-2]) / base if change is None else change
        days = days or tuple(30.0 * n for n in range(len(counts)))
        r = BeltResult(change, None, 0.01, 2, days, tuple(map(float, counts)), base, 0.1, 1.0, 0.06, 0.5)
        return [s.code for s in find_belt_signatures(r)]

    def test_build_up_is_told_from_a_step(self):
        self.assertEqual(self.causes([50_000, 50_030, 50_062, 50_090, 50_121, 50_150]), ["zero-build-up"])
        self.assertEqual(self.causes([50_000, 50_004, 49_998, 50_400, 50_403, 50_399]), ["zero-step"])
        self.assertEqual(self.causes([50_000, 50_004, 49_998, 50_001, 50_402]), ["zero-step"])  # the last one jumped
        self.assertEqual(self.causes([50_000, 50_010, 49_990, 50_005, 50_000]), [])

    def test_a_rise_within_the_limit_or_a_fall_is_no_build_up(self):
        self.assertEqual(self.causes([50_000, 50_012, 50_024, 50_036, 50_048]), [])
        self.assertEqual(self.causes([50_000, 50_013, 50_026, 50_039, 50_052]), ["zero-build-up"])
        self.assertEqual(self.causes([50_150, 50_120, 50_090, 50_060, 50_030]), [])
        self.assertEqual(self.causes([50_000, 50_050, 50_100]), [])  # three say nothing yet

    def test_a_span_that_moved_points_to_the_mechanics(self):
        for change, found in ((1.0, []), (1.01, ["tension-or-alignment"]), (-1.01, ["tension-or-alignment"])):
            r = BeltResult(None, change, None, 1, (), (), 50_000.0, 0.1, 1.0, 0.06, 0.5)
            self.assertEqual([s.code for s in find_belt_signatures(r)], found)
