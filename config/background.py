"""Long work beside the request: it tells how far it is in the database and can be stopped there."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from typing import Any

from django.conf import settings
from django.db import connection

log = logging.getLogger(__name__)


def start(work: Callable[..., object], *args: Any) -> None:
    """Do the work in a thread of its own, or at once where the settings say so (tests that hold one transaction)."""
    if settings.BACKGROUND_INLINE:
        work(*args)
        return
    threading.Thread(target=_guarded, args=(work, *args), daemon=True).start()


def _guarded(work: Callable[..., object], *args: Any) -> None:
    try:
        work(*args)
    except Exception:
        log.exception("Long work ended by an error")
        raise
    finally:
        connection.close()
