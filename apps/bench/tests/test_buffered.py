"""A device that keeps its latest samples: nothing is lost when it is asked late, nothing is taken twice, and a clock set anew is followed."""

from django.test import SimpleTestCase

from apps.bench.poller import CLOCK_OFF_S, Trace

SIGNAL = {"key": "d", "label": "Detector", "unit": "uV", "read": {"address": 0, "buffer": 4}}


class Buffered(SimpleTestCase):
    def trace(self):
        return Trace(SIGNAL)

    def test_each_sample_lies_at_its_own_time(self):
        t = self.trace()
        t.take(100.0, [(5.00, 1.0), (5.05, 2.0), (5.10, 3.0), (5.15, 4.0)])
        self.assertEqual([(round(at, 2), v) for at, v in t.samples], [(99.85, 1.0), (99.9, 2.0), (99.95, 3.0), (100.0, 4.0)])

    def test_what_was_taken_is_not_taken_again_and_what_came_since_is(self):
        t = self.trace()
        t.take(100.0, [(5.00, 1.0), (5.05, 2.0)])
        t.take(100.11, [(5.05, 2.0), (5.10, 3.0), (5.15, 4.0)])
        self.assertEqual([v for _, v in t.samples], [1.0, 2.0, 3.0, 4.0])
        self.assertAlmostEqual(t.samples[-1][0], 100.1)

    def test_a_clock_that_begins_anew_is_followed(self):
        t = self.trace()
        t.take(100.0, [(5.00, 1.0)])
        t.take(101.0, [(0.05, 2.0)])
        t.take(101.1, [(0.05, 2.0), (0.15, 3.0)])
        self.assertEqual([v for _, v in t.samples][-1], 3.0)
        self.assertAlmostEqual(t.samples[-1][0], 101.1)

    def test_a_clock_that_drifts_is_set_again_only_past_the_limit(self):
        for off, is_set in ((CLOCK_OFF_S - 0.01, False), (CLOCK_OFF_S + 0.01, True)):
            with self.subTest(off=off):
                t = self.trace()
                t.take(100.0, [(5.0, 1.0)])
                t.take(101.0 + off, [(5.9, 2.0), (6.0, 3.0)])
                self.assertAlmostEqual(t.samples[-1][0], 101.0 + off if is_set else 101.0)
                self.assertEqual([v for _, v in t.samples], [1.0, 2.0, 3.0])
