"""The demonstration on this machine: a secret made on first start, plain http on localhost."""

from config.settings.base import *  # noqa: F403
from config.settings.base import VAR_DIR, env
from config.settings.kept import kept_secret

SECRET_KEY = env("SECRET_KEY", default="") or kept_secret(VAR_DIR)
ALLOWED_HOSTS = env.list("ALLOWED_HOSTS", default=["localhost", "127.0.0.1", "[::1]"])
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = False
CSRF_TRUSTED_ORIGINS = env.list("CSRF_TRUSTED_ORIGINS", default=["http://localhost:5173", "http://127.0.0.1:5173"])
IS_DEMONSTRATION = True
PLANT_NAME = env("PLANT_NAME", default="Marram Bay")
