"""A thermometer in its well: conduction along the stem, the gap, the soak, and what a block adds to U."""

from unittest import TestCase

from metrology.faults import Fault
from metrology.judgement.policy import Policy
from metrology.methods.registry import get_method, settings_of
from metrology.methods.settings import read_settings
from metrology.methods.setup import RunSetup
from metrology.quantities.immersion import conduction_c, soak_min, time_constant_s
from metrology.tests.runs import instrument, reference
from metrology.tests.test_more_methods import BLOCK, OHM, PROBE, play


class Rules(TestCase):
    def test_one_percent_at_five_diameters_and_a_hundredth_of_it_at_ten(self):
        for depth, share in ((0.001, 0.01 ** (0.001 / 30)), (15, 0.1), (30, 0.01), (60, 0.0001)):
            self.assertAlmostEqual(conduction_c(-80.0, depth_mm=depth, stem_mm=6.0), 80 * share, places=9)

    def test_twice_the_gap_takes_twice_the_time_and_an_unknown_one_is_half_a_millimetre(self):
        self.assertAlmostEqual(time_constant_s(6.0, well_mm=7.0), 2 * time_constant_s(6.0, well_mm=6.5))
        for same in (0.0, 5.0, 6.0):  # no bore, or none that it would go into
            self.assertAlmostEqual(time_constant_s(6.0, well_mm=same), time_constant_s(6.0, well_mm=6.5))
        self.assertAlmostEqual(time_constant_s(6.0), 3.6e6 * 0.006 * 0.00025 / (4 * 0.03))

    def test_soak_is_three_time_constants_in_half_minutes_and_never_below_one_minute(self):
        self.assertEqual([soak_min(d) for d in (0.0, 1.0, 2.6, 2.7, 6.0, 8.0)], [1.0, 1.0, 1.0, 1.5, 2.5, 3.0])
        self.assertEqual(soak_min(6.0, well_mm=8.0), 9.0)

    def test_nothing_in_nothing_is_refused(self):
        for depth, stem in ((0.0, 6.0), (30.0, 0.0), (-1.0, 6.0), (float("nan"), 6.0)):
            with self.assertRaises(Fault):
                conduction_c(10.0, depth_mm=depth, stem_mm=stem)


class InARun(TestCase):
    def run_of(self, block=BLOCK, **details):
        refs = {"applied": PROBE, "block": block, "indicated": OHM}
        told = {"sensor": "pt", "sensor_class": "pt-a", **details}
        return play("temp-sensor", refs, told, inside={"unit": "°C", "lrv": 0, "urv": 150}, points_percent=(0.0, 50.0, 100.0)).forward()

    def parts(self, run):
        run.do("reading_taken", step="as_found", slot=0, applied="150.0", indicated="157.325", confirmed_unlikely=["applied", "indicated"])
        return {r["name"]: r for r in run.view["evidence"][0]["budget"]["rows"]}

    def test_a_shallow_sensor_carries_what_its_stem_takes_away(self):
        parts = self.parts(self.run_of(stem_mm=6.0, insert_mm=30.0))
        name = "Conduction along 6 mm, 30 mm deep"
        self.assertIn(name, parts)
        self.assertFalse(any(n.startswith("Conduction") for n in self.parts(self.run_of(stem_mm=6.0))))

    def test_a_block_adds_what_its_wells_do_along_and_under_load(self):
        parts = self.parts(self.run_of({**BLOCK, "axial": 0.04, "loading": 0.03}))
        self.assertIn("Along the wells of REF-B", parts)
        self.assertIn("Loading of REF-B", parts)
        self.assertFalse({"Along the wells of REF-B", "Loading of REF-B"} & set(self.parts(self.run_of())))

    def test_they_count_in_the_ratio_too(self):
        def ratio(block):
            return float({r["role"]: r["tur"] for r in self.run_of(block).view["references"]}["block"].split(":")[0])

        fine = reference(code="REF-B", unit="°C", low=-50, high=700, u_absolute=0.02, gradient=0.02)
        self.assertGreater(ratio(fine), ratio({**fine, "axial": 0.03}))
        self.assertGreater(ratio({**fine, "axial": 0.03}), ratio({**fine, "axial": 0.03, "loading": 0.03}))

    def test_the_soak_and_the_slowest_approach_go_by_stem_and_well(self):
        method = get_method("temp-sensor")

        def told(policy=None, **raw):
            details = read_settings(settings_of("temp-sensor"), {"sensor": "pt", **{k: str(v) for k, v in raw.items()}})
            s = RunSetup("temp-sensor", "4", instrument(unit="°C", lrv=0, urv=150, details=details), policy=policy or Policy())
            slot = method.plan(s, "as_found")[0]
            quantity = method.trial.asks(s, slot)[0]
            return method.watching.dwell_s(s), method.watching.settle_rule(s, slot, quantity).horizon_s, slot.how

        self.assertEqual(told()[:2], (60.0, 30.0))
        self.assertEqual(told(dwell_min=0.2)[0], 12.0)
        dwell, horizon, how = told(stem_mm=6, well_mm=7)
        self.assertEqual(dwell, 270.0)
        self.assertAlmostEqual(horizon, 90.0)
        self.assertIn("soak 4.5 min", how)
        self.assertEqual(told(stem_mm=1)[1], 30.0)  # the policy looks for slower ones
        self.assertEqual(told(Policy(settle_horizon_s=0.0), stem_mm=6, well_mm=7)[1], 0.0)  # of runs from before there was one

    def test_a_stem_that_does_not_go_in_is_refused_just_at_the_bore(self):
        for bore, fits in ((6.001, True), (6.0, False), (5.9, False)):
            raw = {"sensor": "pt", "stem_mm": "6", "well_mm": str(bore)}
            if fits:
                read_settings(settings_of("temp-sensor"), raw).check()
            else:
                with self.assertRaisesRegex(Fault, "does not go into a well"):
                    read_settings(settings_of("temp-sensor"), raw).check()
