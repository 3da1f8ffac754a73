"""Serve the demonstration: say where and with which accounts, then run the server."""

from __future__ import annotations

import argparse
import os

import uvicorn

from demo.plant import PASSWORD, PEOPLE


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=int, default=8000)
    given = parser.parse_args()
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings.demo")
    print(f"\n  Verify Loop, the demonstration plant Marram Bay:  http://{given.host}:{given.port}/\n")
    print(f"  Sign in with one of these names and the password  {PASSWORD}\n")
    for username, first, last, role in PEOPLE:
        print(f"    {username:<8} {role:<14} {first} {last}")
    print("\n  Stop with Ctrl+C.\n", flush=True)
    uvicorn.run("config.asgi:application", host=given.host, port=given.port, log_level="warning", timeout_graceful_shutdown=2)


if __name__ == "__main__":
    main()
