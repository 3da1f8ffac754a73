"""A signal that stopped is told from one that is quiet."""

import itertools
import math
import random
from unittest import TestCase

from metrology.judgement.frozen import FEWEST, LEAST, VALUES, frozen_s


def at_10_hz(values):
    return [(n / 10, v) for n, v in enumerate(values)]


class Frozen(TestCase):
    def test_noise_that_stops_dead_is_seen_from_the_twentieth_sample_on(self):
        before = [12 + 0.001 * (n % 7) * (-1) ** n for n in range(60)]  # turns at nearly every sample
        self.assertEqual(frozen_s(at_10_hz([*before, *[12.5] * (LEAST - 1)])), 0.0)
        self.assertAlmostEqual(frozen_s(at_10_hz([*before, *[12.5] * LEAST])), (LEAST - 1) / 10)
        self.assertEqual(frozen_s(at_10_hz([*before, *[12.5] * LEAST, 12.501])), 0.0)

    def test_a_source_that_was_often_the_same_must_stand_longer(self):
        """With q of its neighbours the same, n of them follow one another with q to the power of n: 1e-6 wants n = ln 1e-6 / ln q."""
        rng = random.Random(5)
        before = []
        while len(before) < 60:
            before += [12 + 0.001 * rng.randrange(-4, 5)] * rng.choice((1, 2, 3, 4))
        before = before[:60]
        same = (sum(a == b for a, b in itertools.pairwise(before)) + 1) / 61
        wanted = math.ceil(math.log(1e-6) / math.log(same)) + 1
        self.assertGreater(wanted, LEAST)
        self.assertEqual(frozen_s(at_10_hz([*before, *[13.0] * (wanted - 1)])), 0.0)
        self.assertGreater(frozen_s(at_10_hz([*before, *[13.0] * wanted])), 0.0)

    def test_quiet_sources_are_never_frozen(self):
        step = [12 + 8 * (1 - math.exp(-n / 20)) for n in range(200)]
        ringing = [12 + math.exp(-n / 40) * math.cos(n / 3) for n in range(300)]
        flicker = [12.0 + 0.01 * (n % 2) for n in range(100)]
        for name, course in (("a step", step), ("a ringing", ringing), ("two digits", flicker), ("nothing at all", [])):
            with self.subTest(name):
                self.assertEqual(frozen_s(at_10_hz([*course, *[round(course[-1], 3) if course else 4.0] * 200])), 0.0)

    def test_too_little_seen_tells_nothing(self):
        before = [12 + 0.001 * (n % 7) * (-1) ** n for n in range(60)]
        self.assertEqual(frozen_s([]), 0.0)
        self.assertEqual(frozen_s(at_10_hz([*before[: FEWEST - 1], *[12.5] * 50])), 0.0)
        self.assertGreater(frozen_s(at_10_hz([*before[:FEWEST], *[12.5] * 50])), 0.0)
        few = [12 + 0.01 * ((n * 2) % (VALUES - 1)) for n in range(60)]
        self.assertEqual(len(set(few)), VALUES - 1)
        self.assertEqual(frozen_s(at_10_hz([*few, *[12.5] * 60])), 0.0)

    def test_noise_is_never_taken_for_frozen(self):
        """A hundred minutes of a display of 0.001 with noise of four digits, and with noise of one and a half."""
        for sd in (0.004, 0.0015):
            rng = random.Random(11)
            held = []
            for n in range(60_000):
                held.append((n / 10, round(12 + rng.gauss(0, sd), 3)))
                if len(held) > 200:
                    held.pop(0)
                if n % 5 == 0:
                    self.assertEqual(frozen_s(held), 0.0)
