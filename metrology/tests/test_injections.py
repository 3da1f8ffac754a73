"""Injected samples: leak test, injections until two agree, windows and the critical pair, factors, blanks, the wait between them, what it vouches for."""

import math
from dataclasses import replace
from datetime import timedelta
from unittest import TestCase

from metrology.faults import Fault
from metrology.methods.analytes import InjectionSettings, read_analytes, read_injection
from metrology.methods.settings import read_settings
from metrology.methods.setup import Past
from metrology.quantities.chromatogram_file import read_chromatogram
from metrology.run.chromatograms import chromatogram_step
from metrology.run.raw import raw_readings
from metrology.run.uses import uses_of
from metrology.tests.injections import ANALYTES, AT, VALUE, InjectionPlay, curve
from tools.electrode_trials import shares
from tools.injection_trials import run_trials


def scaled(share, **changes):
    return {n: v * share * changes.get(n, 1.0) for n, v in VALUE.items()}


class Register(TestCase):
    def test_components_stand_in_the_order_in_which_they_come_out(self):
        found = read_analytes("B, methane, 100, ppm, 5, at 90; A, hydrogen, 100, ppm, 5, at 40, within 2, factor 3, air 6")
        self.assertEqual([(a.name, a.at_s, a.within_s, a.factor, a.air_limit) for a in found], [("A", 40, 2, 3, 6), ("B", 90, 4.5, 0, 0)])

    def test_what_can_not_be_told_is_refused(self):
        for text in (
            "H2, hydrogen, 100, ppm, 5",
            "H2, hydrogen, 100, ppm",
            "H2, hydrogen, 100, ppm, 5, at 40, soon 3",
            "H2, hydrogen, 100, ppm, x, at 40",
        ):
            with self.subTest(text=text), self.assertRaises(Fault):
                read_analytes(text)
        for pair in ("H2", "H2 H2", "H2 N2"):
            with self.subTest(pair=pair), self.assertRaises(Fault):
                read_settings(InjectionSettings, {"analytes": ANALYTES, "pair": pair})


class Agreement(TestCase):
    def test_two_that_agree_are_enough_just_inside_at_and_just_outside_the_limit(self):
        # Half of 5 %: a and b with 100 |a - b| / mean of 2.5 %.
        for apart, n in ((2.49, 2), (2.5, 2), (2.51, 3)):
            with self.subTest(apart=apart):
                a, b = 1000 * (1 - apart / 200), 1000 * (1 + apart / 200)
                play = InjectionPlay().at_readings().inject({"H2": a}).inject({"H2": b})
                self.assertEqual(play.step.kind, "judge" if n == 2 else "readings")

    def test_the_last_two_count_and_the_others_are_set_aside(self):
        play = InjectionPlay().at_readings().inject({"H2": 700}).inject({"H2": 1000}).inject({"H2": 1005})
        rows = play.view["evidence"][0]["rows"]
        self.assertEqual([r["verdict"] for r in rows if r["channel"] == "H2"], [None, "pass", "pass"])
        table = play.view["evidence"][0]["tables"][0]
        self.assertEqual(table["head"], ["", "1, set aside", "2", "3", "Apart", "May be"])
        self.assertEqual(table["rows"][0][:1] + table["rows"][0][4:], ["H2, ppm", "0.50 %", "2.5 %"])

    def test_after_the_fourth_that_disagrees_nothing_can_be_set(self):
        play = InjectionPlay().at_readings()
        for value in (1000, 900, 1000, 900):
            play.inject({"H2": value})
        self.assertEqual(play.view["step"]["judge"]["proposal"], "repeat")
        self.assertIn("After 4 injections", play.view["step"]["judge"]["reason"])
        for choice in ("leave", "adjust"):
            with self.assertRaises(Fault) as told:
                play.decide(choice)
            self.assertIn("do not agree", told.exception.message)
        play.decide("repeat")
        self.assertEqual(play.step.key, "as_found_2")

    def test_a_policy_of_fewer_injections(self):
        play = InjectionPlay({"most_injections": "3"}).at_readings()
        for value in (1000, 900, 1000):
            play.inject({"H2": value})
        self.assertEqual(play.step.kind, "judge")


class LeakTest(TestCase):
    def test_just_inside_at_and_just_outside(self):
        for lost, is_tight in (("0.09", True), ("0.1", True), ("0.11", False)):
            with self.subTest(lost=lost):
                play = InjectionPlay().at_readings()
                if is_tight:
                    play.inject(leak=lost)
                else:
                    with self.assertRaises(Fault) as told:
                        play.inject(leak=lost)
                    self.assertIn("the plunger does not come back", told.exception.message)
                    self.assertEqual(play.state.readings, [])

    def test_it_is_asked_before_each_injection(self):
        play = InjectionPlay().at_readings().inject()
        with self.assertRaises(Fault) as told:
            play.do("reading_taken", step="as_found", slot=5, indicated="1000")
        self.assertEqual(told.exception.field, "leak")

    def test_by_pressure_it_is_told_in_kpa(self):
        play = InjectionPlay({"leak_test": "pressure"}).at_readings()
        with self.assertRaises(Fault) as told:
            play.inject(leak="2")
        self.assertIn("kPa", told.exception.message)


class Wait(TestCase):
    def test_too_soon_keeps_the_number_and_says_how_long(self):
        play = InjectionPlay({"wait_min": "10"}).at_readings().inject()
        with self.assertRaises(Fault) as told:
            play.inject()
        self.assertEqual(told.exception.code, "too_soon")
        self.assertTrue(play.view["step"]["readings"]["next"]["ready_at"])
        play.now += timedelta(minutes=8)
        play.inject()
        self.assertEqual(play.step.kind, "judge")

    def test_the_first_one_waits_for_nothing(self):
        play = InjectionPlay({"wait_min": "10"}).at_readings()
        self.assertEqual(play.view["step"]["readings"]["next"]["ready_at"], "")


class Column(TestCase):
    def judged(self, shift, resolution="2.0", **details):
        play = InjectionPlay(details).at_readings()
        told = {n: f"{t + shift.get(n, 0):.3f}" for n, t in AT.items()}
        for _ in range(2):
            play.inject(retention=told, resolution={"C2H6": resolution})
        return play

    def test_a_window_just_inside_at_and_just_outside(self):
        for shift, proposal in ((-3.9, "leave"), (-4.0, "leave"), (-4.1, "recondition")):
            with self.subTest(shift=shift):
                play = self.judged({"C2H4": shift})
                self.assertEqual(play.view["step"]["judge"]["proposal"], proposal)
                if proposal == "leave":
                    self.assertIn("Plan to recondition", play.view["step"]["judge"]["reason"])

    def test_outside_its_window_leave_and_adjust_are_refused(self):
        play = self.judged({"C2H4": -6})
        for choice in ("leave", "adjust"):
            with self.assertRaises(Fault) as told:
                play.decide(choice)
            self.assertIn("recondition the column first", told.exception.message)
        play.decide("recondition")
        play.forward("as_left", work="baked at 180 °C for 2 h")
        self.assertEqual(play.step.key, "as_left")

    def test_the_critical_pair_just_above_at_and_just_below(self):
        for found, verdict in (("1.81", "pass"), ("1.79", "marginal"), ("1.5", "marginal"), ("1.49", "fail")):
            with self.subTest(found=found):
                play = self.judged({}, found)
                pair = next(c for c in play.view["evidence"][0]["criteria"] if c["name"] == "pair")
                self.assertEqual(pair["verdict"], verdict)

    def test_the_day_it_leaves_its_window_is_forecast_from_earlier_calibrations(self):
        play = InjectionPlay().at_readings()
        past = tuple(Past("pair resolution", f"2026-0{m}-02", 2.6 - 0.1 * m, "", "as found", "first") for m in (3, 5, 7, 9))
        play.state.setup = replace(play.state.setup, history=past)
        for _ in range(2):
            play.inject(resolution={"C2H6": "1.6"})
        told = {f["name"]: f["value"] for f in play.view["evidence"][0]["findings"]}
        self.assertIn("it meets 1.5", told["Resolution of C2H4 and C2H6"])

    def test_the_pair_is_told_injection_by_injection(self):
        play = InjectionPlay().at_readings()
        for moved in (0.0, -0.3):
            play.inject(retention={"C2H4": "130.00", "C2H6": f"{142 + moved:.2f}"})
        table = next(t for t in play.view["evidence"][0]["tables"] if t["title"] == "Retention of the critical pair")
        self.assertEqual(table["rows"][1:], [["C2H6, s", "142.00", "141.70", "-0.30"], ["between them, s", "12.00", "11.70", "-0.30"]])

    def test_all_later_by_one_share_is_the_carrier(self):
        play = self.judged({n: 0.045 * t for n, t in AT.items()})
        self.assertEqual(play.view["evidence"][0]["signatures"][0]["code"], "carrier-flow")
        play = self.judged({"C2H4": 3.0, "C2H6": 1.0})
        self.assertEqual(play.view["evidence"][0]["signatures"][0]["code"], "column-ageing")


class Signatures(TestCase):
    def first(self, *injections):
        play = InjectionPlay().at_readings()
        for values in injections:
            play.inject(values)
        found = play.view["evidence"][0]["signatures"]
        return found[0]["code"] if found else ""

    def test_a_leak_at_one_injection(self):
        four = (scaled(1), scaled(0.9), scaled(1), scaled(0.9))
        self.assertEqual(self.first(*four), "leak-at-injection")

    def test_all_low_alike_is_air_in_the_syringe_and_high_another_bottle(self):
        self.assertEqual(self.first(scaled(0.85), scaled(0.85)), "air-in-line")
        self.assertEqual(self.first(scaled(1.15), scaled(1.15)), "wrong-bottle")

    def test_one_response_alone(self):
        self.assertEqual(self.first(scaled(1, CH4=1.2), scaled(1, CH4=1.2)), "span-error")

    def test_most_faults_are_named_right_by_their_chromatograms(self):
        right, false = shares(run_trials(80, 5))
        self.assertGreaterEqual(right, 0.9)
        self.assertLessEqual(false, 0.05)

    def test_nothing_wrong(self):
        self.assertEqual(self.first(scaled(1.002), scaled(0.999)), "")


class Factors(TestCase):
    def test_they_are_the_mean_area_over_the_standard(self):
        play = InjectionPlay().at_readings()
        for area in ("2180", "2220"):
            play.inject({"H2": 1100}, area={"H2": area})
        rows = {r[0]: r[1:] for r in play.view["evidence"][0]["tables"][-1]["rows"]}
        self.assertEqual(rows["H2, area a ppm"], ["2", "2.2", "+10.00 %"])
        play.decide("adjust")
        self.assertEqual(play.step.key, "accept")

    def test_the_analyzer_reckons_with_what_was_accepted(self):
        play = InjectionPlay().at_readings()
        for _ in range(2):
            play.chromatogram({"H2": 1100})
        play.decide("adjust")
        fields = {f["name"]: f["suggested"] for f in play.view["step"]["fields"]}
        self.assertAlmostEqual(float(fields["factor:H2"]), 2.2, delta=0.02)
        play.do("step_confirmed", step="accept", values=fields, checks=["taken"])
        play.chromatogram({"H2": 1100})
        shown = play.state.active_readings("as_left")[0].indicated
        self.assertAlmostEqual(float(shown), 1000, delta=10)


class Chromatograms(TestCase):
    def test_all_components_come_from_one_curve(self):
        play = InjectionPlay().at_readings().chromatogram().chromatogram(seed=2)
        self.assertEqual(play.step.kind, "judge")
        shown = {r.slot: float(r.indicated) for r in play.state.readings}
        for n, name in enumerate(AT):
            self.assertAlmostEqual(shown[n], VALUE[name], delta=0.01 * VALUE[name])
        first = play.view["chromatograms"][0]
        self.assertEqual([p["name"] for p in first["peaks"]], list(AT))
        self.assertLessEqual(len(first["times"]), 700)
        self.assertEqual((first["title"], first["pair"][:2]), ("As found, injection 1", ["C2H4", "C2H6"]))
        self.assertIsNone(first["peaks"][0]["resolution"])
        self.assertEqual(f"{first['peaks'][3]['resolution']:.2f}", first["pair"][2])
        self.assertEqual({r.extra["source"] for r in play.state.readings}, {"chromatogram"})

    def test_retention_and_resolution_come_with_it(self):
        play = InjectionPlay().at_readings()
        for _ in range(2):
            play.chromatogram(at={"C2H4": 133.5})
        # 1.18 (142 - 133.5) / (w1 + w2), widths at half height of Gaussians of s = 1.4 (0.8 + t / 400).
        s1, s2 = (1.4 * (0.8 + t / 400) for t in (133.5, 142.0))
        by_hand = 1.18 * 8.5 / (2 * math.sqrt(2 * math.log(2)) * (s1 + s2))
        pair = next(c for c in play.view["evidence"][0]["criteria"] if c["name"] == "pair")
        self.assertAlmostEqual(float(pair["value"]), by_hand, delta=0.05)
        self.assertEqual(play.view["step"]["judge"]["proposal"], "recondition")

    def test_windows_that_no_longer_fit_are_matched_in_order(self):
        play = InjectionPlay()
        setup = play.at_readings().state.setup
        times, signal = curve(VALUE, {n: t - 6 for n, t in AT.items()})
        found = read_injection(setup, times, signal, is_blank=False)
        self.assertEqual([round(f.peak.apex) for f in found.found], [round(t - 6) for t in AT.values()])

    def test_a_standard_without_a_peak_is_refused_with_where_peaks_stand(self):
        play = InjectionPlay().at_readings()
        with self.assertRaises(Fault) as told:
            play.chromatogram({"CH4": 0})
        self.assertIn("No peak of CH4 in 91 to 101 s; peaks stand at 48", told.exception.message)
        self.assertEqual(play.state.readings, [])

    def test_without_a_factor_nothing_is_made_of_an_area(self):
        play = InjectionPlay({"analytes": ANALYTES.replace(", factor 4", "")}).at_readings()
        with self.assertRaises(Fault) as told:
            play.chromatogram()
        self.assertIn("No response factor of CH4", told.exception.message)

    def test_one_that_is_half_entered_by_hand_is_finished_so(self):
        play = InjectionPlay().at_readings()
        self.assertEqual(chromatogram_step(play.state, play.method, "as_found")["asked"][0]["name"], "leak")
        play.do("reading_taken", step="as_found", slot=0, indicated="1000", leak="0")
        self.assertIsNone(chromatogram_step(play.state, play.method, "as_found"))
        with self.assertRaises(Fault) as told:
            play.chromatogram()
        self.assertIn("half entered by hand", told.exception.message)


class Files(TestCase):
    def text(self, separator=",", head="time_s,signal\n", columns=None):
        times, signal = columns or curve(VALUE)
        return head + "\n".join(f"{t:.2f}{separator}{v:.3f}" for t, v in zip(times, signal, strict=True))

    def test_separators_headings_and_decimal_commas(self):
        for text in (self.text(), self.text(";", "Zeit;Signal\n"), self.text("\t", ""), self.text(" ", "# made by the detector\n"),
                     self.text(";", "").replace(".", ",")):  # fmt: skip
            times, signal = read_chromatogram(text)
            self.assertEqual((times[0], len(times), len(signal)), (0.0, 2600, 2600))

    def test_what_is_wrong_is_told_with_its_row(self):
        setup = InjectionPlay().at_readings().state.setup
        times, signal = curve(VALUE)
        back = [*times[:1000], times[1000] - 5, *times[1001:]]
        gap = [t if n < 1000 else t + 30 for n, t in enumerate(times)]
        for columns, code in (
            ((back, signal), "not_rising"),
            ((gap, signal), "gap"),
            ((signal, times), "swapped"),
            ((times[:20], signal[:20]), "too_few"),
        ):
            with self.subTest(code=code), self.assertRaises(Fault) as told:
                read_injection(setup, *columns, is_blank=False)
            self.assertEqual(told.exception.code, code)
        for text, code in (("", "empty"), ("nothing here", "empty"), ("1,2\n2,x\n", "bad_row"), ("1,2\n3\n", "bad_row")):
            with self.subTest(text=text), self.assertRaises(Fault) as told:
                read_chromatogram(text)
            self.assertEqual(told.exception.code, code)

    def test_a_million_rows_are_read(self):
        times, signal = read_chromatogram("\n".join(f"{n / 1000:.3f},{n % 7}" for n in range(1_000_000)))
        self.assertEqual(len(times), len(signal))
        self.assertEqual(len(times), 1_000_000)


class Blank(TestCase):
    def at_blank(self):
        play = InjectionPlay().at_readings().inject().inject({"H2": 1004})
        play.decide("leave")
        self.assertEqual(play.step.key, "blank")
        return play

    def test_limits_just_inside_at_and_just_outside(self):
        # 1 % of 2000 ppm; of what air itself holds 60 ppm.
        for name, value, is_kept in (("H2", 20.0, True), ("H2", 20.01, False), ("CO2", 60.0, True), ("CO2", 60.01, False)):
            with self.subTest(name=name, value=value):
                play = self.at_blank().inject({name: value})
                self.assertEqual(play.view["step"]["judge"]["proposal"], "keep" if is_kept else "again")
                if not is_kept:
                    with self.assertRaises(Fault) as told:
                        play.decide("keep")
                    self.assertIn("more than a blank may show", told.exception.message)

    def test_an_earlier_one_is_kept_with_a_reason_where_it_was_good(self):
        play = self.at_blank().inject({"H2": 3})
        play.decide("again", "once more to see")
        play.inject({"H2": 40})
        with self.assertRaises(Fault):
            play.decide("keep")
        with self.assertRaises(Fault):
            play.decide("keep_1", "")
        play.decide("keep_1", "air had come into the second syringe")
        self.assertEqual(play.step.key, "valid")
        self.assertIn("Keep blank 1 instead", [d["choice_label"] for d in play.view["decisions"]])

    def test_an_earlier_one_that_was_bad_is_not_kept(self):
        play = self.at_blank().inject({"H2": 40})
        play.decide("again")
        play.inject({"H2": 3})
        with self.assertRaises(Fault):
            play.decide("keep_1", "I like it better")

    def test_what_it_shows_has_a_cause(self):
        carried = {n: 0.02 * v for n, v in VALUE.items()}
        for shows, code in ((carried, "carry-over"), ({"CO2": 200}, "trap-spent"), ({"CH4": 50}, "contaminated-blank")):
            with self.subTest(code=code):
                play = self.at_blank().inject(shows)
                self.assertEqual(play.view["evidence"][-1]["signatures"][0]["code"], code)

    def test_an_empty_curve_is_a_blank(self):
        play = self.at_blank().chromatogram()
        self.assertEqual(play.view["step"]["judge"]["proposal"], "keep")


class Litres(TestCase):
    def test_an_injection_takes_what_the_register_says(self):
        play = InjectionPlay({"gas_l": "0.1"}).at_readings().inject().inject()
        taken = uses_of(play.state, play.method)
        self.assertEqual([(u.item, round(u.amount, 6), u.unit) for u in taken], [("B-STD", 0.2, "l")])
        need = play.method.standards.of(play.state.setup, "mix:A")
        self.assertAlmostEqual(need.amount, 8 * 0.1 + 1.0)


class Tools(TestCase):
    def choose(self, role, **changes):
        play = InjectionPlay()
        play.forward("tools")
        item = {"code": "T-1", "name": "Trap", "good_until": "2026-12-30", "state": "in service", **changes}
        return play, play.do("standard_assigned", role=role, item=item)

    def test_the_last_day_of_its_life_is_good_and_the_next_one_is_not(self):
        today = InjectionPlay().now.date()
        for days, is_good in ((1, True), (0, True), (-1, False)):
            with self.subTest(days=days):
                until = (today + timedelta(days=days)).isoformat()
                if is_good:
                    self.choose("syringe", good_until=until)
                else:
                    with self.assertRaises(Fault) as told:
                        self.choose("syringe", good_until=until)
                    self.assertIn("its life is over", told.exception.message)

    def test_a_trap_without_caps_is_remarked_and_then_spent(self):
        _, event = self.choose("trap", is_capped="no", good_until="2026-11-03")
        self.assertIn("cap it at both ends", event.payload["remarks"][-1]["says"])
        with self.assertRaises(Fault) as told:
            self.choose("trap", is_capped="no", good_until="2026-11-01")
        self.assertIn("open air spends it in days", told.exception.message)

    def test_where_air_is_no_component_no_trap_is_asked_for(self):
        play = InjectionPlay({"analytes": ANALYTES.replace(", air 60", "")})
        self.assertEqual([f.name for f in play.forward("tools").fields], ["syringe"])


class Vouching(TestCase):
    def test_u_of_a_sample_by_hand(self):
        play = InjectionPlay().at_readings().inject({"H2": 995}).inject({"H2": 1005})
        play.decide("leave")
        play.inject({"H2": 6})
        play.decide("keep")
        step = play.step
        play.do("step_confirmed", step=step.key, checks=["told"])
        self.assertIsNotNone(play.state.vouched_at)
        readings = {k: _raw(play, k) for k in ("as_found", "blank")}
        found = play.method.vouch(play.state.setup, readings["as_found"], readings["blank"])[0]
        # Certificate 1 % (k = 2): 0.5; two injections 1 % apart: s = 1 / sqrt 2; U = 2 sqrt(0.5^2 + s^2 / 2 + s^2). Blank 6: 2 x 6 / sqrt 12.
        s = 1 / math.sqrt(2)
        self.assertAlmostEqual(found.u_percent, 2 * math.sqrt(0.25 + s * s / 2 + s * s))
        self.assertAlmostEqual(found.u_absolute, 12 / math.sqrt(12))
        self.assertAlmostEqual(found.factor, 2.0, delta=0.02)


def _raw(play, key):
    return raw_readings(play.state, play.method, key)
