"""Every failure of the API in one form: {code, message, field, details}."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import PermissionDenied
from django.http import Http404
from rest_framework import exceptions, status
from rest_framework.response import Response

from metrology.faults import Fault

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
    """Turn an exception of a view into an answer; None lets the server answer 500."""
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
    return None


def _plain(code: str, message: str, http_status: int) -> Response:
    return Response({"code": code, "message": message, "field": "", "details": {}}, status=http_status)


def _validation(error: exceptions.ValidationError) -> Response:
    faults = []
    detail = error.detail if isinstance(error.detail, dict) else {"": error.detail}
    for field, messages in detail.items():
        text = " ".join(str(m) for m in messages) if isinstance(messages, list) else str(messages)
        faults.append(Fault("invalid", f"{field}: {text}" if field else text, field=field).as_dict())
    return Response(
        {"code": "invalid", "message": " ".join(f["message"] for f in faults), "field": faults[0]["field"], "details": {"faults": faults}},
        status=400,
    )
