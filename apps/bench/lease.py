"""Who holds the bench: of all server processes of one plant one reads its devices and has its live runs, the others send on to it what needs them.

It is held by a lock that ends in the moment its process does, however that ends: of the operating system beside a file of SQLite, of PostgreSQL
by a connection of its own. No clock decides, so that two never drive one device. A row in the database tells the others where to go.
"""

from __future__ import annotations

import fcntl
import logging
import os
import threading
from collections.abc import Callable
from pathlib import Path
from typing import IO, Any, Protocol

from django.conf import settings
from django.db import DatabaseError, connection, connections
from django.utils import timezone

from apps.bench.models import BenchHolder

log = logging.getLogger(__name__)
LOOK_S = 1.0
BENCH_LOCK = 0x56_4C_42_31  # of PostgreSQL's advisory locks
ALONE, HERE, ELSEWHERE, UNKNOWN = "alone", "here", "elsewhere", "unknown"


class Lock(Protocol):
    """What one process of a plant can have at a time."""

    def take(self) -> bool:
        """Try once; whether it is ours now."""

    def is_kept(self) -> bool:
        """Whether what was ours still is."""


class FileLock:
    """Beside a file of SQLite; the operating system lets it go with the process."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._file: IO[bytes] | None = None

    def take(self) -> bool:
        """Try once. Where nothing can be written, and so nothing could be told, it is taken as free: reading goes on."""
        try:
            number = os.open(self._path, os.O_RDWR | os.O_CREAT, 0o600)
        except OSError:
            if not self._path.exists():
                return True
            number = os.open(self._path, os.O_RDONLY)
        file = os.fdopen(number, "rb")
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            file.close()
            return False
        self._file = file
        return True

    def is_kept(self) -> bool:
        """Nobody takes it from a process that lives."""
        return True

    def leave(self) -> None:
        """Let it go."""
        if self._file:
            self._file.close()
            self._file = None


class ServerLock:
    """Of PostgreSQL; it lets it go with the connection by which it was taken."""

    def __init__(self) -> None:
        self._connection: Any = None

    def take(self) -> bool:
        """Try once."""
        self.leave()
        self._connection = connections.create_connection("default")
        taken = self._ask("SELECT pg_try_advisory_lock(%s)", [BENCH_LOCK])
        if not taken:
            self.leave()
        return taken

    def is_kept(self) -> bool:
        """Whether the connection still stands."""
        try:
            return self._connection is not None and self._ask("SELECT true")
        except DatabaseError:
            self.leave()
            return False

    def leave(self) -> None:
        """Let it go."""
        if self._connection is not None:
            self._connection.close()
            self._connection = None

    def _ask(self, words: str, values: list[int] | None = None) -> bool:
        with self._connection.cursor() as cursor:
            cursor.execute(words, values)
            return bool(cursor.fetchone()[0])


def lock_of_database() -> FileLock | ServerLock:
    """The lock of the database in use."""
    if connection.vendor == "postgresql":
        return ServerLock()
    path = Path(connection.settings_dict["NAME"])
    return FileLock(path.with_name(path.name + ".bench"))


class Lease:
    """Where the bench is held, as this process knows it. A process that never asks, such as a command, is alone."""

    def __init__(self) -> None:
        self.state = ALONE
        self.address = ""  # of the other process that holds it

    @property
    def is_here(self) -> bool:
        """Whether this process may talk to devices."""
        return self.state in (ALONE, HERE)


LEASE = Lease()


class Keeper(threading.Thread):
    """Tries to hold the bench, holds it, and knows who else does."""

    def __init__(self, lease: Lease, lock: Lock, *, address: str, taken: Callable[[], None], lost: Callable[[], None]) -> None:
        super().__init__(name="bench lease", daemon=True)
        self._lease, self._lock, self._address = lease, lock, address
        self._taken, self._lost = taken, lost
        self._is_told = self._is_warned = False
        lease.state = UNKNOWN

    def run(self) -> None:
        """Look once a second, as long as the process lives."""
        wait = threading.Event()
        while True:
            try:
                self.look()
                self._is_warned = False
            except (DatabaseError, OSError) as error:
                if not self._is_warned:  # once, and not each second while a disk is full
                    log.warning("It can't be seen or told who holds the bench: %s", error)
                self._is_warned = True
            finally:
                connection.close()
            wait.wait(LOOK_S)

    def look(self) -> None:
        """Take it where it is free, give it up where it was lost, tell the others or hear from them."""
        if self._lease.state == HERE and not self._lock.is_kept():
            log.warning("The bench was lost with the connection to the database")
            self._lease.state, self._is_told = UNKNOWN, False
            self._lost()
        if self._lease.state != HERE and self._lock.take():
            self._lease.state = HERE
            self._taken()
        if self._lease.state == HERE:
            self._tell()
        else:
            self._hear()

    def _tell(self) -> None:
        if not self._is_told:
            BenchHolder.objects.update_or_create(pk=1, defaults={"address": self._address, "process": os.getpid(), "since": timezone.now()})
            self._is_told = True

    def _hear(self) -> None:
        address = BenchHolder.objects.filter(pk=1).values_list("address", flat=True).first() or ""
        self._lease.address = "" if address == self._address else address  # ours of before, and whoever holds it now has not told yet
        self._lease.state = ELSEWHERE if self._lease.address else UNKNOWN


_keeper: Keeper | None = None


def keep(taken: Callable[[], None], lost: Callable[[], None]) -> None:
    """From now on this process is one of perhaps several of its plant; asked for a second time it does nothing."""
    global _keeper
    if _keeper is None:
        _keeper = Keeper(LEASE, lock_of_database(), address=settings.OWN_ADDRESS, taken=taken, lost=lost)
        _keeper.start()
