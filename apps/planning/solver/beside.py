"""A second search with a luck of its own, in a process beside this one: two find more than one that goes on for twice as long."""

from __future__ import annotations

import pickle
import queue
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from apps.planning.solver.problem import Plan, Problem

ROOT = Path(__file__).resolve().parents[3]
GRACE_S = 3.0  # beyond its time, after which it is not waited for


class Beside:
    """The search in the other process; started at once."""

    def __init__(self, problem: Problem, *, seconds: float) -> None:
        self._process = subprocess.Popen(
            [sys.executable, "-m", "apps.planning.solver", "search"], cwd=ROOT, stdin=subprocess.PIPE, stdout=subprocess.PIPE
        )
        assert self._process.stdin is not None and self._process.stdout is not None
        self._told: queue.SimpleQueue[Any] = queue.SimpleQueue()
        threading.Thread(target=self._hear, args=(self._process.stdout,), daemon=True).start()
        # It is told when to end, not for how long to go on: a process that starts late searches less and is not late. All processes share this clock.
        pickle.dump((problem, time.monotonic() + seconds), self._process.stdin)
        self._process.stdin.flush()

    def _hear(self, source: Any) -> None:
        try:
            self._told.put(pickle.load(source))  # noqa: S301  from the process that was started here
        except (EOFError, pickle.UnpicklingError, ValueError, OSError):
            self._told.put(None)

    def result(self, *, should_stop: Callable[[], bool] = lambda: False, patience_s: float = GRACE_S) -> Plan | None:
        """Its plan; None when it has none in time, which is no harm. The process is ended."""
        assert self._process.stdin is not None
        try:
            if should_stop():
                self._process.stdin.write(b"s")
                self._process.stdin.flush()
            found: Plan | None = self._told.get(timeout=patience_s)
            return found
        except (queue.Empty, OSError):
            return None
        finally:
            self.end()

    def end(self) -> None:
        """End the process, whatever it has."""
        self._process.kill()
        self._process.wait(10)
        if self._process.stdin:
            self._process.stdin.close()
