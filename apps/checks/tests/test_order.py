"""The order of a round: the nearer area next, two of one vote apart."""

import unittest

from apps.checks.order import Stop, in_order

WAYS = {("A", "B"): 5, ("A", "C"): 9, ("B", "C"): 3, ("A", "Z"): 4, ("B", "Z"): 9, ("C", "Z"): 12}


def tags(*stops, start="Z"):
    return [s.tag for s in in_order(stops, WAYS, start)]


class Order(unittest.TestCase):
    def test_area_by_area_the_nearest_next(self):
        self.assertEqual(tags(Stop("1", "C"), Stop("2", "B"), Stop("3", "A"), Stop("4", "B")), ["3", "2", "4", "1"])

    def test_two_of_one_vote_are_not_one_after_the_other_where_it_can_be_helped(self):
        v = frozenset({"V1"})
        self.assertEqual(tags(Stop("1", "A", v), Stop("2", "A", v), Stop("3", "A")), ["1", "3", "2"])
        self.assertEqual(tags(Stop("1", "A", v), Stop("2", "A", v)), ["1", "2"])

    def test_nor_from_one_area_into_the_next(self):
        v = frozenset({"V1"})
        self.assertEqual(tags(Stop("1", "A", v), Stop("2", "B", v), Stop("3", "B")), ["1", "3", "2"])

    def test_a_group_of_most_goes_first(self):
        v = frozenset({"V1"})
        made = tags(*(Stop(str(n), "A", v) for n in range(3)), Stop("x", "A"), Stop("y", "A"))
        self.assertEqual(made, ["0", "x", "1", "y", "2"])

    def test_nothing_is_lost(self):
        stops = [Stop(str(n), "ABC"[n % 3], frozenset({f"G{n % 4}"})) for n in range(40)]
        self.assertEqual(sorted(tags(*stops), key=int), [str(n) for n in range(40)])
