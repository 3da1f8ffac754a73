"""Tests: a database file of their own, quick hashes, quiet logs."""

from config.settings.base import *  # noqa: F403
from config.settings.base import DATABASES, LOGGING, REST_FRAMEWORK, VAR_DIR, env

SECRET_KEY = "for-tests-only-and-nothing-else-at-all-0123456789"
ALLOWED_HOSTS = ["*"]
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = False
PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
# A file, because the live server's threads need one; no WAL, because parallel runs copy the file.
DATABASES["default"] = {
    "ENGINE": "config.sqlite",
    "NAME": VAR_DIR / "test-main.sqlite3",
    "OPTIONS": {"timeout": 20, "transaction_mode": "IMMEDIATE", "init_command": "PRAGMA synchronous=OFF; PRAGMA busy_timeout=20000;"},
    "TEST": {"NAME": VAR_DIR / "test.sqlite3"},
}
if _elsewhere := env("TEST_DATABASE_URL", default=""):  # the same tests on another engine: make test-postgres
    DATABASES["default"] = env.db_url_config(_elsewhere)
LOGGING["loggers"] = {"django.request": {"level": "CRITICAL", "propagate": False}, "django.security": {"level": "CRITICAL"}}
LOGGING["root"]["level"] = "CRITICAL"  # type: ignore[index]
REST_FRAMEWORK["TEST_REQUEST_DEFAULT_FORMAT"] = "json"
BACKGROUND_INLINE = True
MEDIA_ROOT = VAR_DIR / "test-files"
KEY_FOLDER = VAR_DIR / "test-keys"
ANCHORS_HERE = VAR_DIR / "test-anchors"
BACKUP_FOLDER = VAR_DIR / "test-backups"
TEST_RUNNER = "tools.test_runner.CountingRunner"
WHITENOISE_AUTOREFRESH = True
IS_DEMONSTRATION = True
PLANT_NAME = "Marram Bay"
