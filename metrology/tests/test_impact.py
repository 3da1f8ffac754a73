"""What an instrument that was found outside may have done meanwhile, in words."""

from dataclasses import replace
from datetime import date
from unittest import TestCase

from metrology.judgement.impact import FoundOutside, impact_words

FOUND = FoundOutside(date(2026, 11, 29), 0.825, 165.0, 4.0, "kPa", date(2026, 5, 12))


class Impact(TestCase):
    def test_how_wrong_and_since_when(self):
        # 0.825 % of 400 kPa are 3.3 kPa; from 12 May to 29 November are 201 days
        self.assertEqual(
            impact_words(FOUND),
            "It was wrong by up to +0.82 % of span, about +3.3 kPa (165 % of its tolerance). It was last good on 12 May 2026: whatever ran on it in the "
            "201 days since then may be concerned.",
        )

    def test_what_is_not_known_is_said(self):
        for changes, part in (
            ({"last_good": None}, "When it was last good is not on record"),
            ({"last_good": date(2026, 11, 28)}, "in the 1 day since then"),
            ({"last_good": date(2026, 11, 29)}, "It was good the same day."),
            ({"last_good": date(2026, 11, 30)}, "It was good the same day."),
            ({"error_percent": None}, "It was found outside its limits. It was last good"),
            ({"per_percent": 0.0}, "up to +0.82 % of span (165 %"),
            ({"error_percent": -1.5, "share_percent": -300.0}, "up to -1.50 % of span, about -6 kPa (300 % of its tolerance)"),
        ):
            self.assertIn(part, impact_words(replace(FOUND, **changes)), changes)
