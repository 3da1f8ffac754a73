"""Those who write wait for each other in the order in which they came.

SQLite lets one write at a time, and whoever finds it taken looks again after a while: somebody can be passed over many times. Within a
server they queue here instead, so that nobody waits longer than those before them take.
"""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Iterator
from contextlib import contextmanager

from django.db import connection


class Queue:
    """One at a time, in order."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._waiting: deque[threading.Event] = deque()
        self._is_taken = False

    def take(self) -> None:
        """Wait until it is one's turn."""
        mine = threading.Event()
        with self._lock:
            if not self._is_taken:
                self._is_taken = True
                return
            self._waiting.append(mine)
        mine.wait()

    def leave(self) -> None:
        """Let the next one."""
        with self._lock:
            if self._waiting:
                self._waiting.popleft().set()
            else:
                self._is_taken = False


QUEUE = Queue()


@contextmanager
def in_order() -> Iterator[None]:
    """Around a transaction that writes. Within one that goes on already it is one's turn: waiting there could wait for oneself."""
    if connection.in_atomic_block or connection.vendor != "sqlite":
        yield
        return
    QUEUE.take()
    try:
        yield
    finally:
        QUEUE.leave()
