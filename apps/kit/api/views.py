"""The kit over HTTP."""

from __future__ import annotations

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.policy import require
from apps.kit.selectors import list_references, reference_row


class ReferenceRowSerializer(serializers.Serializer):
    code = serializers.CharField()
    name = serializers.CharField()
    serial = serializers.CharField()
    quantity = serializers.CharField()
    range = serializers.CharField()
    uncertainty = serializers.CharField()
    certificate = serializers.CharField()
    laboratory = serializers.CharField()
    traceability = serializers.CharField()
    calibrated_on = serializers.DateField()
    due_on = serializers.DateField()
    days_left = serializers.IntegerField()
    standing = serializers.CharField()


class ReferencesView(APIView):
    @extend_schema(operation_id="list_references", responses=ReferenceRowSerializer(many=True))
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        return Response([reference_row(r, timezone.localdate()) for r in list_references()])
