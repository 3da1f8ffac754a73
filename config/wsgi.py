"""Entry point for wsgi servers."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings.demo")
application = get_wsgi_application()
