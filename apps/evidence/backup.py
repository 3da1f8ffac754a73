"""Backups: the database copied while people write, the files beside it, looked through before it counts, encrypted where a passphrase is set."""

from __future__ import annotations

import io
import json
import os
import sqlite3
import tarfile
import tempfile
import threading
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import connection, connections

from apps.evidence.models import Backup
from apps.evidence.moving import beside, copy_all
from apps.evidence.sealing import encrypt
from apps.journal import verify
from apps.journal.anchoring import BY_DAY, keys, make_anchor
from apps.journal.keys import PUBLIC
from apps.journal.keys import folder as key_folder
from metrology.faults import Fault

DATABASE, MANIFEST, FILES = "database.sqlite3", "manifest.json", "files"
PREFIX, PLAIN, SEALED = "verify-loop-", ".tar", ".tar.sealed"
PAGES, PAUSE_S = 2_000, 0.01  # copied at a time, so that those who write are let in between
_one = threading.Lock()


def make_backup(now: datetime) -> Backup:
    """Copy, pack, look through, and let the oldest go; what went wrong stands in the backup that is returned, and nothing of it is kept."""
    made = Backup(at=now)
    if not _one.acquire(blocking=False):
        raise Fault("busy", "A backup is being made already. Wait for it.")
    try:
        make_anchor(BY_DAY)
        folder = Path(settings.BACKUP_FOLDER)
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        with tempfile.TemporaryDirectory(dir=folder, prefix=".making-") as work:
            packed = _pack(Path(work), now)
            faults = verify.check(str(packed), keys(), say=lambda _: None)
            if faults:
                raise Fault("not_sound", f"The copy does not hold: {' '.join(faults[:3])}")
            made.seq = _last_entry(Path(work) / DATABASE)
            made.is_encrypted = bool(settings.BACKUP_KEY)
            name = f"{PREFIX}{now.astimezone(UTC):%Y-%m-%d-%H%M%SZ}{SEALED if made.is_encrypted else PLAIN}"
            if made.is_encrypted:
                sealed = Path(work) / "sealed"
                with packed.open("rb") as source, sealed.open("wb") as target:
                    encrypt(source, target, settings.BACKUP_KEY)
                packed = sealed
            packed.chmod(0o600)
            packed.replace(folder / name)
        made.name, made.size = name, (folder / name).stat().st_size
    except Fault as fault:
        made.problem = fault.message[:400]
    except (OSError, sqlite3.Error) as error:
        why = getattr(error, "strerror", None) or error
        made.problem = f"No backup was made: {why}. See whether {settings.BACKUP_FOLDER} is there and has room."[:400]
    finally:
        _one.release()
    made.save()
    if not made.problem:
        _rotate(Path(settings.BACKUP_FOLDER))
    return made


def copy_database(target: Path) -> None:
    """The database as it is at one moment, as a file of SQLite, while those who write go on: by SQLite's own copy, or from another engine row by row."""
    if connection.vendor != "sqlite":
        with beside(f"sqlite:///{target}") as other:
            copy_all("default", other)
            _alone(connections[other].connection)
        return
    source = connection.settings_dict["NAME"]
    with sqlite3.connect(f"file:{source}?mode=ro", uri=True) as here, sqlite3.connect(target) as there:
        here.backup(there, pages=PAGES, sleep=PAUSE_S)
    _alone(there)
    there.close()
    here.close()


def _alone(copy: sqlite3.Connection) -> None:
    """Nothing of it in another file beside it."""
    copy.execute("PRAGMA journal_mode=DELETE")


def _pack(work: Path, now: datetime) -> Path:
    copy_database(work / DATABASE)
    packed, listed = work / "packed.tar", {}
    with tarfile.open(packed, "w") as tar:
        for name, path in _what(work):
            with path.open("rb") as file:
                listed[name] = verify.digest_of_file(file)
            tar.add(path, name, recursive=False)
        manifest = {
            "format": "verify-loop-backup",
            "version": 1,
            "plant": settings.PLANT_NAME,
            "at": now.isoformat(),
            "keys": keys(),
            "files": listed,
        }
        data = json.dumps(manifest, indent=1, ensure_ascii=False).encode()
        info = tarfile.TarInfo(MANIFEST)
        info.size, info.mtime = len(data), int(now.timestamp())
        tar.addfile(info, io.BytesIO(data))
    return packed


def _what(work: Path) -> Iterator[tuple[str, Path]]:
    """Everything that a plant is made of, but for its secrets: the key to sign with and the one of the sessions stay on the machine."""
    yield DATABASE, work / DATABASE
    yield "verify.py", Path(verify.__file__)
    for name, path in (("plant.json", settings.PLANT_FILE), (PUBLIC, key_folder() / PUBLIC)):
        if path and Path(path).exists():
            yield name, Path(path)
    root = Path(settings.MEDIA_ROOT)
    for path in sorted(p for p in root.rglob("*") if p.is_file()) if root.is_dir() else []:
        yield f"{FILES}/{path.relative_to(root).as_posix()}", path


def _last_entry(database: Path) -> int:
    db = sqlite3.connect(database)
    try:
        return int(db.execute("SELECT COALESCE(MAX(seq), 0) FROM journal_entry").fetchone()[0])
    finally:
        db.close()


def _rotate(folder: Path) -> None:
    made = sorted(p for p in folder.iterdir() if p.name.startswith(PREFIX))
    for old in made[: -settings.BACKUPS_KEPT] if settings.BACKUPS_KEPT > 0 else []:
        old.unlink(missing_ok=True)


def last_good() -> Backup | None:
    """The newest backup that was made."""
    return Backup.objects.filter(problem="").order_by("-at").first()


def is_overdue(now: datetime) -> bool:
    """Whether the last backup is older than it may be, by half again."""
    last = last_good()
    return last is None or now - last.at > timedelta(hours=1.5 * settings.BACKUP_EVERY_H)


def free_bytes(folder: Path) -> int:
    """Room left where a folder is."""
    at = next((p for p in (folder, *folder.parents) if p.exists()), Path("/"))
    found: Any = os.statvfs(at)
    return int(found.f_bavail * found.f_frsize)
