"""Follow-ups over HTTP."""

from __future__ import annotations

from uuid import UUID

from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.api.people import signed_in
from apps.accounts.api.serializers import FailureSerializer
from apps.accounts.policy import require
from apps.followups import selectors, services
from config.asked import parsed


class FollowUpRowSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    run = serializers.UUIDField()
    number = serializers.CharField()
    tag = serializers.CharField()
    service = serializers.CharField()
    area = serializers.CharField()
    feeds = serializers.CharField()
    opened_at = serializers.DateTimeField()
    days = serializers.IntegerField()
    estimate = serializers.CharField()
    missing = serializers.ListField(child=serializers.CharField())
    is_open = serializers.BooleanField()
    closed_at = serializers.DateTimeField(allow_null=True)
    closed_by = serializers.CharField()
    note = serializers.CharField()


class FollowUpListSerializer(serializers.Serializer):
    open = serializers.IntegerField()
    closed = serializers.IntegerField()
    rows = FollowUpRowSerializer(many=True)


class FollowUpAskedSerializer(serializers.Serializer):
    name = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]  # a field called label, not the label of a field
    hint = serializers.CharField()
    value = serializers.CharField()


class FollowUpChangeSerializer(serializers.Serializer):
    at = serializers.DateTimeField()
    by = serializers.CharField()
    what = serializers.ListField(child=serializers.CharField())


class FollowUpSerializer(FollowUpRowSerializer):
    version = serializers.IntegerField()
    asked = FollowUpAskedSerializer(many=True)
    changes = FollowUpChangeSerializer(many=True)


class FollowUpAnswerSerializer(serializers.Serializer):
    values = serializers.DictField(child=serializers.CharField(allow_blank=True))
    version = serializers.IntegerField()


class FollowUpCloseSerializer(serializers.Serializer):
    note = serializers.CharField(allow_blank=True, max_length=400, required=False, default="")


ANSWERS = {200: FollowUpSerializer, 400: FailureSerializer, 403: FailureSerializer, 404: FailureSerializer, 409: FailureSerializer}


class FollowUpsView(APIView):
    @extend_schema(operation_id="list_follow_ups", responses=FollowUpListSerializer, parameters=[OpenApiParameter("closed", bool)])
    def get(self, request: Request) -> Response:
        """The open ones, or those that are closed."""
        require(request.user, "read")
        is_open = request.query_params.get("closed", "") not in ("1", "true")
        return Response({**selectors.counts(), "rows": selectors.list_follow_ups(timezone.now(), is_open=is_open)})


class FollowUpView(APIView):
    @extend_schema(operation_id="get_follow_up", responses=ANSWERS)
    def get(self, request: Request, follow_up_id: UUID) -> Response:
        require(request.user, "read")
        return Response(selectors.whole(services.get_follow_up(follow_up_id), timezone.now()))

    @extend_schema(operation_id="answer_follow_up", request=FollowUpAnswerSerializer, responses=ANSWERS)
    def put(self, request: Request, follow_up_id: UUID) -> Response:
        """What is asked, written; refused where somebody else wrote meanwhile."""
        given, now = parsed(FollowUpAnswerSerializer, request), timezone.now()
        return Response(selectors.whole(services.answer(actor=signed_in(request), follow_up_id=follow_up_id, now=now, **given), now))


class CloseView(APIView):
    @extend_schema(operation_id="close_follow_up", request=FollowUpCloseSerializer, responses=ANSWERS)
    def post(self, request: Request, follow_up_id: UUID) -> Response:
        """Closed by somebody who wrote none of it."""
        given, now = parsed(FollowUpCloseSerializer, request), timezone.now()
        return Response(selectors.whole(services.close(actor=signed_in(request), follow_up_id=follow_up_id, now=now, **given), now))
