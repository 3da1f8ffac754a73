"""One-time codes: the published values, set up, asked for, spent once; and a lost device."""

from datetime import timedelta
from io import StringIO

import pyotp
from django.conf import settings
from django.core.cache import cache
from django.core.management import CommandError, call_command
from django.test import SimpleTestCase
from django.utils import timezone

from apps.accounts import second_factor
from apps.accounts.models import PersonChange, SecondFactor
from apps.journal.models import Entry
from apps.plant.policies import set_policies
from apps.runs.tests.base import PASSWORD, PlantTestCase


class Published(SimpleTestCase):
    def test_codes_are_those_of_the_standard(self):
        """RFC 6238 appendix B, SHA-1, the last six of its eight digits."""
        totp = pyotp.TOTP("GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ", interval=second_factor.STEP_S)
        for at, code in ((59, "287082"), (1111111109, "081804"), (1111111111, "050471"), (1234567890, "005924"), (2000000000, "279037")):
            with self.subTest(at=at):
                self.assertEqual(totp.at(at), code)


class Codes(PlantTestCase):
    def setUp(self):
        super().setUp()
        cache.clear()
        self.now = timezone.now()

    def policy(self, value):
        set_policies(actor=None, method="", values={"one_time_codes": value}, reason="as the lead says", now=timezone.now())

    def code(self, person):
        return pyotp.TOTP(SecondFactor.objects.get(person=person).secret).at(timezone.now())

    def forget(self, person):
        """As if half a minute had gone by: the last code is not in the way of the next."""
        SecondFactor.objects.filter(person=person).update(last_step=0)

    def device(self, act, **more):
        return self.post("second-factor/", {"act": act, "password": "", **more})

    def set_up(self, person):
        self.sign_in(person)
        begun = self.device("begin", password=PASSWORD)
        self.assertEqual(begun.status_code, 200, begun.content)
        self.assertIn(begun.json()["secret"], SecondFactor.objects.get(person=person).secret)
        self.assertTrue(begun.json()["picture"].startswith("data:image/svg+xml"))
        done = self.device("confirm", one_time=self.code(person))
        self.assertEqual(done.status_code, 200, done.content)
        self.forget(person)

    def come_in(self, name, **more):
        self.client.logout()
        return self.post("session/", {"username": name, "password": PASSWORD, **more})

    def test_a_device_is_set_up_confirmed_and_then_asked_for_at_the_door(self):
        self.assertFailure(self.device("begin", password="wrong"), 400, "wrong_password")
        self.assertFailure(self.device("confirm", one_time="123456"), 400, "too_late")
        self.set_up(self.ines)
        self.assertFailure(self.device("begin", password=PASSWORD), 400, "exists")
        self.assertEqual(self.assertFailure(self.come_in("ines"), 400, "code_wanted")["field"], "one_time")
        self.assertFailure(self.come_in("ines", one_time="000000"), 400, "wrong_code")
        spaced = f"{self.code(self.ines)[:3]} {self.code(self.ines)[3:]}"
        self.assertEqual(self.come_in("ines", one_time=spaced).status_code, 200)
        self.assertTrue(self.get("second-factor/").json()["is_proved"])
        self.assertEqual(self.come_in("tomas").status_code, 200)

    def test_a_code_counts_once(self):
        self.set_up(self.ines)
        code = self.code(self.ines)
        self.assertEqual(self.come_in("ines", one_time=code).status_code, 200)
        self.assertFailure(self.come_in("ines", one_time=code), 400, "wrong_code")

    def test_a_clock_off_by_one_step_is_borne_and_by_two_is_not(self):
        self.set_up(self.ines)
        factor = second_factor.factor_of(self.ines)
        totp, at = pyotp.TOTP(factor.secret), self.now.replace(second=15)
        for off, good in ((-2, False), (-1, True), (0, True), (1, True), (2, False)):
            self.forget(self.ines)
            with self.subTest(off=off):
                self.assertEqual(second_factor.takes(factor, totp.at(at + timedelta(seconds=30 * off)), at), good)

    def test_setting_up_is_done_within_a_quarter_of_an_hour(self):
        for late, code in ((timedelta(minutes=15), ""), (timedelta(minutes=15, seconds=1), "too_late")):
            SecondFactor.objects.all().delete()
            second_factor.begin(self.ines, self.now - late)
            try:
                second_factor.confirm(self.ines, pyotp.TOTP(self.ines.second_factor.secret).at(self.now), self.now)
                told = ""
            except Exception as fault:
                told = fault.code
            self.ines.refresh_from_db()
            self.assertEqual(told, code)

    def test_wrong_codes_are_throttled_as_wrong_passwords_are(self):
        self.set_up(self.ines)
        for _ in range(settings.AXES_FAILURE_LIMIT):
            self.assertNotEqual(self.come_in("ines", one_time="000000").status_code, 200)
        self.assertFailure(self.come_in("ines", one_time=self.code(self.ines)), 429, "locked_out")

    def test_a_signature_takes_a_code_where_the_plant_wants_it(self):
        self.to_sign()
        self.policy("signing")
        self.assertTrue(self.get("session/").json()["signs_with_code"])
        self.assertTrue(self.get("session/").json()["person"]["lacks_device"])
        self.assertFailure(self.sign(), 400, "no_factor")
        self.set_up(self.ines)
        self.assertFailure(self.sign(), 400, "code_wanted")
        self.assertFailure(self.sign(one_time="000000"), 400, "wrong_code")
        self.assertEqual(self.sign(one_time=self.code(self.ines)).status_code, 200)
        self.sign_in(self.marta)
        self.assertFailure(self.review("accept"), 400, "no_factor")

    def test_administration_takes_a_session_that_proved_one(self):
        self.policy("administration")
        self.sign_in(self.holt)
        self.assertFailure(self.get("access/"), 403, "code_wanted")
        self.set_up(self.holt)
        self.assertEqual(self.get("access/").status_code, 200)
        self.client.logout()
        self.sign_in(self.holt)
        self.assertFailure(self.get("access/"), 403, "code_wanted")
        self.assertEqual(self.device("prove", one_time=self.code(self.holt)).status_code, 200)
        self.assertEqual(self.get("access/").status_code, 200)
        self.sign_in(self.ines)
        self.assertFalse(self.get("session/").json()["person"]["lacks_device"])

    def test_a_lost_device_is_taken_off_by_somebody_else_and_by_whoever_holds_the_server(self):
        self.set_up(self.ines)
        self.sign_in(self.holt)
        act = {"act": "take device off", "reason": ""}
        self.assertFailure(self.post("access/ines/", act), 400, "missing")
        self.assertEqual([p["username"] for p in self.get("access/").json()["people"] if p["has_device"]], ["ines"])
        self.assertEqual(self.post("access/ines/", {**act, "reason": "fell into the sump"}).status_code, 200)
        self.assertEqual(self.come_in("ines").status_code, 200)
        self.assertEqual(PersonChange.objects.filter(person=self.ines).first().reason, "fell into the sump")
        self.set_up(self.holt)
        out = StringIO()
        call_command("take_device_off", "holt", reason="lost", stdout=out)
        self.assertIn("password alone", out.getvalue())
        with self.assertRaises(CommandError):
            call_command("take_device_off", "holt", reason="lost")

    def test_one_s_own_is_taken_off_with_password_and_code(self):
        self.set_up(self.ines)
        self.assertFailure(self.device("take off", password=PASSWORD), 400, "code_wanted")
        self.assertFailure(self.device("take off", one_time=self.code(self.ines)), 400, "missing")
        self.assertEqual(self.device("take off", password=PASSWORD, one_time=self.code(self.ines)).status_code, 200)
        self.assertIsNone(second_factor.factor_of(self.ines))

    def test_the_secret_stands_in_no_journal(self):
        self.set_up(self.ines)
        secret = SecondFactor.objects.get().secret
        self.assertFalse(Entry.objects.filter(body__contains=secret).exists())
        self.assertTrue(Entry.objects.filter(body__contains="one-time codes set up").exists())
