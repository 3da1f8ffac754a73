"""The demonstration on this machine: a secret made on first start, plain http on localhost."""

import secrets

from config.settings.base import *  # noqa: F403
from config.settings.base import VAR_DIR, env

_secret_file = VAR_DIR / "secret-key"
if not _secret_file.exists():
    _secret_file.write_text(secrets.token_urlsafe(50))
    _secret_file.chmod(0o600)

SECRET_KEY = env("SECRET_KEY", default=_secret_file.read_text())
ALLOWED_HOSTS = env.list("ALLOWED_HOSTS", default=["localhost", "127.0.0.1", "[::1]"])
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = False
CSRF_TRUSTED_ORIGINS = env.list("CSRF_TRUSTED_ORIGINS", default=["http://localhost:5173", "http://127.0.0.1:5173"])
IS_DEMONSTRATION = True
