"""What each rule says now, as lines of a file, and which version of the core says so."""

from __future__ import annotations

import re
from hashlib import sha256
from pathlib import Path

import metrology
from metrology.faults import Fault
from metrology.tests.as_judged.around import made, told
from metrology.tests.as_judged.cases import JUDGED

FOLDER = Path(__file__).parent / "told"
VERSION = FOLDER.parent / "version"  # of the core, and the hash of all that it says
CORE = Path(metrology.__file__)
HEAD = 60  # characters of a result that stand in the file; of the rest a hash


def lines_of(name: str) -> dict[str, str]:
    """By case, what is said: how it begins, and a hash of all of it. Cases that are no question at all are left out."""
    judge, cases = JUDGED[name]
    out = {}
    for label, given in cases():
        try:
            result = told(judge(**made(given)))
        except Fault as fault:
            result = told(fault)
        except (ArithmeticError, AttributeError, IndexError, KeyError, TypeError, ValueError):
            continue
        head = result.replace("\n", " ")[:HEAD]
        out[label] = f"{head} #{sha256(result.encode()).hexdigest()[:10]}"
    return out


def read(name: str) -> dict[str, str]:
    """What the file says."""
    lines = (FOLDER / f"{name}.txt").read_text(encoding="utf-8").splitlines()
    return {label: said for label, _, said in (line.partition("\t") for line in lines)}


def write(name: str) -> int:
    """Tell it anew; how many cases."""
    lines = lines_of(name)
    (FOLDER / f"{name}.txt").write_text("".join(f"{label}\t{said}\n" for label, said in lines.items()), encoding="utf-8")
    return len(lines)


def said() -> str:
    """A hash of all that is told."""
    return sha256(b"".join(f.read_bytes() for f in sorted(FOLDER.glob("*.txt")))).hexdigest()


def raise_version() -> str:
    """The version of the core, raised where the files say otherwise than they did under it; seals name it."""
    version, _, was = VERSION.read_text(encoding="utf-8").strip().partition(" ")
    if was == said():
        return version
    whole, _, part = version.partition(".")
    version = f"{whole}.{int(part) + 1}"
    VERSION.write_text(f"{version} {said()}\n", encoding="utf-8")
    CORE.write_text(re.sub(r'CORE_VERSION = "[^"]*"', f'CORE_VERSION = "{version}"', CORE.read_text(encoding="utf-8")), encoding="utf-8")
    return version
