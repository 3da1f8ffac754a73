"""Levelling, by itself: nothing leaves its window, nothing is filled beyond its hours, and what can't be moved is said by what is left."""

import random
from unittest import TestCase

from apps.agenda.levelling import Load, Move, level


class Level(TestCase):
    def test_what_is_over_goes_to_the_nearest_week_with_room(self):
        loads = [Load("A", 1, 4, 0, 3), Load("B", 1, 3, 0, 3), Load("C", 0, 6, 0, 0)]
        self.assertEqual(level(loads, [0] * 4, [8, 4, 8, 8]), [Move("A", 1, 2)])  # week 0 has no room for 4 h beside C

    def test_of_two_as_near_the_earlier_one(self):
        self.assertEqual(level([Load("A", 1, 2, 0, 2), Load("B", 1, 2, 0, 2)], [0] * 3, [2, 2, 2]), [Move("A", 1, 0)])

    def test_at_its_hours_a_week_is_full_and_not_over(self):
        for hours, moves in ((4.0, []), (4.001, [Move("A", 0, 1)])):
            with self.subTest(hours=hours):
                self.assertEqual(level([Load("A", 0, hours, 0, 1)], [0, 0], [4, 5]), moves)
        self.assertEqual(level([Load("A", 0, 5, 0, 1)], [0, 0.001], [4, 5]), [])  # would be over there

    def test_no_window_no_move(self):
        self.assertEqual(level([Load("A", 0, 5, 0, 0)], [0, 0], [4, 50]), [])

    def test_fixed_hours_count_and_stay(self):
        self.assertEqual(level([Load("A", 0, 1, 0, 1)], [5, 0], [4, 50]), [Move("A", 0, 1)])

    def test_over_random_years_each_rule_holds_and_it_never_gets_worse(self):
        for seed in range(60):
            rng = random.Random(seed)
            weeks = rng.randint(2, 20)
            there = [rng.choice((0, 4, 8, 20)) for _ in range(weeks)]
            fixed = [rng.choice((0, 0, 3)) for _ in range(weeks)]
            loads = []
            for n in range(rng.randint(0, 60)):
                week = rng.randrange(weeks)
                loads.append(Load(f"J{n}", week, rng.choice((0.5, 1, 2.5)), week - rng.randint(0, 4), week + rng.randint(0, 4)))
            moves = level(loads, fixed, there)
            by_key = {j.key: j for j in loads}
            before, after = list(fixed), list(fixed)
            at = {j.key: j.week for j in loads} | {m.key: m.after for m in moves}
            for j in loads:
                before[j.week] += j.hours
                after[at[j.key]] += j.hours
            self.assertEqual(len({m.key for m in moves}), len(moves))
            for m in moves:
                j = by_key[m.key]
                self.assertEqual(m.before, j.week)
                self.assertTrue(max(0, j.earliest) <= m.after <= min(j.latest, weeks - 1), (seed, m))
                self.assertLessEqual(after[m.after], there[m.after] + 1e-6, (seed, m))

            def over(total, there=there):
                return sum(max(0, t - h) for t, h in zip(total, there, strict=True))

            self.assertLessEqual(over(after), over(before) + 1e-9)
