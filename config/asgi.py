"""Entry point for asgi servers."""

import os
import threading
from typing import cast

from django.core.asgi import get_asgi_application

from config.front_door import App, FrontDoor
from config.memory import settle

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings.demo")
application = FrontDoor(cast("App", get_asgi_application()))
settle()


def _resume() -> None:
    """Go on with the captures that ran by themselves when the server last stopped, and end what loop tests still hold."""
    from django.db import DatabaseError, connection
    from django.utils import timezone

    from apps.bench import loop_tests
    from apps.bench.auto_capture import resume_all

    try:
        resume_all(timezone.now())
        loop_tests.resume()
    except DatabaseError:  # no database yet: there is nothing to resume
        pass
    finally:
        connection.close()


threading.Thread(target=_resume, name="resume captures", daemon=True).start()
