"""Safety functions over HTTP."""

from __future__ import annotations

from typing import Any

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.api.people import signed_in
from apps.accounts.api.serializers import FailureSerializer, OptionSerializer
from apps.accounts.policy import require
from apps.safety import selectors, services
from config.asked import parsed

TEXT: dict[str, Any] = {"required": False, "allow_blank": True, "max_length": 400}


class FunctionRowSerializer(serializers.Serializer):
    code = serializers.CharField()
    name = serializers.CharField()
    level = serializers.CharField()
    mode = serializers.CharField()
    voting = serializers.CharField()
    tags = serializers.ListField(child=serializers.CharField())
    next_proof = serializers.DateField(allow_null=True)
    overdue = serializers.IntegerField()


class FunctionFormSerializer(serializers.Serializer):
    code = serializers.CharField(**TEXT)
    name = serializers.CharField(**TEXT)
    prevents = serializers.CharField(**TEXT)
    level = serializers.CharField(**TEXT)
    mode = serializers.CharField(**TEXT)
    voting = serializers.CharField(**TEXT)
    proof_days = serializers.CharField(**TEXT)
    coverage_percent = serializers.CharField(**TEXT)
    life_years = serializers.CharField(**TEXT)
    beta_percent = serializers.CharField(**TEXT)
    rate_per_hour = serializers.CharField(**TEXT)
    other = serializers.CharField(**TEXT)
    source = serializers.CharField(**TEXT)  # type: ignore[assignment]  # a field called source, not the source of a field


class FunctionChoicesSerializer(serializers.Serializer):
    levels = OptionSerializer(many=True)
    modes = OptionSerializer(many=True)
    directions = OptionSerializer(many=True)


class FunctionListSerializer(FunctionChoicesSerializer):
    rows = FunctionRowSerializer(many=True)
    blank = FunctionFormSerializer(help_text="The form of a new one")


class FunctionEditSerializer(FunctionFormSerializer):
    reason = serializers.CharField(**TEXT)
    seen = FunctionFormSerializer(required=False)


class MemberFormSerializer(serializers.Serializer):
    trip = serializers.CharField(**TEXT)
    within = serializers.CharField(**TEXT)
    direction = serializers.CharField(**TEXT)
    since = serializers.CharField(**TEXT)


class MemberEditSerializer(MemberFormSerializer):
    reason = serializers.CharField(**TEXT)
    seen = MemberFormSerializer(required=False)


class TakenOutSerializer(serializers.Serializer):
    reason = serializers.CharField(**TEXT)


class MemberSerializer(serializers.Serializer):
    tag = serializers.CharField()
    service = serializers.CharField()
    unit = serializers.CharField()
    required = serializers.CharField()  # type: ignore[assignment]  # what is required, not whether the field is
    direction = serializers.CharField()
    form = MemberFormSerializer()
    last = serializers.DateField(allow_null=True)
    verdict = serializers.CharField()
    until = serializers.DateField()
    days = serializers.IntegerField()
    doubt = serializers.CharField()


class ProofTestSerializer(serializers.Serializer):
    run = serializers.UUIDField()
    number = serializers.CharField()
    tag = serializers.CharField()
    on = serializers.DateField()
    path = serializers.CharField()
    required = serializers.CharField()  # type: ignore[assignment]
    found = serializers.CharField()
    found_verdict = serializers.CharField()
    is_dangerous = serializers.BooleanField()
    left = serializers.CharField()
    left_verdict = serializers.CharField()
    bypass = serializers.CharField()


class FigureSerializer(serializers.Serializer):
    name = serializers.CharField()
    value = serializers.CharField()
    says = serializers.CharField()
    is_met = serializers.BooleanField()


class FunctionChangeSerializer(serializers.Serializer):
    at = serializers.DateTimeField()
    by = serializers.CharField()
    reason = serializers.CharField()
    what = serializers.CharField()


class FunctionSerializer(FunctionRowSerializer, FunctionChoicesSerializer):
    prevents = serializers.CharField()
    source = serializers.CharField()  # type: ignore[assignment]
    form = FunctionFormSerializer()
    members = MemberSerializer(many=True)
    tests = ProofTestSerializer(many=True)
    figures = FigureSerializer(many=True)
    caution = serializers.CharField()
    changes = FunctionChangeSerializer(many=True)


ANSWERS = {200: FunctionSerializer, 400: FailureSerializer, 403: FailureSerializer, 404: FailureSerializer}


class FunctionsView(APIView):
    @extend_schema(operation_id="list_functions", responses=FunctionListSerializer)
    def get(self, request: Request) -> Response:
        """All safety functions, those with a test overdue first."""
        require(request.user, "read")
        return Response(selectors.list_functions(timezone.now()))

    @extend_schema(operation_id="add_function", request=FunctionEditSerializer, responses={**ANSWERS, 201: FunctionSerializer})
    def post(self, request: Request) -> Response:
        now = timezone.now()
        made = services.store_function(actor=signed_in(request), code="", data=parsed(FunctionEditSerializer, request), now=now)
        return Response(selectors.whole(made, now), status=201)


class FunctionView(APIView):
    @extend_schema(operation_id="get_function", responses=ANSWERS)
    def get(self, request: Request, code: str) -> Response:
        require(request.user, "read")
        return Response(selectors.whole(services.get_function(code), timezone.now()))

    @extend_schema(operation_id="change_function", request=FunctionEditSerializer, responses=ANSWERS)
    def put(self, request: Request, code: str) -> Response:
        now = timezone.now()
        made = services.store_function(actor=signed_in(request), code=code, data=parsed(FunctionEditSerializer, request), now=now)
        return Response(selectors.whole(made, now))


class MemberView(APIView):
    @extend_schema(operation_id="store_member", request=MemberEditSerializer, responses=ANSWERS)
    def put(self, request: Request, code: str, tag: str) -> Response:
        """Put an instrument in, or change where it must trip."""
        now = timezone.now()
        services.store_member(actor=signed_in(request), code=code, tag=tag, data=parsed(MemberEditSerializer, request), now=now)
        return Response(selectors.whole(services.get_function(code), now))

    @extend_schema(operation_id="take_member_out", request=TakenOutSerializer, responses=ANSWERS)
    def post(self, request: Request, code: str, tag: str) -> Response:
        """Take an instrument out, with why."""
        now = timezone.now()
        given = parsed(TakenOutSerializer, request)
        made = services.take_out(actor=signed_in(request), code=code, tag=tag, reason=given.get("reason", ""), now=now)
        return Response(selectors.whole(made, now))
