"""A real plant is served: refused where passwords could be read, else empty, its own, and set up by the first visit alone."""

import json
import os
import shutil
import socket
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from http.cookiejar import CookieJar
from pathlib import Path
from unittest import TestCase

from tools.plant import is_local

ROOT = Path(__file__).resolve().parent.parent.parent
VISIT = {
    "plant": "Tern Point",
    "zone": "Pacific/Auckland",
    "first_name": "Asta",
    "last_name": "Lind",
    "username": "asta",
    "password": "a-very-long-one",
}


class Plant(TestCase):
    def setUp(self):
        self.home = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.home, ignore_errors=True)
        plain = {
            k: v for k, v in os.environ.items() if k not in ("DJANGO_SETTINGS_MODULE", "DATABASE_URL", "PLANT_NAME", "PLANT_TIME_ZONE")
        }
        self.env = {**plain, "PLANT_HOME": str(self.home / "plant")}

    def begin(self, *arguments, **env):
        command = [sys.executable, "-W", "ignore", "-m", "tools.plant", *arguments]
        return subprocess.Popen(command, cwd=ROOT, env={**self.env, **env}, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)

    def serve(self):
        """Start it and wait until it answers; how to end it."""
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            port = free.getsockname()[1]
        server = self.begin("--port", str(port))

        def end():
            server.kill()
            server.communicate()

        self.addCleanup(end)
        self.address, self.jar = f"http://127.0.0.1:{port}", CookieJar()
        self.browser = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar))
        while server.poll() is None:
            try:
                self.ask("/api/v1/session/")
            except urllib.error.URLError:
                time.sleep(0.2)
            else:
                return end
        raise AssertionError(server.stderr.read())

    def ask(self, path, body=None):
        data = None if body is None else json.dumps(body).encode()
        token = next((c.value for c in self.jar if c.name == "csrftoken"), "")
        asked = urllib.request.Request(
            self.address + path, data, {"Content-Type": "application/json", "X-CSRFToken": token, "Referer": self.address}
        )
        with self.browser.open(asked, timeout=60) as answer:
            return answer.read().decode()

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
