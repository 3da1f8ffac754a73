"""What of the kit is offered to a run, over HTTP."""

from __future__ import annotations

import uuid

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.policy import require
from apps.runs.offers import offers


class RemarkSerializer(serializers.Serializer):
    rule = serializers.CharField()
    standing = serializers.CharField()
    says = serializers.CharField()


class OfferSerializer(serializers.Serializer):
    code = serializers.CharField()
    name = serializers.CharField()
    detail = serializers.CharField()
    good_until = serializers.CharField()
    state = serializers.CharField()
    reaches = serializers.CharField(help_text="The TUR it reaches here, in words; empty where it will not do.")
    standing = serializers.CharField()
    remarks = RemarkSerializer(many=True)
    is_proposed = serializers.BooleanField()
    is_usual = serializers.BooleanField(help_text="The only one that will do, and the one used last time: it need not be chosen again.")


class OffersView(APIView):
    @extend_schema(operation_id="list_offers", responses=OfferSerializer(many=True))
    def get(self, request: Request, run_id: uuid.UUID, role: str) -> Response:
        require(request.user, "read")
        return Response(offers(run_id, role, timezone.localdate()))
