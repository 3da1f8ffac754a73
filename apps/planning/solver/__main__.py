"""The round builder as a process of its own: a problem in on stdin, better plans and the result out on stdout. See apart.py.

With the word `search` it only searches, and gives one plan. See beside.py.
"""

from __future__ import annotations

import os
import pickle
import sys
import threading
import time
from typing import BinaryIO

from apps.planning.solver.build import build_round
from apps.planning.solver.problem import Plan
from apps.planning.solver.quick import quick_plan

SEARCH_SEED = 29
LEAST_S = 0.2
GIVES_WAY = 10  # the server's own work, and what is read live, comes first


def main() -> None:
    """Build one round, or search for one."""
    os.nice(GIVES_WAY)
    source, sink = sys.stdin.buffer, sys.stdout.buffer
    problem, given = pickle.load(source)  # noqa: S301  from the process that started this one
    stop = threading.Event()
    threading.Thread(target=_listen, args=(source, stop), daemon=True).start()

    if sys.argv[1:] == ["search"]:
        seconds = max(LEAST_S, given - time.monotonic())  # `given` is when it must end
        pickle.dump(quick_plan(problem, seconds=seconds, seed=SEARCH_SEED, should_stop=stop.is_set), sink)
        sink.flush()
        os._exit(0)  # the listener still reads, and would hold an ordinary end up

    def tell(plan: Plan, value: int, bound: float, spent: float) -> None:
        _send(sink, ("better", plan, value, bound, spent))

    _send(sink, ("done", build_round(problem, seconds=given, on_better=tell, should_stop=stop.is_set)))


def _listen(source: BinaryIO, stop: threading.Event) -> None:
    source.read(1)  # a word to stop, or the end of whoever asked
    stop.set()


def _send(sink: BinaryIO, message: object) -> None:
    pickle.dump(message, sink)
    sink.flush()


if __name__ == "__main__":
    main()
