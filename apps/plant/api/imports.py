"""Files of instruments over HTTP: in with a preview, out as CSV or XLSX."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from django.http import HttpResponse, StreamingHttpResponse
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.parsers import FileUploadParser, MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.api.people import signed_in
from apps.accounts.api.serializers import FailureSerializer
from apps.accounts.policy import require
from apps.plant.api.serializers import UploadSerializer
from apps.plant.columns import all_columns
from apps.plant.exports import export_header, export_rows
from apps.plant.imports import correct_row, discard_import, get_batch, start_import, undo_import, write_import
from apps.plant.labels import MAX_LABELS, find_code, make_labels
from apps.plant.models import ImportBatch, ImportRow
from apps.plant.policies import is_spread
from apps.plant.selectors import list_instruments
from apps.plant.sheets import FORMULA, XLSX, write_csv, write_xlsx
from config.asked import parsed
from config.lists import PageSerializer, page_of
from metrology.faults import Fault

FATES = ("new", "changed", "same", "refused", "written", "undone", "kept")


class ColumnSerializer(serializers.Serializer):
    header = serializers.CharField()
    field = serializers.CharField()
    unit = serializers.CharField()


class ImportSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    at = serializers.DateTimeField()
    by = serializers.CharField(source="by.name")
    name = serializers.CharField()
    status = serializers.CharField()
    says = serializers.CharField()
    done = serializers.IntegerField()
    total = serializers.IntegerField()
    columns = ColumnSerializer(many=True)
    counts = serializers.DictField(child=serializers.IntegerField())
    spreads = serializers.BooleanField(
        help_text="whether new ones without a history take their place in their interval, as the plant has it"
    )


class ChangedCellSerializer(serializers.Serializer):
    field = serializers.CharField()
    old = serializers.CharField()
    new = serializers.CharField()


class ImportRowSerializer(serializers.Serializer):
    number = serializers.IntegerField()
    tag = serializers.CharField()
    fate = serializers.CharField()
    cells = serializers.DictField(child=serializers.CharField())
    faults = serializers.DictField(child=serializers.CharField())
    changes = ChangedCellSerializer(many=True)
    understood = serializers.DictField(
        child=serializers.CharField(), help_text="Header to text, where a cell is taken otherwise than written"
    )
    note = serializers.CharField()


class ImportPageSerializer(PageSerializer):
    rows = ImportRowSerializer(many=True)


class ImportListSerializer(serializers.Serializer):
    rows = ImportSerializer(many=True)


class ChosenRowsSerializer(serializers.Serializer):
    rows = serializers.ListField(child=serializers.IntegerField(), required=False)
    leave = serializers.ListField(child=serializers.IntegerField(), required=False)
    spreads = serializers.BooleanField(required=False, allow_null=True, default=None)


class CellsSerializer(serializers.Serializer):
    cells = serializers.DictField(child=serializers.CharField(allow_blank=True))


def _batch(batch: ImportBatch) -> dict[str, Any]:
    counts = {fate: batch.rows.filter(fate=fate).count() for fate in FATES}
    return dict(ImportSerializer({**batch.__dict__, "by": batch.by, "counts": counts, "spreads": is_spread()}).data)


def _row(row: ImportRow) -> dict[str, Any]:
    labels = {c.key: c.label for c in all_columns()}
    return {
        "number": row.number,
        "tag": row.tag,
        "fate": row.fate,
        "cells": {k: "a formula" if v == FORMULA else v for k, v in row.cells.items()},
        "faults": row.faults,
        "changes": [{"field": labels.get(k, k), "old": str(v[0]), "new": str(v[1])} for k, v in row.changes.items()],
        "understood": row.understood,
        "note": row.note,
    }


class ImportsView(APIView):
    parser_classes = [MultiPartParser, FileUploadParser]

    @extend_schema(operation_id="list_imports", responses=ImportListSerializer)
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        return Response({"rows": [_batch(b) for b in ImportBatch.objects.select_related("by")[:20]]})

    @extend_schema(
        operation_id="start_import",
        request={"multipart/form-data": UploadSerializer},
        responses={201: ImportSerializer, 400: FailureSerializer},
    )
    def post(self, request: Request) -> Response:
        require(request.user, "edit the plant")
        sent = request.FILES.get("file")
        if sent is None or not sent.name:
            raise Fault("no_file", "Choose a CSV or XLSX file to read.", field="file")
        batch = start_import(actor=signed_in(request), name=sent.name, data=sent.read(), now=timezone.now())
        return Response(_batch(batch), status=201)


class ImportView(APIView):
    @extend_schema(operation_id="get_import", responses=ImportSerializer)
    def get(self, request: Request, batch_id: UUID) -> Response:
        require(request.user, "read")
        return Response(_batch(get_batch(batch_id)))

    @extend_schema(operation_id="discard_import", responses={204: None, 400: FailureSerializer})
    def delete(self, request: Request, batch_id: UUID) -> Response:
        discard_import(actor=signed_in(request), batch_id=batch_id)
        return Response(status=204)


class ImportRowsView(APIView):
    @extend_schema(
        operation_id="list_import_rows",
        responses=ImportPageSerializer,
        parameters=[OpenApiParameter("fate", str), OpenApiParameter("page", int)],
    )
    def get(self, request: Request, batch_id: UUID) -> Response:
        require(request.user, "read")
        rows = get_batch(batch_id).rows.all()
        fate = request.query_params.get("fate", "")
        return Response(page_of(request, rows.filter(fate=fate) if fate else rows, _row))


class ImportRowView(APIView):
    @extend_schema(operation_id="correct_import_row", request=CellsSerializer, responses={200: ImportRowSerializer, 400: FailureSerializer})
    def post(self, request: Request, batch_id: UUID, number: int) -> Response:
        cells = parsed(CellsSerializer, request)["cells"]
        return Response(_row(correct_row(actor=signed_in(request), batch_id=batch_id, number=number, cells=cells)))


class WriteImportView(APIView):
    @extend_schema(operation_id="write_import", request=ChosenRowsSerializer, responses={200: ImportSerializer, 400: FailureSerializer})
    def post(self, request: Request, batch_id: UUID) -> Response:
        chosen = parsed(ChosenRowsSerializer, request)
        written = write_import(
            actor=signed_in(request), batch_id=batch_id, rows=chosen.get("rows"), leave=chosen.get("leave", ()), spreads=chosen["spreads"]
        )
        return Response(_batch(written))


class UndoImportView(APIView):
    @extend_schema(operation_id="undo_import", request=None, responses={200: ImportSerializer, 400: FailureSerializer})
    def post(self, request: Request, batch_id: UUID) -> Response:
        return Response(_batch(undo_import(actor=signed_in(request), batch_id=batch_id)))


class LabelsView(APIView):
    @extend_schema(
        operation_id="print_labels",
        responses={(200, "application/pdf"): OpenApiTypes.BINARY, 400: FailureSerializer},
        parameters=[OpenApiParameter(n, str) for n in ("tags", "search", "area", "family")],
    )
    def get(self, request: Request) -> HttpResponse:
        require(request.user, "read")
        asked = request.query_params
        found = list_instruments(search=asked.get("search", "")[:100], area=asked.get("area", ""), family=asked.get("family", ""))
        if asked.get("tags"):
            found = found.filter(tag__in=asked["tags"].split(","))
        data = make_labels(list(found[: MAX_LABELS + 1]), request.build_absolute_uri("/").rstrip("/"))
        answer = HttpResponse(data, content_type="application/pdf")
        answer["Content-Disposition"] = 'inline; filename="labels.pdf"'
        return answer


class FoundCodeSerializer(serializers.Serializer):
    tag = serializers.CharField()
    service = serializers.CharField()
    others = serializers.ListField(child=serializers.CharField())


class FindView(APIView):
    @extend_schema(
        operation_id="find_code", responses={200: FoundCodeSerializer, 404: FailureSerializer}, parameters=[OpenApiParameter("code", str)]
    )
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        return Response(find_code(request.query_params.get("code", "")))


class ExportView(APIView):
    @extend_schema(
        operation_id="export_instruments",
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
        parameters=[OpenApiParameter(n, str) for n in ("kind", "search", "area", "family")],
    )
    def get(self, request: Request) -> HttpResponse | StreamingHttpResponse:
        require(request.user, "read")
        asked = request.query_params
        found = list_instruments(search=asked.get("search", "")[:100], area=asked.get("area", ""), family=asked.get("family", ""))
        name = f"instruments-{timezone.localdate():%Y-%m-%d}"
        if asked.get("kind") == "xlsx":
            answer: HttpResponse | StreamingHttpResponse = HttpResponse(
                write_xlsx("Instruments", export_header(), export_rows(found)), content_type=XLSX
            )
            answer["Content-Disposition"] = f'attachment; filename="{name}.xlsx"'
        else:
            answer = StreamingHttpResponse(write_csv(export_header(), export_rows(found)), content_type="text/csv; charset=utf-8")
            answer["Content-Disposition"] = f'attachment; filename="{name}.csv"'
        return answer
