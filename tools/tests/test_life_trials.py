"""The forecast of a sensor's life over lives it was not written on, a smaller number than in the bench."""

import unittest

from tools.life_trials import run_trials


class LifeTrials(unittest.TestCase):
    def test_lives_hardly_end_before_they_were_told_not_to_and_bands_hold(self):
        told = run_trials(200, 3301)
        for kind, t in told.items():
            self.assertLessEqual(t.too_late, 0.05, kind)
            self.assertGreaterEqual(t.early, 0.6, kind)  # nor is it told so early that nobody believes it
        for kind in ("even", "share"):
            self.assertGreaterEqual(told[kind].inside, 0.93, kind)
            self.assertLess(told[kind].inside, 1.0, kind)


if __name__ == "__main__":
    unittest.main()
