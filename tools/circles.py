"""Whether files of the front end import each other in a circle; they may not. `python -m tools.circles` prints the circles and fails."""

from __future__ import annotations

import re
import sys
from collections.abc import Mapping
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

SOURCE = Path(__file__).resolve().parent.parent / "frontend" / "src"
IMPORT = re.compile(r"""(?:from\s+|import\(\s*|^import\s+)["'](\.[^"']+)["']""", re.MULTILINE)
ENDINGS = (".ts", ".tsx", "/index.ts", "/index.tsx", "")


def imports(root: Path = SOURCE) -> dict[str, set[str]]:
    """Each file with the files it imports, as paths below the root."""
    out: dict[str, set[str]] = {}
    for path in sorted([*root.rglob("*.ts"), *root.rglob("*.tsx")]):
        found = set()
        for target in IMPORT.findall(path.read_text()):
            made = (path.parent / target).resolve()
            hit = next((made.parent / f"{made.name}{end}" for end in ENDINGS if (made.parent / f"{made.name}{end}").is_file()), None)
            if hit is not None and hit.is_relative_to(root):
                found.add(hit.relative_to(root).as_posix())
        out[path.relative_to(root).as_posix()] = found
    return out


def circle(graph: Mapping[str, set[str]]) -> list[str]:
    """The files of a circle in their order; empty when there is none."""
    try:
        TopologicalSorter(graph).prepare()
    except CycleError as error:
        return list(error.args[1])
    return []


def main() -> None:
    """Print a circle and fail, or say that there is none."""
    found = circle(imports())
    print(" → ".join(found) or "No circles in the front end.")
    sys.exit(bool(found))


if __name__ == "__main__":
    main()
