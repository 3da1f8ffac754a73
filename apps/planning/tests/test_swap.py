"""What must move so that a job can stand where it is wanted: nothing is lost, nothing locked is moved, as little as can be."""

import unittest

from apps.planning.solver.check import find_breaches
from apps.planning.solver.problem import Fixed, Placed, Plan
from apps.planning.solver.swap import moved, swap_for
from apps.planning.tests.test_solver import job, problem, worker

CREW = [worker(end=900), worker("ben", end=900)]


class Swap(unittest.TestCase):
    def swap(self, made, plan, key, start, person):
        found = swap_for(made, plan, key, Placed((start,), (person,)))
        if found is not None:
            self.assertEqual(set(found.placed), set(plan.placed))
            self.assertEqual(find_breaches(made, found), [])
            self.assertEqual((found.placed[key].starts, found.placed[key].people), ((start,), (person,)))
        return found

    def test_what_stands_there_moves_on_and_nothing_else(self):
        made = problem(job("a"), job("b"), job("c"), people=CREW)
        plan = Plan({"a": Placed((490,), ("ann",)), "b": Placed((700,), ("ann",)), "c": Placed((490,), ("ben",))}, {})
        found = self.swap(made, plan, "b", 500, "ann")
        self.assertEqual(moved(plan, found, but="b"), ["a"])

    def test_two_people_exchange_where_the_day_is_full(self):
        full = [worker(end=570), worker("ben", end=570)]  # room for two jobs each
        made = problem(*(job(k) for k in "abcd"), people=full)
        plan = Plan({k: Placed((s,), (w,)) for k, s, w in (("a", 490, "ann"), ("b", 522, "ann"), ("c", 490, "ben"), ("d", 522, "ben"))}, {})
        found = self.swap(made, plan, "a", 490, "ben")
        self.assertEqual({k for k, at in found.placed.items() if at.people == ("ben",)} - {"a"} < {"c", "d"}, True)

    def test_what_is_locked_stays_and_then_there_may_be_no_way(self):
        full = [worker(end=570), worker("ben", end=570)]
        locked = [job("c", fixed=Fixed(("ben",), (490,))), job("d", fixed=Fixed(("ben",), (522,)))]
        made = problem(job("a"), job("b"), *locked, people=full)
        plan = Plan({k: Placed((s,), (w,)) for k, s, w in (("a", 490, "ann"), ("b", 522, "ann"), ("c", 490, "ben"), ("d", 522, "ben"))}, {})
        self.assertIsNone(self.swap(made, plan, "a", 490, "ben"))
        self.assertIsNone(self.swap(made, plan, "a", 480, "ann"))  # before anybody can be there
