"""How a server stands what happens to servers: killed while somebody types, with and without room on the disk, and written to by eight at once.

What was acknowledged must be there, once. The figures are printed by `make bench`; a short one is among the tests.
"""

from __future__ import annotations

import http.client
import json
import os
import random
import resource
import signal
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
import uuid
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from tools.ports import free_port

ROOT = Path(__file__).resolve().parent.parent
TOKEN = "b" * 32
START_S = 120.0
LITTLE_ROOM = 48 * 1024  # bytes beyond what is there, where the disk is to be full
PREPARED = """
import json, django
django.setup()
from django.contrib.sessions.backends.db import SessionStore
from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY
from django.core.management import call_command
from django.utils import timezone
call_command("migrate", verbosity=0)
from apps.evidence.taking_over import take_over
from apps.plant.models import Instrument
from apps.runs.services import start_run
from apps.runs.tests.base import PlantClient
class Made(PlantClient): pass
take_over()
Made.make_plant()
first, runs, sessions = Instrument.objects.order_by("pk").first(), [], []
for n in range(8):
    first.pk, first.tag, first.serial, first._state.adding = None, f"PT-9{n}00", f"S{n}", True
    first.save()
    runs.append(str(start_run(actor=Made.ines, instrument=first, now=timezone.now()).id))
for person in (Made.ines,):
    made = SessionStore()
    made[SESSION_KEY], made[BACKEND_SESSION_KEY], made[HASH_SESSION_KEY] = (
        str(person.pk), "apps.accounts.sessions.Passwords", person.get_session_auth_hash())
    made.create()
    sessions.append(made.session_key)
print(json.dumps({"runs": runs, "session": sessions[0]}))
"""


def started(port: int, env: Mapping[str, str], first: Callable[[], None] | None = None) -> subprocess.Popen[bytes]:
    """A process of the server, once it answers. first: what is done in it before anything else."""
    command = [sys.executable, "-W", "ignore", "-m", "uvicorn", "config.asgi:application", "--port", str(port), "--log-level", "critical"]
    made = subprocess.Popen(command, cwd=ROOT, env=env, preexec_fn=first, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    began = time.monotonic()
    while time.monotonic() - began < START_S:
        with suppress(OSError, http.client.HTTPException):
            link = http.client.HTTPConnection("127.0.0.1", port, timeout=10)
            link.request("GET", "/api/v1/session/")
            if link.getresponse().status == 200:
                return made
        time.sleep(0.02)
    made.kill()
    raise AssertionError("The server did not come up.")


class Server:
    """A server of a plant of its own, in a folder."""

    def __init__(self, home: Path) -> None:
        self.home = home
        self.port = free_port()
        plain = {k: v for k, v in os.environ.items() if k not in ("DATABASE_URL", "PLANT_NAME", "PLANT_TIME_ZONE")}
        self.env = {**plain, "PLANT_HOME": str(home), "DJANGO_SETTINGS_MODULE": "config.settings.plant", "BACKUP_EVERY_H": "0"}
        self.database = home / "verify-loop.sqlite3"
        self.process: subprocess.Popen[bytes] | None = None

    def prepare(self) -> dict[str, Any]:
        """A plant with eight runs that are going on, and a session of the technician."""
        told = subprocess.run(
            [sys.executable, "-W", "ignore", "-c", PREPARED], cwd=ROOT, env=self.env, capture_output=True, text=True, check=True
        )
        found: dict[str, Any] = json.loads(told.stdout.strip().splitlines()[-1])
        return found

    def start(self, room: int | None = None) -> float:
        """Seconds to the first page. room: how many bytes can still be written to the log of what was written."""
        log = self.database.with_name(self.database.name + "-wal")
        most = None if room is None else (log.stat().st_size if log.exists() else 0) + room

        def limit() -> None:
            if most is not None:
                resource.setrlimit(resource.RLIMIT_FSIZE, (most, most))

        began = time.monotonic()
        self.process = started(self.port, self.env, limit)
        return time.monotonic() - began

    def kill(self) -> None:
        """As a power cut would."""
        if self.process:
            self.process.send_signal(signal.SIGKILL)
            self.process.wait()


@dataclass
class Typist:
    """Somebody who enters one thing after the other, as the page does: the same again until it is known to be stored."""

    port: int
    session: str
    run: str
    stop: Callable[[int], bool]
    acknowledged: list[str] = field(default_factory=list)
    took_ms: list[float] = field(default_factory=list)
    failures: list[int] = field(default_factory=list)
    refused: int = 0
    between: Callable[[], None] = lambda: None  # what they do after each

    def work(self) -> None:
        """Until it is enough."""
        link, seq = None, None
        while not self.stop(len(self.acknowledged)):
            event = {"id": str(uuid.uuid4()), "type": "note_added", "payload": {"text": "seen"}}
            began, is_stored = time.monotonic(), False
            while not is_stored and not self.stop(len(self.acknowledged)):
                try:
                    link = link or http.client.HTTPConnection("127.0.0.1", self.port, timeout=60)
                    if seq is None:
                        seq = self._ask(link, "GET", f"/api/v1/runs/{self.run}/", None)[1]["view"]["seq"]
                    status, told = self._ask(
                        link, "POST", f"/api/v1/runs/{self.run}/events/", {"expected_seq": seq, "events": [event], "parts": True}
                    )
                except (OSError, http.client.HTTPException, KeyError, ValueError):
                    link = None
                    time.sleep(0.01)
                    continue
                if status == 200:
                    is_stored, seq = True, _seq(told)
                elif status in (409, 503):
                    self.refused += status == 503
                    seq = None
                    time.sleep(0.02 if status == 503 else 0.0)
                else:
                    self.failures.append(status)
                    seq = None
            if is_stored:
                self.acknowledged.append(event["id"])
                self.took_ms.append(1000 * (time.monotonic() - began))
                self.between()

    def _ask(self, link: http.client.HTTPConnection, method: str, path: str, body: Any) -> tuple[int, dict[str, Any]]:
        headers = {"Cookie": f"sessionid={self.session}; csrftoken={TOKEN}", "X-CSRFToken": TOKEN, "Content-Type": "application/json"}
        link.request(method, path, json.dumps(body) if body else None, headers)
        answer = link.getresponse()
        text = answer.read()
        told: dict[str, Any] = json.loads(text) if text else {}
        return answer.status, told


def _seq(told: dict[str, Any]) -> int | None:
    """Where the run is by the answer to an append."""
    found = (told.get("view") or {}).get("seq") or (told.get("changed") or {}).get("seq")
    return int(found) if found else None


def lost_and_doubled(database: Path, acknowledged: Sequence[str]) -> tuple[int, int]:
    """Of what was acknowledged: how many are not there, and how many are there more than once."""
    db = sqlite3.connect(database)
    held: dict[str, int] = {}
    for (event,) in db.execute("SELECT event_id FROM runs_runevent WHERE type = 'note_added'"):
        held[event] = held.get(event, 0) + 1
    db.close()
    plain = [a.replace("-", "") for a in acknowledged]
    return sum(1 for a in plain if not held.get(a)), sum(1 for a in plain if held.get(a, 0) > 1)


def what_is_wrong(database: Path) -> list[str]:
    """What the file that is shipped finds."""
    from apps.journal import verify

    return list(verify.check(str(database), [], say=lambda _: None))


@dataclass(frozen=True)
class Stood:
    """What came of it."""

    acknowledged: int
    lost: int
    doubled: int
    failures: int
    refused: int
    wrong: list[str]
    p95_ms: float
    worst_ms: float
    slowest_start_s: float

    def __str__(self) -> str:
        told = f"{self.acknowledged} acknowledged, {self.lost} lost, {self.doubled} doubled, {self.failures} server errors, {self.refused} told to wait"
        chain = "the journal holds" if not self.wrong else f"WRONG {self.wrong[0]}"
        return f"{told}; {chain}; p95 {self.p95_ms:.0f} ms, worst {self.worst_ms / 1000:.1f} s; start to first page at most {self.slowest_start_s:.1f} s"


def _stood(server: Server, typists: Sequence[Typist], starts: Sequence[float]) -> Stood:
    acknowledged = [a for t in typists for a in t.acknowledged]
    took = sorted(ms for t in typists for ms in t.took_ms) or [0.0]
    failures = sum(len(t.failures) for t in typists)
    wrong, counts = what_is_wrong(server.database), lost_and_doubled(server.database, acknowledged)
    p95 = took[int(0.95 * (len(took) - 1))]
    return Stood(len(acknowledged), *counts, failures, sum(t.refused for t in typists), wrong, p95, took[-1], max(starts))


def _until(is_so: Callable[[], bool]) -> None:
    began = time.monotonic()
    while not is_so() and time.monotonic() - began < START_S:
        time.sleep(0.02)


def killed(times: int, *, seed: int = 1, fills: bool = True) -> Stood:
    """Killed so many times at random while somebody types; every other time with next to no room left, where it fills up."""
    chance = random.Random(seed)
    with tempfile.TemporaryDirectory() as folder:
        server = Server(Path(folder) / "plant")
        made = server.prepare()
        is_over = threading.Event()
        typist = Typist(server.port, made["session"], made["runs"][0], lambda _: is_over.is_set())
        worker = threading.Thread(target=typist.work, daemon=True)
        starts = []
        for n in range(times):
            starts.append(server.start(LITTLE_ROOM if fills and n % 2 else None))
            if n == 0:
                worker.start()
            if fills and n % 2:
                _until(lambda told=typist.refused: typist.refused > told)
            time.sleep(chance.uniform(0.05, 0.8))
            server.kill()
        starts.append(server.start())
        before = len(typist.acknowledged)
        _until(lambda: len(typist.acknowledged) >= before + 3)
        is_over.set()
        worker.join(START_S)
        server.kill()
        return _stood(server, [typist], starts)


def eight_writers(appends: int, *, on_one: bool) -> Stood:
    """Eight who write at once, on one run or each on their own, until so many appends are acknowledged by all of them together."""
    with tempfile.TemporaryDirectory() as folder:
        server = Server(Path(folder) / "plant")
        made = server.prepare()
        starts = [server.start()]
        each = appends // 8
        typists = [Typist(server.port, made["session"], made["runs"][0 if on_one else n], lambda done: done >= each) for n in range(8)]
        workers = [threading.Thread(target=t.work, daemon=True) for t in typists]
        for w in workers:
            w.start()
        for w in workers:
            w.join()
        server.kill()
        return _stood(server, typists, starts)


if __name__ == "__main__":
    if len(sys.argv) < 2 or sys.argv[1] != "0":
        print("killed:", killed(int(sys.argv[1]) if len(sys.argv) > 1 else 200), flush=True)
    for one in (True, False):
        print(f"eight writers on {'one run' if one else 'eight runs'}:", eight_writers(2_000, on_one=one), flush=True)
