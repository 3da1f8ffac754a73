"""Two hundred people at work on the large database, each with a run and a page of their own: what an entry and a page take."""

from __future__ import annotations

import http.client
import json
import os
import random
import sqlite3
import subprocess
import sys
import threading
import time
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from tools.ports import free_port
from tools.standing import Typist, started

ROOT = Path(__file__).resolve().parent.parent.parent
PEOPLE, FOR_S, EACH_S = 200, 60.0, 30.0
PAGES = ("/api/v1/today/", "/api/v1/instruments/?search=1234", "/api/v1/due/?days=30", "/api/v1/records/", "/api/v1/holds/")


@dataclass(frozen=True)
class AtWork:
    """What came of it. entries_ms: an append; pages_ms: a page; a second: of both together; failures: answers that were none."""

    entries_ms: list[float]
    pages_ms: list[float]
    a_second: float
    failures: int


def _prepared(people: int) -> list[tuple[str, str]]:
    """Session and run of so many technicians, each on an instrument of their own."""
    from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY
    from django.contrib.sessions.backends.db import SessionStore
    from django.utils import timezone

    from apps.accounts.models import Person
    from apps.plant.models import Instrument
    from apps.runs.services import start_run

    free = Instrument.objects.filter(tag__startswith="PT-1", method="tx-multipoint").exclude(runs__status="open").order_by("pk")[:people]
    made = []
    for n, instrument in enumerate(free):
        person, _ = Person.objects.get_or_create(username=f"bench{n}", defaults={"role": "technician", "first_name": f"B{n}"})
        session = SessionStore()
        session[SESSION_KEY], session[BACKEND_SESSION_KEY] = str(person.pk), "apps.accounts.sessions.Passwords"
        session[HASH_SESSION_KEY] = person.get_session_auth_hash()
        session.create()
        made.append((str(session.session_key), str(start_run(actor=person, instrument=instrument, now=timezone.now()).id)))
    return made


def _get(port: int, session: str, path: str) -> bool:
    link = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
    link.request("GET", path, headers={"Cookie": f"sessionid={session}"})
    answer = link.getresponse()
    answer.read()
    link.close()
    return answer.status == 200


def at_work(database: Path, people: int = PEOPLE, for_s: float = FOR_S, processes: int = 1) -> AtWork:
    """On a server of their own over a copy of the database, which goes afterwards. Django is set up on that copy by whoever calls."""
    told = _prepared(people)
    is_over, pages, wrong = threading.Event(), list[float](), list[str]()
    ports = [free_port() for _ in range(processes)]
    env = {**os.environ, "DJANGO_SETTINGS_MODULE": "config.settings.demo", "DATABASE_URL": f"sqlite:///{database}"}
    servers = [started(port, {**env, "OWN_ADDRESS": f"http://127.0.0.1:{port}"}) for port in ports]

    def between(port: int, session: str, chance: random.Random) -> None:
        at = time.monotonic()
        path = chance.choice(PAGES)
        if not _get(port, session, path):
            wrong.append(path)
        pages.append(1000 * (time.monotonic() - at))
        is_over.wait(chance.uniform(0.5, 1.5) * EACH_S)

    typists = []
    for n, (session, run) in enumerate(told):
        chance, port = random.Random(n), ports[n % processes]
        typist = Typist(port, session, run, lambda _: is_over.is_set(), between=lambda p=port, s=session, c=chance: between(p, s, c))
        typists.append(typist)
    workers = [threading.Thread(target=t.work, daemon=True) for t in typists]
    for n, w in enumerate(workers):
        threading.Timer(EACH_S * n / people, w.start).start()
    time.sleep(EACH_S + for_s)
    is_over.set()
    for w in workers:
        w.join(60)
    for server in servers:
        server.terminate()
        server.wait()
    entries = [ms for t in typists for ms in t.took_ms]
    failures = len(wrong) + sum(len(t.failures) for t in typists)
    return AtWork(entries, pages, (len(entries) + len(pages)) / (EACH_S + for_s), failures)


def copied(database: Path, to: Path) -> Path:
    """A copy of a database."""
    with closing(sqlite3.connect(database)) as source, closing(sqlite3.connect(to)) as target:
        source.backup(target)
    return to


def main() -> None:
    """Print it as JSON: a process of its own, since Django is set up on the copy."""
    database = copied(ROOT / "var" / "bench.sqlite3", ROOT / "var" / "bench-people.sqlite3")
    os.environ["DJANGO_SETTINGS_MODULE"] = "config.settings.demo"
    os.environ["DATABASE_URL"] = f"sqlite:///{database}"
    import django

    django.setup()
    try:
        found = at_work(database, processes=int(sys.argv[1]) if len(sys.argv) > 1 else 1)
    finally:
        for left in database.parent.glob("bench-people.sqlite3*"):
            left.unlink(missing_ok=True)
    json.dump(found.__dict__, sys.stdout)


def measure(processes: int = 1) -> AtWork:
    """In a process of its own, after the large database is filled."""
    command = [sys.executable, "-W", "ignore", "-m", "tools.bench.people", str(processes)]
    done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=True)
    told: dict[str, Any] = json.loads(done.stdout.strip().splitlines()[-1])
    return AtWork(**told)


if __name__ == "__main__":
    main()
