"""Shapes of runs and events."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from apps.accounts.api.serializers import ProofSerializer
from config.lists import PageSerializer
from metrology.run.view_types import RunView


class AboutRunSerializer(serializers.Serializer):
    """Which run it is, and what of its kit was taken out of service since it was chosen."""

    id = serializers.UUIDField()
    number = serializers.CharField()
    head = serializers.CharField()
    technician = serializers.CharField()
    kit_out = serializers.ListField(child=serializers.CharField())
    broken = serializers.CharField(allow_blank=True, help_text="What of a finished record does not hold; empty where all of it does")


class RunSerializer(AboutRunSerializer):
    """A run with its view; the view's shape is described by the core's own types."""

    view = serializers.SerializerMethodField()

    def get_view(self, run: dict[str, Any]) -> RunView:
        view: RunView = run["view"]
        return view


class StartSerializer(serializers.Serializer):
    tag = serializers.CharField(max_length=60, required=False, allow_blank=True, default="")
    item = serializers.CharField(
        max_length=20, required=False, allow_blank=True, default="", help_text="An item of the kit instead, to be checked in"
    )
    method = serializers.CharField(max_length=40, required=False, allow_blank=True, default="")
    points = serializers.CharField(max_length=200, required=False, allow_blank=True, default="")
    cycles = serializers.CharField(max_length=10, required=False, allow_blank=True, default="")
    supervisor = serializers.CharField(
        max_length=150, required=False, allow_blank=True, default="", help_text="Who answers for it where you are not qualified, by policy"
    )


class EventSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    type = serializers.CharField(max_length=24)
    payload = serializers.DictField()
    device_at = serializers.DateTimeField(required=False, allow_null=True)


class AppendSerializer(serializers.Serializer):
    """Events to append. parts: the sender still holds the view numbered `expected_seq`, and takes what changed in place of the whole.

    together: they stand on one screen; where one is refused none is stored.
    """

    expected_seq = serializers.IntegerField(min_value=0)
    events = EventSerializer(many=True)
    parts = serializers.BooleanField(required=False, default=False)
    together = serializers.BooleanField(required=False, default=False)


class AppendedSerializer(AboutRunSerializer):
    """A run after an append: with its whole view, or with the parts that changed where those were asked for."""

    changed = serializers.DictField(allow_null=True, required=False)
    view = serializers.SerializerMethodField()

    def get_view(self, run: dict[str, Any]) -> RunView | None:
        view: RunView | None = run["view"]
        return view


class SignSerializer(ProofSerializer):
    expected_seq = serializers.IntegerField(min_value=0)
    note = serializers.CharField(allow_blank=True, required=False, default="")


class CountersignSerializer(ProofSerializer):
    expected_seq = serializers.IntegerField(min_value=0)
    capacity = serializers.CharField(max_length=10, allow_blank=True)
    note = serializers.CharField(allow_blank=True, required=False, default="")


class ReviewSerializer(ProofSerializer):
    expected_seq = serializers.IntegerField(min_value=0)
    verdict = serializers.CharField(max_length=10)
    reason = serializers.CharField(allow_blank=True, required=False, default="")


class VoidSerializer(serializers.Serializer):
    expected_seq = serializers.IntegerField(min_value=0)
    reason = serializers.CharField(allow_blank=True)
    keeps_hold = serializers.BooleanField(required=False, default=False)
    release = serializers.DictField(child=serializers.CharField(allow_blank=True), required=False, allow_null=True, default=None)


class OverrideSerializer(ProofSerializer):
    expected_seq = serializers.IntegerField(min_value=0)
    id = serializers.UUIDField()
    role = serializers.CharField(max_length=20)
    code = serializers.CharField(max_length=20)
    reason = serializers.CharField(allow_blank=True)
    reviewer = serializers.CharField(max_length=150)


class RunRowSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    number = serializers.CharField()
    tag = serializers.CharField()
    service = serializers.CharField()
    area = serializers.CharField()
    method = serializers.CharField()
    status = serializers.CharField()
    technician = serializers.CharField()
    started_at = serializers.DateTimeField()
    signed_at = serializers.DateTimeField(allow_null=True)
    closed = serializers.FloatField()
    at_step = serializers.CharField()
    found_verdict = serializers.CharField()
    left_verdict = serializers.CharField()
    found_error = serializers.FloatField(allow_null=True)
    left_error = serializers.FloatField(allow_null=True)
    decision = serializers.CharField()


class RunPageSerializer(PageSerializer):
    rows = RunRowSerializer(many=True)


class LogRowSerializer(serializers.Serializer):
    seq = serializers.IntegerField()
    at = serializers.DateTimeField()
    by = serializers.CharField()
    what = serializers.CharField()


class HoldRowSerializer(serializers.Serializer):
    run = serializers.UUIDField()
    run_number = serializers.CharField()
    tag = serializers.CharField()
    area = serializers.CharField()
    kind = serializers.CharField()
    reason = serializers.CharField()
    placed_by = serializers.CharField()
    placed_at = serializers.DateTimeField()
    until = serializers.DateTimeField()
    is_overdue = serializers.BooleanField()
    feeds = serializers.CharField()
    id = serializers.UUIDField()
    holder = serializers.CharField()
    holder_name = serializers.CharField()
    agreement = serializers.CharField()
    approval = serializers.CharField()
    extended = serializers.ListField(child=serializers.CharField())
    note = serializers.CharField()
    offered_to = serializers.CharField()
    offered_name = serializers.CharField()
    is_own = serializers.BooleanField()
    voting_group = serializers.CharField()
    zone = serializers.CharField()
    is_due_soon = serializers.BooleanField()
    run_status = serializers.CharField()
    at_step = serializers.CharField()
    risk = serializers.CharField()
    still = serializers.ListField(child=serializers.CharField())


class ReleaseFieldSerializer(serializers.Serializer):
    name = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    kind = serializers.CharField()
    unit = serializers.CharField()
    options = serializers.ListField(child=serializers.ListField(child=serializers.CharField()))


class HoldActSerializer(serializers.Serializer):
    act = serializers.ChoiceField(choices=["release", "extend", "hand over", "accept"])
    minutes = serializers.CharField(required=False, allow_blank=True, default="")
    reason = serializers.CharField(required=False, allow_blank=True, default="")
    approval = serializers.CharField(required=False, allow_blank=True, default="")
    to = serializers.CharField(required=False, allow_blank=True, default="")
    note = serializers.CharField(required=False, allow_blank=True, default="")
    values = serializers.DictField(child=serializers.CharField(allow_blank=True), required=False, default=dict)


class ColleagueSerializer(serializers.Serializer):
    username = serializers.CharField()
    name = serializers.CharField()


class SecondSerializer(ProofSerializer):
    type = serializers.ChoiceField(choices=["adjustment_made", "decision_made"], default="adjustment_made")
    expected_seq = serializers.IntegerField(min_value=0)
    id = serializers.UUIDField()
    payload = serializers.DictField()
    second = serializers.CharField(max_length=150, allow_blank=True)
