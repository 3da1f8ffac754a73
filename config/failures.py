"""Every failure of the API in one form: {code, message, field, details}."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from django.core.exceptions import PermissionDenied
from django.http import Http404
from rest_framework import exceptions, status
from rest_framework.response import Response
from rest_framework.settings import api_settings

from config.trouble import AGAIN_S, trouble_of
from metrology.faults import Fault

NO_FIELD = api_settings.NON_FIELD_ERRORS_KEY
_A_DICT = "Names with their values are expected here."
PLAIN = {
    "not_a_dict": _A_DICT,
    "not_a_list": "A list is expected here.",
}
CONFLICTS = {"stale", "run_open", "changed_meanwhile"}


class NotAllowed(Fault):
    """The person's role does not allow this."""


class Missing(Fault):
    """There is no such thing."""


def status_of(fault: Fault) -> int:
    """HTTP status for a fault."""
    if isinstance(fault, NotAllowed):
        return status.HTTP_403_FORBIDDEN
    if isinstance(fault, Missing):
        return status.HTTP_404_NOT_FOUND
    if fault.code == "locked_out":
        return status.HTTP_429_TOO_MANY_REQUESTS
    return status.HTTP_409_CONFLICT if fault.code in CONFLICTS else status.HTTP_400_BAD_REQUEST


def handle(error: Exception, _context: Any) -> Response | None:
    """Turn an exception of a view into an answer; None lets the server answer 500 (`config.views.broken`)."""
    if isinstance(error, Fault):
        return Response(error.as_dict(), status=status_of(error))
    if isinstance(error, Http404):
        return _plain("not_found", "There is nothing at this address.", 404)
    if isinstance(error, PermissionDenied):
        return _plain("not_allowed", "Your role does not allow this.", 403)
    if isinstance(error, exceptions.NotAuthenticated | exceptions.AuthenticationFailed):
        return _plain("not_signed_in", "You are not signed in any more. Sign in again; what you typed is still here.", 401)
    if isinstance(error, exceptions.ValidationError):
        return _validation(error)
    if isinstance(error, exceptions.APIException):
        return _plain(str(error.get_codes()), str(error.detail), error.status_code)
    trouble = trouble_of(error)
    if trouble:
        answer = _plain(trouble.code, trouble.message, status.HTTP_503_SERVICE_UNAVAILABLE)
        answer["Retry-After"] = str(AGAIN_S)
        return answer
    return None


def _plain(code: str, message: str, http_status: int) -> Response:
    return Response({"code": code, "message": message, "field": "", "details": {}}, status=http_status)


def _told(detail: Any, path: tuple[str, ...]) -> Iterator[tuple[tuple[str, ...], str]]:
    """Every message with where it belongs: the field, the place in a list counted from 1, the field there."""
    if isinstance(detail, dict):
        for name, inner in detail.items():
            place = str(name + 1) if isinstance(name, int) else str(name)
            yield from _told(inner, path if place == NO_FIELD else (*path, place))
    elif isinstance(detail, list):
        for n, inner in enumerate(detail):
            is_text = isinstance(inner, exceptions.ErrorDetail)
            if is_text or inner:
                yield from _told(inner, path if is_text else (*path, str(n + 1)))
    else:
        yield path, _A_DICT if str(detail).startswith("Invalid data.") else PLAIN.get(getattr(detail, "code", ""), str(detail))


def _validation(error: exceptions.ValidationError) -> Response:
    faults = [
        Fault("invalid", f"{', '.join(path)}: {text}" if path else text, field=path[0] if path else "").as_dict()
        for path, text in _told(error.detail, ())
    ]
    return Response(
        {"code": "invalid", "message": " ".join(f["message"] for f in faults), "field": faults[0]["field"], "details": {"faults": faults}},
        status=400,
    )
