"""The round builder: optima worked out by hand, every rule, the bound, and the smallest clash."""

import unittest
from dataclasses import replace

from apps.planning.solver.apart import build_apart
from apps.planning.solver.beside import Beside
from apps.planning.solver.bound import find_bound
from apps.planning.solver.build import build_round
from apps.planning.solver.check import find_breaches
from apps.planning.solver.problem import Fixed, GasNeed, Job, Placed, Plan, Problem, Worker
from apps.planning.solver.quick import quick_plan
from apps.planning.solver.why import find_clash, overloads, why_left_out

WAYS = {("W", "A"): 10, ("W", "B"): 10, ("A", "B"): 20}


def worker(key="ann", start=480, end=600, **more):
    return Worker(key, start, end, **more)


def job(key, area="A", value=100, tasks=(30,), **more):
    return Job(key, area, value, tasks, **more)


def problem(*jobs, people=None, **more):
    return Problem(tuple(people or [worker()]), tuple(jobs), WAYS, "W", **more)


class Optimum(unittest.TestCase):
    def solve(self, made, seconds=6.0):
        built = build_round(made, seconds=seconds)
        self.assertIsNotNone(built.plan)
        self.assertEqual(find_breaches(made, built.plan), [])
        return built

    def test_the_most_worth_that_two_hours_hold(self):
        # 120 min; to A and back 20, between instruments 2: a (60) and b (30) take 112. With c (50) instead of b: 132, too long.
        # Both at B cost another 20 of walking. By hand: a and b, worth 210.
        made = problem(
            job("a", value=120, tasks=(60,)), job("b", value=90), job("c", value=100, tasks=(50,)), job("d", "B", value=95, tasks=(40,))
        )
        built = self.solve(made)
        self.assertEqual((set(built.plan.placed), built.value, built.is_best, built.gap), ({"a", "b"}, 210, True, 0.0))

    def test_a_warm_up_is_filled_with_other_work(self):
        # a: 10, then 40 min alone, then 20. b takes 30 and fits into the wait: 10 + 10 + [2 30 2] wait ends at 40 + 20 + 10 home = 90.
        a, b = job("a", tasks=(10, 20), waits=(40,), slack=5), job("b")
        built = self.solve(problem(a, b, people=[worker(end=570)]))
        self.assertEqual(set(built.plan.placed), {"a", "b"})
        starts = built.plan.placed
        self.assertTrue(starts["a"].starts[0] + 10 <= starts["b"].starts[0] < starts["a"].starts[1])

    def test_lunch_moves_within_its_window_so_that_more_fits_before_it(self):
        # 480 + 10 of way, 115, 2, 115, 10 back: lunch can begin at 732. At 690 only one of them would lie before it, and none after.
        eater = worker(end=770, lunch=(690, 780, 30))
        made = problem(job("a", tasks=(115,)), job("b", tasks=(115,)), people=[eater])
        plan = quick_plan(made, seconds=1.0)
        self.assertEqual((set(plan.placed), find_breaches(made, plan)), ({"a", "b"}, []))
        self.assertEqual(plan.lunches["ann"], 732)  # and no later than need be

    def test_who_is_done_before_lunch_has_it_at_its_earliest(self):
        eater = worker(end=960, lunch=(690, 780, 30))
        for seconds in (0.2, 1.0):
            plan = quick_plan(problem(job("a"), people=[eater]), seconds=seconds)
            self.assertEqual(plan.lunches, {"ann": 690})

    def test_a_second_search_beside_brings_a_plan_or_none_and_ends(self):
        made = problem(*(job(f"j{n}", "AB"[n % 2], tasks=(20,)) for n in range(12)), people=[worker(end=700), worker("ben", end=700)])
        found = Beside(made, seconds=0.5).result(patience_s=120)
        self.assertTrue(found and found.placed)
        self.assertEqual(find_breaches(made, found), [])
        slow = Beside(made, seconds=60.0)
        self.assertTrue(slow.result(should_stop=lambda: True, patience_s=120))  # told to stop, it gives what it has
        gone = Beside(made, seconds=60.0)
        gone.end()
        self.assertIsNone(gone.result())

    def test_holds_of_one_group_never_overlap_and_two_people_come_together(self):
        crew = [worker("ann", end=660), worker("ben", end=660)]
        made = problem(job("a", groups=("V",)), job("b", groups=("V",)), job("c", people=2), people=crew)
        built = self.solve(made)
        at = built.plan.placed
        self.assertEqual(len(at), 3)
        self.assertTrue(at["a"].starts[0] + 30 <= at["b"].starts[0] or at["b"].starts[0] + 30 <= at["a"].starts[0])
        self.assertEqual(set(at["c"].people), {"ann", "ben"})

    def test_gas_runs_out_kit_is_with_one_and_only_the_qualified_do_gas(self):
        gas = {"skills": frozenset({"gas"}), "gas": (GasNeed(("B1",), 6.0),)}
        crew = [worker("ann", end=720), worker("ben", end=720, skills=frozenset({"gas"}))]
        made = problem(
            *(job(k, **gas) for k in "abc"), job("d", kit=(("K1",),)), job("e", kit=(("K1",),)), people=crew, litres={"B1": 13.0}
        )
        built = self.solve(made)
        at = built.plan.placed
        self.assertEqual(len(set("abc") & set(at)), 2)
        self.assertEqual({at[k].people for k in set("abc") & set(at)}, {("ben",)})
        self.assertEqual(at["d"].people, at["e"].people)
        self.assertIn("has the 6 l it takes: B1 is short by 5.0 l", why_left_out(replace(made, litres={"B1": 1.0}), built.plan, "a"))
        (left,) = set("abc") - set(at)
        self.assertEqual(
            why_left_out(made, built.plan, left), "The gas does not last: after what is planned it takes 6 l more: B1 is short by 5.0 l."
        )

    def test_permit_lunch_and_the_way_home_are_kept(self):
        made = problem(job("a", window=(540, 580)), job("b"), job("c", "B"), people=[worker(end=720, lunch=(600, 630, 30))])
        built = self.solve(made)
        self.assertEqual(set(built.plan.placed), {"a", "b", "c"})
        self.assertTrue(540 <= built.plan.placed["a"].starts[0] <= 550)
        self.assertTrue(600 <= built.plan.lunches["ann"] <= 630)

    def test_what_is_locked_stays_and_the_past_is_past(self):
        made = problem(job("a", fixed=Fixed(("ann",), (545,))), job("b", value=500), now=500)
        built = self.solve(made)
        self.assertEqual(built.plan.placed["a"].starts, (545,))
        self.assertGreaterEqual(built.plan.placed["b"].starts[0], 500)

    def test_the_bound_is_never_below_what_can_be_done(self):
        for seed in range(3):
            jobs = [job(f"j{n}", "AB"[(n + seed) % 2], 50 + 13 * ((n * 7 + seed) % 9), (15 + 5 * ((n * 3 + seed) % 4),)) for n in range(16)]
            made = problem(*jobs, people=[worker("ann", end=660), worker("ben", end=660)])
            built = build_round(made, seconds=8)
            self.assertGreaterEqual(find_bound(made, seconds=3), built.value)
            self.assertLessEqual(built.gap, 0.08)
            self.assertEqual(find_breaches(made, built.plan), [])

    def test_a_plan_is_there_at_once_and_can_be_stopped_with_the_best_so_far(self):
        jobs = [job(f"j{n}", "AB"[n % 2], 50 + n, (20,)) for n in range(40)]
        made = problem(*jobs, people=[worker("ann", end=900), worker("ben", end=900)])
        told = []
        built = build_round(made, seconds=30, on_better=lambda *seen: told.append(seen), should_stop=lambda: bool(told))
        self.assertLess(built.seconds, 10)
        self.assertEqual(find_breaches(made, built.plan), [])
        self.assertLess(told[0][3], 2.0)


class Apart(unittest.TestCase):
    def test_a_process_of_its_own_comes_to_the_same(self):
        made = problem(job("a", value=120, tasks=(60,)), job("b", value=90), job("c", value=100, tasks=(50,)))
        told = []
        built = build_apart(made, seconds=4, on_better=lambda *seen: told.append(seen))
        self.assertEqual((set(built.plan.placed), built.is_best), ({"a", "b"}, True))
        self.assertTrue(told)

    def test_it_stops_when_it_is_asked_to(self):
        made = problem(*(job(f"j{n}", "AB"[n % 2], 50 + n, (20,)) for n in range(40)), people=[worker("ann", end=900)])
        told = []
        built = build_apart(made, seconds=40, on_better=lambda *seen: told.append(seen), should_stop=lambda: bool(told))
        self.assertLess(built.seconds, 15)
        self.assertEqual(find_breaches(made, built.plan), [])


class Clashes(unittest.TestCase):
    def clash(self, *jobs, **more):
        made = problem(*jobs, **more)
        return find_clash(made)

    def test_a_permit_that_is_too_short_is_all_that_is_named(self):
        said = self.clash(job("a", is_must=True, window=(500, 520)), job("b", is_must=True, tasks=(10,)))
        self.assertEqual(said, ["a must be done.", "The permit for a runs from 08:20 to 08:40; it takes 30 min at least."])

    def test_two_that_must_be_done_and_one_shift(self):
        said = self.clash(
            job("a", is_must=True, tasks=(60,)), job("b", is_must=True, tasks=(50,)), job("c", is_must=True, tasks=(5,), area="W")
        )
        self.assertEqual(set(said), {"a must be done.", "b must be done.", "ann's shift is from 08:00 to 10:00."})

    def test_nobody_is_qualified(self):
        said = self.clash(job("a", is_must=True, skills=frozenset({"gas work"})))
        self.assertEqual(said, ["a must be done.", "a needs somebody qualified for gas work."])

    def test_litres_for_one_of_two(self):
        gas = (GasNeed(("B1",), 6.0),)
        said = self.clash(job("a", is_must=True, gas=gas), job("b", is_must=True, gas=gas), litres={"B1": 9.0})
        self.assertIn("B1 gives 9 l.", said)
        self.assertIn("a must be done.", said)
        self.assertEqual(len(said), 5)

    def test_a_round_that_can_be_done_has_no_clash(self):
        self.assertEqual(self.clash(job("a", is_must=True)), [])

    def test_an_impossible_round_is_told_as_such(self):
        built = build_round(problem(job("a", is_must=True, window=(500, 520))), seconds=3)
        self.assertTrue(built.is_impossible)
        self.assertIsNone(built.plan)

    def test_why_a_job_is_left_out(self):
        crew = [worker(end=540)]
        made = problem(
            job("a", value=500),
            job("b", value=10),
            job("c", skills=frozenset({"gas work"})),
            job("d", tasks=(70,)),
            job("e", kit=((),)),
            people=crew,
        )
        plan = quick_plan(made, seconds=0.2)
        for key, part in (("b", "The shift is full"), ("c", "qualified for gas work"), ("d", "does not fit"), ("e", "No kit")):
            self.assertIn(part, why_left_out(made, plan, key))


class Binding(unittest.TestCase):
    """What is left out names the one rule that binds."""

    def told(self, *jobs, left, placed, **more):
        made = problem(*jobs, **more)
        at = {k: Placed(starts, people, kit, gas) for k, (starts, people, kit, gas) in placed.items()}
        return why_left_out(made, Plan(at, {}), left, {"ann": "Ann Lee", "ben": "Ben Oak"})

    def test_kit_that_is_with_somebody_who_has_no_time(self):
        crew = [worker("ann", end=540), worker("ben", end=600)]
        said = self.told(
            job("a", kit=(("K1",),)), job("b", kit=(("K1",),)), left="b", placed={"a": ((490,), ("ann",), ("K1",), ())}, people=crew
        )
        self.assertEqual(said, "Its kit is elsewhere: K1 is with Ann Lee, who has no time left for it.")

    def test_a_group_a_permit_the_qualified_and_two_people(self):
        crew = [worker("ann", end=552, skills=frozenset({"gas"})), worker("ben", end=552)]
        done = {"a": ((490,), ("ann",), (), ())}
        for more, others, part in (
            ({"groups": ("V",), "tasks": (40,)}, {"groups": ("V",), "tasks": (52,)}, "may not be on hold together with a"),
            ({"skills": frozenset({"gas"}), "tasks": (40,)}, {"tasks": (50,)}, "Whoever is qualified for gas has no time left"),
            ({"people": 2, "tasks": (30,)}, {"tasks": (50,)}, "no two have 30 min together"),
            ({"window": (485, 530), "skills": frozenset({"gas"}), "tasks": (20,)}, {"tasks": (30,)}, "Inside its permit, 08:05 to 08:50"),
        ):
            said = self.told(job("a", **others), job("b", **more), left="b", placed=done, people=crew)
            self.assertIn(part, said)

    def test_a_full_shift(self):
        said = self.told(job("a"), job("b"), left="b", placed={"a": ((490,), ("ann",), (), ())}, people=[worker(end=540)])
        self.assertEqual(said, "The shift is full: it takes 30 min and the way, and what is more urgent, or nearer, came first.")


class Overloads(unittest.TestCase):
    def test_more_musts_than_shift_is_said_at_once_and_first(self):
        for minutes, over in ((120, []), (121, ["2 h 1 min of musts, 2 h of shift."])):
            made = problem(job("a", is_must=True, tasks=(minutes,)))
            self.assertEqual(overloads(made), over)
            self.assertEqual(build_round(made, seconds=1).plan, None)
        built = build_round(problem(*(job(f"j{n}", is_must=True, tasks=(60,)) for n in range(60)), people=[worker(end=1000)]), seconds=20)
        self.assertTrue(built.is_impossible)

    def test_lunch_and_two_people_count(self):
        made = problem(job("a", is_must=True, tasks=(46,), people=2), people=[worker(lunch=(500, 540, 30))])
        self.assertEqual(overloads(made), ["1 h 32 min of musts, 1 h 30 min of shift."])

    def test_of_the_qualified_by_name(self):
        crew = [worker("ann", end=540, skills=frozenset({"gas"})), worker("ben")]
        made = problem(*(job(k, is_must=True, tasks=(40,), skills=frozenset({"gas"})) for k in "ab"), people=crew)
        self.assertEqual(overloads(made, {"ann": "Ann Lee"}), ["1 h 20 min of musts for gas, 1 h of shift of Ann Lee."])

    def test_what_need_not_be_done_counts_for_nothing(self):
        self.assertEqual(overloads(problem(job("a", tasks=(500,)))), [])


class Check(unittest.TestCase):
    def test_every_breach_is_seen(self):
        crew = [worker("ann", end=700, lunch=(600, 630, 30)), worker("ben", end=700, skills=frozenset({"gas"}))]
        a = job("a", skills=frozenset({"gas"}), groups=("V",), window=(500, 560), gas=(GasNeed(("B",), 6.0),))
        b = job("b", "B", groups=("V",), kit=(("K",),))
        made = problem(a, b, job("c", is_must=True), people=crew, litres={"B": 3.0}, now=480)
        plan = Plan({"a": Placed((540,), ("ann",), (), ("B",)), "b": Placed((560,), ("ann",), ("X",))}, {})
        said = " ".join(find_breaches(made, plan))
        for part in (
            "ann is not qualified",
            "outside its permit",
            "c must be done",
            "no lunch",
            "can't be at b",
            "on hold together",
            "lacks kit",
            "B gives 3 l",
        ):
            self.assertIn(part, said)
        late = Plan({"b": Placed((690,), ("ben",), ("K",)), "c": Placed((470,), ("ben",))}, {})
        said = " ".join(find_breaches(made, late))
        for part in ("in the past", "before the shift", "after the shift"):
            self.assertIn(part, said)
