"""The named calculations over HTTP: same names, same fields, same errors as the command line; and what their page shows."""

from __future__ import annotations

from typing import Any, cast

from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.api.serializers import OptionSerializer
from apps.accounts.policy import require
from metrology.calculations.sheet import option_words
from metrology.calculators import CALCULATORS, SHEETS, calculate, plot_points
from metrology.faults import Fault


class SheetFieldSerializer(serializers.Serializer):
    name = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    unit = serializers.CharField()
    kind = serializers.CharField()
    start = serializers.CharField()
    options = OptionSerializer(many=True)
    columns = serializers.ListField(child=serializers.CharField())
    required = serializers.BooleanField()  # type: ignore[assignment]


class SheetOutputSerializer(serializers.Serializer):
    name = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    unit = serializers.CharField()


class SheetPlotSerializer(serializers.Serializer):
    over = serializers.CharField()
    output = serializers.CharField()
    band = serializers.BooleanField()


class SheetSerializer(serializers.Serializer):
    name = serializers.CharField()
    purpose = serializers.CharField()
    title = serializers.CharField()
    group = serializers.CharField()
    fields = SheetFieldSerializer(many=True)  # type: ignore[assignment]
    outputs = SheetOutputSerializer(many=True)
    formula = serializers.CharField()
    source = serializers.CharField()  # type: ignore[assignment]
    inverse = serializers.CharField()
    plot = SheetPlotSerializer(allow_null=True)


def _sheet(s: Any) -> dict[str, Any]:
    return {
        "name": s.name,
        "purpose": CALCULATORS[s.name].purpose,
        "title": s.title,
        "group": s.group,
        "fields": [
            {
                **{k: getattr(f, k) for k in ("name", "label", "unit", "kind", "start", "required")},
                "options": [{"value": o, "label": option_words(o)} for o in f.options],
                "columns": list(f.columns),
            }
            for f in s.fields
        ],
        "outputs": [{"name": n, "label": label, "unit": unit} for n, label, unit in s.outputs],
        "formula": s.formula,
        "source": s.source,
        "inverse": s.inverse,
        "plot": {"over": s.plot.over, "output": s.plot.output, "band": s.plot.band} if s.plot else None,
    }


def _refused(fault: Fault) -> Response:
    return Response({"error": fault.message, **fault.as_dict()}, status=404 if fault.code == "unknown_calculator" else 400)


class CalculatorListView(APIView):
    @extend_schema(operation_id="list_calculators", responses=SheetSerializer(many=True))
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        return Response([_sheet(s) for s in SHEETS])


class CalculatorView(APIView):
    @extend_schema(operation_id="calculate", request=OpenApiTypes.OBJECT, responses=OpenApiTypes.OBJECT)
    def post(self, request: Request, name: str) -> Response:
        require(request.user, "read")
        try:
            return Response(calculate(name, cast("dict[str, Any]", request.data)))
        except Fault as fault:
            return _refused(fault)


class CalculatorPlotView(APIView):
    @extend_schema(operation_id="plot_calculation", request=OpenApiTypes.OBJECT, responses=OpenApiTypes.OBJECT)
    def post(self, request: Request, name: str) -> Response:
        require(request.user, "read")
        try:
            return Response({"points": plot_points(name, cast("dict[str, Any]", request.data))})
        except Fault as fault:
            return _refused(fault)
