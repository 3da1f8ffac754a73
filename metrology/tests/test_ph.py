"""A pH analyzer in two buffers: tables, slope and offset, every trap, limits, portions, and what a change in the middle leaves standing."""

from datetime import date, timedelta
from unittest import TestCase

from metrology.faults import Fault, Faults
from metrology.judgement.ph_signature import Electrode, GlassLimits, InBuffer, find_ph_signatures
from metrology.judgement.trend import Meeting, find_step, meeting_words, meets_limit
from metrology.methods.catalogue.an_ph import PhSettings, is_acid
from metrology.methods.settings import read_settings
from metrology.methods.setup import Past
from metrology.methods.standards.buffer import buffer_value
from metrology.methods.standards.kinds import OFFERED
from metrology.run.seal import make_seal
from metrology.tests.buffers import FIRST, SECOND, PhPlay, analyzer, buffer
from metrology.tests.runs import Play
from tools.electrode_trials import run_trials, shares


class Slope(TestCase):
    def test_slope_and_offset_follow_from_the_signals_at_the_buffers_temperature(self):
        p = PhPlay(c="20").take({"indicated": "6.88", "mv": "5.8"}, {"indicated": "4.00", "mv": "171.0"})
        # 20 °C: 6.881 and 4.000 by the table; theory 58.17 mV/pH. (171.0 - 5.8) / 2.881 = 57.34 mV/pH, 98.6 %.
        slope, offset = p.criterion("slope_percent"), p.criterion("offset_mv")
        self.assertEqual((slope["value"], slope["verdict"]), ("98.6 %", "pass"))
        self.assertIn("57.34 mV/pH; theory gives 58.17 mV/pH at 20.0 °C", slope["says"])
        self.assertEqual(offset["value"], "-1.0 mV")  # 5.8 - 57.34 x (7 - 6.881)
        self.assertEqual([(r["applied"], r["error"]) for r in p.set["rows"]], [("6.881", "-0.001"), ("4.000", "0.000")])

    def test_a_buffer_of_another_temperature_has_its_own_value(self):
        p = PhPlay(c="25").take({**FIRST, "buffer_c": "30"}, SECOND)
        self.assertEqual([r["applied"] for r in p.set["rows"]], ["6.853", "4.005"])
        self.assertIn("5.0 °C apart", {f["name"]: f["value"] for f in p.set["findings"]}["Temperatures"])

    def test_without_a_signal_in_mv_it_is_worked_out_from_the_analyzers_calibration(self):
        p = PhPlay({"shows_mv": False}).take({"indicated": "6.865"}, {"indicated": "4.005"})
        self.assertEqual(p.criterion("slope_percent")["value"], "98.0 %")
        self.assertEqual(p.criterion("offset_mv")["value"], "2.0 mV")

    def test_a_signal_is_asked_for_where_the_analyzer_shows_it(self):
        with self.assertRaises(Fault) as refused:
            PhPlay().take({"indicated": "6.86"})
        self.assertEqual(refused.exception.field, "mv")

    def test_a_reading_far_from_its_buffer_is_asked_about(self):
        p = PhPlay()
        with self.assertRaises(Fault) as asked:
            p.do("reading_taken", step="as_found", slot=0, indicated="4.02", mv="175")
        self.assertIn("The other beaker", asked.exception.message)
        self.assertTrue(asked.exception.context["can_confirm"])

    def test_a_table_of_its_own_is_read_between_its_points(self):
        own = buffer("B-S", 7.02, table="own", points=[[15, 7.06], [25, 7.02], [35, 7.0]])
        p = PhPlay(c="20", first=own, second=buffer("B-S4", 4.0, table="own", points=[[15, 4.0], [35, 4.02]]))
        self.assertAlmostEqual(buffer_value(p.state.setup, "first", 20.0), 7.04)
        with self.assertRaises(Fault):
            buffer_value(p.state.setup, "first", 36.0)


class Limits(TestCase):
    """Each limit just inside, at it, and just outside."""

    def verdict(self, name, slope=97.0, offset=0.0, **more):
        mv = 59.16 * slope / 100
        first = {"indicated": "6.865", "mv": f"{offset + mv * 0.135:.4f}", **more}
        p = PhPlay({"shows_impedance": True}).take(first, {"indicated": "4.005", "mv": f"{offset + mv * 2.995:.4f}"})
        return p.criterion(name)["verdict"]

    def test_slope(self):
        cases = [
            (92.2, "pass"),
            (91.8, "marginal"),
            (85.2, "marginal"),
            (84.8, "fail"),
            (101.9, "pass"),
            (102.2, "marginal"),
            (103.2, "fail"),
        ]
        self.assertEqual([self.verdict("slope_percent", slope=s) for s, _ in cases], [v for _, v in cases])

    def test_offset(self):
        cases = [
            (29.9, "pass"),
            (-29.9, "pass"),
            (30.2, "marginal"),
            (-30.2, "marginal"),
            (59.8, "marginal"),
            (60.3, "fail"),
            (-60.3, "fail"),
        ]
        self.assertEqual([self.verdict("offset_mv", offset=o) for o, _ in cases], [v for _, v in cases])

    def test_response_and_impedances(self):
        for name, cases in {
            "response_s": [("119", "pass"), ("120", "pass"), ("121", "marginal"), ("240", "marginal"), ("241", "fail")],
            "glass_mohm": [("9", "fail"), ("10", "pass"), ("1000", "pass"), ("1001", "marginal"), ("2001", "fail")],
            "ref_kohm": [("50", "pass"), ("50.1", "marginal"), ("100", "marginal"), ("100.1", "fail")],
        }.items():
            self.assertEqual([self.verdict(name, **{name: v}) for v, _ in cases], [v for _, v in cases], name)

    def test_a_grab_sample_just_inside_and_just_outside(self):
        for read, verdict in (("6.45", "pass"), ("6.46", "fail")):
            p = PhPlay({"has_grab": True})
            p.do("step_confirmed", step="grab", values={"grab_read": read, "grab_ph": "6.25"})
            self.assertEqual(p.take(FIRST, SECOND).criterion("grab")["verdict"], verdict)

    def test_settings_that_do_not_hold_together_are_refused(self):
        for wrong in ({"slope_good": "80"}, {"offset_replace": "20"}, {"sensor_since": "soon"}):
            with self.assertRaises(Fault):
                read_settings(PhSettings, wrong)


def electrode(first=(6.865, 6.86, 8.0), second=(4.005, 4.01, 176.0), temp=25.0, **more):
    """An electrode from (table, read, mV) of each buffer, with its slope and offset."""
    theory = 0.198416 * (temp + 273.15)
    slope = (second[2] - first[2]) / (first[0] - second[0])
    a, b = (InBuffer(*given, temp_c=temp, **more.pop(name, {})) for name, given in (("a", first), ("b", second)))
    return Electrode(a, b, 100 * slope / theory, first[2] - slope * (7 - first[0]), more.pop("table", "nist"), **more)


class Traps(TestCase):
    def codes(self, e, tolerance=0.1):
        return [s.code for s in find_ph_signatures(e, tolerance=tolerance)]

    def test_a_good_electrode_has_no_cause(self):
        self.assertEqual(self.codes(electrode()), [])

    def test_swapped_buffers(self):
        self.assertEqual(self.codes(electrode((6.865, 4.01, 176.0), (4.005, 6.86, 8.0))), ["buffers-swapped"])

    def test_the_same_buffer_twice_or_dead_glass_is_told_apart_by_its_impedance(self):
        same = ((6.865, 6.86, 8.0), (4.005, 6.87, 7.5))
        sure = find_ph_signatures(electrode(*same, glass_mohm=150.0), tolerance=0.1)
        self.assertEqual([s.code for s in sure], ["same-buffer"])
        self.assertEqual(self.codes(electrode(*same, glass_mohm=3.0)), ["coated-or-cracked"])
        unsure = find_ph_signatures(electrode(*same), tolerance=0.1)
        self.assertEqual({s.code for s in unsure}, {"same-buffer", "coated-or-cracked"})
        self.assertLess(max(s.confidence for s in unsure), 0.6)  # nobody knows which

    def test_bottles_of_the_other_table(self):
        found = find_ph_signatures(electrode((6.865, 7.00, 0.0), (9.18, 10.01, -174.0)), tolerance=0.1)
        self.assertEqual(found[0].code, "wrong-table")
        self.assertNotIn("wrong-table", self.codes(electrode((6.865, 6.95, 3.0), (9.18, 9.31, -134.0))))

    def test_a_temperature_that_is_not_compensated(self):
        # At 40 °C an analyzer that reckons with 25 °C reads pH 4.027 as 7 - 2.973 x 313.15 / 298.15 = 3.877.
        e = electrode((6.838, 6.83, 10.1), (4.027, 3.877, 184.7), temp=40.0, b={"analyzer_c": 25.0})
        self.assertIn("temperature-not-compensated", self.codes(e))
        e = electrode((6.838, 6.84, 10.1), (4.027, 4.03, 184.7), temp=40.0, b={"analyzer_c": 40.0})
        self.assertEqual(self.codes(e), [])

    def test_more_slope_than_theory_is_a_contaminated_buffer(self):
        for slope, found in ((102.9, []), (103.3, ["contaminated-buffer"])):
            mv = 8.0 + 59.16 * slope / 100 * 2.86
            self.assertEqual(self.codes(electrode(second=(4.005, 4.0, mv))), found)

    def test_aged_cracked_and_coated_glass(self):
        low = (4.005, 4.2, 8.0 + 59.16 * 0.88 * 2.86)
        self.assertEqual(self.codes(electrode(second=low)), ["aged-glass"])
        slow = find_ph_signatures(electrode(second=low, b={"response_s": 300.0}), tolerance=0.1)[0]
        self.assertIn("slow", slow.says)
        self.assertEqual(self.codes(electrode(second=low, glass_mohm=4.0)), ["cracked-glass"])
        self.assertEqual(self.codes(electrode(second=(4.005, 5.4, 8.0 + 59.16 * 0.5 * 2.86))), ["coated-or-cracked"])

    def test_a_reference_that_wanders_while_the_slope_holds(self):
        moved = electrode((6.865, 6.6, 27.0), (4.005, 3.7, 195.0), offsets=(2.0, 4.0))
        self.assertEqual(self.codes(moved), ["poisoned-reference"])
        self.assertEqual(self.codes(electrode(offsets=(-14.0,))), [])  # 14 mV from the last: just inside
        self.assertEqual(self.codes(electrode(offsets=(-15.2,))), ["poisoned-reference"])
        self.assertEqual(self.codes(electrode(reference_kohm=80.0)), ["poisoned-reference"])

    def test_calibrated_again_and_again(self):
        self.assertEqual(self.codes(electrode(days=(90.0, 29.0, 12.0, 8.0))), ["calibrated-too-often"])
        self.assertEqual(self.codes(electrode(days=(31.0, 30.0, 30.0))), [])
        self.assertEqual(self.codes(electrode(days=(8.0, 8.0))), [])

    def test_limits_are_those_given(self):
        self.assertEqual(self.codes(electrode(limits=GlassLimits(good_low=99.9))), ["aged-glass"])


class Buffers(TestCase):
    today = date(2026, 11, 2)

    def reasons(self, item, role="first", details=None, **entered):
        p = PhPlay(details)
        setup = p.state.setup.with_entered(entered)
        need = p.method.standards.of(setup, role)
        return " ".join(OFFERED["buffer"](setup, need, item, self.today).reasons)

    def test_what_is_old_or_used_up_or_of_another_table_is_refused(self):
        good = self.today.isoformat()
        self.assertEqual(self.reasons(buffer(expires_on=good)), "")
        self.assertIn("expired", self.reasons(buffer(expires_on=(self.today - timedelta(days=1)).isoformat())))
        self.assertEqual(self.reasons(buffer(opened_on=(self.today - timedelta(days=90)).isoformat())), "")
        self.assertIn("too old", self.reasons(buffer(opened_on=(self.today - timedelta(days=91)).isoformat())))
        self.assertEqual(self.reasons(buffer(portions_left=3)), "")
        self.assertIn("never poured back", self.reasons(buffer(portions_left=2)))
        self.assertIn("retired", self.reasons(buffer(state="retired")))
        self.assertIn("the other buffer of", self.reasons(buffer("T-7", 7.0, "technical")))
        self.assertIn("it would take it for another pH", self.reasons(buffer("T-7", 7.0, "technical"), details={"buffer_set": "nist"}))

    def test_the_second_is_on_the_side_of_the_process_or_as_site_has_it(self):
        cases = [
            ({"process_ph": "6.9"}, True), ({"process_ph": "7"}, True), ({"process_ph": "7.1"}, False),
            ({"second_buffer": "acid", "process_ph": "9"}, True), ({"second_buffer": "alkaline", "process_ph": "4"}, False),
        ]  # fmt: skip
        for details, acid in cases:
            second = buffer("B-4", 4.005) if acid else buffer("B-9", 9.18)
            self.assertIs(is_acid(PhPlay(details, second=second).state.setup), acid, details)
            with self.assertRaises(Fault):
                PhPlay(details, second=buffer("B-9", 9.18) if acid else buffer("B-4", 4.005))

    def test_a_step_that_lacks_its_buffers_is_not_confirmed(self):
        p = Play("an-ph", instrument=analyzer(), points_percent=())
        p.do("step_confirmed", step="identity", values={"tag": "AIT-1", "serial": "MB-48213"})
        with self.assertRaises((Fault, Faults)) as refused:
            p.do("step_confirmed", step="buffers", values={"buffer_c": "25"})
        self.assertIn("Choose the first buffer", refused.exception.message)


class Standing(TestCase):
    def test_another_buffer_counts_from_then_on_and_both_are_on_the_record(self):
        p = PhPlay()
        p.do("reading_taken", step="as_found", slot=0, **FIRST)
        p.do("step_reopened", step="buffers", reason="bottle emptied")
        with self.assertRaises(Fault) as refused:
            p.do("standard_assigned", role="first", item=buffer("B-7b", 6.865))
        self.assertEqual(refused.exception.field, "reason")
        p.do("standard_assigned", role="first", item=buffer("B-7b", 6.865, u_ph=0.05), reason="bottle emptied")
        p.do("step_confirmed", step="buffers", values={"buffer_c": "25"})
        p.take(SECOND)
        rows = p.set["rows"]
        self.assertEqual(rows[0]["standards"], ["B-7"])
        self.assertEqual(rows[0]["u"], "0.012")  # by the bottle it was read in
        self.assertEqual([(e["code"], e["used_for"]) for e in p.view["earlier"]], [("B-7", "as found 1")])
        self.assertEqual([i["code"] for i in p.view["items"]], ["B-7b", "B-4"])
        self.assertEqual(p.view["reopened"][0]["reason"], "bottle emptied")

    def test_every_reading_and_adjustment_takes_a_fresh_portion(self):
        p = PhPlay().take(FIRST, SECOND)
        p.do("reading_struck", reading=p.state.readings[1].id, reason="dripped")
        p.take(SECOND)
        used = {u["item"]: u["amount"] for u in make_seal(p.state, p.method, p.now)["uses"]}
        self.assertEqual(used, {"B-7": 1.0, "B-4": 2.0})

    def test_what_buffers_cannot_have_said_is_not_adjusted_to(self):
        p = PhPlay().take({"indicated": "4.01", "mv": "176"}, {"indicated": "6.86", "mv": "8"})
        self.assertEqual(p.view["step"]["judge"]["proposal"], "repeat")
        with self.assertRaises(Fault) as refused:
            p.do("decision_made", step="judge", choice="adjust", reason="looks fine to me")
        self.assertIn("swapped", refused.exception.message)

    def test_an_electrode_beyond_its_limits_is_replaced_and_starts_a_new_life(self):
        past = tuple(Past(n, f"2026-0{m}-01", v, u, "as found", "first") for m, s, o in ((7, 97.0, 1.0), (8, 92.0, 2.0), (9, 88.0, 3.0))
                     for n, v, u in (("slope_percent", s, "%"), ("offset_mv", o, "mV")))  # fmt: skip
        p = PhPlay(history=past).take({"indicated": "6.9", "mv": "7.0"}, {"indicated": "4.4", "mv": "147.0"})
        self.assertEqual(p.view["step"]["judge"]["proposal"], "replace")
        self.assertIn("It is past 92 %", {f["name"]: f["value"] for f in p.set["findings"]}["Slope"])
        p.do("decision_made", step="judge", choice="replace", reason="slope 82 %")
        p.do("step_confirmed", step="electrode", values={"new_serial": "E-9", "work": "aged"}, checks=["wet"])
        for screw, ideal in (("offset", "6.86"), ("slope", "4.01")):
            p.do("adjustment_made", step="adjust", screw=screw, before=ideal, after="")
        p.do("step_confirmed", step="adjust")
        p.do("step_confirmed", step="shown_1", values={"slope_now": "99", "offset_now": "1"})
        p.take(FIRST, SECOND, step="as_left")
        self.assertIn("Calibration 1 of this electrode", {f["name"]: f["value"] for f in p.set["findings"]}["Slope"])
        p.do("decision_made", step="judge_left", choice="leave")
        lives = {(r["phase"], r["life"]) for r in make_seal(p.state, p.method, p.now)["results"]}
        self.assertEqual(lives, {("as found", "first"), ("as left", "E-9")})


class Trials(TestCase):
    def test_random_faults_are_named_right_and_sound_ones_left_alone(self):
        for trials in run_trials(120, seed=41):
            right, false = shares(trials)
            self.assertGreaterEqual(right, 0.9)
            self.assertLessEqual(false, 0.05)


class Trend(TestCase):
    def test_a_line_meets_its_limit_on_the_day_it_says(self):
        met = meets_limit([-90, -60, -30, 0], [99.0, 98.0, 97.0, 96.0], low=92.0, high=None)
        self.assertAlmostEqual(met.day, 120.0, places=6)
        self.assertEqual((met.points, met.has_met), (4, False))
        self.assertLessEqual(met.earliest, 120)

    def test_three_on_a_line_do_not_tell_that_it_stays_one(self):
        met = meets_limit([-60, -30, 0], [99.0, 98.0, 97.0], low=92.0, high=None)
        self.assertAlmostEqual(met.day, 150.0, places=6)
        self.assertLess(met.earliest, 100)

    def test_what_gets_faster_is_there_before_the_line_is_either_way(self):
        for sign in (1, -1):
            met = meets_limit([-120, -90, -60, -30, 0], [sign * v for v in (0.0, 1.0, 4.0, 9.0, 16.0)], low=-30.0, high=30.0)
            self.assertLess(met.earliest, 120 * (30 / 16) ** 0.5 - 120, sign)  # where the square is
            self.assertLess(met.earliest, met.day, sign)

    def test_a_meeting_is_told_with_its_days_and_what_it_rests_on(self):
        on = date(2026, 11, 3)
        both = meets_limit([-60, -30, 0], [99.0, 98.0, 97.0], low=92.0, high=None)
        self.assertEqual(
            meeting_words(both, on, "%", of="calibrations"),
            "By 3 calibrations it meets 92 % about 2 Apr 2027, at the earliest on 31 Dec 2026.",
        )
        wild = meets_limit([-120, -90, -60, -30, 0], [0.0, 20.0, 1.0, 18.0, 2.0], low=-30.0, high=30.0)
        self.assertRegex(
            meeting_words(wild, on, "mV", of="results"),
            "^By the line through 5 results it meets no limit within five years; 30 mV, at the earliest on ",
        )
        flat = Meeting(30.0, None, None, False, 0.0, 4)
        self.assertEqual(meeting_words(flat, on, "mV", of="results"), "By the line through 4 results it meets no limit within five years.")

    def test_it_says_nothing_on_too_little_and_nothing_of_a_flat_course(self):
        self.assertEqual(meets_limit([-30, 0], [99.0, 96.0], low=92.0, high=None).points, 0)
        self.assertIsNone(meets_limit([-60, -30, 0], [99.0, 99.0, 99.0], low=92.0, high=None).day)
        self.assertIsNone(meets_limit([-60, -30, 0], [97.0, 98.0, 99.0], low=92.0, high=None).day)

    def test_at_the_limit_is_not_past_it(self):
        self.assertFalse(meets_limit([-60, -30, 0], [94.0, 93.0, 92.0], low=92.0, high=None).has_met)
        self.assertTrue(meets_limit([-60, -30, 0], [94.0, 93.0, 91.9], low=92.0, high=None).has_met)
        self.assertTrue(meets_limit([0], [30.1], low=-30.0, high=30.0).has_met)

    def test_a_step_is_told_from_a_slope(self):
        self.assertIsNone(find_step([0, 10, 20, 30, 40, 50], least=5))
        self.assertIsNone(find_step([0, 1, 0, 1], least=0.5))  # too few to say
        found = find_step([0, 1, 0, 50, 51, 50], least=5)
        self.assertEqual((found.at, round(found.size)), (3, 50))
        self.assertIsNone(find_step([0, 1, 0, 50, 51, 50], least=51))
