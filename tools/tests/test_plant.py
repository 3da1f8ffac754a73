"""A real plant is served: refused where passwords could be read, else empty, its own, and set up by the first visit alone."""

import json
import urllib.error

from tools.plant import is_local
from tools.tests.real_plant import VISIT, RealPlant


class Plant(RealPlant):
    def test_which_addresses_are_this_machine_s_own(self):
        for host in ("127.0.0.1", "127.0.0.2", "::1", "localhost"):
            self.assertTrue(is_local(host), host)
        for host in ("0.0.0.0", "10.0.0.1", "::", "", "loop.example.org"):
            self.assertFalse(is_local(host), host)

    def test_it_does_not_start_where_passwords_could_be_read(self):
        for arguments, env, words in (
            (("--host", "0.0.0.0"), {}, "could read the passwords"),
            ((), {"BEHIND_TLS": "1"}, "ALLOWED_HOSTS names the hosts"),
        ):
            with self.subTest(arguments=arguments, env=env):
                server = self.begin(*arguments, **env)
                _, said = server.communicate(timeout=300)
                self.assertEqual(server.returncode, 1)
                self.assertIn(words, said)
                self.assertNotIn("Traceback", said)

    def test_it_is_empty_its_own_and_set_up_once_by_the_first_visit(self):
        end = self.serve()
        home = self.home / "plant"
        self.assertIn("Verify Loop", self.ask("/"))
        told = json.loads(self.ask("/api/v1/session/"))
        self.assertEqual((told["is_new"], told["plant"]), (True, ""))
        for path in (home, *home.iterdir()):
            self.assertEqual(path.stat().st_mode & 0o077, 0, path)
        with self.assertRaises(urllib.error.HTTPError) as refused:
            self.ask("/api/v1/first-start/", {**VISIT, "code": "0"})
        self.assertIn("not the code", refused.exception.read().decode())
        code = (home / "first-start-code").read_text()
        told = json.loads(self.ask("/api/v1/first-start/", {**VISIT, "code": code}))
        self.assertEqual((told["person"]["role"], told["plant"], told["time_zone"]), ("administrator", "Tern Point", "Pacific/Auckland"))
        self.assertEqual(json.loads(self.ask("/api/v1/instruments/"))["total"], 0)
        with self.assertRaises(urllib.error.HTTPError) as refused:
            self.ask("/api/v1/first-start/", {**VISIT, "code": code, "username": "second"})
        self.assertIn(refused.exception.code, (401, 403))
        end()
        self.serve()
        told = json.loads(self.ask("/api/v1/session/"))
        self.assertEqual((told["is_new"], told["plant"], told["time_zone"]), (False, "Tern Point", "Pacific/Auckland"))
