"""The method tx-multipoint: its plan, its judging, what it proposes, how adjusting goes on."""

from datetime import date
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from metrology.faults import Fault
from metrology.judgement.decision import RULES, decide
from metrology.judgement.policy import Policy, describe_policy
from metrology.judgement.reference import find_reference_faults, reference_from
from metrology.judgement.tolerance import Term, Tolerance
from metrology.judgement.uncertainty import Component, combine
from metrology.methods.registry import CATALOGUE, METHODS, get_method
from metrology.methods.settings import read_settings
from metrology.methods.setup import INSTRUMENT, RunSetup, setup_from, setup_payload
from metrology.methods.slots import RawReading
from metrology.methods.steps import KINDS, PHASES
from metrology.quantities.transfer import Transfer
from metrology.tests.runs import instrument, meter, reference

METHOD = get_method("tx-multipoint")
REFERENCES = {"applied": reference_from(reference()), "indicated": reference_from(meter())}


def setup(**changes):
    inside = {k: changes.pop(k) for k in list(changes) if k not in ("points_percent", "cycles", "policy")}
    inside.setdefault("details", METHOD.settings())
    return RunSetup("tx-multipoint", "1", instrument(**inside), **changes)


def evaluate(run_setup, errors):
    """Judge readings with the given errors in percent of span."""
    raw = [
        RawReading(
            s,
            f"{s.nominal:.6f}",
            f"{s.ideal + e * (run_setup.instrument.output_hi - run_setup.instrument.output_lo) / 100:.5f}",
            references=REFERENCES,
        )
        for s, e in zip(METHOD.plan(run_setup, "as_found"), errors, strict=True)
    ]
    return METHOD.trial.judge(run_setup, raw, "as_found")


class Plan(TestCase):
    def test_five_up_and_five_down(self):
        plan = METHOD.plan(setup(), "as_found")
        self.assertEqual([s.percent for s in plan], [0, 25, 50, 75, 100, 100, 75, 50, 25, 0])
        self.assertEqual([s.direction for s in plan], ["up"] * 5 + ["down"] * 5)
        self.assertIn("above the top", plan[5].how)
        self.assertEqual([round(s.ideal, 6) for s in plan[:5]], [4, 8, 12, 16, 20])

    def test_any_list_of_points_and_up_to_three_cycles(self):
        for points, cycles, count in (((10, 50, 90), 1, 6), ((0, 50, 100), 3, 18), (tuple(range(0, 101, 10)), 2, 44)):
            plan = METHOD.plan(setup(points_percent=tuple(map(float, points)), cycles=cycles), "as_found")
            self.assertEqual(len(plan), count)
            self.assertEqual([s.index for s in plan], list(range(count)))
            self.assertEqual({s.cycle for s in plan}, set(range(1, cycles + 1)))

    def test_ideals_follow_the_transfer(self):
        self.assertEqual([s.ideal for s in METHOD.plan(setup(transfer=Transfer("reverse")), "as_found")[:3]], [20.0, 16.0, 12.0])
        self.assertEqual([s.ideal for s in METHOD.plan(setup(transfer=Transfer("sqrt")), "as_found")[:3]], [4.0, 12.0, 4 + 16 * 0.5**0.5])

    def test_points_that_make_no_sense_are_refused(self):
        for points in ((50.0,), (0.0, 50.0, 50.0), (50.0, 0.0), (0.0, 101.0), (-1.0, 100.0), tuple(float(n) for n in range(22))):
            with self.subTest(points=points), self.assertRaises(Fault):
                setup(points_percent=points)
        with self.assertRaises(Fault):
            setup(cycles=4)

    def test_a_setup_comes_back_from_its_payload(self):
        for given_setup in (
            setup(),
            setup(points_percent=(10.0, 50.0, 90.0), cycles=3, policy=Policy(pass_rule="guard-u")),
            setup(transfer=Transfer("table", table=((0.0, 0.0), (50.0, 40.0), (100.0, 100.0)))),
            setup(tolerance=Tolerance((Term(0.5, "span"), Term(2.0, "unit")), "greater")),
        ):
            self.assertEqual(setup_from(setup_payload(given_setup), METHOD.settings), given_setup)


class Judging(TestCase):
    def test_the_uncertainty_of_references_and_resolution_is_in_every_reading(self):
        result = evaluate(setup(), [0.1] * 10)
        names = [c.name for c in result.judged[0].components]
        stated = "Scatter of a reading taken once, by policy"
        self.assertEqual(
            names, ["Input reference REF-P1", "Resolution of REF-P1", "Output meter REF-I1", "Resolution of the reading", stated]
        )
        # 2 % of a tolerance of 0.5 %; 0.05 kPa of 400 at k 2, 0.005 kPa / sqrt 3, 0.002 mA of 16 at k 2, 0.0005 mA / sqrt 3.
        by_hand = ((0.0125 / 2) ** 2 + (0.00125 / 3**0.5) ** 2 + (0.0125 / 2) ** 2 + (0.003125 / 3**0.5) ** 2 + 0.01**2) ** 0.5
        self.assertAlmostEqual(result.judged[0].uncertainty.combined, by_hand, places=6)
        self.assertAlmostEqual(result.judged[0].uncertainty.k, 2.0, places=3)

    def test_a_close_pass_is_called_too_close_under_the_plain_limit(self):
        result = evaluate(setup(), [0.49] * 10)
        self.assertEqual(result.verdict, "pass")
        self.assertTrue(result.judged[0].decision.is_too_close)
        self.assertFalse(evaluate(setup(), [0.3] * 10).judged[0].decision.is_too_close)

    def test_the_worst_is_the_one_that_uses_most_of_its_own_tolerance(self):
        s = setup(tolerance=Tolerance((Term(1.0, "reading"), Term(0.1, "span")), "greater"))
        result = evaluate(s, [0.09, 0.1, 0.1, 0.1, 0.2, 0.2, 0.1, 0.1, 0.1, 0.09])
        self.assertEqual(result.worst.slot.percent, 0)
        self.assertAlmostEqual(result.share, 0.9, places=3)

    def test_repeatability_needs_cycles(self):
        self.assertIsNone(evaluate(setup(), [0.1] * 10).statistics.repeatability)
        three = evaluate(setup(cycles=3), [0.1] * 10 + [0.2] * 10 + [0.15] * 10)
        self.assertAlmostEqual(three.statistics.repeatability, 0.1, places=4)

    def test_an_unfinished_set_is_judged_as_far_as_it_goes(self):
        one = METHOD.trial.judge(setup(), [RawReading(METHOD.plan(setup(), "as_found")[0], "0", "4.01", references=REFERENCES)], "as_found")
        self.assertEqual((one.is_complete, one.statistics, one.signatures), (False, None, ()))
        empty = METHOD.trial.judge(setup(), [], "as_found")
        self.assertEqual((empty.worst, empty.share), (None, 0.0))

    def test_frequency_and_voltage_outputs(self):
        for low, high, unit in ((1.0, 5.0, "V"), (0.0, 10.0, "V"), (0.0, 1000.0, "Hz")):
            s = setup(output_lo=low, output_hi=high, output_unit=unit)
            raw = [RawReading(p, f"{p.nominal}", f"{p.ideal + 0.006 * (high - low)}") for p in METHOD.plan(s, "as_found")]
            self.assertEqual(METHOD.trial.judge(s, raw, "as_found").verdict, "fail")


class Proposals(TestCase):
    BOW = [0, 0.6, 0.8, 0.6, 0, 0, 0.6, 0.8, 0.6, 0]
    HYSTERESIS = [0, -0.4, -0.6, -0.4, 0, 0, 0.4, 0.6, 0.4, 0]
    SPAN_MISMATCH = [0, 6, 12, 18, 24, 24, 18, 12, 6, 0]

    def choice(self, errors, *, is_as_left=False, **changes):
        s = setup(**changes)
        return METHOD.advice.propose(s, evaluate(s, errors), is_as_left=is_as_left)

    def test_what_is_proposed(self):
        for errors, changes, choice in (
            ([0.1] * 10, {}, "leave"),
            ([0.36] * 10, {}, "adjust"),
            ([0.36] * 10, {"is_adjustable": False}, "leave"),
            ([0.36] * 10, {"policy": Policy(adjust_when="never")}, "leave"),
            ([0.2] * 10, {"policy": Policy(adjust_when="always")}, "adjust"),
            ([0.05] * 10, {"policy": Policy(adjust_when="always")}, "leave"),
            ([0.2] * 10, {"policy": Policy(adjust_limit_percent=30)}, "adjust"),
            ([0.9] * 10, {}, "adjust"),
            ([0.9] * 10, {"is_adjustable": False}, "replace"),
            ([0.9] * 10, {"policy": Policy(adjust_when="never")}, "adjust"),
            ([0.495] * 10, {"policy": Policy(pass_rule="guard-u", adjust_when="never")}, "adjust"),
            ([1.6 * e for e in self.BOW], {}, "replace"),
            (self.HYSTERESIS, {}, "repair"),
            (self.SPAN_MISMATCH, {}, "repair"),
        ):
            with self.subTest(errors=errors[:4], changes=changes):
                proposal = self.choice(errors, **changes)
                self.assertEqual(proposal.choice, choice, proposal.reason)
                self.assertTrue(proposal.reason.endswith("."))

    def test_a_square_root_whose_sensor_shifted_is_adjusted_and_not_replaced(self):
        root = Transfer("sqrt")
        # 0.8 % of DP too much: the output is 8.9 % off where there is no flow and 0.4 % off at the top.
        shifted = [100 * (((p / 100 + 0.008) ** 0.5) - (p / 100) ** 0.5) for p in (0, 25, 50, 75, 100, 100, 75, 50, 25, 0)]
        proposal = self.choice(shifted, transfer=root)
        self.assertEqual(proposal.choice, "adjust", proposal.reason)
        bowed = [2.5 * e for e in self.BOW]
        self.assertEqual(self.choice(bowed, transfer=root).choice, "replace")

    def test_a_gap_that_fits_when_centred_is_centred_where_the_policy_says_so(self):
        """Friction: the same gap everywhere, all of it on one side. Tolerance 0.5 %: a gap of 0.98 % centred lies within ±0.49 %."""

        def friction(gap):
            return [0.0] * 5 + [gap] * 5

        for gap, policy, choice in (
            (0.98, "centre", "adjust"), (1.02, "centre", "repair"), (0.98, "repair", "repair"), (0.6, "repair", "repair"), (0.6, "centre", "adjust"),
        ):  # fmt: skip
            with self.subTest(gap=gap, policy=policy):
                proposal = self.choice(friction(gap), policy=Policy(gap=policy))
                self.assertEqual(proposal.choice, choice, proposal.reason)
        self.assertEqual(self.choice(friction(0.98), policy=Policy(gap="centre"), is_adjustable=False).choice, "repair")
        bent = [0, 0.2, 0.3, 0.2, 0, 0.8, 1.0, 1.1, 1.0, 0.8]  # what bows beside it would stand out
        self.assertEqual(self.choice(bent, policy=Policy(gap="centre")).choice, "repair")

    def test_as_left_a_lone_reading_off_is_not_taken_again_for_ever(self):
        errors = [0.0, 0.0, 5.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0]
        self.assertEqual(self.choice(errors).choice, "repeat")
        self.assertNotEqual(self.choice(errors, is_as_left=True).choice, "repeat")


class Adjusting(TestCase):
    def progress(self, *passes, **policy):
        return METHOD.adjusting.progress(setup(policy=Policy(**policy)), passes, "adjust")

    def test_zero_first_then_span_in_turn(self):
        self.assertEqual(self.progress().next_screw, "zero")
        self.assertEqual(self.progress(("zero", "4.1", "4.0")).next_screw, "span")
        self.assertEqual(self.progress(("zero", "4.1", "4.0"), ("span", "20.1", "20.0")).next_screw, "zero")

    def test_both_left_alone_inside_the_aim_is_converged_at_once(self):
        done = self.progress(("zero", "4.001", ""), ("span", "20.001", ""))
        self.assertTrue(done.is_converged)
        self.assertEqual(done.next_screw, "")

    def test_a_turned_span_asks_for_another_look_at_zero(self):
        self.assertFalse(self.progress(("zero", "4.0", ""), ("span", "20.2", "20.0")).is_converged)

    def test_the_passes_run_out(self):
        passes = [("zero", "4.1", "4.05"), ("span", "20.1", "20.05")] * 2
        stuck = self.progress(*passes, max_passes=2)
        self.assertTrue(stuck.is_stuck)
        self.assertIn("2 passes are used", stuck.says)

    def test_the_aim_is_a_share_of_the_tolerance(self):
        zero, span = METHOD.adjusting.targets(setup(), "adjust")
        self.assertEqual((zero.ideal, span.ideal), (4.0, 20.0))
        self.assertAlmostEqual(zero.aim, 0.25 * 0.5 / 100 * 16)


class Catalogue(TestCase):
    def test_every_step_is_of_a_known_kind_and_phase_whatever_was_chosen(self):
        for chosen in ({}, {"judge": "adjust"}, {"judge": "repeat", "judge_2": "repair", "judge_left": "adjust"}, {"judge": "leave"}):
            steps = METHOD.steps(setup(warm_up_min=5.0, needs_permit=True), chosen)
            self.assertEqual(len({s.key for s in steps}), len(steps))
            order = [PHASES.index(s.phase) for s in steps]
            if "repair" not in chosen.values():
                self.assertEqual(order, sorted(order))
            for s in steps:
                self.assertIn(s.kind, KINDS)
                self.assertTrue(s.title and s.instruction)

    def test_a_permit_is_asked_for_where_the_area_needs_one(self):
        fields = {s.key: [f.name for f in s.fields] for s in METHOD.steps(setup(needs_permit=True), {})}
        self.assertIn("permit", fields["operator"])

    def test_cautions_checks_and_points_fit_what_is_measured(self):
        def told(**changes):
            made = setup(**changes)
            steps = {s.key: s for s in METHOD.steps(made, {})}
            valves = next(c.label for c in steps["restore"].checks if c.key == "valves")
            return " ".join(steps["cautions"].cautions), valves, METHOD.plan(made, "as_found")[0].how

        gauge, absolute = (read_settings(METHOD.settings, {"against": k}) for k in ("gauge", "absolute"))
        for changes, caution, valve, first in (
            ({}, "Shut the isolation valve", "vent closed and plugged", "Vent it to the air"),
            ({"details": gauge, "transfer": Transfer("sqrt")}, "Shut the isolation valve", "vent closed and plugged", "Vent it to the air"),
            ({"transfer": Transfer("sqrt")}, "open the equaliser", "Manifold back", "open the equaliser between them"),
            ({"details": absolute}, "draws in what stands before it", "no leak under vacuum", "Pull the vacuum down"),
            ({"lrv": 100.0}, "Shut the isolation valve", "vent closed", "Start below the point"),
        ):
            seen = told(**changes)
            for words, part in zip(seen, (caution, valve, first), strict=True):
                self.assertIn(part, words, changes)
        sensor = told(unit="°C", lrv=0.0, urv=600.0, details=read_settings(METHOD.settings, {"sensor": "tc-k"}))
        self.assertNotIn("Pressure", sensor[0])
        self.assertEqual(
            sensor[1:], ("Sensor wires and process connection as they were", "Set the simulator to it; there is no way up or down to it.")
        )

    def test_a_method_that_is_not_there(self):
        self.assertLessEqual({k for k, m in METHODS.items() if m.traits.subject == INSTRUMENT}, set(CATALOGUE))
        with self.assertRaises(Fault) as caught:
            get_method("magic")
        self.assertEqual(caught.exception.code, "unknown_method")

    def test_policies_are_sentences(self):
        told = describe_policy(Policy(pass_rule="probability", max_risk=0.02))
        self.assertIn("risk at most 2 %", told[0])
        self.assertTrue(all(t.endswith(".") for t in told))


class References(TestCase):
    def faults(self, **changes):
        found = find_reference_faults(reference_from(reference(**changes)), low=0, high=400, unit="kPa", today=date(2026, 11, 1))
        return [f.code for f in found]

    def test_all_that_is_wrong_is_found(self):
        self.assertEqual(self.faults(), [])
        self.assertEqual(self.faults(due_on="2026-11-01"), [])
        self.assertEqual(self.faults(due_on="2026-10-31", high=300.0, state="retired"), ["out_of_service", "expired", "not_covering"])
        self.assertEqual(self.faults(unit="mA"), ["wrong_quantity"])
        self.assertEqual(self.faults(unit="furlong"), ["wrong_quantity"])

    def test_uncertainty_from_three_terms_in_another_unit(self):
        r = reference_from(reference(unit="bar", low=0.0, high=10.0, u_absolute=0.001, u_percent_reading=0.02, u_percent_span=0.01))
        self.assertAlmostEqual(r.expanded(500.0, unit="kPa"), 100 * (0.001 + 0.0002 * 5 + 0.0001 * 10))
        self.assertAlmostEqual(r.step_in("kPa"), 1.0)


class DecisionProperties(TestCase):
    @given(st.floats(-2, 2), st.floats(0.01, 2), st.floats(0, 1), st.sampled_from(sorted(RULES)))
    def test_verdicts_are_ordered_and_limits_never_wider_than_the_tolerance(self, error, tolerance, expanded, rule):
        d = decide(error, tolerance, expanded=expanded, rule=rule)
        self.assertLessEqual(d.acceptance_limit, tolerance + 1e-9)
        self.assertTrue(0.0 <= d.p_conform <= 1.0)
        if abs(error) > tolerance * 1.0001:
            self.assertEqual(d.verdict, "fail")
        if rule == "simple":
            self.assertNotEqual(d.verdict, "marginal")
        if d.verdict == "pass":
            self.assertLessEqual(abs(error), d.acceptance_limit + 1.01e-10 * tolerance)  # ten digits count, as it says

    @given(st.floats(0, 1), st.floats(0.01, 1))
    def test_the_sign_of_the_error_does_not_matter(self, error, expanded):
        a, b = (decide(s * error, 0.7, expanded=expanded, rule="probability") for s in (1, -1))
        self.assertEqual(a.verdict, b.verdict)
        self.assertAlmostEqual(a.p_conform, b.p_conform, places=12)

    def test_what_cannot_be_judged_is_refused(self):
        for arguments in (
            {"tolerance": 0},
            {"tolerance": -1},
            {"expanded": -0.1},
            {"k": 0},
            {"rule": "hope"},
            {"max_risk": 1},
            {"error": float("nan")},
        ):
            given_ = {"error": 0.1, "tolerance": 1.0, "expanded": 0.1, **arguments}
            with self.subTest(arguments=arguments), self.assertRaises(Fault):
                decide(given_.pop("error"), given_.pop("tolerance"), **given_)


class Combining(TestCase):
    def test_divisors_of_the_distributions(self):
        for distribution, standard in (("normal", 1.0), ("rectangular", 3**-0.5), ("triangular", 6**-0.5), ("u-shaped", 2**-0.5)):
            self.assertAlmostEqual(combine([Component("x", 1.0, distribution)]).combined, standard)
        self.assertAlmostEqual(combine([Component("x", 1.0, divisor=2.0, sensitivity=-3.0)]).combined, 1.5)

    def test_what_cannot_be_combined(self):
        for components in (
            [],
            [Component("x", 0.0)],
            [Component("x", -1.0)],
            [Component("x", 1.0, "flat")],
            [Component("x", 1.0, divisor=0.0)],
            [Component("x", 1.0, dof=0.0)],
            [Component("x", float("inf"))],
        ):
            with self.assertRaises(Fault):
                combine(components)
        with self.assertRaises(Fault):
            combine([Component("x", 1.0)], coverage=1.0)

    @given(st.lists(st.floats(0.001, 10), min_size=1, max_size=6))
    def test_the_whole_is_at_least_its_largest_part(self, values):
        u = combine([Component(str(i), v) for i, v in enumerate(values)])
        self.assertGreaterEqual(u.combined, max(values) * (1 - 1e-12))
        self.assertAlmostEqual(u.expanded, 2.0 * u.combined, delta=1e-4 * u.combined)
