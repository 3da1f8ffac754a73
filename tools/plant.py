"""Serve a real plant: bring its database up to date, say where it is, and run the server. `make serve`, or as a service."""

from __future__ import annotations

import argparse
import fcntl
import ipaddress
import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from tools.serving import serve, tell_own_address


def is_local(host: str) -> bool:
    """Whether an address is this machine's own."""
    if host == "localhost":
        return True
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return False


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=int, default=8000)
    given = parser.parse_args()
    os.environ["DJANGO_SETTINGS_MODULE"] = "config.settings.plant"
    tell_own_address(given.host, given.port)
    os.umask(0o077)  # database, files and secret are the server's alone
    import django
    from django.core.exceptions import ImproperlyConfigured

    try:
        django.setup()
    except ImproperlyConfigured as wrong:
        sys.exit(f"Not started. {wrong}")
    from django.conf import settings

    if not is_local(given.host) and not settings.IS_BEHIND_TLS:
        sys.exit(
            f"Not started. On {given.host} anybody on the network could read the passwords. Leave it on localhost behind a proxy that does TLS, and say so "
            "with BEHIND_TLS=1 and ALLOWED_HOSTS."
        )
    from apps.bench.taking_over import keep_bench
    from apps.evidence.watch import start as keep_watch

    with _one_at_a_time(settings.PLANT_HOME):
        _bring_up_to_date()
    keep_bench()
    keep_watch()
    _say(given.host, given.port)
    serve(given.host, given.port)


@contextmanager
def _one_at_a_time(home: Path) -> Iterator[None]:
    """Of several processes that are started together one after the other."""
    with (home / "starting").open("wb") as file:
        fcntl.flock(file, fcntl.LOCK_EX)
        yield


def _bring_up_to_date() -> None:
    from django.core.management import call_command

    from apps.evidence.taking_over import take_over

    call_command("migrate", verbosity=0)
    taken = take_over()
    if taken:
        print(f"\n  {taken} entries of what was there before went into the journal.")
    call_command("collectstatic", interactive=False, verbosity=0)


def _say(host: str, port: int) -> None:
    from django.conf import settings

    from apps.accounts.first_start import is_new, make_code

    print(f"\n  Verify Loop{f', {settings.PLANT_NAME}' if settings.PLANT_NAME else ''}:  http://{host}:{port}/")
    print(f"  Everything of the plant is in {settings.PLANT_HOME}: that folder is what is to be saved.")
    if is_new():
        print(f"\n  Nobody is here yet. The first visit sets it up, with this code:  {make_code()}")
    print("\n  Stop with Ctrl+C.\n", flush=True)


if __name__ == "__main__":
    main()
