"""The course of what is followed from run to run, over HTTP."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.policy import require
from apps.plant.selectors import get_instrument
from apps.runs.history import trends_of


class TrendPointSerializer(serializers.Serializer):
    on = serializers.DateField()
    value = serializers.FloatField()
    life = serializers.CharField()
    run = serializers.UUIDField()


class TrendSerializer(serializers.Serializer):
    name = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    unit = serializers.CharField()
    low = serializers.FloatField(allow_null=True)
    high = serializers.FloatField(allow_null=True)
    life = serializers.CharField()
    says = serializers.CharField()
    points = TrendPointSerializer(many=True)


class TrendsView(APIView):
    @extend_schema(operation_id="list_trends", responses=TrendSerializer(many=True))
    def get(self, request: Request, tag: str) -> Response:
        require(request.user, "read")
        return Response(trends_of(get_instrument(tag)))
