"""Rounds of function checks over HTTP."""

from __future__ import annotations

from collections.abc import Callable
from uuid import UUID

from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.api.people import signed_in
from apps.accounts.api.serializers import FailureSerializer, ProofSerializer
from apps.accounts.policy import require
from apps.accounts.services import confirm_password
from apps.checks import going, services
from apps.checks.selectors import checks_due, open_rounds, round_data, tap_of
from config.asked import parsed

TAG, TEXT = 40, 400


class CheckDueSerializer(serializers.Serializer):
    tag = serializers.CharField()
    service = serializers.CharField()
    area = serializers.CharField()
    area_code = serializers.CharField()
    voting_group = serializers.CharField()
    next_check = serializers.DateField()
    standing = serializers.CharField()
    why = serializers.CharField()
    run = serializers.UUIDField(allow_null=True)


class CheckGasSerializer(serializers.Serializer):
    bottle = serializers.CharField(max_length=TAG)
    regulator = serializers.CharField(max_length=TAG, allow_blank=True)  # empty: none is between
    line = serializers.CharField(max_length=TAG, allow_blank=True)


class NewCheckRoundSerializer(serializers.Serializer):
    tags = serializers.ListField(child=serializers.CharField(max_length=TAG), max_length=200)
    said = serializers.DictField(child=serializers.CharField(max_length=TEXT, allow_blank=True))
    gases = CheckGasSerializer(many=True)


class CheckRoundRowSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    by = serializers.CharField()
    is_mine = serializers.BooleanField()
    made_at = serializers.DateTimeField()
    jobs = serializers.IntegerField()
    done = serializers.IntegerField()


class CheckAskedSerializer(serializers.Serializer):
    name = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    unit = serializers.CharField()


class CheckJobSerializer(serializers.Serializer):
    tag = serializers.CharField()
    service = serializers.CharField()
    area = serializers.CharField()
    voting_group = serializers.CharField()
    unit = serializers.CharField()
    run = serializers.UUIDField(allow_null=True)
    state = serializers.CharField()
    at_step = serializers.CharField()
    is_on_hold = serializers.BooleanField()
    verdict = serializers.CharField()
    note = serializers.CharField()
    asks = CheckAskedSerializer(many=True)


class RoundGasSerializer(CheckGasSerializer):
    holds = serializers.CharField()
    litres_left = serializers.FloatField(allow_null=True)
    litres_wanted = serializers.FloatField()
    checks = serializers.IntegerField()
    is_short = serializers.BooleanField()
    others = serializers.ListField(child=serializers.CharField())


class CheckRoundSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    by = serializers.CharField()
    is_mine = serializers.BooleanField()
    made_at = serializers.DateTimeField()
    closed_at = serializers.DateTimeField(allow_null=True)
    said = serializers.DictField(child=serializers.CharField())
    jobs = CheckJobSerializer(many=True)
    ready = serializers.IntegerField()
    gases = RoundGasSerializer(many=True)


class TagSerializer(serializers.Serializer):
    tag = serializers.CharField(max_length=TAG)


class BeginSerializer(TagSerializer):
    step_by_step = serializers.BooleanField(default=False)
    said = serializers.DictField(child=serializers.CharField(max_length=TEXT, allow_blank=True), default=dict)


class ReadSerializer(TagSerializer):
    event_id = serializers.UUIDField()
    indicated = serializers.CharField(max_length=TAG)
    is_sure = serializers.BooleanField(default=False)


class SaidSerializer(TagSerializer):
    said = serializers.DictField(child=serializers.CharField(max_length=TEXT, allow_blank=True), default=dict)


class ReasonSerializer(TagSerializer):
    reason = serializers.CharField(max_length=TEXT, allow_blank=True, default="")


class TapSerializer(serializers.Serializer):
    label = serializers.CharField()  # type: ignore[assignment]
    cautions = serializers.ListField(child=serializers.CharField())
    says = serializers.ListField(child=serializers.CharField())


class SignAllSerializer(ProofSerializer):
    note = serializers.CharField(max_length=TEXT, allow_blank=True, default="")


ANSWERS = {200: CheckRoundSerializer, 400: FailureSerializer, 403: FailureSerializer, 404: FailureSerializer, 409: FailureSerializer}


def _shown(request: Request, round_id: UUID, status: int = 200) -> Response:
    return Response(round_data(services.find_round(round_id), signed_in(request), timezone.now()), status=status)


def _done(request: Request, round_id: UUID, act: Callable[..., object], kind: type[serializers.Serializer]) -> Response:
    """Something done with one detector of a round; the round as it is then."""
    act(actor=signed_in(request), round_id=round_id, now=timezone.now(), **parsed(kind, request))
    return _shown(request, round_id)


class ChecksDueView(APIView):
    @extend_schema(
        operation_id="list_checks_due",
        responses=CheckDueSerializer(many=True),
        parameters=[OpenApiParameter("area", str), OpenApiParameter("days", int)],
    )
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        days = request.query_params.get("days", "30")
        within = min(int(days), 400) if days.isdecimal() else 30
        return Response(checks_due(timezone.localdate(), area=request.query_params.get("area", ""), days=within))


class CheckRoundsView(APIView):
    @extend_schema(operation_id="list_check_rounds", responses=CheckRoundRowSerializer(many=True))
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        return Response(open_rounds(signed_in(request)))

    @extend_schema(
        operation_id="make_check_round", request=NewCheckRoundSerializer, responses={201: CheckRoundSerializer, 400: FailureSerializer}
    )
    def post(self, request: Request) -> Response:
        given = parsed(NewCheckRoundSerializer, request)
        made = services.make_round(actor=signed_in(request), now=timezone.now(), **given)
        return _shown(request, made.id, 201)


class CheckRoundView(APIView):
    @extend_schema(operation_id="get_check_round", responses=ANSWERS)
    def get(self, request: Request, round_id: UUID) -> Response:
        require(request.user, "read")
        return _shown(request, round_id)


class TapView(APIView):
    @extend_schema(
        operation_id="get_check_tap", responses={**ANSWERS, 200: TapSerializer}, parameters=[OpenApiParameter("tag", str, required=True)]
    )
    def get(self, request: Request, round_id: UUID) -> Response:
        """What the next tap says of a detector, to be read before it is said."""
        require(request.user, "read")
        return Response(tap_of(services.find_round(round_id), request.query_params.get("tag", "")))


class BeginView(APIView):
    @extend_schema(operation_id="begin_check", request=BeginSerializer, responses=ANSWERS)
    def post(self, request: Request, round_id: UUID) -> Response:
        return _done(request, round_id, going.begin, BeginSerializer)


class ReadView(APIView):
    @extend_schema(operation_id="read_check", request=ReadSerializer, responses=ANSWERS)
    def post(self, request: Request, round_id: UUID) -> Response:
        return _done(request, round_id, going.read, ReadSerializer)


class GoOnView(APIView):
    @extend_schema(operation_id="go_on_check", request=SaidSerializer, responses=ANSWERS)
    def post(self, request: Request, round_id: UUID) -> Response:
        return _done(request, round_id, going.go_on, SaidSerializer)


class GiveBackView(APIView):
    @extend_schema(operation_id="give_check_back", request=SaidSerializer, responses=ANSWERS)
    def post(self, request: Request, round_id: UUID) -> Response:
        return _done(request, round_id, going.give_back, SaidSerializer)


class AgainView(APIView):
    @extend_schema(operation_id="take_check_again", request=ReasonSerializer, responses=ANSWERS)
    def post(self, request: Request, round_id: UUID) -> Response:
        return _done(request, round_id, going.take_again, ReasonSerializer)


class AsideView(APIView):
    @extend_schema(operation_id="set_check_aside", request=ReasonSerializer, responses=ANSWERS)
    def post(self, request: Request, round_id: UUID) -> Response:
        return _done(request, round_id, going.set_aside, ReasonSerializer)


class GasView(APIView):
    @extend_schema(operation_id="add_check_gas", request=CheckGasSerializer, responses=ANSWERS)
    def post(self, request: Request, round_id: UUID) -> Response:
        services.add_gas(actor=signed_in(request), round_id=round_id, gas=parsed(CheckGasSerializer, request))
        return _shown(request, round_id)


class SignAllView(APIView):
    @extend_schema(operation_id="sign_checks", request=SignAllSerializer, responses=ANSWERS)
    def post(self, request: Request, round_id: UUID) -> Response:
        given = parsed(SignAllSerializer, request)
        require(request.user, "sign a run")
        confirm_password(request._request, signed_in(request), given["password"], given["one_time"])
        services.sign_all(actor=signed_in(request), round_id=round_id, note=given["note"], now=timezone.now())
        return _shown(request, round_id)
