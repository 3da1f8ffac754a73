"""Figures of the evidence: a journal of a million entries looked through, the large database backed up while it is written to, and how a server stands."""

from __future__ import annotations

import sqlite3
import tempfile
import threading
import time
from collections.abc import Iterator
from pathlib import Path

from tools.bench.database import Bench
from tools.standing import eight_writers, killed
from tools.timing import percentile, timed

ENTRIES = 1_000_000
KILLED, APPENDS = 200, 2_000
Rows = list[tuple[str, str, str]]


def _entries(many: int) -> Iterator[tuple[object, ...]]:
    from apps.journal import verify

    previous = verify.GENESIS
    for n in range(1, many + 1):
        run, body = "d27542ab9f3f50fa9561448026b62293", '{"by":"ines","type":"reading_taken"}'
        told = (n, "2026-11-30T09:49:21.454985Z", "run", run, n, "a" * 64, body)
        content = verify.content_of(*told)
        previous = verify.entry_link(previous, content)
        yield (*told, content, previous)


def journal_rate(folder: Path, many: int = ENTRIES) -> float:
    """Entries of a journal in a database looked through in a second, by the file that is shipped."""
    from apps.journal import verify

    path = folder / "journal.sqlite3"
    db = sqlite3.connect(path)
    db.execute(f"CREATE TABLE journal_entry ({', '.join(verify.COLUMNS)}, PRIMARY KEY (seq))")
    marks = ", ".join("?" * len(verify.COLUMNS))
    db.executemany(f"INSERT INTO journal_entry VALUES ({marks})", _entries(many))  # noqa: S608 -- names of columns
    db.commit()
    began = time.perf_counter()
    rows = db.execute(f"SELECT {', '.join(verify.COLUMNS)} FROM journal_entry ORDER BY seq")  # noqa: S608 -- names of columns
    fault, count, _ = verify.find_journal_fault(rows)
    took = time.perf_counter() - began
    db.close()
    assert not fault and count == many, fault
    return many / took


def backed_up_meanwhile(bench: Bench, folder: Path) -> tuple[float, float, list[float]]:
    """Seconds and megabytes of a copy of the large database, and what an append took meanwhile, in ms."""
    from apps.evidence.backup import copy_database

    target, took = folder / "copy.sqlite3", [0.0]

    def copy() -> None:
        began = time.perf_counter()
        copy_database(target)
        took[0] = time.perf_counter() - began

    worker = threading.Thread(target=copy)
    worker.start()
    appends: list[float] = []
    while worker.is_alive() or len(appends) < 20:
        appends += timed(1, bench.append_reading, before=bench.strike_reading)
    worker.join()
    return took[0], target.stat().st_size / 2**20, appends


def evidence_rows(bench: Bench) -> Rows:
    """The rows of the table."""
    rows: Rows = []
    with tempfile.TemporaryDirectory() as folder:
        rows.append((f"journal of {ENTRIES:,} entries, verify.py", f"{journal_rate(Path(folder)):,.0f} entries/s", ">= 50,000 entries/s"))
        seconds, megabytes, appends = backed_up_meanwhile(bench, Path(folder))
        rows.append((f"copy of {megabytes:,.0f} MB while written to", f"{seconds:.1f} s", "to compare"))
        rows.append(
            (
                "append of a reading meanwhile",
                f"p50 {percentile(appends, 0.5):.0f} ms   p95 {percentile(appends, 0.95):.0f} ms",
                "to compare",
            )
        )
    rows.append((f"killed {KILLED} times while typing, disk full or not", str(killed(KILLED)), "0 lost, 0 doubled"))
    for on_one in (True, False):
        told = str(eight_writers(APPENDS, on_one=on_one))
        rows.append((f"eight writers on {'one run' if on_one else 'eight runs'}", told, "0 lost, 0 doubled, no server error"))
    return rows
