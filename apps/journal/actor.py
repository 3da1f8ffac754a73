"""Who is at work, for what is written in the meantime: the journal names them without being told by every function."""

from __future__ import annotations

from collections.abc import Callable
from contextvars import ContextVar

from django.http import HttpRequest, HttpResponse

_request: ContextVar[HttpRequest | None] = ContextVar("request", default=None)


class ActorMiddleware:
    """Remembers whose request it is as long as it lasts."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        token = _request.set(request)
        try:
            return self.get_response(request)
        finally:
            _request.reset(token)


def actor() -> str:
    """The user name of who is at work; empty at the command line, and in work that goes on by itself."""
    request = _request.get()
    user = getattr(request, "user", None)
    return user.get_username() if user is not None and user.is_authenticated else ""
