"""The device for one-time codes over HTTP: set up, proved in a session, taken off."""

from __future__ import annotations

from typing import Any

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts import second_factor
from apps.accounts.api.people import signed_in
from apps.accounts.api.serializers import FailureSerializer, ProofSerializer
from apps.accounts.models import Person
from apps.accounts.services import confirm_password
from config.asked import parsed
from config.limits import WITH_CODE
from metrology.faults import Fault


class DeviceSerializer(serializers.Serializer):
    since = serializers.DateTimeField(allow_null=True, help_text="Since when the device counts; null where there is none")
    is_proved = serializers.BooleanField(help_text="A code was given in this session")
    is_wanted = serializers.BooleanField(help_text="The plant wants codes of you, and there is no device yet")
    secret = serializers.CharField(help_text="Of a device that is being set up: shown this once")
    picture = serializers.CharField(help_text="The same to be scanned, as a data address")


class DeviceActSerializer(ProofSerializer):
    act = serializers.ChoiceField(choices=["begin", "confirm", "prove", "take off"])


def _state(request: Request, person: Person, **shown: str) -> Response:
    factor = second_factor.factor_of(person)
    told: dict[str, Any] = {
        "since": factor.confirmed_at if factor else None,
        "is_proved": bool(request._request.session.get(WITH_CODE)),
        "is_wanted": second_factor.is_missing(person),
        "secret": "",
        "picture": "",
    }
    return Response({**told, **shown})


class DeviceView(APIView):
    @extend_schema(operation_id="get_device", responses=DeviceSerializer)
    def get(self, request: Request) -> Response:
        """One's own device, and whether a code was given in this session."""
        return _state(request, signed_in(request))

    @extend_schema(operation_id="change_device", request=DeviceActSerializer, responses={200: DeviceSerializer, 400: FailureSerializer})
    def post(self, request: Request) -> Response:
        """Begin with a new device (password), confirm it (code), prove it in this session (code), or take it off (password and code)."""
        given, person, now = parsed(DeviceActSerializer, request), signed_in(request), timezone.now()
        session, shown = request._request.session, {}
        if given["act"] in ("begin", "take off"):
            confirm_password(request._request, person, given["password"], signs=False)
        if given["act"] == "begin":
            shown = second_factor.begin(person, now)
        elif given["act"] == "confirm":
            second_factor.confirm(person, given["one_time"], now)
            session[WITH_CODE] = True
        else:
            factor = second_factor.factor_of(person)
            if factor is None:
                raise Fault("no_factor", "You have no device for one-time codes. Set one up first.", field="one_time")
            second_factor.prove(request._request, factor, given["one_time"])
            session[WITH_CODE] = True
            if given["act"] == "take off":
                second_factor.take_off(person, by=person, reason="Taken off by themselves", now=now)
                session[WITH_CODE] = False
        return _state(request, person, **shown)
