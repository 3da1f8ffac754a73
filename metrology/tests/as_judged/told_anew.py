"""What each rule says now, as lines of a file."""

from __future__ import annotations

from hashlib import sha256
from pathlib import Path

from metrology.faults import Fault
from metrology.tests.as_judged.around import made, told
from metrology.tests.as_judged.cases import JUDGED

FOLDER = Path(__file__).parent / "told"
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
