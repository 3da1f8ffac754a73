"""Simulated detectors behave like their technologies, and exposures on them are classed right."""

import unittest

from metrology.simulation.detector import FIRST_ALARM, Charge, Manifold, SimulatedDetector, Stream
from tools import bottle_trials
from tools.exposure_trials import dangers, run_trials, table_text


def settle(d, stream, seconds=200):
    d.stream = stream
    for _ in range(int(seconds / 0.5)):
        d.step(0.5)
    return d.shown


class Detectors(unittest.TestCase):
    def test_catalytic_reads_low_without_oxygen_and_optical_does_not(self):
        for technology, expected in (("catalytic", 50 * 0.15), ("optical", 50.0)):
            self.assertAlmostEqual(settle(SimulatedDetector(technology, 100.0), Stream(50.0, oxygen=0.0)), expected, delta=0.2)

    def test_gas_pushed_in_overshoots_and_comes_back(self):
        d = SimulatedDetector("electrochemical", 100.0, t90_s=10)
        d.stream = Stream(50.0, is_forced=True)
        peak = 0.0
        for _ in range(400):
            d.step(0.5)
            peak = max(peak, d.shown)
        self.assertGreater(peak, 52.5)
        self.assertAlmostEqual(d.shown, 50.0, delta=0.2)

    def test_it_refuses_a_dirty_zero_a_worn_sensor_and_while_it_warms_up(self):
        d = SimulatedDetector("catalytic", 100.0)
        settle(d, Stream(15.0))
        self.assertFalse(d.accept_zero())
        settle(d, Stream(3.0))
        self.assertTrue(d.accept_zero())
        worn = SimulatedDetector("catalytic", 100.0, sensitivity=0.3)
        settle(worn, Stream(50.0))
        self.assertFalse(worn.accept_span(50.0))
        self.assertFalse(SimulatedDetector("catalytic", 100.0, warm_up_s=60).accept_zero())

    def test_alarms_latch_until_reset_and_inhibit_holds_the_current(self):
        d = SimulatedDetector("catalytic", 100.0, alarms=((20.0, False, True), (40.0, True, True)))
        settle(d, Stream(50.0))
        self.assertEqual(d.status, 3 * FIRST_ALARM)
        d.inhibit(True)
        self.assertEqual(d.ma, 3.0)
        settle(d, Stream(0.0))
        self.assertEqual(d.status & ~4, 2 * FIRST_ALARM)
        d.reset_alarms()
        self.assertEqual(d.status & ~4, 0)

    def test_an_oxygen_cell_alarms_when_oxygen_falls_and_latches_where_it_should(self):
        d = SimulatedDetector("oxygen", 25.0, alarms=((19.5, False, False), (18.0, True, False), (23.0, False, True)))
        settle(d, Stream(20.9))
        self.assertEqual(d.status, 0)
        settle(d, Stream(19.0))
        self.assertEqual(d.status, FIRST_ALARM)
        settle(d, Stream(0.0, oxygen=0.0))
        self.assertEqual(d.status, 3 * FIRST_ALARM)
        settle(d, Stream(20.9))
        self.assertEqual(d.status, 2 * FIRST_ALARM)
        d.reset_alarms()
        self.assertEqual(d.status, 0)
        settle(d, Stream(24.0, oxygen=24.0))
        self.assertEqual(d.status, 4 * FIRST_ALARM)

    def test_it_ages_is_poisoned_misses_humidity_and_sees_other_gas(self):
        d = SimulatedDetector("electrochemical", 100.0, needs_humid=True, cross_sensitivity=0.1)
        d.age(365.25, loss_per_year=0.2, drift_per_year=1.0, poison=0.5)
        self.assertAlmostEqual(d.sensitivity, 0.4094, places=3)
        self.assertAlmostEqual(d.zero, 1.0)
        d.sensitivity, d.zero = 1.0, 0.0
        self.assertAlmostEqual(settle(d, Stream(50.0, is_humid=False)), 35.0, delta=0.2)
        self.assertAlmostEqual(settle(d, Stream(0.0, others=50.0)), 5.0, delta=0.1)

    def test_a_bottle_runs_empty_and_a_line_comes_off(self):
        m = Manifold(0.5, {"B": Charge(50.0, 20.9, 0.01)}, open_bottle="B")
        self.assertEqual(m.step(0.5).value, 50.0)
        for _ in range(4):
            m.step(0.5)
        self.assertEqual(m.step(0.5).value, 0.0)
        m.bottles["B"], m.is_line_off = Charge(50.0, 20.9, 9.0), True
        self.assertEqual(m.step(0.5).value, 0.0)

    def test_a_bottle_may_be_humid_and_hold_an_interfering_gas(self):
        d = SimulatedDetector("electrochemical", 5.0, needs_humid=True, cross_sensitivity=0.05)
        m = Manifold(
            0.5, {"dry": Charge(3.0, 20.9, 9.0), "humid": Charge(3.0, 20.9, 9.0, True), "other": Charge(0.0, 20.9, 9.0, True, 10.0)}
        )
        for name, expected in (("dry", 2.1), ("humid", 3.0), ("other", 0.5)):
            m.open_bottle = name
            stream = m.step(0.5)
            stream.is_forced = False
            self.assertAlmostEqual(settle(d, stream), expected, delta=0.02)

    def test_seeded_exposures_are_classed_right(self):
        table, share = run_trials(300, 7)
        self.assertGreaterEqual(share, 0.97, table_text(table))
        self.assertEqual(dangers(table), 0, table_text(table))

    def test_bottles_are_told_from_detectors(self):
        table, share = bottle_trials.run_trials(400, 7)
        self.assertGreaterEqual(share, 0.97, table)
