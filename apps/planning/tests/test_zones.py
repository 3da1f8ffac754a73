"""The day of the plant is that of its own clock: at midnight, through both changes of the hour, on either side of the date line."""

from datetime import UTC, datetime, timedelta
from unittest import mock

from django.test import override_settings
from django.utils import timezone

from apps.plant.models import Instrument
from apps.runs.tests.base import PlantTestCase

CASES = (
    ("Pacific/Auckland", "2026-11-30T10:59:59", "2026-11-30"),
    ("Pacific/Auckland", "2026-11-30T11:00:00", "2026-12-01"),
    ("Pacific/Auckland", "2027-04-03T11:30:00", "2027-04-04"),  # the day on which the hour goes back
    ("Pacific/Honolulu", "2026-11-30T09:59:59", "2026-11-29"),
    ("Pacific/Honolulu", "2026-11-30T10:00:00", "2026-11-30"),
    ("Europe/Lisbon", "2027-03-28T00:30:00", "2027-03-28"),  # before the hour goes on
    ("Europe/Lisbon", "2027-03-28T22:59:59", "2027-03-28"),
    ("Europe/Lisbon", "2027-03-28T23:00:00", "2027-03-29"),  # an hour earlier than the day before
    ("Europe/Lisbon", "2026-10-24T23:00:00", "2026-10-25"),  # the day on which it goes back has 25 hours
    ("Europe/Lisbon", "2026-10-25T23:59:59", "2026-10-25"),
    ("Europe/Lisbon", "2026-10-26T00:00:00", "2026-10-26"),
)


class Zones(PlantTestCase):
    def test_today_and_what_is_due_follow_the_plant_s_midnight(self):
        for zone, at, day in CASES:
            now = datetime.fromisoformat(at).replace(tzinfo=UTC)
            with (
                self.subTest(zone=zone, at=at),
                override_settings(TIME_ZONE=zone, PLANT_TIME_ZONE=zone),
                mock.patch.object(timezone, "now", lambda now=now: now),
            ):
                today = timezone.localdate()
                self.assertEqual(today.isoformat(), day)
                Instrument.objects.filter(tag="PT-2110").update(next_due=today - timedelta(days=1))
                self.client.force_login(self.ines, backend="apps.accounts.sessions.Passwords")
                told = self.get("today/").json()
                self.assertEqual((told["date"], [r["tag"] for r in told["overdue"]]), (day, ["PT-2110"]))
                rows = self.get("due/?days=0").json()["rows"]
                self.assertEqual([r["days_left"] for r in rows if r["tag"] == "PT-2110"], [-1])
