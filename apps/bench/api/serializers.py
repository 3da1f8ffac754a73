"""Shapes of the bench."""

from __future__ import annotations

from rest_framework import serializers


class SignalSerializer(serializers.Serializer):
    id = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    device = serializers.CharField()
    protocol = serializers.CharField()
    unit = serializers.CharField()
    is_wired = serializers.BooleanField()
    can_set = serializers.BooleanField()
    is_likely = serializers.BooleanField()
    role = serializers.CharField()


class ModemSerializer(serializers.Serializer):
    id = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    is_wired = serializers.BooleanField()


class CaptureSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    expected_seq = serializers.IntegerField(min_value=0)
    typed = serializers.DictField(child=serializers.CharField(allow_blank=True), required=False, default=dict)


class TurnSerializer(serializers.Serializer):
    block = serializers.CharField()
    point = serializers.CharField()
    sensors = serializers.ListField(child=serializers.CharField())
    start_s = serializers.FloatField()
    ready_s = serializers.FloatField()
    read_s = serializers.FloatField()
    done_s = serializers.FloatField()


class BatchPlanSerializer(serializers.Serializer):
    finish_s = serializers.FloatField()
    one_after_another_s = serializers.FloatField()
    saved_s = serializers.FloatField()
    turns = TurnSerializer(many=True)


class LaneSerializer(serializers.Serializer):
    label = serializers.CharField()  # type: ignore[assignment]
    says = serializers.CharField()
    is_over = serializers.BooleanField()


class AutoRunSerializer(serializers.Serializer):
    id = serializers.CharField()
    number = serializers.CharField()
    tag = serializers.CharField()
    at_step = serializers.CharField()
    taken = serializers.IntegerField()
    total = serializers.IntegerField()


class AutoSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    status = serializers.CharField()
    says = serializers.CharField()
    started_at = serializers.DateTimeField()
    ended_at = serializers.DateTimeField(allow_null=True)
    started_by = serializers.CharField()
    runs = AutoRunSerializer(many=True)
    lanes = LaneSerializer(many=True)
    left_s = serializers.FloatField(allow_null=True)
    plan = BatchPlanSerializer()


class RunsSerializer(serializers.Serializer):
    runs = serializers.ListField(child=serializers.UUIDField(), max_length=8)


class CandidateSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    number = serializers.CharField()
    tag = serializers.CharField()
    service = serializers.CharField()
    at_step = serializers.CharField()
    why_not = serializers.CharField()
    block = serializers.CharField()


class ActSerializer(serializers.Serializer):
    act = serializers.CharField(max_length=30)
    value = serializers.CharField(max_length=40, allow_blank=True, required=False, default="")


class CompareSerializer(serializers.Serializer):
    a = serializers.DictField()
    b = serializers.DictField()


class DifferenceSerializer(serializers.Serializer):
    name = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    a = serializers.CharField()
    b = serializers.CharField()
