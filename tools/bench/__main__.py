"""Run all measurements and print them as a table beside what was promised."""

from __future__ import annotations

import gzip
import math
import os
import random
import re
import sqlite3
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

from metrology.quantities.chromatography import find_peaks
from tools import (
    bottle_trials,
    cell_trials,
    core_speed,
    coverage_trials,
    electrode_trials,
    exposure_trials,
    injection_trials,
    interval_trials,
    life_trials,
    mixture_trials,
    round_trials,
    scale_trials,
    settle_trials,
)
from tools.bench.causes import cause_rows
from tools.timing import percentile, timed

os.environ["DJANGO_SETTINGS_MODULE"] = "config.settings.bench"
ROOT = Path(__file__).resolve().parent.parent.parent


def bare_insert() -> list[float]:
    """A committed insert of one small row on the same disk, synchronous=FULL."""
    path = ROOT / "var" / "bench-insert.sqlite3"
    path.unlink(missing_ok=True)
    db = sqlite3.connect(path, isolation_level=None)
    db.executescript("PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL; CREATE TABLE t (id INTEGER PRIMARY KEY, body TEXT);")
    taken = timed(200, lambda: db.execute("INSERT INTO t (body) VALUES (?)", ("x" * 400,)))
    db.close()
    path.unlink(missing_ok=True)
    return taken


def script_kilobytes() -> tuple[float, float]:
    """Compressed script of the first load (what index.html names), and of the whole application, in kB."""
    dist = ROOT / "frontend" / "dist"
    named = re.findall(r'(?:src|href)="/static/([^"]+\.js)"', (dist / "index.html").read_text())
    size = {p.relative_to(dist).as_posix(): len(gzip.compress(p.read_bytes(), 6)) / 1000 for p in dist.rglob("*.js")}
    return sum(size[n] for n in named), sum(size.values())


def verdict_on_screen() -> str:
    """Enter to verdict in the browser test's own clock."""
    command = [sys.executable, "-W", "ignore", "manage.py", "test", "--noinput", "e2e.test_whole_run.WholeRun.test_by_keyboard_alone"]
    env = {**os.environ, "DJANGO_SETTINGS_MODULE": "config.settings.test"}
    out = subprocess.run(command, cwd=ROOT, env=env, capture_output=True, text=True, check=False).stdout
    found = re.search(r"verdict on screen after Enter: .*", out)
    return found.group(0).split(": ", 1)[1] if found else "the journey failed"


def typed_at_speed() -> str:
    """A thousand readings typed faster than the network answers."""
    command = [sys.executable, "-W", "ignore", "manage.py", "test", "--noinput", "e2e.fast_typing.ThousandReadings"]
    env = {**os.environ, "DJANGO_SETTINGS_MODULE": "config.settings.test"}
    out = subprocess.run(command, cwd=ROOT, env=env, capture_output=True, text=True, check=False).stdout
    found = re.search(r"typed at 12 keys .*", out)
    return found.group(0).split(": ", 1)[1] if found else "the journey failed"


def live_chromatogram() -> str:
    """How the page draws while a detector draws a chromatogram at 20 Hz, by the browser's own frames."""
    name = "e2e.test_transformer_gas.InjectionJourney.test_live_the_whole_curve_is_taken_and_a_power_cut_ends_its_validity"
    command = [sys.executable, "-W", "ignore", "manage.py", "test", "--noinput", name]
    env = {**os.environ, "DJANGO_SETTINGS_MODULE": "config.settings.test"}
    out = subprocess.run(command, cwd=ROOT, env=env, capture_output=True, text=True, check=False).stdout
    found = re.search(r"live chromatogram: .*", out)
    return found.group(0).split(": ", 1)[1] if found else "the journey failed"


def chromatogram() -> Callable[[], object]:
    """Peaks found in a simulated chromatogram of 60,000 points."""
    rng = random.Random(1)
    times = [n / 200 for n in range(60_000)]
    peaks = ((60.0, 1.5, 200.0), (72.0, 1.8, 120.0), (150.0, 3.0, 400.0), (230.0, 4.0, 30.0))
    signal = [100 + t / 15 + sum(h * math.exp(-0.5 * ((t - at) / s) ** 2) for at, s, h in peaks) + rng.gauss(0, 0.5) for t in times]
    return lambda: find_peaks(times, signal)


def main() -> None:
    import django

    django.setup()
    from config.memory import settle
    from tools.bench.database import Bench
    from tools.bench.evidence import evidence_rows

    bench = Bench()
    bench.fill()
    settle()  # as the server does
    rows: list[tuple[str, str, str]] = []

    def row(name: str, taken: list[float], promised: str) -> None:
        rows.append((name, f"p50 {percentile(taken, 0.5):7.1f} ms   p95 {percentile(taken, 0.95):7.1f} ms", promised))

    row("bare committed insert, same disk", bare_insert(), "to compare")
    row(
        f"append of a reading, run of {bench.run_length} events",
        timed(100, bench.append_reading, before=bench.strike_reading),
        "p95 < 15 ms (60 before)",
    )
    row(f"view of that run, {bench.run_length} events", timed(40, bench.view), "p95 < 15 ms")
    row("opening a record", timed(40, bench.record), "p95 < 30 ms")
    row("Today", timed(40, bench.today), "p95 < 200 ms")
    row("certificate from the seal", timed(12, bench.certificate), "< 100 ms (313 before)")
    row("Plant, search by part of a tag", timed(20, bench.search), "p95 < 100 ms")
    row("Plant, search by part of a service", timed(20, bench.search_service), "p95 < 100 ms")
    row("due list, first page", timed(20, bench.due_list), "to compare")
    preview, write, undo = bench.import_file()
    rows.append(("import of 20,000 rows", f"preview {preview:.1f} s, written in {write:.1f} s, taken back in {undo:.1f} s", "< 30 s"))
    meanwhile, reading = bench.pages_meanwhile()
    row(f"pages of others while 20,000 rows are read ({reading:.1f} s)", meanwhile, "p95 < 300 ms")
    rows.append(("a workbook that unpacks to 300 MB is refused", f"{1000 * bench.crafted_workbook():.0f} ms", "< 5 s"))
    rows += evidence_rows(bench)
    row("Plant, first page", timed(20, bench.plant_list), "p95 < 300 ms")
    row("the year ahead", timed(5, bench.year), "to compare")
    row("Records, first page", timed(20, bench.records), "to compare")
    first, whole = script_kilobytes()
    rows.append(("compressed script of the first load", f"{first:.0f} kB (whole application {whole:.0f} kB)", "< 250 kB"))
    rows.append(("verdict on screen after Enter", verdict_on_screen(), "< 150 ms"))
    rows.append(("typed at 12 keys a second, 0 to 3 s of lag", typed_at_speed(), "all as typed"))
    from tools.bench.live import measure
    from tools.bench.people import measure as people_at_work

    live = measure()
    row("live sample to screen, five runs open", live.taken, "p95 < 150 ms (388 before)")
    rows.append(("server's CPU, five live runs watched", f"{live.watched:.0f} % of one core", "to compare"))
    rows.append(("server's CPU, five live runs, nobody looks", f"{live.idle:.0f} % of one core", "to compare"))
    row(f"others' requests, 200 watch five runs ({live.crowd.frames_a_second:.0f} frames/s)", live.crowd.others_ms, "p95 < 300 ms")
    rows.append(("server's CPU, 200 watch five runs", f"{live.crowded:.0f} % of one core", "to compare"))
    for processes in (1, 2):
        people = people_at_work(processes)
        row(
            f"200 people, {processes} processes, {people.a_second:.0f} requests/s, {people.failures} failed: entry",
            people.entries_ms,
            "to compare",
        )
        row("the same: a page", people.pages_ms, "to compare")
    row("peaks of a chromatogram of 60,000 points", timed(20, chromatogram()), "p95 < 50 ms")
    rows.append(("live chromatogram, 20 Hz", live_chromatogram(), "no gap over 50 ms"))
    electrodes, belts = (electrode_trials.shares(t) for t in electrode_trials.run_trials(1000, 2201))
    cells, lines = (electrode_trials.shares(t) for t in cell_trials.run_trials(1000, 2401))
    injections = electrode_trials.shares(injection_trials.run_trials(400, 2601))
    mixtures = electrode_trials.shares(mixture_trials.run_trials(1000, 2501))
    exposures, classed = exposure_trials.run_trials(10_000, 2101)
    _, bottled = bottle_trials.run_trials(1000, 2102)
    built = [round_trials.run_trial(seed, 20.0) for seed in (1, 2, 3)]
    rows.append(("round of 60 jobs, 3 people: first plan", f"{max(t.first_s for t in built):.1f} s", "< 2 s"))
    rows.append(("the same after 20 s, below the bound", ", ".join(f"{100 * t.gap:.1f} %" for t in built), "<= 5 %"))
    for jobs, seconds in ((14, 6.0), (60, 20.0)):
        share, plain, uneven = round_trials.run_walking(jobs, seconds)
        told = f"{share:.2f} with the way back for lunch, {plain:.2f} without"
        rows.append((f"walked, times the shortest tour, {jobs} jobs (1.5 to 2.8 before)", told, "<= 1.3"))
        rows.append((f"longest to shortest day, {jobs} jobs", f"{uneven} min", "<= 60 min"))
    rows.append(("a round that can't be done, told with its clash", f"{round_trials.explain_seconds():.1f} s", "< 5 s"))
    rows.append(("gas exposures classed right, 10,000 with faults", f"{100 * classed:.1f} %", ">= 97 %"))
    rows.append(("of them dead or blinded, and called good", str(exposure_trials.dangers(exposures)), "none"))
    rows.append(("bottles told from detectors, 1,000 plants", f"{100 * bottled:.1f} %", ">= 97 %"))
    rows += core_speed.measure()
    told, named = cause_rows()
    rows += told
    for kind, (single, mean) in coverage_trials.run_trials(5000).items():
        rows.append((f"true error within U of the mean, {kind}", f"{100 * mean:.1f} %; of each reading {100 * single:.1f} %", "94 to 96 %"))
    settled = settle_trials.run_trials(1000, 3203)
    rows.append(("settled with over a tenth of tolerance left", f"{100 * settled.over_tenth:.1f} %", "<= 2 %"))
    rows.append(("with over a quarter; never settled", f"{settled.over_quarter}; {settled.never}", "none; none"))
    rows.append(("its end within the stated U", f"{100 * settled.covered:.1f} %", ">= 95 %"))
    beside = f"{settled.later_than_window_s:+.1f} s beside the window it is told from"
    rows.append(("later than 1.5 times the earliest moment, median", f"{settled.late_s:.1f} s, {beside}", "<= one window"))
    rows.append(("the same, slower than the horizon: a tenth left", f"{100 * settled.slower_over_tenth:.0f} %", "not seen for sure"))
    for kind, told in interval_trials.run_trials(1000, 3101).items():
        name = f"drift rule, {kind}, 4 results: outside before due; interval"
        rows.append((name, f"{100 * told.outside:.1f} %; {told.median:.2f} of the register's", "<= 7 %" if kind != "still" else "kept"))
    for rule in ("fixed", "staircase"):
        outside = [interval_trials.outside_of_moving(interval_trials.run_trials(1000, 3101, n, rule)) for n in (4, 8)]
        name = f"{rule} interval, all courses that move, 4 and 8 results: outside before due"
        rows.append((name, " and ".join(f"{100 * o:.1f} %" for o in outside), "stated, not held to 7 %"))
    for kind, life in life_trials.run_trials(1000, 3301).items():
        name = f"sensor's life, ageing {life_trials.LIVES[kind]}: ended before 'not before'; result inside the band"
        rows.append(
            (
                name,
                f"{100 * life.too_late:.1f} %; {100 * life.inside:.0f} %",
                "<= 5 %; 93 to 97 %" if kind in ("even", "share") else "<= 5 %",
            )
        )
    tried = (
        ("electrode", electrodes),
        ("belt", belts),
        ("conductivity cell", cells),
        ("trace oxygen", lines),
        ("multi-component", mixtures),
        ("injection", injections),
        *((kind, electrode_trials.shares(t)) for kind, t in scale_trials.run_trials(1000, 2901).items()),
    )
    for what, (named, wrongly) in tried:
        rows.append((f"{what} faults named right; healthy given a name", f"{100 * named:.1f} %; {100 * wrongly:.1f} %", ">= 90 %; <= 5 %"))
    print(f"\n{bench.size()}\n")
    for name, measured, promised in rows:
        print(f"  {name:<44} {measured:<44} {promised}")
    print(f"\n{named}")
    print(f"\n{exposure_trials.table_text(exposures)}")


if __name__ == "__main__":
    main()
