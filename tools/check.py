"""Every check and test in one go; ends with 'N passed, N failed', also when something failed.

Each linter, type check and drift check counts as one; the tests count one by one. What reads the code alone goes two at a time, each told once it is
through; the tests come after, and have the machine to themselves.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
FRONTEND = ROOT / "frontend"
PYTHON = sys.executable
BIN = Path(PYTHON).parent
VAR = ROOT / "var"
ENV = {**os.environ, "DJANGO_SETTINGS_MODULE": "config.settings.test", "PYTHONWARNINGS": "ignore"}


AT_ONCE = 2


def run(*command: str, cwd: Path = ROOT, **env: str) -> int:
    """Run a command in the foreground; its exit code."""
    return subprocess.run(command, cwd=cwd, env={**ENV, **env}, check=False).returncode


def run_aside(*command: str, cwd: Path = ROOT) -> int:
    """Run a command beside others, and print what it said in one piece; its exit code."""
    done = subprocess.run(command, cwd=cwd, env=ENV, check=False, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
    if done.stdout.strip():
        print(f"\n== {' '.join(Path(command[0]).name if n == 0 else c for n, c in enumerate(command))}\n{done.stdout.rstrip()}", flush=True)
    return done.returncode


def one(*command: str, cwd: Path = ROOT) -> Callable[[], tuple[int, int]]:
    """A check that counts as one."""

    def check() -> tuple[int, int]:
        return (1, 0) if run_aside(*command, cwd=cwd) == 0 else (0, 1)

    return check


def python_tests() -> tuple[int, int]:
    """The core, the server and the journeys."""
    counts = VAR / "python-counts"
    counts.unlink(missing_ok=True)
    code = run(PYTHON, "-W", "ignore", "manage.py", "test", "--noinput", "--parallel", "2", TEST_COUNTS=str(counts))
    if not counts.exists():
        return 0, 1
    passed, failed, _ = (int(n) for n in counts.read_text().split())
    return passed, failed if failed or code == 0 else 1


def frontend_tests() -> tuple[int, int]:
    """The front end's own tests."""
    report = VAR / "vitest.json"
    report.unlink(missing_ok=True)
    code = run("npx", "vitest", "run", "--reporter=default", "--reporter=json", f"--outputFile.json={report}", cwd=FRONTEND)
    if not report.exists():
        return 0, 1
    told = json.loads(report.read_text())
    failed = int(told["numFailedTests"])
    return int(told["numPassedTests"]), failed if failed or code == 0 else 1


def client_is_current() -> tuple[int, int]:
    """The API's description and the generated client are those of the code."""
    schema, client = VAR / "openapi.yaml", VAR / "schema.d.ts"
    made = run_aside(PYTHON, "manage.py", "spectacular", "--file", str(schema), "--fail-on-warn") == 0
    made = made and run_aside("npx", "openapi-typescript", str(schema), "-o", str(client), cwd=FRONTEND) == 0
    same = made and schema.read_bytes() == (ROOT / "docs/openapi.yaml").read_bytes()
    same = same and client.read_bytes() == (FRONTEND / "src/api/schema.d.ts").read_bytes()
    if not same:
        print("The API's description or the TypeScript client is out of date. Run: make api")
    return (1, 0) if same else (0, 1)


Check = tuple[str, Callable[[], tuple[int, int]]]
OF_THE_CODE: list[Check] = [
    ("eslint", one("npx", "eslint", "src", cwd=FRONTEND)),
    ("TypeScript", one("npx", "tsc", "--noEmit", cwd=FRONTEND)),
    ("mypy", one(str(BIN / "mypy"))),
    (
        "mypy, core strict",
        one(str(BIN / "mypy"), "--strict", "--config-file=", "--cache-dir", str(VAR / "mypy-core"), "metrology", "--exclude", "/tests/"),
    ),
    ("API client", client_is_current),
    ("migrations", one(PYTHON, "manage.py", "makemigrations", "--check", "--dry-run")),
    ("ruff", one(str(BIN / "ruff"), "check", ".")),
    ("format", one(str(BIN / "ruff"), "format", "--check", "-q", ".")),
    ("import contracts", one(str(BIN / "lint-imports"), "--no-cache")),
    ("no method by name", one(PYTHON, "-m", "tools.names")),
    ("no circles in the front end", one(PYTHON, "-m", "tools.circles")),
]
TESTS: list[Check] = [("front-end tests", frontend_tests), ("Python tests", python_tests)]


def timed(check: Check) -> tuple[int, int, str]:
    """Passed, failed, and the line that tells it."""
    name, of = check
    at = time.monotonic()
    good, bad = of()
    return good, bad, f"  {name:<28} {good:>4} passed {bad:>3} failed {time.monotonic() - at:>7.1f} s"


def main() -> int:
    VAR.mkdir(exist_ok=True)
    with ThreadPoolExecutor(AT_ONCE) as pool:
        told = list(pool.map(timed, OF_THE_CODE))
    for test in TESTS:
        print(f"\n== {test[0]}", flush=True)
        told.append(timed(test))
    passed, failed = sum(t[0] for t in told), sum(t[1] for t in told)
    print("\n" + "\n".join(t[2] for t in told) + f"\n\n{passed} passed, {failed} failed", flush=True)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
