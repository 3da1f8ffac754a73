"""What a server process does when the bench becomes its own, at its start or once the one before has gone, and when it loses it."""

from __future__ import annotations

import threading

from django.db import DatabaseError, connection
from django.utils import timezone

from apps.bench import auto_capture, loop_tests
from apps.bench.hub import HUB
from apps.bench.lease import keep


def keep_bench() -> None:
    """Hold the bench of this plant as soon as nobody else does."""
    keep(taken=lambda: threading.Thread(target=_resume, name="resume captures", daemon=True).start(), lost=_let_go)


def _resume() -> None:
    """Go on with the captures that ran by themselves, and end what loop tests still hold."""
    try:
        auto_capture.resume_all(timezone.now())
        loop_tests.resume()
    except DatabaseError:  # no database yet: there is nothing to resume
        pass
    finally:
        connection.close()


def _let_go() -> None:
    """Whoever holds it now goes on with everything."""
    auto_capture.stop_all()
    loop_tests.stop_all()
    HUB.stop()
