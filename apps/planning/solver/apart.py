"""Building a round in a process of its own, so that the search takes nothing from those who read live in this one."""

from __future__ import annotations

import pickle
import queue
import subprocess
import sys
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

from apps.planning.solver.build import Built
from apps.planning.solver.problem import Plan, Problem

ROOT = Path(__file__).resolve().parents[3]
LOOK_S = 0.25
GRACE_S = 30.0  # beyond its time, after which the process is ended


def build_apart(
    problem: Problem,
    *,
    seconds: float,
    on_better: Callable[[Plan, int, float, float], None] = lambda plan, value, bound, seconds: None,
    should_stop: Callable[[], bool] = lambda: False,
) -> Built:
    """As build.build_round, beside this process; raises a RuntimeError when that process ends without a result."""
    process = subprocess.Popen([sys.executable, "-m", "apps.planning.solver"], cwd=ROOT, stdin=subprocess.PIPE, stdout=subprocess.PIPE)
    assert process.stdin is not None and process.stdout is not None
    told: queue.SimpleQueue[Any] = queue.SimpleQueue()
    threading.Thread(target=_hear, args=(process.stdout, told), daemon=True).start()
    try:
        pickle.dump((problem, seconds), process.stdin)
        process.stdin.flush()
        left, asked = seconds + GRACE_S, False
        while left > 0:
            try:
                kind, *rest = told.get(timeout=LOOK_S)
            except queue.Empty:
                left -= LOOK_S
                if should_stop() and not asked:
                    asked = True
                    process.stdin.write(b"s")
                    process.stdin.flush()
                continue
            if kind == "better":
                on_better(*rest)
            elif kind == "done":
                built: Built = rest[0]
                return built
            else:
                break
        raise RuntimeError("The process that builds rounds ended without a result.")
    finally:
        process.kill()
        process.wait(10)
        process.stdin.close()


def _hear(source: Any, told: queue.SimpleQueue[Any]) -> None:
    """Only what our own child writes is unpickled here."""
    try:
        while True:
            told.put(pickle.load(source))  # noqa: S301  from the process that was started here
    except (EOFError, pickle.UnpicklingError, ValueError, OSError):
        told.put(("ended",))
