"""The list of licences is made of what the bills say."""

from unittest import TestCase

from tools.supply import licence_of, table


class Licences(TestCase):
    def test_each_way_a_bill_says_it_is_read(self):
        for entry, told in (
            ({"expression": "MIT OR Apache-2.0"}, "MIT OR Apache-2.0"),
            ({"license": {"id": "BSD-3-Clause"}}, "BSD-3-Clause"),
            ({"license": {"name": "Own licence\nwith its text"}}, "Own licence"),
        ):
            self.assertEqual(licence_of({"licenses": [entry]}), told)
        self.assertEqual(licence_of({}), "not said")

    def test_components_are_listed_by_name(self):
        bill = {"components": [{"name": "b", "version": "2"}, {"name": "A", "version": "1", "licenses": [{"license": {"id": "MIT"}}]}]}
        self.assertEqual(table({"server": bill}), "server\tA\t1\tMIT\nserver\tb\t2\tnot said\n")
