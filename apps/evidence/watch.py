"""What a server does by itself beside serving: an anchor each day, a backup when one is due, the journal looked through at night."""

from __future__ import annotations

import logging
import threading
import time
from datetime import datetime, timedelta

from django.conf import settings
from django.db import connection
from django.utils import timezone

from apps.bench.lease import LEASE
from apps.evidence import checking
from apps.evidence.backup import last_good, make_backup
from apps.evidence.models import Backup, LookThrough
from apps.journal.anchoring import BY_DAY, make_anchor
from apps.journal.models import Anchor
from apps.journal.writing import Told, moment, write

log = logging.getLogger(__name__)
LOOK_S = 60.0
STEP = timedelta(seconds=30)
NIGHT_FROM, NIGHT_UNTIL = 1, 5  # hours of the plant's day
RETRY = timedelta(hours=1)


class Clock:
    """The server's clock beside one that nobody can set: a step of it is written into the journal, in either direction."""

    def __init__(self, at: datetime, ticks: float) -> None:
        self._at, self._ticks = at, ticks

    def look(self, at: datetime, ticks: float) -> timedelta | None:
        """Compare; the step, where there was one. ticks: seconds of a clock that only goes on."""
        step = at - self._at - timedelta(seconds=ticks - self._ticks)
        self._at, self._ticks = at, ticks
        if abs(step) <= STEP:
            return None
        write(
            [Told("clock", "set forward" if step > timedelta(0) else "set back", {"by_s": round(step.total_seconds()), "to": moment(at)})]
        )
        return step


def start() -> None:
    """Watch from now on, in a thread that ends with the server."""
    threading.Thread(target=_watch, name="evidence", daemon=True).start()


def _watch() -> None:
    wait, clock = threading.Event(), Clock(timezone.now(), time.monotonic())
    while True:
        try:
            clock.look(timezone.now(), time.monotonic())
            if LEASE.is_here:  # of several processes one looks after it
                do_what_is_due(timezone.now())
        except Exception:  # tomorrow is another day, and the status page tells what is overdue
            log.exception("The evidence could not be looked after")
        finally:
            connection.close()
        wait.wait(LOOK_S)


def do_what_is_due(now: datetime) -> list[str]:
    """Do it, and say what was done."""
    done = []
    local = timezone.localtime(now)
    midnight = local.replace(hour=0, minute=0, second=0, microsecond=0)
    if not Anchor.objects.filter(at__gte=moment(midnight)).exists() and make_anchor(BY_DAY):
        done.append("anchor")
    if _backup_is_due(now):
        make_backup(now)
        done.append("backup")
    began = LookThrough.objects.order_by("-began_at").values_list("began_at", flat=True).first()
    at_night = NIGHT_FROM <= local.hour < NIGHT_UNTIL
    if (at_night and (began is None or began < midnight)) or (began is not None and now - began > timedelta(days=2)):
        checking.finish(checking.start(now))
        done.append("look through")
    return done


def _backup_is_due(now: datetime) -> bool:
    if not settings.BACKUP_EVERY_H:
        return False
    last, tried = last_good(), Backup.objects.order_by("-at").first()
    if tried and tried.problem and now - tried.at < RETRY:
        return False
    return last is None or now - last.at >= timedelta(hours=settings.BACKUP_EVERY_H)
