"""The page itself, and answers for what is not there."""

from __future__ import annotations

import sys

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_safe

from apps.accounts.services import LOCKED_OUT
from config.limits import failure
from config.trouble import AGAIN_S, trouble_of

FAILED = (
    "The server failed at this, which is a fault of the product and not of what you entered. "
    "What you typed is still here; what was stored before is kept. Tell whoever runs the server."
)


@require_safe
@ensure_csrf_cookie
def page(_request: HttpRequest, path: str = "") -> HttpResponse:
    """The built front end; it shows the screen that belongs to the address."""
    index = settings.FRONTEND_DIST / "index.html"
    if not index.exists():
        return HttpResponse("The front end is not built yet. Run: make build", status=503, content_type="text/plain")
    response = HttpResponse(index.read_bytes(), content_type="text/html; charset=utf-8")
    response["Cache-Control"] = "no-cache"
    return response


def api_not_found(_request: HttpRequest, path: str = "") -> HttpResponse:
    return failure("not_found", "There is nothing at this address.", status=404)


def locked_out(_request: HttpRequest, *_args: object, **_kwargs: object) -> HttpResponse:
    return failure(LOCKED_OUT.code, LOCKED_OUT.message, status=429)


def csrf_failure(_request: HttpRequest, reason: str = "") -> HttpResponse:
    return failure("cross_site", "This request did not come from the application's own page. Reload the page and try again.", status=403)


def broken(_request: HttpRequest) -> HttpResponse:
    """The answer where something failed that no view foresaw, such as a database that is locked while the session is read."""
    trouble = trouble_of(sys.exc_info()[1])
    if trouble is None:
        return failure("server_error", FAILED, status=500)
    answer = failure(trouble.code, trouble.message, status=503)
    answer["Retry-After"] = str(AGAIN_S)
    return answer
