"""A reference standard: what its certificate claims at a value, how far it may have moved, and whether it will do."""

from datetime import date
from unittest import TestCase

from metrology.faults import Fault
from metrology.judgement.reference import find_reference_faults, reference_from
from metrology.methods.budget import Budget
from metrology.methods.registry import get_method
from metrology.methods.setup import RunSetup
from metrology.methods.slots import RawReading
from metrology.tests.runs import instrument, meter, reference

TODAY = date(2026, 11, 2)
POINTS = [[0.0, 0.02, 0.05], [500.0, 500.12, 0.2], [1000.0, 999.9, 0.4]]


def standard(**changes):
    return reference_from(reference(**changes))


class Claims(TestCase):
    def test_the_formula_adds_its_three_parts(self):
        r = standard(u_absolute=0.05, u_percent_reading=0.02, u_percent_span=0.01)
        self.assertAlmostEqual(r.expanded(500, unit="kPa"), 0.05 + 0.1 + 0.1)
        self.assertAlmostEqual(r.expanded(-500, unit="kPa"), 0.05 + 0.1 + 0.1)
        self.assertAlmostEqual(r.expanded(5, unit="bar"), (0.05 + 0.1 + 0.1) / 100)

    def test_points_of_the_certificate_count_between_them_and_the_formula_beyond(self):
        r = standard(u_absolute=0.7, low=-100.0, high=1200.0, points=POINTS)
        for value, u in ((0, 0.05), (250, 0.125), (500, 0.2), (750, 0.3), (1000, 0.4), (1100, 0.7), (-50, 0.7)):
            with self.subTest(value=value):
                self.assertAlmostEqual(r.expanded(value, unit="kPa"), u)

    def test_its_own_error_is_the_certificates_and_nothing_beyond_it(self):
        r = standard(points=POINTS)
        for value, own in ((0, 0.02), (250, 0.07), (500, 0.12), (750, 0.01), (1000, 0.1), (1100, 0.0)):
            with self.subTest(value=value):
                self.assertAlmostEqual(r.deviation(value, unit="kPa"), own)
        self.assertAlmostEqual(r.deviation(5, unit="bar"), 0.0012)
        self.assertEqual(standard().deviation(500, unit="kPa"), 0.0)

    def test_it_drifts_with_the_time_since_its_certificate(self):
        r = standard(drift_per_year=0.2, calibrated_on="2026-01-10")
        self.assertAlmostEqual(r.drifted(date(2027, 1, 10), unit="kPa"), 0.2 * 365 / 365.25)
        self.assertEqual(r.drifted(date(2025, 1, 1), unit="kPa"), 0.0)
        self.assertEqual(r.drifted(None, unit="kPa"), 0.0)
        self.assertEqual(standard().drifted(date(2027, 1, 10), unit="kPa"), 0.0)

    def test_the_budget_carries_what_a_certificate_shows_and_nobody_corrects(self):
        setup = RunSetup("tx-multipoint", "2", instrument())
        reading = RawReading(get_method("tx-multipoint").plan(setup, "as_found")[2], "200", "12.00", {}, TODAY)
        b = Budget(setup, 200.0, reading)
        b.source(standard(points=POINTS), at=200.0, unit="kPa")
        b.meter(reference_from(meter(points=[[0.0, 0.0, 0.002], [24.0, 24.004, 0.002]])), 12.0, "mA", 16.0)
        parts = {c.name: c.value for c in b.parts}
        self.assertAlmostEqual(parts["Own error of REF-P1 by its certificate"], 100 * 0.06 / 400)  # between 0.02 and 0.12
        self.assertAlmostEqual(parts["Own error of REF-I1 by its certificate"], 100 * 0.002 / 16)


class Good(TestCase):
    def codes(self, low=0.0, high=400.0, unit="kPa", **changes):
        return [f.code for f in find_reference_faults(standard(**changes), low=low, high=high, unit=unit, today=TODAY)]

    def test_in_date_wide_enough_and_in_service_is_good(self):
        self.assertEqual(self.codes(), [])
        self.assertEqual(self.codes(low=0.0, high=10.0, unit="bar"), [])
        self.assertEqual(self.codes(low=400.0, high=0.0), [])  # a reverse range is still a range

    def test_the_day_it_runs_out_is_still_good(self):
        self.assertEqual(self.codes(due_on="2026-11-02"), [])
        self.assertEqual(self.codes(due_on="2026-11-01"), ["expired"])

    def test_every_fault_is_named(self):
        self.assertEqual(self.codes(state="quarantined"), ["out_of_service"])
        self.assertEqual(self.codes(high=1000.1), ["not_covering"])
        self.assertEqual(self.codes(low=-0.5), ["not_covering"])
        self.assertEqual(self.codes(unit="mA"), ["wrong_quantity"])
        self.assertEqual(self.codes(high=1200.0, state="retired", due_on="2020-01-01"), ["out_of_service", "expired", "not_covering"])

    def test_an_unknown_unit_covers_its_own_only(self):
        self.assertEqual(self.codes(unit="furlong"), ["wrong_quantity"])

    def test_messages_say_what_would_make_it_right(self):
        for fault in find_reference_faults(standard(state="retired", due_on="2020-01-01"), low=0, high=2000, unit="kPa", today=TODAY):
            with self.subTest(code=fault.code):
                self.assertIsInstance(fault, Fault)
                self.assertRegex(fault.message, r"Choose|override")
