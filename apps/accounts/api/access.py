"""Coming in and going, over HTTP: links, passwords, roles, leaving and coming back."""

from __future__ import annotations

from typing import Any

from django.contrib.auth import update_session_auth_hash
from django.utils import timezone
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts import access, second_factor
from apps.accounts.api.people import signed_in
from apps.accounts.api.serializers import FailureSerializer, OptionSerializer
from apps.accounts.models import ROLES
from apps.accounts.policy import require
from apps.accounts.services import confirm_password
from config.asked import parsed

REFUSED = {400: FailureSerializer, 403: FailureSerializer, 404: FailureSerializer}


class NewPersonSerializer(serializers.Serializer):
    username = serializers.CharField(max_length=60, allow_blank=True)
    first_name = serializers.CharField(max_length=120, allow_blank=True)
    last_name = serializers.CharField(max_length=120, allow_blank=True)
    role = serializers.CharField(max_length=30, allow_blank=True)


class LinkSerializer(serializers.Serializer):
    path = serializers.CharField(help_text="Shown this once; empty where there is nothing to pass on")
    days = serializers.IntegerField(help_text="So long it can be used")


class AccessChangeSerializer(serializers.Serializer):
    at = serializers.DateTimeField()
    by = serializers.CharField()
    what = serializers.CharField()
    reason = serializers.CharField()


class AccessRowSerializer(serializers.Serializer):
    username = serializers.CharField()
    name = serializers.CharField()
    role = serializers.CharField()
    is_active = serializers.BooleanField()
    has_password = serializers.BooleanField()
    has_device = serializers.BooleanField(help_text="A device for one-time codes is set up")
    is_you = serializers.BooleanField()
    last_seen = serializers.DateTimeField(allow_null=True)
    link_until = serializers.DateTimeField(allow_null=True)
    changes = AccessChangeSerializer(many=True)


class AccessSerializer(serializers.Serializer):
    people = AccessRowSerializer(many=True)
    roles = OptionSerializer(many=True)


class AccessActSerializer(serializers.Serializer):
    act = serializers.ChoiceField(choices=["link", "role", "leave", "back", "sign out", "take device off"])
    role = serializers.CharField(max_length=30, allow_blank=True, required=False, default="")
    reason = serializers.CharField(max_length=300, allow_blank=True, required=False, default="")


class NewPasswordSerializer(serializers.Serializer):
    password = serializers.CharField(max_length=200, trim_whitespace=False, allow_blank=True, help_text="The one of before")
    new = serializers.CharField(max_length=200, trim_whitespace=False, allow_blank=True)


class EntrySerializer(serializers.Serializer):
    name = serializers.CharField()
    username = serializers.CharField()
    until = serializers.DateTimeField()


class EnterSerializer(serializers.Serializer):
    new = serializers.CharField(max_length=200, trim_whitespace=False, allow_blank=True)


def _path(secret: str) -> Response:
    return Response({"path": f"/enter/{secret}" if secret else "", "days": access.LINK_DAYS})


class AccessView(APIView):
    @extend_schema(operation_id="list_access", responses=AccessSerializer)
    def get(self, request: Request) -> Response:
        """Everybody who is or was here, and what was done with their access."""
        require(request.user, "look after people")
        people = access.access_rows(signed_in(request), timezone.now())
        return Response({"people": people, "roles": [{"value": k, "label": t} for k, t in ROLES]})

    @extend_schema(operation_id="add_person", request=NewPersonSerializer, responses={200: LinkSerializer, **REFUSED})
    def post(self, request: Request) -> Response:
        """Put somebody on the list; a link for them to set a password."""
        given = parsed(NewPersonSerializer, request)
        return _path(access.add_person(actor=signed_in(request), data=given, now=timezone.now()))


class AccessOfView(APIView):
    @extend_schema(operation_id="change_access", request=AccessActSerializer, responses={200: LinkSerializer, **REFUSED})
    def post(self, request: Request, username: str) -> Response:
        """A new link, another role, leaving, coming back, signed out everywhere, or the device for one-time codes taken off."""
        given, now, actor = parsed(AccessActSerializer, request), timezone.now(), signed_in(request)
        common: dict[str, Any] = {"actor": actor, "username": username, "now": now}
        secret = ""
        if given["act"] == "link":
            secret = access.make_link(**common)
        elif given["act"] == "role":
            access.change_role(**common, role=given["role"], reason=given["reason"])
        elif given["act"] == "leave":
            access.leave(**common, reason=given["reason"])
        elif given["act"] == "back":
            secret = access.come_back(**common, reason=given["reason"])
        elif given["act"] == "take device off":
            second_factor.take_off(access.find_person(username), by=actor, reason=given["reason"], now=now)
        else:
            access.sign_out_everywhere(**common)
        return _path(secret)


class PasswordView(APIView):
    @extend_schema(operation_id="change_password", request=NewPasswordSerializer, responses={200: LinkSerializer, **REFUSED})
    def post(self, request: Request) -> Response:
        """One's own password; other sessions end, this one goes on."""
        given, person = parsed(NewPasswordSerializer, request), signed_in(request)
        confirm_password(request._request, person, given["password"], signs=False)
        access.change_password(actor=person, password=given["new"], now=timezone.now())
        update_session_auth_hash(request._request, person)
        return _path("")


@method_decorator(csrf_protect, name="dispatch")
class EntryView(APIView):
    permission_classes = [AllowAny]

    @extend_schema(operation_id="get_entry", responses={200: EntrySerializer, 404: FailureSerializer})
    def get(self, request: Request, secret: str) -> Response:
        """For whom a link is."""
        link = access.open_link(secret, timezone.now())
        return Response({"name": link.person.name, "username": link.person.username, "until": link.until})

    @extend_schema(operation_id="enter", request=EnterSerializer, responses={200: LinkSerializer, **REFUSED})
    def post(self, request: Request, secret: str) -> Response:
        """Set the password; the link is spent."""
        access.use_link(secret=secret, password=parsed(EnterSerializer, request)["new"], now=timezone.now())
        return _path("")
