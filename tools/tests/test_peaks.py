"""Peaks of simulated chromatograms against an independent library; the core itself knows only the standard library."""

from unittest import TestCase

import numpy as np
from scipy import integrate, signal

from metrology.quantities import chromatography as c
from metrology.tests.test_chromatography import run


class Independent(TestCase):
    def test_against_an_independent_library(self):
        for seed, noise, drift in ((1, 0.05, 0.0), (2, 0.5, 20.0), (3, 1.0, -30.0)):
            with self.subTest(noise=noise, drift=drift):
                t, y = run(noise=noise, drift=drift, seed=seed)
                x, flat = np.array(t), np.array(y) - 100 - drift * np.array(t) / 300.0
                soft = signal.savgol_filter(flat, 201, 3)
                at, _ = signal.find_peaks(soft, height=10 * noise + 2, prominence=10 * noise + 2, distance=400)
                wide = signal.peak_widths(soft, at, rel_height=0.5)[0] * (x[1] - x[0])
                found = c.find_peaks(t, y).peaks
                self.assertEqual(len(found), len(at))
                for p, n, w in zip(found, at, wide, strict=True):
                    inside = (x >= p.start) & (x <= p.end)
                    self.assertAlmostEqual(p.apex, x[n], delta=0.3)
                    self.assertAlmostEqual(p.height / soft[n], 1.0, delta=0.02 + noise / soft[n])
                    self.assertAlmostEqual(p.width / w, 1.0, delta=0.05)
                    self.assertAlmostEqual(p.area / integrate.trapezoid(flat[inside], x[inside]), 1.0, delta=0.05 + noise / soft[n])
