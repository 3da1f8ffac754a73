"""Session: who am I, sign in, sign out."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.contrib.auth import login, logout
from django.middleware.csrf import get_token
from django.utils import timezone
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect
from drf_spectacular.utils import extend_schema
from rest_framework.exceptions import NotAuthenticated
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts import first_start, second_factor
from apps.accounts.api.serializers import FailureSerializer, FirstStartSerializer, SessionSerializer, SignInSerializer
from apps.accounts.models import Person
from apps.accounts.outside import SIGNING, is_code_wanted
from apps.accounts.policy import allowed_actions
from apps.accounts.services import check_password, password_rule
from apps.accounts.sessions import BACKEND
from apps.accounts.throttle import remember_browser
from config.asked import parsed
from config.limits import WITH_CODE


def _person(p: Person) -> dict[str, Any]:
    told = {"username": p.username, "name": p.name, "role": p.role}
    return {**told, "may": allowed_actions(p), "lacks_device": second_factor.is_missing(p)}


def _session(request: Request) -> dict[str, Any]:
    first_start.catch_up()
    p = request.user
    person = _person(p) if isinstance(p, Person) else None
    empty = person is None and first_start.is_new()
    return {
        "person": person,
        "plant": settings.PLANT_NAME,
        "time_zone": settings.PLANT_TIME_ZONE,
        "password_rule": password_rule(),
        "signs_with_code": is_code_wanted(SIGNING),
        "is_new": empty,
    }


@method_decorator(csrf_protect, name="dispatch")
class SessionView(APIView):
    permission_classes = [AllowAny]

    @extend_schema(responses=SessionSerializer, operation_id="get_session")
    def get(self, request: Request) -> Response:
        get_token(request._request)
        return Response(_session(request))

    @extend_schema(request=SignInSerializer, responses=SessionSerializer, operation_id="sign_in")
    def post(self, request: Request) -> Response:
        """Sign in: with the password, and a one-time code for whoever has set a device up."""
        given = parsed(SignInSerializer, request)
        person = check_password(request._request, given["username"], given["password"])
        is_proved = second_factor.check_code(request._request, person, given["one_time"], signs=False)
        login(request._request, person, backend=BACKEND)
        request._request.session[WITH_CODE] = is_proved
        request.user = person
        answer = Response(_session(request))
        remember_browser(request._request, answer, person.username)
        return answer

    @extend_schema(responses={200: SessionSerializer}, operation_id="sign_out")
    def delete(self, request: Request) -> Response:
        logout(request._request)
        request.user = request._request.user
        return Response(_session(request))


@method_decorator(csrf_protect, name="dispatch")
class FirstStartView(APIView):
    permission_classes = [AllowAny]

    @extend_schema(request=FirstStartSerializer, responses={200: SessionSerializer, 400: FailureSerializer}, operation_id="set_up")
    def post(self, request: Request) -> Response:
        """Set up an empty plant; whoever does it is signed in as its administrator."""
        if not first_start.is_new():
            raise NotAuthenticated
        person = first_start.set_up(parsed(FirstStartSerializer, request), timezone.now())
        login(request._request, person, backend=BACKEND)
        request.user = person
        return Response(_session(request))
