"""Secrets on this machine: made by whichever process is there first, whole or not at all, for the server's eyes alone."""

import os
import tempfile
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path


def made_once(path: Path, make: Callable[[], bytes]) -> bytes:
    """What a file holds, made where there is none; of several who make it at the same moment one is first, and the others take theirs."""
    if not path.exists():
        number, part = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}-")  # 0600
        with os.fdopen(number, "wb") as file:
            file.write(make())
        with suppress(FileExistsError):
            os.link(part, path)
        Path(part).unlink()
    return path.read_bytes()
