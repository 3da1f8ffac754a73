"""Today over HTTP."""

from __future__ import annotations

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.api.people import signed_in
from apps.accounts.policy import require
from apps.planning.api.rounds import RoundJobSerializer
from apps.planning.selectors import get_today
from apps.plant.api.serializers import InstrumentRowSerializer
from apps.runs.api.serializers import RunRowSerializer


class DueRowSerializer(InstrumentRowSerializer):
    why = serializers.CharField()
    open_run = serializers.UUIDField(allow_null=True)


class MyRoundSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    name = serializers.CharField()
    late_min = serializers.IntegerField()
    jobs = RoundJobSerializer(many=True)


class TodaySerializer(serializers.Serializer):
    date = serializers.DateField()
    open_mine = RunRowSerializer(many=True)
    open_others = RunRowSerializer(many=True)
    overdue_total = serializers.IntegerField()
    due_total = serializers.IntegerField()
    on_paper_total = serializers.IntegerField()
    overdue = DueRowSerializer(many=True)
    due = DueRowSerializer(many=True)
    first = serializers.ListField(child=serializers.CharField())
    to_review = serializers.IntegerField()
    round = MyRoundSerializer(allow_null=True)


class TodayView(APIView):
    @extend_schema(operation_id="get_today", responses=TodaySerializer)
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        return Response(get_today(signed_in(request), timezone.now()))
