"""Measuring: a large database of its own, kept between runs, as durable as the real one."""

from config.settings.demo import *  # noqa: F403
from config.settings.demo import VAR_DIR
from config.settings.kept import SQLITE_DURABLE

ALLOWED_HOSTS = ["testserver", "localhost", "127.0.0.1"]
DATABASES = {
    "default": {
        "ENGINE": "config.sqlite",
        "NAME": VAR_DIR / "bench.sqlite3",
        "OPTIONS": {"timeout": 20, "transaction_mode": "IMMEDIATE", "init_command": SQLITE_DURABLE},
    }
}
