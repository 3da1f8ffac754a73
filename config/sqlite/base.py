"""The framework's SQLite, whose connections are lent and taken back instead of being opened anew for each request.

Opening one costs several milliseconds of the processor (some eighty functions are made known to it, its settings made), more than the queries of
a request; and what it has read of the file is gone when it is closed. The framework's own way of keeping connections is tied to a thread, and
under ASGI each request has a thread of its own.
"""

from __future__ import annotations

import atexit
import os
import threading
from pathlib import Path
from sqlite3 import Connection
from typing import Any, NamedTuple

from django.db.backends.sqlite3 import base

MOST_KEPT = 8  # connections of one database that wait for the next request; each may hold as many pages as `cache_size` allows


class Kept(NamedTuple):
    """A connection that waits, and which file it was opened on: one put in its place is another database."""

    connection: Connection
    file: tuple[int, int]


class Lent:
    """Connections that wait, by the database and how they are to be opened."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._waiting: dict[str, list[Kept]] = {}
        self._of_parent: list[Any] = []

    def take(self, key: str, file: tuple[int, int] | None) -> Connection | None:
        """The one that came back last, where one waits that was opened on this very file."""
        with self._lock:
            waiting = self._waiting.get(key, [])
            while waiting:
                kept = waiting.pop()
                if kept.file == file:
                    return kept.connection
                kept.connection.close()
        return None

    def give_back(self, key: str, kept: Kept) -> None:
        """Keep it for the next, or close it where enough wait."""
        with self._lock:
            waiting = self._waiting.setdefault(key, [])
            if len(waiting) < MOST_KEPT:
                waiting.append(kept)
                return
        kept.connection.close()

    def close(self) -> None:
        """Close all that wait: the last one takes what is in the write-ahead log into the file."""
        with self._lock:
            for kept in (k for waiting in self._waiting.values() for k in waiting):
                kept.connection.close()
            self._waiting.clear()

    def after_fork(self) -> None:
        """A child opens its own: it may neither use those of its parent nor close them."""
        self._lock = threading.Lock()
        self._of_parent.append(self._waiting)
        self._waiting = {}


LENT = Lent()
atexit.register(LENT.close)
os.register_at_fork(after_in_child=LENT.after_fork)


def file_of(name: str) -> tuple[int, int] | None:
    """Which file a name stands for now; None where there is none."""
    try:
        found = Path(name).stat()
    except OSError:
        return None
    return found.st_dev, found.st_ino


class DatabaseWrapper(base.DatabaseWrapper):
    """The framework's, but for where a connection comes from and goes to."""

    _key: str = ""
    _file: tuple[int, int] | None = None

    def get_new_connection(self, conn_params: dict[str, Any]) -> Connection:
        """One that waits, else a new one."""
        self._key = repr((sorted(conn_params.items(), key=lambda item: item[0]), self.settings_dict["OPTIONS"].get("init_command")))
        self._file = file_of(str(conn_params["database"]))
        waiting = LENT.take(self._key, self._file)
        return waiting or super().get_new_connection(conn_params)

    def is_usable(self) -> bool:
        """One on which anything failed is closed for good, whatever it was."""
        return not self.errors_occurred

    def _close(self) -> None:
        raw = self.connection
        if raw is None or self._file is None or self.errors_occurred or raw.in_transaction:
            super()._close()  # type: ignore[misc]
        else:
            LENT.give_back(self._key, Kept(raw, self._file))
