"""Entry point for asgi servers."""

import os

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings.demo")
application = get_asgi_application()
