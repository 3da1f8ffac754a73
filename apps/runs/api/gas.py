"""Gas over HTTP."""

from __future__ import annotations

import uuid

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.policy import require
from apps.kit.models import GasFitting
from apps.runs.api.offers import RemarkSerializer
from apps.runs.gas import fitting_words, gas_options, list_bottles


class BottleSerializer(serializers.Serializer):
    code = serializers.CharField()
    name = serializers.CharField()
    holds = serializers.CharField()
    litres_left = serializers.FloatField(allow_null=True)
    expires_on = serializers.CharField(allow_null=True)
    certificate = serializers.CharField()
    state = serializers.CharField()


class BottleRowSerializer(BottleSerializer):
    litres_full = serializers.FloatField()
    standing = serializers.CharField()
    is_usable = serializers.BooleanField()
    suspicion = serializers.CharField()


class BottleOptionSerializer(BottleSerializer):
    standing = serializers.CharField()
    applied = serializers.CharField()
    remarks = RemarkSerializer(many=True)
    is_proposed = serializers.BooleanField()
    regulator = serializers.CharField()
    line = serializers.CharField()


class FittingSerializer(serializers.Serializer):
    code = serializers.CharField()
    words = serializers.CharField()


class KitFittingSerializer(FittingSerializer):
    kind = serializers.CharField()
    state = serializers.CharField()
    stays_on = serializers.CharField()


class GasOptionsSerializer(serializers.Serializer):
    role = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    litres = serializers.FloatField()
    flow = serializers.FloatField()
    bottles = BottleOptionSerializer(many=True)
    regulators = FittingSerializer(many=True)
    lines = FittingSerializer(many=True)


class GasKitSerializer(serializers.Serializer):
    bottles = BottleRowSerializer(many=True)
    fittings = KitFittingSerializer(many=True)


class GasKitView(APIView):
    @extend_schema(operation_id="list_gas", responses=GasKitSerializer)
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        fittings = [
            {"code": f.code, "words": fitting_words(f.fitting()), "kind": f.kind, "state": f.state, "stays_on": f.stays_on}
            for f in GasFitting.objects.exclude(state="retired")
        ]
        return Response({"bottles": list_bottles(timezone.localdate()), "fittings": fittings})


class GasOptionsView(APIView):
    @extend_schema(operation_id="get_gas_options", responses=GasOptionsSerializer)
    def get(self, request: Request, run_id: uuid.UUID, role: str) -> Response:
        require(request.user, "read")
        return Response(gas_options(run_id, role, timezone.localdate()))
