"""Sets the framework up, without a database, for tests of the core that are run outside its own test runner."""

import os

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings.test")
django.setup()
