"""What the database or the disk refuses, told in a sentence that says what was kept and what happens next."""

from __future__ import annotations

import errno
import sqlite3
from typing import NamedTuple

AGAIN_S = 3  # after which whoever was refused may try once more


class Trouble(NamedTuple):
    """A refusal that is nobody's doing: nothing of the request was stored, and the same may be sent again."""

    code: str
    message: str


_KEPT = "Nothing of this was stored, and what you typed stays here; it is sent again by itself."
BUSY = Trouble("store_busy", f"The plant's data is being written by somebody else just now, for longer than is usual. {_KEPT}")
FULL = Trouble(
    "store_full", f"There is no room left where the plant's data is kept: tell whoever runs the server. What is stored can be read. {_KEPT}"
)
READ_ONLY = Trouble("store_read_only", f"The plant's data can only be read at present: tell whoever runs the server. {_KEPT}")
AWAY = Trouble("store_away", f"The server can't reach the plant's data at present. {_KEPT}")
MOVING = Trouble("store_moving", f"One server process is taking over from another just now. {_KEPT}")
BROKEN = Trouble(
    "store_broken",
    "A part of the plant's data can't be read: the disk or the file is damaged. Tell whoever runs the server: "
    "look the journal through, and keep the file as it is. Nothing of this was stored.",
)
_SQLITE = {
    sqlite3.SQLITE_BUSY: BUSY,
    sqlite3.SQLITE_LOCKED: BUSY,
    sqlite3.SQLITE_FULL: FULL,
    sqlite3.SQLITE_READONLY: READ_ONLY,
    sqlite3.SQLITE_CANTOPEN: AWAY,
    sqlite3.SQLITE_IOERR: AWAY,
    sqlite3.SQLITE_CORRUPT: BROKEN,
    sqlite3.SQLITE_NOTADB: BROKEN,
}
_SQLSTATE = {"53100": FULL, "25006": READ_ONLY, "55P03": BUSY, "40001": BUSY, "40P01": BUSY, "57014": BUSY}  # PostgreSQL, appendix A
_SQLSTATE_CLASS = {"08": AWAY, "57": AWAY, "53": BUSY, "XX": BROKEN}
_ERRNO = {errno.ENOSPC: FULL, errno.EDQUOT: FULL, errno.EROFS: READ_ONLY}


def trouble_of(error: BaseException | None) -> Trouble | None:
    """The trouble behind an error, or behind what raised it; None where it is none of the database or the disk."""
    while error is not None:
        found = _one(error)
        if found:
            return found
        error = error.__cause__ or error.__context__
    return None


def _one(error: BaseException) -> Trouble | None:
    if isinstance(error, sqlite3.Error):
        code = getattr(error, "sqlite_errorcode", None)
        return _SQLITE.get(code & 0xFF) if code is not None else None
    state = getattr(error, "sqlstate", None)
    if isinstance(state, str):
        return _SQLSTATE.get(state) or _SQLSTATE_CLASS.get(state[:2])
    if type(error).__module__.startswith("psycopg") and type(error).__name__ == "OperationalError":
        return AWAY  # a connection that was never made carries no state
    return _ERRNO.get(error.errno or 0) if isinstance(error, OSError) else None
