"""Every check and test in one go; ends with 'N passed, N failed', also when something failed.

Each linter, type check and drift check counts as one; the tests count one by one.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
FRONTEND = ROOT / "frontend"
PYTHON = sys.executable
BIN = Path(PYTHON).parent
VAR = ROOT / "var"
ENV = {**os.environ, "DJANGO_SETTINGS_MODULE": "config.settings.test", "PYTHONWARNINGS": "ignore"}


def run(*command: str, cwd: Path = ROOT, **env: str) -> int:
    """Run a command in the foreground; its exit code."""
    return subprocess.run(command, cwd=cwd, env={**ENV, **env}, check=False).returncode


def one(*command: str, cwd: Path = ROOT) -> Callable[[], tuple[int, int]]:
    """A check that counts as one."""

    def check() -> tuple[int, int]:
        return (1, 0) if run(*command, cwd=cwd) == 0 else (0, 1)

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
    made = run(PYTHON, "manage.py", "spectacular", "--file", str(schema), "--fail-on-warn") == 0
    made = made and run("npx", "openapi-typescript", str(schema), "-o", str(client), cwd=FRONTEND) == 0
    same = made and schema.read_bytes() == (ROOT / "docs/openapi.yaml").read_bytes()
    same = same and client.read_bytes() == (FRONTEND / "src/api/schema.d.ts").read_bytes()
    if not same:
        print("The API's description or the TypeScript client is out of date. Run: make api")
    return (1, 0) if same else (0, 1)


CHECKS: list[tuple[str, Callable[[], tuple[int, int]]]] = [
    ("ruff", one(str(BIN / "ruff"), "check", ".")),
    ("format", one(str(BIN / "ruff"), "format", "--check", "-q", ".")),
    ("mypy, core strict", one(str(BIN / "mypy"), "--strict", "--config-file=", "metrology", "--exclude", "/tests/")),
    ("mypy", one(str(BIN / "mypy"))),
    ("import contracts", one(str(BIN / "lint-imports"), "--no-cache")),
    ("no method by name", one(PYTHON, "-m", "tools.names")),
    ("no circles in the front end", one(PYTHON, "-m", "tools.circles")),
    ("migrations", one(PYTHON, "manage.py", "makemigrations", "--check", "--dry-run")),
    ("API client", client_is_current),
    ("eslint", one("npx", "eslint", "src", cwd=FRONTEND)),
    ("TypeScript", one("npx", "tsc", "--noEmit", cwd=FRONTEND)),
    ("front-end tests", frontend_tests),
    ("Python tests", python_tests),
]


def main() -> int:
    VAR.mkdir(exist_ok=True)
    passed = failed = 0
    told = []
    for name, check in CHECKS:
        print(f"\n== {name}", flush=True)
        at = time.monotonic()
        good, bad = check()
        passed, failed = passed + good, failed + bad
        told.append(f"  {name:<20} {good:>4} passed {bad:>3} failed {time.monotonic() - at:>7.1f} s")
    print("\n" + "\n".join(told) + f"\n\n{passed} passed, {failed} failed", flush=True)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
