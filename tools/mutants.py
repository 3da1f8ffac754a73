"""How much of a change to a rule the tests notice: small faults are put into the rules one by one, and the tests of the core are run on each.

`make mutants` tries every tenth of some 14,000 (`EVERY=1` all of them, which takes half a day), drawn with a seed, and prints for each module how many
faults there were and how many the tests found; it fails below LEAST. It works in a copy under `var/mutants`; a second run goes on with what was not yet
tried. Names of mutants may be given: `python -m tools.mutants 'metrology.judgement.trend*'`.
"""

from __future__ import annotations

import argparse
import json
import random
import shutil
import subprocess
import sys
from collections import Counter, defaultdict
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
COPY = ROOT / "var" / "mutants"
PARTS = ("metrology", "apps", "config", "demo", "tools", "pyproject.toml")
LEAST = 0.80
SEED = 7  # of the draw: the same ones each time, so that a second run goes on
# What mutmut stores of a mutant: 0 is a survivor, 33 one that no test reaches, 5 a run without tests; the rest was noticed.
SURVIVED, UNREACHED = (0,), (5, 33)


def make_copy() -> None:
    """The code as it stands, beside what an earlier run found out."""
    COPY.mkdir(parents=True, exist_ok=True)
    for part in PARTS:
        source, target = ROOT / part, COPY / part
        if source.is_dir():
            shutil.rmtree(target, ignore_errors=True)
            shutil.copytree(source, target, ignore=shutil.ignore_patterns("__pycache__", "node_modules"))
        else:
            shutil.copy2(source, target)


def count() -> dict[str, Counter[str]]:
    """Mutants of each module by what became of them."""
    found: dict[str, Counter[str]] = defaultdict(Counter)
    for meta in sorted((COPY / "mutants").rglob("*.meta")):
        name = meta.relative_to(COPY / "mutants").as_posix().removesuffix(".meta")
        for code in json.loads(meta.read_text())["exit_code_by_key"].values():
            kind = "untried" if code is None else "survived" if code in SURVIVED else "unreached" if code in UNREACHED else "killed"
            found[name][kind] += 1
    return found


def drawn(every: int) -> list[str]:
    """One mutant in so many, of all modules alike. They are written first; asking for one that is not there tries none."""
    _try_on(["none_of_them"])
    names = [k for meta in sorted((COPY / "mutants").rglob("*.meta")) for k in sorted(json.loads(meta.read_text())["exit_code_by_key"])]
    return sorted(random.Random(SEED).sample(names, len(names) // every))


def _try_on(names: list[str]) -> None:
    subprocess.run([Path(sys.executable).parent / "mutmut", "run", *names], cwd=COPY, check=False)


def main() -> int:
    """Run them, print the table, fail when too few were noticed."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("names", nargs="*")
    asked.add_argument("--every", type=int, default=1)
    given = asked.parse_args()
    make_copy()
    _try_on(given.names or (drawn(given.every) if given.every > 1 else []))
    total: Counter[str] = Counter()
    print(f"\n  {'module':<48}{'mutants':>9}{'killed':>9}{'share':>8}")
    for name, kinds in count().items():
        tried = kinds.total() - kinds["untried"]
        total += kinds
        if tried:
            print(f"  {name:<48}{tried:>9}{kinds['killed']:>9}{100 * kinds['killed'] / tried:>7.0f}%")
    tried = total.total() - total["untried"]
    share = total["killed"] / tried if tried else 0.0
    print(f"  {'all':<48}{tried:>9}{total['killed']:>9}{100 * share:>7.1f}%   ({total['untried']} not tried)")
    return 0 if share >= LEAST else 1


if __name__ == "__main__":
    sys.exit(main())
