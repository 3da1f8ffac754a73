"""What the door lets in: bodies of bearable size, honest JSON, signed-in sessions with their CSRF token."""

from __future__ import annotations

import codecs
import json
import re
from collections.abc import Callable
from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse
from rest_framework.authentication import SessionAuthentication
from rest_framework.exceptions import ParseError
from rest_framework.parsers import BaseParser
from rest_framework.request import Request


def failure(code: str, message: str, *, status: int) -> JsonResponse:
    """A failure in the form every failure of the API has."""
    return JsonResponse({"code": code, "message": message, "field": "", "details": {}}, status=status)


TOO_LARGE = "That is more than may be sent at once ({mb} MB). Send it in smaller parts; what was stored is kept."


def most_bytes(content_type: str, cookies: str) -> int:
    """How much may be sent: a file only by whoever brings a session, whatever it is worth."""
    is_upload = content_type.startswith("multipart/form-data") and f"{settings.SESSION_COOKIE_NAME}=" in cookies
    return int(settings.MAX_UPLOAD_BYTES if is_upload else settings.MAX_BODY_BYTES)


class BodyLimitMiddleware:
    """Refuses a body that is larger than any form of ours, before it is read, and an address that is no text."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        length = request.META.get("CONTENT_LENGTH") or "0"
        most = most_bytes(request.META.get("CONTENT_TYPE", ""), request.META.get("HTTP_COOKIE", ""))
        too_large = not length.isdigit() or int(length) > most
        if too_large or "chunked" in request.META.get("HTTP_TRANSFER_ENCODING", "").lower():
            return failure("too_large", TOO_LARGE.format(mb=most // 2**20), status=413)
        if "\x00" in request.path or "%00" in request.META.get("QUERY_STRING", ""):
            return failure("odd_address", "The address holds a character that can't be written down. Type it anew.", status=400)
        return self.get_response(request)


class PrivateMiddleware:
    """What the API answers is somebody's: nothing on the way keeps it, unless a view has said for how long."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        if request.path.startswith("/api/") and not response.has_header("Cache-Control"):
            response["Cache-Control"] = "private, no-store"
        return response


WITH_CODE = "with_code"  # in a session: a one-time code was proved in it


class SignedInSession(SessionAuthentication):
    """Session login with CSRF; answers 401 when nobody is signed in, so that the page can ask to sign in again."""

    def authenticate(self, request: Request) -> tuple[Any, Any] | None:
        found = super().authenticate(request)
        if found is not None:
            found[0].with_code = bool(request._request.session.get(WITH_CODE))
        return found

    def authenticate_header(self, request: Request) -> str:
        return "Session"


ODD = re.compile(r"\\u(?:0000|[dD][89a-fA-F])")  # escapes that may stand for what is no text


def _refuse_odd(text: str) -> None:
    if "\\u0000" in text or any("\ud800" <= c <= "\udfff" for c in text):
        raise ValueError("a text in it holds a character that can't be written down")


def _no_constant(text: str) -> Any:
    raise ValueError(f"{text} is not JSON")


class StrictJSONParser(BaseParser):
    """JSON without NaN and infinities, with sensible depth, whose texts can be written down: no NUL, no half of a character."""

    media_type = "application/json"

    def parse(self, stream: Any, media_type: str | None = None, parser_context: Any = None) -> Any:
        try:
            text = codecs.getreader("utf-8")(stream).read()
            told = json.loads(text, parse_constant=_no_constant)
            if ODD.search(text):
                _refuse_odd(json.dumps(told, ensure_ascii=False))
            return told
        except (ValueError, RecursionError) as error:
            raise ParseError(f"The request is not JSON: {str(error)[:200]}.") from None
