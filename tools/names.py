"""Whether engine, apps and front end know a method or a family by name: they may not. Methods live in the catalogue, and only there.

`python -m tools.names` prints what it finds and fails; it is one of the checks of `make test`.
"""

from __future__ import annotations

import re
import sys
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
SEARCHED = ("metrology", "apps", "config", "frontend/src", "tools")
# Where methods are at home, what is made from them, what is history, and the corpus, which is tests.
ALLOWED = re.compile(
    r"metrology/methods/catalogue/|/tests?/|\.test\.tsx?$|migrations/|frontend/src/api/schema\.d\.ts$|tools/(corpus|names|bench|\w+_trials)|"
    r"metrology/methods/(registry|gas_method)\.py$"
)
TRICKS = (
    (re.compile(r"""\bisGas\b|\bis_gas\b"""), "asks whether it is gas"),
    (
        re.compile(r"""(screw|next_screw)\w*\s*\.\s*(startswith|endswith|startsWith|endsWith|split|includes)\("""),
        "takes the name of a screw apart",
    ),
)


def words() -> tuple[re.Pattern[str], re.Pattern[str], re.Pattern[str]]:
    """The keys of methods and the names of families as whole quoted texts, and asking a key for how it begins."""
    from metrology.methods.registry import CATALOGUE, FAMILIES

    beginnings = "|".join(sorted({re.escape(k.partition("-")[0]) for k in CATALOGUE}))

    keys = "|".join(re.escape(k) for k in sorted(CATALOGUE))
    families = "|".join(re.escape(k) for k in FAMILIES)
    return (
        re.compile(rf"""["'`]({keys})["'`]"""),
        re.compile(rf"""[=!]=+\s*["'`]({families})["'`]"""),
        re.compile(rf"""starts[wW]ith\(\s*["'`]({beginnings})-"""),
    )


def findings(name: str, text: str) -> Iterator[str]:
    """What a file may not say, a sentence each."""
    key, family, beginning = words()
    for n, line in enumerate(text.splitlines(), 1):
        if found := key.search(line):
            yield f"{name}:{n} knows the method {found[1]} by name."
        if found := family.search(line):
            yield f"{name}:{n} asks for the family {found[1]}."
        if found := beginning.search(line):
            yield f"{name}:{n} asks a method's key whether it begins with {found[1]}."
        for pattern, what in TRICKS:
            if pattern.search(line):
                yield f"{name}:{n} {what}."


def all_findings() -> list[str]:
    """Everything in the code that may not be there."""
    out: list[str] = []
    for folder in SEARCHED:
        for path in sorted((ROOT / folder).rglob("*")):
            name = path.relative_to(ROOT).as_posix()
            if path.suffix in (".py", ".ts", ".tsx") and "node_modules" not in name and not ALLOWED.search(name):
                out += findings(name, path.read_text())
    return out


def main() -> None:
    """Print what was found; fail when there is anything."""
    found = all_findings()
    print("\n".join(found) or "No method and no family is known by name outside the catalogue.")
    sys.exit(bool(found))


if __name__ == "__main__":
    main()
