"""What is kept of a signal, and what is made of it: sample by sample, never all of it again."""

import math
import random
import time
from concurrent.futures import ThreadPoolExecutor
from types import SimpleNamespace
from unittest import TestCase

from apps.bench.live import RunLive
from apps.bench.poller import Trace
from apps.bench.quantity import Live
from metrology.judgement.settling import SettleRule, judge_settling

RULE = SettleRule(window_s=5.0, limit=0.008, time_limit_s=180.0, horizon_s=30.0)


def made():
    trace = Trace({"key": "i", "read": "MEAS?", "unit": "mA", "label": "Loop current"})
    return trace, Live(SimpleNamespace(unit="mA", decimals=3), trace, RULE)


class Traces(TestCase):
    def test_only_what_is_asked_for_is_looked_at(self):
        trace, _ = made()
        looked = []

        class Sample(tuple):
            def __getitem__(self, n):
                looked.append(n)
                return super().__getitem__(n)

        trace.samples.extend(Sample((t, 4.0)) for t in range(10_000))
        self.assertEqual([s[0] for s in trace.since(9_996.5)], [9_997, 9_998, 9_999])
        self.assertLess(len(looked), 12)

    def test_one_that_comes_in_meanwhile_does_no_harm(self):
        trace, _ = made()
        trace.samples.extend((float(t), 4.0) for t in range(100))

        class Late:
            """A moment whose comparing lets another sample in, once."""

            is_in = False

            def __le__(self, other):
                if not self.is_in:
                    self.is_in = True
                    trace.samples.append((100.0, 5.0))
                return other >= 97.0

        self.assertEqual([t for t, _ in trace.since(Late())], [97.0, 98.0, 99.0, 100.0])

    def test_each_sample_is_taken_in_once_and_comes_to_the_same(self):
        trace, live = made()
        rng = random.Random(3)
        for n in range(600):
            t = 0.1 * n
            trace.samples.append((t, 12 - 4 * math.exp(-t / 3) + rng.gauss(0, 0.0005)))
            seen = live.seen_since(2.0)
        told = seen.judge()
        self.assertEqual(told, judge_settling(list(trace.samples), RULE, since=2.0))
        after = [v for t, v in trace.samples if t >= 2.0]
        self.assertEqual((seen.first[1], seen.last[1], seen.least, seen.most), (after[0], after[-1], min(after), max(after)))
        goal = after[0] + 0.9 * (told.mean - after[0])
        self.assertEqual(told.t90_s, next(t - 2.0 for t, v in trace.samples if t >= 2.0 and v >= goal))
        self.assertIs(live.seen_since(2.0), seen)
        self.assertIsNot(live.seen_since(3.0), seen)

    def test_who_judges_waits_for_who_is_judging(self):
        run = RunLive("x", lambda _: None)
        trace, run.quantities["indicated"] = made()
        trace.samples.append((time.time() + 1.0, 4.0))
        with ThreadPoolExecutor(1) as other, run.lock:
            judged = other.submit(run.judge, "indicated")
            with self.assertRaises(TimeoutError):
                judged.result(0.2)
            self.assertIsNone(run.quantities["indicated"].response)
            run.lock.release()
            try:
                self.assertEqual(judged.result(60)[1].last[1], 4.0)
            finally:
                run.lock.acquire()

    def test_what_is_taken_back_was_never_seen(self):
        trace, live = made()
        trace.samples.extend((0.1 * n, 12.0) for n in range(100))
        trace.samples.append((10.0, 400.0))
        self.assertEqual(live.seen_since(0.0).most, 400.0)
        trace.doubt(9.95)
        self.assertEqual(live.seen_since(0.0).most, 12.0)
        self.assertEqual(live.seen_since(0.0).last, trace.samples[-1])
