"""Wrong passwords: counted where they come from, so that nobody locks a colleague out of their own screen; and who is asking behind a proxy."""

from django.conf import settings
from django.core.cache import cache
from django.core.exceptions import ImproperlyConfigured
from django.http import HttpResponse
from django.test import Client, RequestFactory, SimpleTestCase, override_settings

from apps.runs.tests.base import PASSWORD, PlantTestCase
from config.proxies import ForwardedMiddleware, asker, read_networks


class Throttle(PlantTestCase):
    def setUp(self):
        super().setUp()
        cache.clear()

    def come_in(self, client, name, password):
        body = {"username": name, "password": password}
        return client.post("/api/v1/session/", body, content_type="application/json").status_code

    def test_wrong_passwords_elsewhere_lock_nobody_out_of_their_own_screen(self):
        own, other = Client(), Client()
        self.assertEqual(self.come_in(own, "ines", PASSWORD), 200)
        for _ in range(settings.AXES_FAILURE_LIMIT):
            last = self.come_in(other, "ines", "guess")
        self.assertIn(last, (400, 429))
        self.assertEqual(self.come_in(other, "ines", PASSWORD), 429)
        own.delete("/api/v1/session/")
        self.assertEqual(self.come_in(own, "ines", PASSWORD), 200)
        self.assertEqual(self.come_in(Client(), "tomas", PASSWORD), 200)

    def test_a_known_browser_is_held_to_the_limit_itself_and_is_known_for_its_own_name_only(self):
        own = Client()
        self.come_in(own, "ines", PASSWORD)
        for _ in range(settings.AXES_FAILURE_LIMIT):
            self.come_in(own, "ines", "guess")
        self.assertEqual(self.come_in(own, "ines", PASSWORD), 429)
        cookie = next(v for k, v in own.cookies.items() if k.startswith("known-"))
        self.assertTrue(cookie["httponly"])
        for _ in range(settings.AXES_FAILURE_LIMIT):
            self.come_in(own, "tomas", "guess")
        self.assertEqual(self.come_in(own, "tomas", PASSWORD), 429)

    def test_a_forged_mark_is_none(self):
        other = Client()
        own = Client()
        self.come_in(own, "ines", PASSWORD)
        name = next(k for k in own.cookies if k.startswith("known-"))
        for n in range(settings.AXES_FAILURE_LIMIT):
            other.cookies[name] = f"forged{n}"
            self.come_in(other, "ines", "guess")
        self.assertEqual(self.come_in(other, "ines", PASSWORD), 429)

    @override_settings(WRONG_FROM_AN_ADDRESS=12)
    def test_many_names_from_one_address_wear_it_out_but_not_for_a_known_browser(self):
        own, other = Client(), Client()
        self.assertEqual(self.come_in(own, "ines", PASSWORD), 200)
        own.delete("/api/v1/session/")
        told = [self.come_in(other, f"name{n}", "guess") for n in range(13)]
        self.assertEqual(told, [400] * 12 + [429])
        self.assertEqual(self.come_in(other, "tomas", PASSWORD), 429)
        self.assertEqual(self.come_in(own, "ines", PASSWORD), 200)
        away = Client(REMOTE_ADDR="10.9.9.9")
        self.assertEqual(self.come_in(away, "tomas", PASSWORD), 200)


class Proxies(SimpleTestCase):
    trusted = read_networks(["127.0.0.1", "10.1.0.0/16"])

    def test_the_first_hop_that_is_no_trusted_proxy_is_asking(self):
        for remote, forwarded, found in (
            ("127.0.0.1", "203.0.113.7", "203.0.113.7"),
            ("127.0.0.1", "203.0.113.7, 10.1.2.3", "203.0.113.7"),
            ("127.0.0.1", "6.6.6.6, 203.0.113.7", "203.0.113.7"),  # the first was written by whoever asked
            ("127.0.0.1", "6.6.6.6, 127.0.0.1", "127.0.0.1"),  # asked from the proxy's own machine
            ("127.0.0.1", "6.6.6.6, ::1", "::1"),
            ("127.0.0.1", "", "127.0.0.1"),
            ("127.0.0.1", "rubbish", "127.0.0.1"),
            ("127.0.0.1", "2001:db8::1", "2001:db8::1"),
            ("203.0.113.9", "6.6.6.6", "203.0.113.9"),
            ("10.2.0.1", "6.6.6.6", "10.2.0.1"),  # just outside the network
        ):
            with self.subTest(remote=remote, forwarded=forwarded):
                self.assertEqual(asker(remote, forwarded, self.trusted), found)

    def through(self, **meta):
        request = RequestFactory().get("/", **meta)
        ForwardedMiddleware(lambda r: HttpResponse())(request)
        return request.META

    def test_from_loopback_nothing_counts_where_no_proxy_is_named(self):
        meta = self.through(HTTP_X_FORWARDED_FOR="6.6.6.6", HTTP_X_FORWARDED_PROTO="https", HTTP_X_REAL_IP="6.6.6.6")
        self.assertEqual(meta["REMOTE_ADDR"], "127.0.0.1")
        self.assertFalse([k for k in meta if "FORWARDED" in k or "REAL_IP" in k])

    @override_settings(TRUSTED_PROXIES=["127.0.0.1"])
    def test_a_named_proxy_is_believed(self):
        meta = self.through(HTTP_X_FORWARDED_FOR="203.0.113.7", HTTP_X_FORWARDED_PROTO="https")
        self.assertEqual((meta["REMOTE_ADDR"], meta["HTTP_X_FORWARDED_PROTO"]), ("203.0.113.7", "https"))

    def test_what_is_no_address_is_told_at_the_start(self):
        with self.assertRaisesMessage(ImproperlyConfigured, "'proxy.example' is none"):
            read_networks(["proxy.example"])
