"""A real plant, served for a test."""

import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from http.cookiejar import CookieJar
from pathlib import Path
from unittest import TestCase

from tools.ports import free_port

ROOT = Path(__file__).resolve().parent.parent.parent
VISIT = {
    "plant": "Tern Point",
    "zone": "Pacific/Auckland",
    "first_name": "Asta",
    "last_name": "Lind",
    "username": "asta",
    "password": "a-very-long-one",
}


class RealPlant(TestCase):
    """A server of a real plant in a folder of its own, and somebody who asks it."""

    def setUp(self):
        self.ports = []
        self.home = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, self.home, ignore_errors=True)
        plain = {
            k: v for k, v in os.environ.items() if k not in ("DJANGO_SETTINGS_MODULE", "DATABASE_URL", "PLANT_NAME", "PLANT_TIME_ZONE")
        }
        self.env = {**plain, "PLANT_HOME": str(self.home / "plant")}

    def begin(self, *arguments, **env):
        command = [sys.executable, "-W", "ignore", "-m", "tools.plant", *arguments]
        return subprocess.Popen(command, cwd=ROOT, env={**self.env, **env}, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)

    def serve(self, **env):
        """Start it and wait until it answers; how to end it."""
        port = free_port()
        server = self.begin("--port", str(port), **env)

        def end():
            server.kill()
            server.communicate()

        self.addCleanup(end)
        self.ports.append(port)
        self.visit(f"http://127.0.0.1:{port}")
        while server.poll() is None:
            try:
                self.ask("/api/v1/session/")
            except urllib.error.URLError:
                time.sleep(0.2)
            else:
                return end
        raise AssertionError(server.stderr.read())

    def visit(self, address, context=None):
        """With a browser that knows nothing yet."""
        self.address, self.jar = address, CookieJar()
        kinds = [urllib.request.HTTPCookieProcessor(self.jar), *([urllib.request.HTTPSHandler(context=context)] if context else [])]
        self.browser = urllib.request.build_opener(*kinds)

    def ask(self, path, body=None, **headers):
        data = None if body is None else json.dumps(body).encode()
        token = next((c.value for c in self.jar if c.name == "csrftoken"), "")
        asked = urllib.request.Request(
            self.address + path, data, {"Content-Type": "application/json", "X-CSRFToken": token, "Referer": self.address, **headers}
        )
        with self.browser.open(asked, timeout=60) as answer:
            return answer.read().decode()
