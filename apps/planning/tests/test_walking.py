"""Short ways and even days: the tours worked out by hand, and what polishing may never do."""

import itertools
import unittest
from dataclasses import replace

from apps.planning.solver.check import find_breaches
from apps.planning.solver.polish import polish
from apps.planning.solver.problem import Fixed, Placed, Plan
from apps.planning.solver.quick import quick_plan
from apps.planning.solver.sharing import share_out
from apps.planning.solver.tidy import tidy
from apps.planning.solver.walking import EVEN_WITHIN, EXACT_PLACES, _no_less, days, shortest_tour, unevenness, walked, walked_share
from apps.planning.tests.test_solver import job, problem, worker
from tools.round_trials import make_problem

WAYS = {("W", "A"): 5, ("W", "B"): 7, ("W", "C"): 9, ("A", "B"): 3, ("A", "C"): 6, ("B", "C"): 4}


class Tours(unittest.TestCase):
    def test_of_three_places_by_hand(self):
        made = replace(problem(), ways=WAYS)
        every = [sum(made.way(a, b) for a, b in itertools.pairwise(("W", *order, "W"))) for order in itertools.permutations("ABC")]
        self.assertEqual(shortest_tour(made, frozenset("ABC")), min(every))
        self.assertEqual(shortest_tour(made, frozenset("ABC")), 5 + 3 + 4 + 9)
        self.assertEqual(shortest_tour(made, frozenset()), 0)

    def test_of_many_places_it_is_bounded_from_below_and_at_once(self):
        made = make_problem(1, jobs=14)
        places = sorted({a for way in made.ways for a in way} - {made.base})
        for many in (3, 6, EXACT_PLACES):
            exact = shortest_tour(made, frozenset(places[:many]))
            self.assertLessEqual(_no_less(made, places[:many]), exact)
        far = frozenset(f"P{n}" for n in range(40))  # ten minutes from each to each
        self.assertEqual(shortest_tour(made, far), 410)
        self.assertEqual(shortest_tour(made, far, lunch=True), 410)

    def test_lunch_takes_a_way_back(self):
        made = replace(problem(), ways=WAYS)
        self.assertEqual(shortest_tour(made, frozenset("A"), lunch=True), 20)
        # A alone and B with C: 10 + 20; B alone and A with C: 14 + 20; C alone and A with B: 18 + 15
        self.assertEqual(shortest_tour(made, frozenset("ABC"), lunch=True), 30)

    def test_a_day_is_walked_from_the_base_and_back_and_lunch_ends_none(self):
        crew = [worker(start=480, end=900, lunch=(690, 780, 30)), worker("ben", start=480, end=900)]
        made = problem(job("a"), job("b", area="B"), people=crew)
        plan = Plan({"a": Placed((490,), ("ann",)), "b": Placed((540,), ("ann",))}, {"ann": 690})
        found = days(made, plan)
        self.assertEqual((found["ann"].walked, found["ann"].tour, found["ann"].length), (40, 40, 570 + 10 - 480))
        self.assertEqual((found["ben"].walked, found["ben"].length), (0, 0))
        self.assertEqual((walked_share(made, plan), unevenness(made, plan)), (1.0, 100))


class Polished(unittest.TestCase):
    def test_a_day_is_put_into_its_shortest_order(self):
        made = problem(job("a"), job("b", area="B"), job("c"), people=[worker(end=900)])
        plan = Plan({"a": Placed((490,), ("ann",)), "b": Placed((540,), ("ann",)), "c": Placed((590,), ("ann",))}, {})
        better = tidy(made, plan, seconds=5)
        self.assertEqual((walked(made, plan), walked(made, better)), (60, 40))
        self.assertEqual(find_breaches(made, better), [])

    def test_what_hangs_on_another_s_day_stays_where_it_is(self):
        crew = [worker(end=900), worker("ben", end=900)]
        made = problem(job("a"), job("b", area="B", people=2), job("c"), job("v", groups=("V",)), job("w", groups=("V",)), people=crew)
        plan = Plan(
            {
                "a": Placed((490,), ("ann",)), "b": Placed((540,), ("ann", "ben")), "c": Placed((600,), ("ann",)), "v": Placed((640,), ("ann",)),
                "w": Placed((700,), ("ben",)),
            },
            {},
        )  # fmt: skip
        better = tidy(made, plan, seconds=5)
        self.assertEqual({k: better.placed[k] for k in "bvw"}, {k: plan.placed[k] for k in "bvw"})

    def test_days_are_shared_out_within_an_hour_and_at_an_hour_nothing_is_moved(self):
        crew = [worker(end=900), worker("ben", end=900)]
        # ann: 10 to A, 30, 2 on, the second, 10 back; ben: 10, 8, 10. At an hour between them it stays, a minute beyond it is handed over.
        for second, gap in ((EVEN_WITHIN - 24, EVEN_WITHIN), (EVEN_WITHIN - 23, EVEN_WITHIN + 1)):
            made = problem(job("a"), job("c", tasks=(second,)), job("d", tasks=(8,)), people=crew)
            plan = Plan({"a": Placed((490,), ("ann",)), "c": Placed((522,), ("ann",)), "d": Placed((490,), ("ben",))}, {})
            with self.subTest(gap=gap):
                self.assertEqual(unevenness(made, plan), gap)
                better = share_out(made, plan, seconds=5)
                self.assertEqual(set(better.placed), set(plan.placed))
                self.assertEqual(better.placed["a"].people, ("ann",) if gap == EVEN_WITHIN else ("ben",))

    def test_locked_jobs_and_those_of_others_skills_stay(self):
        crew = [worker(end=900, skills=frozenset({"gas"})), worker("ben", end=900)]
        gas = {"skills": frozenset({"gas"})}
        made = problem(job("a", fixed=Fixed(("ann",), (490,))), job("b", **gas), job("c", **gas), job("d", tasks=(90,)), people=crew)
        plan = Plan({k: Placed((s,), ("ann",)) for k, s in (("a", 490), ("b", 522), ("c", 554), ("d", 586))}, {})
        better = share_out(made, plan, seconds=5)
        self.assertEqual({k: at.people for k, at in better.placed.items()}, {"a": ("ann",), "b": ("ann",), "c": ("ann",), "d": ("ben",)})
        self.assertEqual(find_breaches(made, better), [])

    def test_polishing_gives_up_no_job_breaks_no_rule_and_never_makes_it_worse(self):
        for seed in range(4):
            made = make_problem(seed, jobs=14)
            plan = quick_plan(made, seconds=0.3, seed=seed)
            better = polish(made, plan, seconds=4)
            with self.subTest(seed=seed):
                self.assertEqual(better.value(made), plan.value(made))
                self.assertEqual(find_breaches(made, better), [])
                over = [max(0, unevenness(made, p) - EVEN_WITHIN) for p in (plan, better)]
                self.assertLessEqual((over[1], walked(made, better)), (over[0], walked(made, plan)))

    def test_asked_to_stop_it_stops(self):
        made = make_problem(1, jobs=14)
        plan = quick_plan(made, seconds=0.3)
        self.assertEqual(polish(made, plan, seconds=60, should_stop=lambda: True), plan)
