"""How long a job takes: what needs somebody, what passes by itself, and from which task on the instrument is on hold."""

from unittest import TestCase

from metrology.methods.effort import ADJUST_MIN, EACH_READING_MIN, effort_of, effort_on_paper
from metrology.methods.registry import get_method, settings_of
from metrology.methods.setup import RunSetup
from metrology.tests.gases import detector
from metrology.tests.runs import instrument


def effort(method="tx-multipoint", *, attention_min=0, points=(0.0, 25.0, 50.0, 75.0, 100.0), cycles=1, inside=None):
    setup = RunSetup(method, "1", inside or instrument(), points_percent=points, cycles=cycles)
    return effort_of(get_method(method), setup, attention_min=attention_min)


class Transmitters(TestCase):
    def test_without_a_long_wait_it_is_one_task_under_hold_from_the_start(self):
        found = effort()
        self.assertEqual((len(found.tasks), found.waits, found.hold_from), (1, (), 0))
        self.assertGreater(found.attention, 10 * EACH_READING_MIN)

    def test_each_further_reading_takes_its_minutes(self):
        more = effort(cycles=2).attention - effort().attention
        self.assertAlmostEqual(more, 10 * EACH_READING_MIN, delta=1)
        fewer = effort().attention - effort(points=(0.0, 50.0, 100.0)).attention
        self.assertAlmostEqual(fewer, 4 * EACH_READING_MIN, delta=1)

    def test_a_long_warm_up_is_a_wait_before_the_hold_and_a_short_one_is_waited_for(self):
        long = effort(inside=instrument(warm_up_min=20.5))
        self.assertEqual((len(long.tasks), long.waits, long.hold_from), (2, (21,), 1))
        short = effort(inside=instrument(warm_up_min=7.0))
        self.assertEqual(short.waits, ())
        self.assertAlmostEqual(short.attention - effort().attention, 7, delta=2)

    def test_what_cannot_be_adjusted_spares_the_time_for_it(self):
        fixed = effort(inside=instrument(is_adjustable=False))
        self.assertAlmostEqual(effort().attention - fixed.attention, ADJUST_MIN, delta=1)

    def test_what_the_register_says_it_takes_is_shared_out(self):
        found = effort(attention_min=60, inside=instrument(warm_up_min=30.0))
        self.assertAlmostEqual(found.attention, 60, delta=1)
        self.assertEqual(found.waits, (30,))  # the wait is nobody's attention


class Soaking(TestCase):
    def sensor(self, dwell):
        inside = instrument(unit="°C", lrv=0.0, urv=150.0, details=settings_of("temp-sensor")(sensor="pt", dwell_min=dwell))
        return effort("temp-sensor", points=(0.0, 50.0, 100.0), inside=inside)

    def test_a_long_soak_at_each_point_leaves_somebody_free_and_the_hold_lasts(self):
        found = self.sensor(15.0)
        self.assertEqual(found.waits, (15, 15, 15))
        self.assertEqual(len(found.tasks), 4)
        self.assertEqual(found.hold_from, 0)
        self.assertLess(found.attention, self.sensor(7.0).attention)

    def test_a_short_soak_is_stood_by(self):
        self.assertEqual(self.sensor(7.0).waits, ())


class GasWork(TestCase):
    def test_a_slow_sensor_takes_longer(self):
        quick, slow = (
            effort("gas-zero-span", inside=detector({"gas": "hydrogen", "basis": "iec", "technology": "catalytic", "t90_s": t90}))
            for t90 in ("10", "120")
        )
        self.assertGreater(slow.attention, quick.attention + 10)


class OnPaper(TestCase):
    def test_a_method_that_is_done_on_paper_has_its_usual_time(self):
        self.assertEqual((effort_on_paper().tasks, effort_on_paper().waits), ((30,), ()))

    def test_its_warm_up_counts_as_a_wait_when_it_is_long(self):
        found = effort_on_paper(warm_up_min=30)
        self.assertEqual((found.tasks, found.waits, found.hold_from), ((5, 25), (30,), 1))
        self.assertEqual(effort_on_paper(warm_up_min=5).tasks, (35,))

    def test_the_register_overrules_it(self):
        self.assertEqual(effort_on_paper(60).tasks, (60,))
        self.assertEqual(effort_on_paper(60, warm_up_min=30).tasks, (10, 50))
