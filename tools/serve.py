"""Serve the demonstration: say where and with which accounts, then run the server."""

from __future__ import annotations

import argparse
import os
import subprocess
import sys
from pathlib import Path

from demo.plant import PASSWORD, PEOPLE
from tools.serving import serve, tell_own_address

ROOT = Path(__file__).resolve().parent.parent
WORLD = ROOT / "demo" / "bench" / "world.json"


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=int, default=8000)
    parser.add_argument("--no-bench", dest="bench", action="store_false", help="without the simulated bench")
    given = parser.parse_args()
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings.demo")
    tell_own_address(given.host, given.port)
    print(f"\n  Verify Loop, the demonstration plant Marram Bay:  http://{given.host}:{given.port}/\n")
    print(f"  Sign in with one of these names and the password  {PASSWORD}\n")
    for username, first, last, role in PEOPLE:
        print(f"    {username:<8} {role:<14} {first} {last}")
    print("\n  Stop with Ctrl+C.\n", flush=True)
    bench = subprocess.Popen([sys.executable, "-m", "apps.bench.simulator", str(WORLD)], cwd=ROOT) if given.bench else None
    try:
        serve(given.host, given.port)
    finally:
        if bench:
            bench.terminate()
            bench.wait()


if __name__ == "__main__":
    main()
