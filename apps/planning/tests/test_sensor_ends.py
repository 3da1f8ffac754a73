"""When a sensor is to be replaced stands on Today and on the plan, by whichever end comes first."""

from datetime import timedelta

from django.utils import timezone

from apps.plant.models import Instrument
from apps.runs.tests.base import PlantTestCase
from apps.runs.tests.test_gas_and_holds import HYDROGEN


class SensorEnds(PlantTestCase):
    def detector(self, since, months="24", **more):
        return Instrument.objects.create(
            tag="AE-1", serial="1", service="H2", area=self.area, family="gas detector", method="gas-zero-span", unit="%LEL", lrv=0, urv=100,
            tolerance_value=5, next_due=timezone.localdate(), details={**HYDROGEN, "sensor_since": since, "life_months": months}, **more,
        )  # fmt: skip

    def told(self):
        self.sign_in(self.ines)
        return [f for f in self.get("today/").json()["first"] if f.startswith("AE-1:")]

    def test_the_registers_date_and_the_signal_whichever_is_first(self):
        made = self.detector("2020-03-05")
        self.assertEqual(made.replace_by.isoformat(), "2022-03-05")
        self.assertIn("should have been replaced by 5 Mar 2022", self.told()[0])
        made.signal_ends_on = made.life_ends_on - timedelta(days=1)
        self.assertEqual(made.replace_by.isoformat(), "2022-03-04")
        row = next(r for r in self.get("due/").json()["rows"] if r["tag"] == "AE-1")
        self.assertEqual(row["replace_by"], "2022-03-05")

    def test_it_is_told_from_thirty_days_before(self):
        today = timezone.localdate()
        made = self.detector("2020-03-05")
        for days, is_told in ((30, True), (31, False)):
            Instrument.objects.filter(pk=made.pk).update(life_ends_on=today + timedelta(days=days))
            self.assertEqual(bool(self.told()), is_told, days)

    def test_nothing_is_told_where_the_register_does_not_know(self):
        for since, months in (("", "24"), ("2020-03-05", "")):
            Instrument.objects.all().delete()
            self.assertIsNone(self.detector(since, months).replace_by)
