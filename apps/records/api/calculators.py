"""The named calculations over HTTP: same names, same fields, same errors as the command line."""

from __future__ import annotations

from typing import Any, cast

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.policy import require
from metrology.calculators import CALCULATORS, calculate
from metrology.faults import Fault


class CalculatorListView(APIView):
    @extend_schema(operation_id="list_calculators", responses=OpenApiTypes.OBJECT)
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        return Response([{"name": c.name, "purpose": c.purpose} for c in CALCULATORS.values()])


class CalculatorView(APIView):
    @extend_schema(operation_id="calculate", request=OpenApiTypes.OBJECT, responses=OpenApiTypes.OBJECT)
    def post(self, request: Request, name: str) -> Response:
        require(request.user, "read")
        try:
            return Response(calculate(name, cast("dict[str, Any]", request.data)))
        except Fault as fault:
            return Response({"error": fault.message, **fault.as_dict()}, status=404 if fault.code == "unknown_calculator" else 400)
