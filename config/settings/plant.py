"""A real plant on this machine: everything of it in one folder outside of the code, behind TLS or on localhost only."""

from pathlib import Path

from django.core.exceptions import ImproperlyConfigured

from config.plant_file import read_plant
from config.settings.base import *  # noqa: F403
from config.settings.base import env
from config.settings.kept import database, kept_secret, require_zone

PLANT_HOME = Path(env("PLANT_HOME", default=str(Path.home() / ".local" / "share" / "verify-loop")))
PLANT_HOME.mkdir(parents=True, exist_ok=True, mode=0o700)
SECRET_KEY = env("SECRET_KEY", default="") or kept_secret(PLANT_HOME)

_file = PLANT_HOME / "plant.json"
_name, _zone = read_plant(_file)
PLANT_FILE = _file
PLANT_NAME = env("PLANT_NAME", default=_name)
PLANT_TIME_ZONE = TIME_ZONE = require_zone(env("PLANT_TIME_ZONE", default=_zone or "UTC"))

IS_BEHIND_TLS = env.bool("BEHIND_TLS", default=False)
_named = env.list("ALLOWED_HOSTS", default=[])
if IS_BEHIND_TLS and not _named:
    raise ImproperlyConfigured(
        "Behind TLS, ALLOWED_HOSTS names the hosts under which people reach it, like ALLOWED_HOSTS=loop.example.org."
    )
ALLOWED_HOSTS = [*_named, "localhost", "127.0.0.1", "[::1]"]
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = IS_BEHIND_TLS
CSRF_TRUSTED_ORIGINS = [f"https://{host}" for host in _named] if IS_BEHIND_TLS else []
TRUSTED_PROXIES = env.list("TRUSTED_PROXIES", default=["127.0.0.1", "::1"] if IS_BEHIND_TLS else [])
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https") if IS_BEHIND_TLS else None

DATABASES = {"default": database(PLANT_HOME)}
MEDIA_ROOT = PLANT_HOME / "files"
KEY_FOLDER = PLANT_HOME / "keys"
ANCHORS_HERE = PLANT_HOME / "anchors"
BACKUP_FOLDER = Path(env("BACKUP_FOLDER", default=str(PLANT_HOME / "backups")))
KEEPS_WATCH = True
STATIC_ROOT = PLANT_HOME / "static"
