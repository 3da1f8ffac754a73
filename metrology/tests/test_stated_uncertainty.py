"""What stands behind a stated U: own errors in full, one device twice, cold junction, pooled and stated scatter, few readings, the set as a whole."""

import math
from dataclasses import replace
from unittest import TestCase

from metrology.faults import Fault
from metrology.judgement.decision import conformance_probability, decide
from metrology.judgement.policy import Policy, describe_policy, resolve_policy
from metrology.judgement.reference import reference_from
from metrology.judgement.student import coverage_factor, student_cdf
from metrology.judgement.uncertainty import IN_FULL, Component, combine, in_difference, in_mean
from metrology.methods.budget import Budget, Spread, output_budget, repeatability_of
from metrology.methods.registry import get_method
from metrology.methods.settings import read_settings
from metrology.methods.setup import RunSetup
from metrology.methods.slots import RawReading
from metrology.methods.trials.curve import Curve
from metrology.run.statistics import statistics_of
from metrology.tests.runs import instrument, meter, reference
from metrology.tests.test_method import METHOD, evaluate, setup
from metrology.tests.test_more_methods import play
from tools import coverage_trials


class InFull(TestCase):
    def test_a_known_error_is_added_and_not_spread_as_a_rectangle(self):
        u = combine([Component("reference", 0.2, divisor=2.0), Component("own error", 0.3, IN_FULL)])
        self.assertAlmostEqual(u.combined, 0.1)
        self.assertAlmostEqual(u.bias, 0.3)
        self.assertAlmostEqual(u.expanded, u.k * 0.1 + 0.3)

    def test_the_factor_keeps_the_coverage_that_is_wanted(self):
        for dof in (1.0, 2.0, 7.5, math.inf):
            for beside in (0.0, 0.4, 3.0, 60.0):
                k = coverage_factor(0.9545, dof, beside=beside)
                self.assertAlmostEqual(student_cdf(k, dof) - student_cdf(-k - beside, dof), 0.9545, places=9)
        # Far to one side it is the factor of that side alone: 1.6901 for 95.45 %.
        self.assertAlmostEqual(coverage_factor(0.9545, beside=60.0), 1.6901, places=4)
        self.assertAlmostEqual(coverage_factor(0.9545, beside=0.0), 2.0, places=3)

    def test_only_a_known_error_is_all_of_u(self):
        u = combine([Component("own error", 0.3, IN_FULL)])
        self.assertEqual((u.combined, u.expanded, u.bias), (0.0, 0.3, 0.3))
        with self.assertRaises(Fault):
            combine([Component("own error", 0.0, IN_FULL)])


CORRECTED = Policy(own_error="corrected")


class Corrected(TestCase):
    """A calibrator that shows 0.4 kPa too much at 200 kPa (none at 0, beyond 400 not known), a meter that shows 0.008 mA too little at 12 mA."""

    SOURCE = replace(reference_from(reference()), points=((0.0, 0.0, 0.05), (200.0, 200.4, 0.05), (400.0, 400.2, 0.05)))
    METER = replace(reference_from(meter()), points=((4.0, 4.0, 0.002), (12.0, 11.992, 0.002), (20.0, 20.0, 0.002)))

    def judge(self, policy, applied="200.4", indicated="12.000", kit=None):
        run = setup(policy=policy, points_percent=(50.0, 100.0))
        slot = METHOD.plan(run, "as_found")[0]
        raw = RawReading(slot, applied, indicated, references=kit or {"applied": self.SOURCE, "indicated": self.METER})
        outcome = METHOD.trial.judge(run, [raw], "as_found")
        return outcome.judged[0], dict(METHOD.trial.findings(run, [raw], outcome))

    def test_by_policy_readings_are_corrected_and_nothing_of_it_is_left_in_u(self):
        added, told = self.judge(Policy())
        self.assertAlmostEqual(added.point.error_percent, -0.1)  # 12.000 against 12.016 mA
        self.assertNotIn("Corrected by certificate", told)
        corrected, told = self.judge(CORRECTED)
        true = 200.4 - (0.4 - 0.2 * 0.4 / 200.0)  # the certificate's error at what was shown, on its line from 0.4 at 200 to 0.2 at 400 kPa
        self.assertAlmostEqual(corrected.point.applied, true)
        self.assertAlmostEqual(corrected.point.error_percent, 100 * (12.008 - (4 + true * 0.04)) / 16, places=6)
        self.assertEqual(told["Corrected by certificate"], "REF-I1 by up to 0.0080 mA; REF-P1 by up to -0.3996 kPa")
        names = {c.name for c in added.components} - {c.name for c in corrected.components}
        self.assertEqual(names, {"Own error of REF-P1 by its certificate", "Own error of REF-I1 by its certificate"})
        self.assertAlmostEqual(added.uncertainty.bias, 100 * 0.3996 / 400 + 100 * 0.008 / 16, places=3)
        self.assertEqual(corrected.uncertainty.bias, 0.0)

    def test_where_a_certificate_shows_nothing_nothing_is_corrected(self):
        plain = {"applied": reference_from(reference()), "indicated": reference_from(meter())}
        for policy in (Policy(), CORRECTED):
            judged, told = self.judge(policy, kit=plain)
            self.assertAlmostEqual(judged.point.error_percent, -0.1)
        self.assertEqual(told["Corrected by certificate"], "nothing to correct: the certificates show no error at these points")
        beyond, _ = self.judge(CORRECTED, applied="400.3", indicated="20.5")  # past the last point of both
        self.assertAlmostEqual(beyond.point.applied, 400.3)

    def test_a_sensor_is_compared_with_the_probe_as_corrected(self):
        method = get_method("temp-sensor")
        inside = instrument(unit="°C", lrv=0, urv=150, details=read_settings(method.settings, {"sensor": "pt", "sensor_class": "pt-b"}))
        probe = replace(
            reference_from(reference()), code="REF-T1", unit="°C", points=((0.0, 0.0, 0.02), (100.0, 100.25, 0.02), (150.0, 150.25, 0.02))
        )
        for policy, error in ((Policy(), -0.25), (CORRECTED, -0.25 + 0.25)):
            run = RunSetup("temp-sensor", "1", inside, points_percent=(0.0, 100.0), policy=policy)
            slot = method.plan(run, "as_found")[-1]
            raw = RawReading(
                slot, "150.250", "157.325", references={"applied": replace(probe, points=(*probe.points[:2], (151.0, 151.25, 0.02)))}
            )
            outcome = method.trial.judge(run, [raw], "as_found")
            self.assertAlmostEqual(outcome.judged[0].error.unit, error, places=3)
            self.assertEqual("Corrected by certificate" in dict(method.trial.findings(run, [raw], outcome)), policy is CORRECTED)

    def test_what_is_not_corrected_still_adds_it_whatever_the_policy(self):
        self.assertTrue(Curve().is_corrected(setup(policy=CORRECTED)))
        self.assertFalse(Curve(budgeted=lambda *_: ()).is_corrected(setup(policy=CORRECTED)))
        b = Budget(setup(policy=CORRECTED), 200.0, RawReading(METHOD.plan(setup(), "as_found")[0], "200", "12"))
        b.source(self.SOURCE, at=200.0, unit="kPa")
        b.meter(self.METER, 12.0, "mA", 16.0)
        self.assertAlmostEqual(sum(c.in_full for c in b.parts), 0.1 + 0.05)

    def test_the_record_says_which(self):
        self.assertIn("A reference's own error: readings corrected by the points of the certificate.", describe_policy(CORRECTED))
        self.assertFalse([s for s in describe_policy(Policy()) if "own error" in s])
        with self.assertRaises(Fault):
            resolve_policy({"own_error": "ignored"})


class Decided(TestCase):
    def test_few_readings_make_it_less_sure(self):
        sure = decide(0.35, 0.5, expanded=0.2, k=2.0).p_conform
        self.assertAlmostEqual(sure, conformance_probability(0.35, 0.5, u=0.1))
        few = decide(0.35, 0.5, expanded=0.2, k=2.0, dof=3).p_conform
        self.assertAlmostEqual(few, student_cdf(1.5, 3) - student_cdf(-8.5, 3), places=12)
        self.assertLess(few, sure)

    def test_a_known_error_is_taken_the_way_it_does_harm(self):
        d = decide(-0.35, 0.5, expanded=0.2, k=2.0, bias=0.1)
        self.assertAlmostEqual(d.p_conform, conformance_probability(0.45, 0.5, u=0.05))
        for bias in (-0.01, 0.21):
            with self.assertRaises(Fault):
                decide(0.1, 0.5, expanded=0.2, bias=bias)

    def test_nearer_than_u_at_its_limit(self):
        for error, is_close in ((0.2999, False), (0.3, False), (0.3001, True)):
            for more in ({}, {"dof": 2.0}, {"bias": 0.15}):
                self.assertEqual(decide(error, 0.5, expanded=0.2, **more).is_too_close, is_close, (error, more))
        self.assertFalse(decide(0.6, 0.5, expanded=0.2).is_too_close)  # it fails, and that says more

    def test_guard_bands_carry_the_known_error_whole(self):
        self.assertAlmostEqual(decide(0.1, 0.5, expanded=0.2, rule="guard-1.65u", bias=0.1).guard_band, 1.65 * 0.05 + 0.1)
        d = decide(0.1, 0.5, expanded=0.2, rule="probability", dof=4, bias=0.1, max_risk=0.05)
        self.assertAlmostEqual(conformance_probability(d.acceptance_limit, 0.5, u=0.05, dof=4, bias=0.1), 0.95, places=9)


class Scatter(TestCase):
    def test_it_is_pooled_over_the_points_that_were_read_again(self):
        slots = METHOD.plan(setup(points_percent=(0.0, 100.0), cycles=2), "as_found")
        self.assertEqual(len(slots), 8)
        errors = [0.0, 0.1, 0.3, 0.2, 0.02, 0.14, 0.24, 0.2]  # pairs differ by 0.02, 0.04, 0.06, 0
        found = repeatability_of(slots, errors)[""]
        self.assertAlmostEqual(found.sd, math.sqrt((0.02**2 + 0.04**2 + 0.06**2) / 2 / 4))
        self.assertEqual(found.dof, 4)

    def test_read_once_it_is_what_policy_states(self):
        for percent, count in ((2.0, 1), (0.0, 0)):
            j = evaluate(setup(policy=Policy(scatter_percent=percent)), [0.1] * 10).judged[0]
            stated = [c for c in j.components if "by policy" in c.name]
            self.assertEqual([c.standard for c in stated], [0.01] * count)  # of 0.5 %

    def test_read_in_cycles_it_is_its_own(self):
        names = [c.name for c in evaluate(setup(cycles=2), [0.1] * 10 + [0.12] * 10).judged[0].components]
        self.assertIn("Repeatability over the cycles", names)
        self.assertNotIn("Scatter of a reading taken once, by policy", names)


class OneDevice(TestCase):
    def parts(self, indicated):
        one = reference_from(reference())
        s = RunSetup("tx-multipoint", "1", instrument(details=METHOD.settings()))
        slot = METHOD.plan(s, "as_found")[2]
        raw = RawReading(slot, "200", "12.000", references={"applied": one, "indicated": indicated})
        return {c.name: c.standard for c in output_budget(s, 200.0, raw, None)}

    def test_as_source_and_as_meter_its_certificate_counts_as_it_is(self):
        two = self.parts(reference_from(meter()))
        both = self.parts(replace(reference_from(meter()), code="REF-P1"))
        self.assertNotIn("Input reference REF-P1", both)
        self.assertAlmostEqual(both["REF-P1 as source and as meter"], two["Input reference REF-P1"] + two["Output meter REF-I1"])


class Display(TestCase):
    def test_the_register_says_what_it_resolves_and_not_the_zeros_that_were_typed(self):
        s = RunSetup("tx-multipoint", "1", instrument(details=METHOD.settings()))
        for typed, step, value in (("12", 0.001, 0.003125), ("12.000", 0.001, 0.003125), ("12.0", 0.0, 0.3125)):
            with self.subTest(typed=typed, step=step):
                references = {"applied": reference_from(reference()), "indicated": replace(reference_from(meter()), resolution=step)}
                raw = RawReading(METHOD.plan(s, "as_found")[2], "200", typed, references=references)
                told = {c.name: c.value for c in output_budget(s, 200.0, raw, None)}
                self.assertAlmostEqual(told["Resolution of the reading"], value)  # half a step of 16 mA


class ColdJunction(TestCase):
    def budget(self, at, **policy):
        details = read_settings(get_method("temp-sensor").settings, {"sensor": "tc-k", "sensor_class": "tc-k-2"})
        inside = instrument(unit="°C", lrv=0, urv=400, details=details)
        s = RunSetup("temp-sensor", "1", inside, policy=Policy(**policy), entered=(("cold_junction_c", "23"),))
        b = Budget(s, at, RawReading(get_method("temp-sensor").plan(s, "as_found")[0], str(at), "1"), per_input=1.0)
        b.cold_junction(at)
        return b.parts

    def test_a_type_k_at_200_degrees(self):
        """0.3 °C at 23 °C (40.5 µV/°C by IEC 60584-1) are 0.304 °C at 200 °C (40.0 µV/°C): U = 2 x 0.304 / sqrt 3 = 0.35 °C."""
        (part,) = self.budget(200.0)
        self.assertAlmostEqual(part.value, 0.3 * 40.5 / 40.0, delta=0.003)
        self.assertAlmostEqual(2 * part.standard, 0.35, delta=0.005)

    def test_where_it_is_held_well_it_counts_as_much(self):
        self.assertEqual(self.budget(200.0, cold_junction_c=0.0), [])
        self.assertAlmostEqual(self.budget(200.0, cold_junction_c=0.1)[0].value, 0.1 * 40.5 / 40.0, delta=0.001)


class WholeSet(TestCase):
    def told(self, errors, **changes):
        s = setup(**changes)
        return {row["name"]: row["value"] for row in statistics_of(evaluate(s, errors), METHOD.trial.columns(s))}

    def test_statistics_carry_their_uncertainty(self):
        told = self.told([0.1] * 10)
        self.assertRegex(told["Zero error"], r"^\+0\.1\d* %, U 0\.0\d+ %$")
        self.assertRegex(told["Hysteresis"], r"^0\.0\d* %, U 0\.0\d+ %$")
        self.assertRegex(told["Linearity, terminal-based"], r"^±0\.0\d* %, U 0\.0\d+ %$")

    def test_the_chance_of_all_is_less_than_that_of_each(self):
        each = evaluate(setup(), [0.46] * 10).judged[0].decision.p_conform
        told = self.told([0.46] * 10)["Every point inside its tolerance"]
        self.assertEqual(told, f"at least {100 * math.prod(j.decision.p_conform for j in evaluate(setup(), [0.46] * 10).judged):.1f} %")
        self.assertLess(float(told.split()[2]), 100 * each)
        self.assertNotIn("Every point inside its tolerance", self.told([0.6] * 10))

    def test_a_mean_scatters_less_than_a_reading(self):
        once, thrice = self.told([0.1] * 10), self.told([0.1, 0.14, 0.12] * 10, cycles=3)
        width = lambda told, name: float(told[name].split("U ")[1].split()[0])  # noqa: E731
        self.assertLess(width(thrice, "Zero error"), width(thrice, "Largest error"))
        self.assertGreater(width(once, "Span error"), width(once, "Zero error"))

    def test_of_a_mean_and_of_a_difference_by_hand(self):
        """Shared 0.3, random 0.6 with 2 degrees of freedom; k of 95.45 % is 2.37 with 8 and 4.53 with 2 (GUM, table G.2)."""
        parts = [Component("shared", 0.3), Component("random", 0.6, dof=2.0, is_random=True)]
        mean = combine(in_mean(parts, 4))
        self.assertAlmostEqual(mean.combined, math.hypot(0.3, 0.3))
        self.assertAlmostEqual(mean.effective_dof, 8.0)
        self.assertAlmostEqual(mean.k, 2.37, places=2)
        difference = combine(in_difference(parts, 1.5))
        self.assertAlmostEqual(difference.combined, 0.6 * math.sqrt(1.5))
        self.assertAlmostEqual(difference.k, 4.53, places=2)
        self.assertEqual(in_mean(parts, 1), parts)

    def test_what_is_stated_covers(self):
        for kind, (single, mean) in coverage_trials.run_trials(1500).items():
            self.assertTrue(0.94 <= mean <= 0.96, (kind, mean))
            self.assertTrue(0.94 <= single <= 0.98, (kind, single))

    def test_spread_says_where_it_is_from(self):
        b = Budget(setup(), 0.0, RawReading(METHOD.plan(setup(), "as_found")[0], "0", "4"))
        b.repeatability(Spread(0.02, 5.0))
        b.repeatability(None)
        self.assertEqual([(c.name, c.dof, c.is_random) for c in b.parts], [("Repeatability over the cycles", 5.0, True)])


class Together(TestCase):
    def flags(self, u_kpa, u_ma):
        run = play("tx-multipoint", {"applied": reference(u_absolute=u_kpa), "indicated": {**meter(), "u_absolute": u_ma}}, {})
        return [f for f in run.forward().view["flags"] if "together" in f]

    def test_two_that_are_each_good_enough_and_not_together_are_told(self):
        """Tolerance 2 kPa and 0.08 mA: 0.45 kPa and 0.018 mA are 4.44:1 each, and 4.44 / sqrt 2 = 3.14 together."""
        (told,) = self.flags(0.45, 0.018)
        self.assertIn("together reach a TUR of 3.1:1", told)
        self.assertIn("(4.4:1 by REF-P1 and 4.4:1 by REF-I1); 4.0:1 is wanted", told)

    def test_at_the_limit(self):
        for share, count in ((1.001, 0), (0.999, 1)):
            tur = 4 * math.sqrt(2) * share
            self.assertEqual(len(self.flags(2 / tur, 0.08 / tur)), count, share)
