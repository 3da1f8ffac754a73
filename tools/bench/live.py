"""Five live runs on the simulated bench: sample to screen, and what the server costs while nobody looks."""

from __future__ import annotations

import json
import os
import sqlite3
import subprocess
import sys
import time
import urllib.request
from contextlib import closing
from dataclasses import dataclass
from http.cookiejar import CookieJar
from pathlib import Path
from typing import Any

from tools.bench.crowd import Crowd, crowd
from tools.ports import free_port

ROOT = Path(__file__).resolve().parent.parent.parent
TAGS = (("PT-2101", 1), ("PT-2102", 2), ("PT-2110", 4), ("PT-1101", 5), ("PT-1102", 6))
DATABASE = ROOT / "var" / "bench-live.sqlite3"
WORLD = ROOT / "var" / "bench-live-world.json"
WATCH_S, IDLE_S = 15.0, 10.0

# In the page: from the server's stamp on a sample to its number being in the document, both clocks being this machine's. The page has a stream of its
# own, which may be ahead of this one: samples and changes of the document are kept, and matched in the end. A number that stays is shown
# by the first of its samples.
WATCH = """(seconds) => new Promise((done) => {
    const changes = [], samples = [];
    const shown = document.querySelector('[data-live="indicated"]');
    const source = new EventSource(location.pathname.replace('/run/', '/api/v1/runs/') + '/live/');
    source.addEventListener('frame', (e) => {
        const row = JSON.parse(e.data).rows.indicated;
        if (row && row.t && samples.at(-1)?.t !== 1000 * row.t) samples.push({ t: 1000 * row.t, text: row.text });
    });
    const watcher = new MutationObserver(() => {
        const text = shown.textContent.trim().split(' ')[0];
        if (changes.at(-1)?.text !== text) changes.push({ at: Date.now(), text });
    });
    watcher.observe(shown, { childList: true, subtree: true, characterData: true });
    setTimeout(() => {
        watcher.disconnect();
        source.close();
        const taken = changes.map(({ at, text }) => {
            const n = samples.findLastIndex((s, k) => k > 0 && s.t <= at && s.text === text && samples[k - 1].text !== text);
            return n < 0 ? null : at - samples[n].t;
        });
        done(taken.filter((ms) => ms !== null));
    }, 1000 * seconds);
})"""


class Technician:
    """Plays runs over HTTP."""

    def __init__(self, base: str) -> None:
        self.base, self.jar = base, CookieJar()
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar))
        self.ask("GET", "/api/v1/session/")
        self.ask("POST", "/api/v1/session/", {"username": "ines", "password": "marram-bay-demo"})

    def ask(self, method: str, path: str, body: Any = None) -> Any:
        token = next((c.value for c in self.jar if c.name == "csrftoken"), "")
        headers = {"Content-Type": "application/json", "X-CSRFToken": token or "", "Referer": self.base}
        request = urllib.request.Request(
            self.base + path, method=method, headers=headers, data=json.dumps(body or {}).encode() if method == "POST" else None
        )
        return json.loads(self.opener.open(request, timeout=20).read())

    def add(self, run: Any, event: str, /, **payload: Any) -> Any:
        import uuid

        events = [{"id": str(uuid.uuid4()), "type": event, "payload": payload}]
        return self.ask("POST", f"/api/v1/runs/{run['id']}/events/", {"expected_seq": run["view"]["seq"], "events": events})

    def live_run(self, tag: str, channel: int) -> str:
        """A run at its readings with both quantities live; its id."""
        run = self.ask("POST", "/api/v1/runs/", {"tag": tag})
        unit = run["view"]["instrument"]["unit"]
        for _ in range(20):
            step, i = run["view"]["step"], run["view"]["instrument"]
            key = step["key"]
            if step["kind"] == "readings":
                break
            if key == "identity":
                run = self.add(run, "step_confirmed", step=key, values={"tag": i["tag"], "serial": i["serial"]})
            elif key == "references":
                for role, code in (("applied", "MB-P03" if unit == "bar" else "MB-P01"), ("indicated", "MB-I01")):
                    run = self.add(run, "reference_assigned", role=role, code=code, reason="for measuring")
                run = self.add(run, "step_confirmed", step=key)
            elif step["kind"] == "timer":
                run = self.add(run, "timer_started", step=key)
                run = self.add(run, "timer_ended", step=key, reason="for measuring")
            elif step["kind"] == "hold":
                run = self.add(run, "hold_placed", step=key, kind="inhibit", reason="for measuring", minutes="60")
            else:
                given = {"operator": "Control room", "temperature": "20"}
                values = {f["name"]: given[f["name"]] for f in step["fields"] if f["name"] in given}
                run = self.add(run, "step_confirmed", step=key, values=values, checks=[c["key"] for c in step["checks"]])
        run = self.add(run, "source_chosen", quantity="indicated", signal=f"CAL-1/c{channel}.current")
        run = self.add(run, "source_chosen", quantity="applied", signal=f"CAL-1/c{channel}.applied")
        return str(run["id"])


def _own_bench() -> Path:
    """The demonstration's bench at ports of its own, in its file and in the database, so that this runs beside a demonstration."""
    moved: dict[int, int] = {}

    def move(part: Any) -> Any:
        if isinstance(part, list):
            return [move(each) for each in part]
        if not isinstance(part, dict):
            return part
        return {k: moved.setdefault(v, free_port()) if k.endswith("port") and isinstance(v, int) else move(v) for k, v in part.items()}

    WORLD.write_text(json.dumps(move(json.loads((ROOT / "demo" / "bench" / "world.json").read_text()))))
    with closing(sqlite3.connect(DATABASE)) as db:
        for old, new in moved.items():
            db.execute("UPDATE bench_device SET port = ? WHERE port = ?", (new, old))
        db.commit()
    return WORLD


def _cpu_s(pid: int) -> float:
    """User and system seconds of a process."""
    fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


@dataclass(frozen=True)
class Seen:
    """Milliseconds from sample to screen with five runs open; CPU of the server in percent, watched by five, and by nobody; five runs with a crowd."""

    taken: list[float]
    watched: float
    idle: float
    crowd: Crowd
    crowded: float


def measure() -> Seen:
    """On a bench and a server of its own."""
    DATABASE.unlink(missing_ok=True)
    port = free_port()
    env = {**os.environ, "DJANGO_SETTINGS_MODULE": "config.settings.demo", "DATABASE_URL": f"sqlite:///{DATABASE}"}
    manage = [sys.executable, "manage.py"]
    for command in (["migrate", "-v0"], ["load_demo", "--quick"], ["collectstatic", "--noinput", "-v0"]):
        subprocess.run([*manage, *command], cwd=ROOT, env=env, check=True, stdout=subprocess.DEVNULL)
    bench = subprocess.Popen([sys.executable, "-m", "apps.bench.simulator", str(_own_bench())], cwd=ROOT)
    serve = [sys.executable, "-m", "tools.serve", "--port", str(port), "--no-bench"]
    server = subprocess.Popen(serve, cwd=ROOT, env=env, stdout=subprocess.DEVNULL)
    try:
        base = f"http://127.0.0.1:{port}"
        _wait_for(base)
        technician = Technician(base)
        runs = [technician.live_run(tag, channel) for tag, channel in TAGS]
        taken, watched, idle = _watch(base, runs, server.pid)
        before, at = _cpu_s(server.pid), time.monotonic()
        found = crowd(
            base,
            "; ".join(f"{c.name}={c.value}" for c in technician.jar),
            runs,
            [lambda p=path: technician.ask("GET", p) for path in ("/api/v1/today/", "/api/v1/instruments/", f"/api/v1/runs/{runs[0]}/")],
        )
        return Seen(taken, watched, idle, found, 100 * (_cpu_s(server.pid) - before) / (time.monotonic() - at))
    finally:
        for process in (server, bench):
            process.terminate()
            process.wait()
        for left in ROOT.glob("var/bench-live*"):
            left.unlink(missing_ok=True)


def _wait_for(base: str) -> None:
    for _ in range(100):
        try:
            urllib.request.urlopen(base, timeout=1)
            return
        except OSError:
            time.sleep(0.1)
    raise RuntimeError("the server did not start")


def _watch(base: str, runs: list[str], pid: int) -> tuple[list[float], float, float]:
    from playwright.sync_api import expect, sync_playwright

    from e2e.base import ARGUMENTS, browser_path

    with sync_playwright() as p:
        browser = p.chromium.launch(executable_path=browser_path(), args=ARGUMENTS)
        pages = []
        for run in runs:
            context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=base)
            page = context.new_page()
            page.goto("/")
            page.get_by_label("Name").fill("ines")
            page.get_by_label("Password").fill("marram-bay-demo")
            page.get_by_role("button", name="Sign in").click()
            expect(page.get_by_role("heading", name="Today")).to_be_visible()
            page.goto(f"/run/{run}")
            expect(page.locator('[data-live="indicated"]')).to_be_visible(timeout=20_000)
            pages.append(page)
        before, at = _cpu_s(pid), time.monotonic()
        taken = pages[0].evaluate(WATCH, WATCH_S)
        watched = 100 * (_cpu_s(pid) - before) / (time.monotonic() - at)
        for page in pages:
            page.goto("about:blank")
        time.sleep(1)
        before, at = _cpu_s(pid), time.monotonic()
        time.sleep(IDLE_S)
        idle = 100 * (_cpu_s(pid) - before) / (time.monotonic() - at)
        browser.close()
    return taken, watched, idle
