"""A backup put back into an empty place, with a report of what is there, to the last entry."""

from __future__ import annotations

import json
import shutil
import sqlite3
import tarfile
import tempfile
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from apps.evidence.backup import DATABASE, FILES, MANIFEST
from apps.evidence.sealing import decrypt, is_sealed
from apps.journal import verify
from metrology.faults import Fault

TARGET = "verify-loop.sqlite3"
COUNTED = (("people", "accounts_person"), ("instruments", "plant_instrument"), ("runs", "runs_run"), ("events", "runs_runevent"))


@dataclass(frozen=True)
class Restored:
    """What a backup gave back. faults: what of it does not hold."""

    plant: str
    made_at: str
    counts: dict[str, int]
    files: int
    last_entry: int
    last_at: str
    faults: list[str]


def restore(backup: Path, target: Path, *, passphrase: str = "", keys: Sequence[str] = ()) -> Restored:
    """Put a backup into a folder that is not there yet or empty. Raises a Fault, with nothing put in place, where it can't be read.

    keys: with which its anchors must be signed; those in the backup where none is given. One that does not hold is put back all the
    same: it may be all there is; the report says what is wrong with it.
    """
    if target.exists() and any(target.iterdir()):
        raise Fault("not_empty", f"{target} is not empty. Nothing was put there; name a folder that is not there yet.")
    if not backup.is_file():
        raise Fault("no_backup", f"There is no file {backup}.")
    target.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=target.parent, prefix=".restoring-") as work:
        packed = _opened(backup, Path(work), passphrase)
        made = Path(work) / "plant"
        manifest = _unpack(packed, made)
        faults = verify.check(str(packed), list(keys or manifest.get("keys", ())), say=lambda _: None)
        found = _count(made / TARGET)
        made.chmod(0o700)
        if target.exists():
            target.rmdir()
        made.replace(target)
    files = sum(1 for name in manifest["files"] if name.startswith(f"{FILES}/"))
    return Restored(str(manifest.get("plant", "")), str(manifest["at"]), found[0], files, found[1], found[2], faults)


def _opened(backup: Path, work: Path, passphrase: str) -> Path:
    with backup.open("rb") as source:
        sealed = is_sealed(source.read(16))
    if not sealed:
        return backup
    if not passphrase:
        raise Fault("no_key", "This backup is encrypted. Give its passphrase as BACKUP_KEY. Nothing was put in place.")
    packed = work / "packed.tar"
    with backup.open("rb") as source, packed.open("wb") as target:
        decrypt(source, target, passphrase)
    return packed


def _unpack(packed: Path, made: Path) -> dict[str, Any]:
    """Only what the list names is taken out, and nothing of it lands outside of the folder."""
    made.mkdir(mode=0o700)
    try:
        with tarfile.open(packed) as tar:
            listed = tar.extractfile(MANIFEST)
            manifest: dict[str, Any] = json.load(listed) if listed else {}
            for name in manifest["files"]:
                source = tar.extractfile(name)
                path = (made / (TARGET if name == DATABASE else name)).resolve()
                if source is None or not path.is_relative_to(made.resolve()):
                    raise Fault("no_backup", f"{name} in it is no file of a plant. Nothing was put in place.")
                path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
                with path.open("wb") as file:
                    shutil.copyfileobj(source, file)
                path.chmod(0o600)
    except (tarfile.TarError, KeyError, ValueError, EOFError) as error:
        raise Fault("no_backup", f"{packed.name} can't be read as a backup ({error}). Nothing was put in place.") from error
    return manifest


def _count(database: Path) -> tuple[dict[str, int], int, str]:
    try:
        db = sqlite3.connect(database)
        counts = {name: int(db.execute(f"SELECT COUNT(*) FROM {table}").fetchone()[0]) for name, table in COUNTED}  # noqa: S608
        seq, at = db.execute("SELECT seq, at FROM journal_entry ORDER BY seq DESC LIMIT 1").fetchone() or (0, "")
        db.close()
    except sqlite3.Error as error:
        raise Fault("no_backup", f"The database in it can't be read ({error}). Nothing was put in place.") from error
    return counts, int(seq), str(at)
