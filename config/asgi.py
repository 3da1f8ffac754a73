"""Entry point for asgi servers."""

import os
from typing import cast

from django.core.asgi import get_asgi_application

from config.front_door import App, FrontDoor
from config.memory import load, settle

load()
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings.demo")
_django = get_asgi_application()
# Only now can be imported what knows models.
from apps.bench.api.elsewhere import Elsewhere  # noqa: E402
from apps.bench.taking_over import keep_bench  # noqa: E402

application = FrontDoor(Elsewhere(cast("App", _django)))
settle()
keep_bench()
