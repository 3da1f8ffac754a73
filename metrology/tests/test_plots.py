"""The curves of the calculations: drawn where they have a value, and never broken by what stands in the other fields."""

from unittest import TestCase

from metrology.calculations.sheets import SHEETS
from metrology.calculators import plot_points
from metrology.faults import Fault

PLOTTED = [s for s in SHEETS if s.plot]


class Plots(TestCase):
    def start(self, sheet):
        return {f.name: f.start for f in sheet.fields if f.start not in ("", None)}

    def test_every_plot_has_a_curve_with_what_its_page_starts_with(self):
        self.assertGreater(len(PLOTTED), 4)
        for sheet in PLOTTED:
            with self.subTest(sheet=sheet.name):
                points = plot_points(sheet.name, self.start(sheet))
                self.assertGreater(len(points), 20)
                self.assertEqual([x for x, _ in points], sorted(x for x, _ in points))

    def test_a_linear_signal_runs_from_end_to_end_of_its_range(self):
        points = plot_points("signal", {"lrv": "-20", "urv": "60 ", "value": "0"})
        self.assertEqual((points[0][0], points[-1][0]), (-20.0, 60.0))
        self.assertAlmostEqual(points[0][1], 4.0)
        self.assertAlmostEqual(points[-1][1], 20.0)

    def test_a_reverse_range_and_a_comma_are_taken(self):
        points = plot_points("signal", {"lrv": "10,5", "urv": "0", "value": "0"})
        self.assertEqual((points[0][0], points[-1][0]), (0.0, 10.5))
        self.assertAlmostEqual(points[0][1], 20.0)

    def test_a_square_root_is_steep_at_its_start(self):
        points = dict(plot_points("signal", {"lrv": "0", "urv": "100", "transfer": "sqrt"}))
        self.assertAlmostEqual(points[25.0], 12.0)

    def test_what_is_no_number_is_told_by_its_field(self):
        for given in ({"lrv": "low"}, {"urv": "1e999"}, {"lrv": "", "urv": "ten"}):
            with self.subTest(given=given), self.assertRaises(Fault) as caught:
                plot_points("signal", given)
            self.assertIn(caught.exception.field, ("lrv", "urv"))

    def test_without_a_plot_or_without_fields_it_says_so(self):
        for name, data, code in (("duplicate", {}, "no_plot"), ("nothing", {}, "no_plot"), ("signal", [], "not_an_object")):
            with self.subTest(name=name), self.assertRaises(Fault) as caught:
                plot_points(name, data)
            self.assertEqual(caught.exception.code, code)
