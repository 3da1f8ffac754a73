"""What is to be done soon, over HTTP."""

from __future__ import annotations

import uuid
from typing import Any

from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.api.people import signed_in
from apps.accounts.api.serializers import FailureSerializer
from apps.accounts.policy import require
from apps.runs.duties import DONE, EXCUSED, close_duty, list_duties
from apps.runs.models import Duty
from config.asked import parsed


class AskedSerializer(serializers.Serializer):
    name = serializers.CharField()
    words = serializers.CharField()
    unit = serializers.CharField(allow_blank=True)
    limits = serializers.CharField(allow_blank=True)
    seen = serializers.CharField(allow_blank=True)


class DutySerializer(serializers.Serializer):
    id = serializers.UUIDField()
    run = serializers.UUIDField()
    run_number = serializers.CharField()
    tag = serializers.CharField()
    area = serializers.CharField()
    title = serializers.CharField()
    instruction = serializers.CharField()
    asked = AskedSerializer(many=True)
    opened_by = serializers.CharField()
    due_at = serializers.DateTimeField()
    outcome = serializers.CharField(allow_blank=True)
    closed_at = serializers.DateTimeField(allow_null=True)
    closed_by = serializers.CharField(allow_blank=True)
    reason = serializers.CharField(allow_blank=True)


class CloseDutySerializer(serializers.Serializer):
    outcome = serializers.ChoiceField(choices=[DONE, EXCUSED])
    values = serializers.DictField(child=serializers.CharField(allow_blank=True), required=False, default=dict)
    reason = serializers.CharField(required=False, allow_blank=True, default="")


def duty_row(d: Duty) -> dict[str, Any]:
    """A duty for the page."""
    asked = [
        {
            "name": f["name"],
            "words": f["label"],
            "unit": f["unit"],
            "limits": f"{f['low']:g} to {f['high']:g} {f['unit']}" if f["low"] is not None and f["high"] is not None else "",
            "seen": str(d.values.get(f["name"], "")),
        }
        for f in d.fields
    ]
    return {
        "id": d.pk,
        "run": d.run_id,
        "run_number": d.run.label,
        "tag": d.instrument.tag,
        "area": d.instrument.area.name,
        "title": d.title,
        "instruction": d.instruction,
        "asked": asked,
        "opened_by": d.opened_by,
        "due_at": d.due_at,
        "outcome": d.outcome,
        "closed_at": d.closed_at,
        "closed_by": d.closed_by,
        "reason": d.reason,
    }


class DutiesView(APIView):
    @extend_schema(operation_id="list_duties", responses=DutySerializer(many=True), parameters=[OpenApiParameter("tag", str)])
    def get(self, request: Request) -> Response:
        """What is open; with a tag what was closed last as well."""
        require(request.user, "read")
        return Response([duty_row(d) for d in list_duties(request.query_params.get("tag", ""))])


class DutyView(APIView):
    @extend_schema(
        operation_id="close_duty", request=CloseDutySerializer, responses={200: DutySerializer(many=True), 400: FailureSerializer}
    )
    def post(self, request: Request, duty_id: uuid.UUID) -> Response:
        """Done, with what was seen, or excused, with the reason."""
        given = parsed(CloseDutySerializer, request)
        close_duty(actor=signed_in(request), duty_id=duty_id, now=timezone.now(), **given)
        return Response([duty_row(d) for d in list_duties()])
