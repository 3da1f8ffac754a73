"""Kit that changes hands at lunch: the rule at its limits, plans that need it, its bound, and rounds that are planned anew."""

import unittest
from dataclasses import replace

from apps.planning.solver.bound import find_bound
from apps.planning.solver.build import build_round
from apps.planning.solver.check import find_breaches
from apps.planning.solver.handing import HandOver, hand_overs
from apps.planning.solver.problem import Fixed, GasNeed, Placed, Plan
from apps.planning.solver.quick import decode, quick_plan
from apps.planning.solver.search import improve
from apps.planning.solver.swap import moved, swap_for
from apps.planning.tests.test_solver import job, problem, worker

LUNCH = (690, 750, 30)
ANN = worker("ann", 450, 990, lunch=LUNCH)
BEN = worker("ben", 450, 990, lunch=LUNCH)
P1 = (("P1",),)


def two(**more):
    """Ann alone may do the one, in the morning, Ben alone the other, after lunch; there is one calibrator."""
    early = job("early", kit=P1, window=(450, 690), skills=frozenset("a"), **more)
    late = job("late", kit=P1, window=(720, 980), skills=frozenset("b"), **more)
    return problem(early, late, people=[replace(ANN, skills=frozenset("a")), replace(BEN, skills=frozenset("b"))])


class Rule(unittest.TestCase):
    def breaches(self, *, giver_lunch=700, taker_lunch=700, first=(500,), second=(800,), lunches=True):
        made = problem(job("x", kit=P1), job("y", kit=P1), people=[ANN, BEN])
        placed = {"x": Placed(first, ("ann",), ("P1",)), "y": Placed(second, ("ben",), ("P1",))}
        return find_breaches(made, Plan(placed, {"ann": giver_lunch, "ben": taker_lunch} if lunches else {}))

    def test_it_is_brought_no_later_than_the_other_goes_on(self):
        """Ben's lunch ends 30 min after it begins: Ann may come at 730 for his from 700, and not a minute later."""
        self.assertEqual(self.breaches(giver_lunch=729, taker_lunch=700), [])
        self.assertEqual(self.breaches(giver_lunch=730, taker_lunch=700), [])
        self.assertEqual(self.breaches(giver_lunch=731, taker_lunch=700), ["P1 is still with ann when ben goes on with it after lunch."])

    def test_who_gives_it_is_done_with_it_before_lunch(self):
        self.assertEqual(self.breaches(first=(660,), giver_lunch=700), [])  # 660 + 30 + 10 of way: back at 700
        self.assertEqual(self.breaches(first=(500,), second=(710 + 20,), taker_lunch=690), [])
        self.assertEqual(self.breaches(first=(750,), giver_lunch=700), ["P1 is with ann and with ben."])

    def test_a_job_that_lasts_over_lunch_keeps_it_all_day(self):
        long = job("x", kit=P1, tasks=(20, 20), waits=(120,))
        made = problem(long, job("y", kit=P1), people=[ANN, BEN])
        placed = {"x": Placed((600, 740), ("ann",), ("P1",)), "y": Placed((800,), ("ben",), ("P1",))}
        self.assertEqual(find_breaches(made, Plan(placed, {"ann": 700, "ben": 700})), ["P1 is with ann and with ben."])

    def test_without_lunch_nothing_changes_hands(self):
        made = problem(job("x", kit=P1), job("y", kit=P1), people=[replace(ANN, lunch=None), BEN])
        placed = {"x": Placed((500,), ("ann",), ("P1",)), "y": Placed((800,), ("ben",), ("P1",))}
        self.assertEqual(find_breaches(made, Plan(placed, {"ben": 700})), ["P1 is with ann and with ben."])

    def test_back_in_the_morning_it_does_not_go(self):
        self.assertEqual(self.breaches(first=(800,), second=(500,)), [])  # then Ben gives it to Ann
        made = problem(job("x", kit=P1), job("y", kit=P1), people=[ANN, BEN])
        placed = {"x": Placed((500,), ("ann",), ("P1",)), "y": Placed((560,), ("ben",), ("P1",))}
        self.assertEqual(find_breaches(made, Plan(placed, {"ann": 700, "ben": 700})), ["P1 is with ann and with ben."])


class Planned(unittest.TestCase):
    def all_done(self, made, plan):
        self.assertIsNotNone(plan)
        self.assertEqual(find_breaches(made, plan), [])
        self.assertEqual(set(plan.placed), {j.key for j in made.jobs})
        (handed,) = hand_overs(made, plan)
        self.assertEqual((handed.item, handed.giver, handed.taker), ("P1", "ann", "ben"))
        self.assertLessEqual(handed.brought_at, handed.taken_at)

    def test_what_neither_may_do_alone_is_done_by_both(self):
        made = two()
        self.all_done(made, quick_plan(made, seconds=1.0))
        self.all_done(made, improve(made, None, seconds=20.0).plan)
        built = build_round(made, seconds=5.0)
        self.all_done(made, built.plan)
        self.assertGreaterEqual(find_bound(made, seconds=5.0), built.value)

    def test_gas_goes_with_it(self):
        gas = (GasNeed(("G1",), 20.0),)
        made = replace(two(gas=gas), litres={"G1": 40.0})
        plan = build_round(made, seconds=5.0).plan
        self.assertEqual({h.item for h in hand_overs(made, plan)}, {"P1", "G1"})
        short = replace(made, litres={"G1": 39.9})
        self.assertEqual(len(build_round(short, seconds=5.0).plan.placed), 1)

    def test_where_lunches_do_not_meet_it_does_not_change_hands(self):
        """Ben's lunch ends at 720; Ann's begins then, or a minute later."""
        made = two()
        ann, ben = made.people
        for late, meets in ((720, True), (721, False)):
            apart = replace(made, people=(replace(ann, lunch=(late, 760, 30)), replace(ben, lunch=(690, 690, 30))))
            plan = improve(apart, None, seconds=20.0).plan
            self.assertEqual(find_breaches(apart, plan), [])
            self.assertEqual(bool(hand_overs(apart, plan)), meets, late)
            self.assertEqual(len(plan.placed), 2 if meets else 1)
            self.assertGreaterEqual(find_bound(apart, seconds=5.0), plan.value(apart))

    def test_a_round_that_is_planned_anew_keeps_what_was_to_change_hands(self):
        made = two()
        plan = build_round(made, seconds=5.0).plan
        fixed = tuple(replace(j, fixed=Fixed(plan.placed[j.key].people, plan.placed[j.key].starts)) for j in made.jobs)
        more = job("more", "B", value=10, tasks=(10,))
        anew = replace(made, jobs=(*fixed, more), lunches=plan.lunches)
        self.assertEqual(find_breaches(anew, decode(anew, anew.jobs).plan()), [])
        for again in (build_round(anew, seconds=4.0).plan, improve(anew, None, seconds=20.0).plan):
            self.assertEqual(find_breaches(anew, again), [])
            self.assertEqual([(h.item, h.giver, h.taker) for h in hand_overs(anew, again)], [("P1", "ann", "ben")])

    def test_who_brings_it_and_who_takes_it_is_told(self):
        made = problem(job("x", kit=P1), job("y", kit=P1), people=[ANN, BEN])
        placed = {"x": Placed((500,), ("ann",), ("P1",)), "y": Placed((800,), ("ben",), ("P1",))}
        self.assertEqual(hand_overs(made, Plan(placed, {"ann": 700, "ben": 710})), [HandOver("P1", "ann", 700, "ben", 740)])
        same = {**placed, "y": Placed((800,), ("ann",), ("P1",))}
        self.assertEqual(hand_overs(made, Plan(same, {"ann": 700, "ben": 710})), [])


class Moved(unittest.TestCase):
    def test_a_job_moved_to_when_another_has_its_kit_takes_that_ones_job_over(self):
        """Ann has it in the morning, Ben after lunch: 'a' at 14:10 with Ann is done where Ben's job goes to her."""
        made = problem(job("a", kit=P1), job("b", kit=P1), job("c", kit=P1), people=[ANN, BEN])
        placed = {"a": Placed((500,), ("ann",), ("P1",)), "b": Placed((540,), ("ann",), ("P1",)), "c": Placed((800,), ("ben",), ("P1",))}
        plan = Plan(placed, {"ann": 690, "ben": 690})
        self.assertEqual(find_breaches(made, plan), [])
        found = swap_for(made, plan, "a", Placed((850,), ("ann",), ("P1",)))
        self.assertEqual(find_breaches(made, found), [])
        self.assertEqual((found.placed["a"].starts, found.placed["c"].people), ((850,), ("ann",)))
        self.assertIn("c", moved(plan, found, but="a"))
