"""Run the server and the front end's own server together, both with hot reload; one stops the other."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent


def main() -> int:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings.demo")
    server = [
        sys.executable,
        "-m",
        "uvicorn",
        "config.asgi:application",
        "--reload",
        "--log-level",
        "warning",
        "--timeout-graceful-shutdown",
        "2",
    ]
    bench = [sys.executable, "-m", "apps.bench.simulator", "demo/bench/world.json"]
    both = [
        subprocess.Popen(bench, cwd=ROOT),
        subprocess.Popen(server, cwd=ROOT),
        subprocess.Popen(["npm", "run", "-s", "dev"], cwd=ROOT / "frontend"),
    ]
    try:
        while all(p.poll() is None for p in both):
            time.sleep(0.3)
    except KeyboardInterrupt:
        pass
    for p in both:
        if p.poll() is None:
            p.terminate()
    for p in both:
        p.wait()
    return 0


if __name__ == "__main__":
    sys.exit(main())
