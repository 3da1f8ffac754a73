#!/usr/bin/env python
"""Django's command line."""

import os
import sys

if __name__ == "__main__":
    is_test = len(sys.argv) > 1 and sys.argv[1] == "test"
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings.test" if is_test else "config.settings.demo")
    from django.core.management import execute_from_command_line

    execute_from_command_line(sys.argv)
