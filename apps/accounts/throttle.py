"""How wrong passwords are counted: by name and address, by address alone, and for a browser in which somebody has signed in before, by that browser.

Whoever types wrong passwords elsewhere can so not lock a colleague out of their own screen.
"""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Mapping
from datetime import timedelta
from typing import Any

from axes.helpers import get_client_ip_address
from axes.models import AccessAttempt
from django.conf import settings
from django.core import signing
from django.db.models import Sum
from django.http import HttpRequest, HttpResponseBase
from django.utils import timezone

KEPT_S = 180 * 24 * 3600
SALT = "a browser somebody has signed in with"
ON = " on "


def _cookie(username: str) -> str:
    return f"known-{hashlib.sha256(username.encode()).hexdigest()[:12]}"


def known_browser(request: HttpRequest, username: str) -> str:
    """The mark of this browser, where somebody of that name has signed in with it; empty otherwise."""
    try:
        told = signing.loads(request.COOKIES.get(_cookie(username), ""), salt=SALT, max_age=KEPT_S)
    except signing.BadSignature:
        return ""
    return str(told["mark"]) if isinstance(told, dict) and told.get("name") == username else ""


def remember_browser(request: HttpRequest, response: HttpResponseBase, username: str) -> None:
    """Mark this browser as one in which they have signed in."""
    mark = known_browser(request, username) or secrets.token_hex(8)
    response.set_cookie(
        _cookie(username),
        signing.dumps({"name": username, "mark": mark}, salt=SALT),
        max_age=KEPT_S,
        httponly=True,
        samesite="Lax",
        secure=settings.SESSION_COOKIE_SECURE,
    )


def counted_as(request: HttpRequest, credentials: Mapping[str, Any] | None = None) -> str:
    """The name under which wrong passwords are counted."""
    name = str((credentials or {}).get("username", ""))
    mark = known_browser(request, name)
    return f"{name}{ON}{mark}" if mark else name


def is_address_worn_out(request: HttpRequest, username: str) -> bool:
    """Whether too many wrong passwords came from this address, whatever the names; a browser that is known is not held to it."""
    if known_browser(request, username):
        return False
    since = timezone.now() - timedelta(hours=settings.AXES_COOLOFF_TIME)
    rows = AccessAttempt.objects.filter(ip_address=get_client_ip_address(request), attempt_time__gte=since).exclude(username__contains=ON)
    return int(rows.aggregate(n=Sum("failures_since_start"))["n"] or 0) >= settings.WRONG_FROM_AN_ADDRESS
