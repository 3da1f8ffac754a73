"""Sensor life over HTTP."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.policy import require
from apps.plant.selectors import get_instrument
from apps.runs.sensor_life import sensor_life


class LifePointSerializer(serializers.Serializer):
    day = serializers.FloatField()
    at = serializers.DateTimeField()
    run = serializers.UUIDField()
    number = serializers.CharField()
    signal = serializers.CharField()
    relative = serializers.FloatField()
    t90_s = serializers.FloatField(allow_null=True)


class LifeBandSerializer(serializers.Serializer):
    day = serializers.FloatField()
    low = serializers.FloatField()
    fit = serializers.FloatField()
    high = serializers.FloatField()


class LifeEndSerializer(serializers.Serializer):
    by = serializers.CharField()
    on = serializers.DateField()


class LifeCourseSerializer(serializers.Serializer):
    day = serializers.FloatField()
    relative = serializers.FloatField()


class EarlierLifeSerializer(serializers.Serializer):
    life = serializers.CharField()
    since = serializers.DateTimeField()
    until = serializers.DateTimeField()
    points = LifeCourseSerializer(many=True)


class LifeChannelSerializer(serializers.Serializer):
    channel = serializers.CharField()
    unit = serializers.CharField()
    life = serializers.CharField()
    lives_before = serializers.IntegerField()
    as_of = serializers.DateTimeField()
    relative_percent = serializers.FloatField()
    remaining_percent = serializers.FloatField()
    model = serializers.CharField()
    criterion = serializers.CharField()
    says = serializers.CharField()
    ends = LifeEndSerializer(many=True)
    earlier = EarlierLifeSerializer(many=True)
    replace_by = serializers.DateField(allow_null=True)
    ends_on = serializers.DateField(allow_null=True)
    dose = serializers.FloatField()
    hours = serializers.FloatField()
    points = LifePointSerializer(many=True)
    band = LifeBandSerializer(many=True)


class SensorLifeSerializer(serializers.Serializer):
    tag = serializers.CharField()
    end_percent = serializers.FloatField()
    life_months = serializers.FloatField()
    channels = LifeChannelSerializer(many=True)


class SensorLifeView(APIView):
    @extend_schema(operation_id="get_sensor_life", responses=SensorLifeSerializer)
    def get(self, request: Request, tag: str) -> Response:
        require(request.user, "read")
        return Response(sensor_life(get_instrument(tag)))
