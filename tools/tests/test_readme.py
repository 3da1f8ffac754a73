"""What the README says of running it for real is done word by word, by somebody who has nothing yet."""

import json
import os
import re
import shutil
import signal
import subprocess
import urllib.error
from unittest import skipUnless

from tools.ports import free_port
from tools.tests.real_plant import ROOT, VISIT, RealPlant

REFUSED = {"load_demo": "real plant"}
ASKS_FOR_MORE = {"restore": "arguments are required"}


def section(title):
    """What stands under a heading of the README."""
    return re.search(rf"^## {title}\n(.*?)(?=^## |\Z)", (ROOT / "README.md").read_text(), re.M | re.S).group(1)


class RunningItForReal(RealPlant):
    def setUp(self):
        super().setUp()
        self.told = section("Running it for real")
        del self.env["PLANT_HOME"]
        self.env |= {"HOME": str(self.home), "PORT": str(free_port())}
        self.plant = self.home / ".local" / "share" / "verify-loop"

    def do(self, *words):
        """A command of the README; its exit and everything it says."""
        env = {**self.env, "DJANGO_SETTINGS_MODULE": "config.settings.plant"}
        done = subprocess.run(words, cwd=ROOT, env=env, capture_output=True, text=True, check=False)
        return done.returncode, done.stdout + done.stderr

    def start(self, line):
        """What stands in the README to start it with; what it prints until it serves."""
        server = subprocess.Popen(
            line, shell=True, cwd=ROOT, env=self.env, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, start_new_session=True
        )

        def end():
            os.killpg(server.pid, signal.SIGKILL)
            server.communicate()

        self.addCleanup(end)
        said = ""
        for row in server.stdout:
            said += row
            if "Ctrl+C" in row:
                break
        else:
            raise AssertionError(said)
        self.visit(f"http://127.0.0.1:{self.env['PORT']}")
        while True:
            try:
                return said, self.ask("/")
            except urllib.error.HTTPError as refused:
                return said, refused.read().decode()
            except urllib.error.URLError:
                pass

    def test_what_it_says_is_what_happens(self):
        (line,) = re.findall(r"```\n(.*?)\n```", self.told, re.S)
        said, page = self.start(line)
        self.assertIn("Verify Loop", page)
        script = re.search(r'src="(/static/[^"]+\.js)"', page).group(1)
        self.assertIn("import", self.ask(script))
        self.assertTrue(json.loads(self.ask("/api/v1/session/"))["is_new"])
        code = re.search(r"with this code:\s+(\d+)", said).group(1)
        self.assertEqual(json.loads(self.ask("/api/v1/first-start/", {**VISIT, "code": code}))["person"]["role"], "administrator")
        self.assertIn(False, [row["is_there"] for row in json.loads(self.ask("/api/v1/beginning/"))["rows"]])
        self.assertEqual(self.plant.stat().st_mode & 0o077, 0)
        commands = re.findall(r"`manage\.py\s+([^`]+)`", self.told) + ["load_demo"]
        self.assertGreater(len(commands), 7)
        for command in commands:
            name, *words = command.split()
            with self.subTest(command):
                status, heard = self.do(str(ROOT / ".venv/bin/python"), "-W", "ignore", "manage.py", name, *words)
                self.assertNotIn("Traceback", heard)
                if name in REFUSED:
                    self.assertNotEqual(status, 0)
                    self.assertIn(REFUSED[name], heard)
                elif name in ASKS_FOR_MORE:
                    self.assertNotEqual(status, 0)
                    self.assertIn(ASKS_FOR_MORE[name], heard)
                else:
                    self.assertEqual(status, 0, heard)
        self.assertTrue(list((self.plant / "backups").iterdir()))

    def test_behind_a_proxy_it_answers_under_its_name_alone(self):
        (line,) = re.findall(r"`(BEHIND_TLS[^`]+)`", self.told)
        _, page = self.start(line)
        self.assertIn("Verify Loop", page)
        host = re.search(r"ALLOWED_HOSTS=(\S+)", line).group(1)
        self.assertTrue(json.loads(self.ask("/api/v1/session/", Host=host))["is_new"])
        with self.assertRaises(urllib.error.HTTPError) as refused:
            self.ask("/api/v1/session/", Host="another.example.org")
        self.assertEqual(refused.exception.code, 400)

    def test_every_setting_it_names_is_one(self):
        names = set(re.findall(r"`([A-Z][A-Z_]{4,})(?:=[^`]*)?`", self.told)) | {"BEHIND_TLS", "ALLOWED_HOSTS"}
        read = "".join(p.read_text() for folder in ("config", "tools") for p in (ROOT / folder).rglob("*.py") if "tests" not in p.parts)
        self.assertGreater(len(names), 8)
        self.assertEqual([n for n in sorted(names) if f'"{n}"' not in read], [])

    @skipUnless(shutil.which("systemd-analyze"), "systemd is not here")
    def test_the_service_is_one(self):
        done = subprocess.run(
            ["systemd-analyze", "verify", "--man=no", str(ROOT / "docs/verify-loop.service")], capture_output=True, text=True, check=False
        )
        self.assertEqual([line for line in done.stderr.splitlines() if "verify-loop.service" in line and "not executable" not in line], [])
