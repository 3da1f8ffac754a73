"""What is looked up once while a page is read, however many instruments stand on it."""

from __future__ import annotations

from collections.abc import Callable
from contextvars import ContextVar
from typing import Any

from django.http import HttpRequest, HttpResponse

_KEPT: ContextVar[dict[str, Any] | None] = ContextVar("kept while a page is read", default=None)


def once(name: str, look: Callable[[], Any]) -> Any:
    """What `look` finds; while a page is read it is asked once."""
    kept = _KEPT.get()
    if kept is None:
        return look()
    if name not in kept:
        kept[name] = look()
    return kept[name]


class OnceMiddleware:
    """Keeps what is looked up while a page is read. Requests that write look anew each time."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if request.method not in ("GET", "HEAD"):
            return self.get_response(request)
        token = _KEPT.set({})
        try:
            return self.get_response(request)
        finally:
            _KEPT.reset(token)
