"""Files into the smaller registers over HTTP: previewed, written, taken back."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from django.http import StreamingHttpResponse
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.api.people import signed_in
from apps.accounts.api.serializers import FailureSerializer
from apps.accounts.policy import is_allowed, require
from apps.intake import services
from apps.intake.beginning import needed
from apps.intake.models import Intake
from apps.intake.registers import REGISTERS, register_of
from apps.plant.sheets import write_csv
from config.asked import parsed
from metrology.faults import Fault


class NeededSerializer(serializers.Serializer):
    says = serializers.CharField()
    is_there = serializers.BooleanField()
    link = serializers.CharField()
    words = serializers.CharField()


class BeginningSerializer(serializers.Serializer):
    rows = NeededSerializer(many=True)


class BeginningView(APIView):
    @extend_schema(operation_id="get_beginning", responses=BeginningSerializer)
    def get(self, request: Request) -> Response:
        """What a first calibration needs, and whether it is there."""
        require(request.user, "edit the plant")
        return Response({"rows": [n._asdict() for n in needed(timezone.localdate())]})


class IntakeCellSerializer(serializers.Serializer):
    column = serializers.CharField()
    text = serializers.CharField()


class IntakeChangeSerializer(serializers.Serializer):
    column = serializers.CharField()
    old = serializers.CharField()
    new = serializers.CharField()


class IntakeRowSerializer(serializers.Serializer):
    number = serializers.IntegerField()
    key = serializers.CharField()
    fate = serializers.CharField()
    cells = IntakeCellSerializer(many=True)
    understood = IntakeCellSerializer(many=True, help_text="Where it is taken otherwise than it is written")
    faults = IntakeCellSerializer(many=True)
    changes = IntakeChangeSerializer(many=True)
    note = serializers.CharField()


class IntakeSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    kind = serializers.CharField()
    title = serializers.CharField()
    name = serializers.CharField()
    at = serializers.DateTimeField()
    by = serializers.CharField()
    status = serializers.CharField()
    says = serializers.CharField()
    may_write = serializers.BooleanField()
    rows = IntakeRowSerializer(many=True)


class IntakeListRowSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    title = serializers.CharField()
    name = serializers.CharField()
    at = serializers.DateTimeField()
    by = serializers.CharField()
    status = serializers.CharField()
    total = serializers.IntegerField()


class RegisterSerializer(serializers.Serializer):
    kind = serializers.CharField()
    title = serializers.CharField()
    columns = serializers.CharField()
    may_write = serializers.BooleanField()


class IntakeFileSerializer(serializers.Serializer):
    kind = serializers.CharField(max_length=30)
    file = serializers.FileField()


class CertificateFileSerializer(serializers.Serializer):
    file = serializers.FileField()
    number = serializers.CharField(max_length=40, required=False, allow_blank=True, default="")
    calibrated_on = serializers.CharField(max_length=20, required=False, allow_blank=True, default="")


class LeaveSerializer(serializers.Serializer):
    leave = serializers.ListField(child=serializers.IntegerField(), required=False, default=list)


ANSWERS = {200: IntakeSerializer, 400: FailureSerializer, 403: FailureSerializer, 404: FailureSerializer}
MADE = {201: IntakeSerializer, 400: FailureSerializer, 403: FailureSerializer, 404: FailureSerializer}


def _whole(found: Intake, request: Request) -> dict[str, Any]:
    register = register_of(found.kind)
    labels = dict(register.columns)

    def cells(of: dict[str, str]) -> list[dict[str, str]]:
        return [{"column": labels.get(k, k), "text": v} for k, v in of.items()]

    rows = [
        {
            "number": r["number"], "key": r["key"], "fate": r["fate"], "cells": cells(r["cells"]), "faults": cells(r["faults"]), "note": r["note"],
            "understood": cells(r["understood"]) if r["fate"] == "new" else [],
            "changes": [{"column": labels.get(k, k), "old": a, "new": b} for k, (a, b) in r["changes"].items()],
        }
        for r in found.rows
    ]  # fmt: skip
    return {
        **_head(found), "kind": found.kind, "says": found.says, "rows": rows, "may_write": is_allowed(request.user, register.action),
    }  # fmt: skip


def _head(found: Intake) -> dict[str, Any]:
    return {
        "id": found.id, "title": register_of(found.kind).title, "name": found.name, "at": found.at, "by": found.by.name, "status": found.status,
        "total": len(found.rows),
    }  # fmt: skip


def _sent(request: Request) -> tuple[str, bytes, dict[str, str]]:
    """The file with its name, and what was sent beside it."""
    sent = request.FILES.get("file")
    if sent is None or not sent.name:
        raise Fault("no_file", "Choose a file to read.", field="file")
    beside = {str(k): str(v)[:40] for k, v in request.POST.items()}
    return sent.name, sent.read(), beside


class RegistersView(APIView):
    @extend_schema(operation_id="list_registers", responses=RegisterSerializer(many=True))
    def get(self, request: Request) -> Response:
        """What a file may hold, with the columns of each."""
        require(request.user, "read")
        return Response(
            [
                {
                    "kind": k,
                    "title": r.title,
                    "columns": ", ".join(label for _, label in r.columns),
                    "may_write": is_allowed(request.user, r.action),
                }
                for k, r in REGISTERS.items()
            ]
        )


class TemplateView(APIView):
    @extend_schema(
        operation_id="export_register", responses={(200, "text/csv"): OpenApiTypes.BINARY}, parameters=[OpenApiParameter("kind", str)]
    )
    def get(self, request: Request) -> StreamingHttpResponse:
        """The register as a CSV table with every column, to be filled in."""
        require(request.user, "read")
        kind = request.query_params.get("kind", "")
        register = register_of(kind)
        rows = ([row.get(k, "") for k, _ in register.columns] for row in register.all())
        answer = StreamingHttpResponse(write_csv([label for _, label in register.columns], rows), content_type="text/csv; charset=utf-8")
        answer["Content-Disposition"] = f'attachment; filename="{kind}.csv"'
        return answer


class IntakesView(APIView):
    parser_classes = [MultiPartParser]

    @extend_schema(operation_id="list_intakes", responses=IntakeListRowSerializer(many=True))
    def get(self, request: Request) -> Response:
        """The last ones."""
        require(request.user, "read")
        return Response([_head(i) for i in Intake.objects.select_related("by").defer("data")[:20]])

    @extend_schema(operation_id="preview_intake", request={"multipart/form-data": IntakeFileSerializer}, responses=MADE)
    def post(self, request: Request) -> Response:
        """A file previewed; nothing is written."""
        actor = signed_in(request)
        name, data, beside = _sent(request)
        made = services.preview(actor=actor, kind=beside.get("kind", ""), name=name, data=data, now=timezone.now())
        return Response(_whole(made, request), status=201)


class CertificateView(APIView):
    parser_classes = [MultiPartParser]

    @extend_schema(operation_id="preview_certificate", request={"multipart/form-data": CertificateFileSerializer}, responses=MADE)
    def post(self, request: Request, code: str) -> Response:
        """A certificate as data, previewed as what it would change."""
        actor = signed_in(request)
        name, data, beside = _sent(request)
        told = {k: beside.get(k, "") for k in ("number", "calibrated_on")}
        made = services.preview_certificate(actor=actor, code=code, name=name, data=data, now=timezone.now(), **told)
        return Response(_whole(made, request), status=201)


class IntakeView(APIView):
    @extend_schema(operation_id="get_intake", responses=ANSWERS)
    def get(self, request: Request, intake_id: UUID) -> Response:
        require(request.user, "read")
        return Response(_whole(services.get_intake(intake_id), request))

    @extend_schema(operation_id="discard_intake", responses={204: None, 400: FailureSerializer})
    def delete(self, request: Request, intake_id: UUID) -> Response:
        services.discard(actor=signed_in(request), intake_id=intake_id)
        return Response(status=204)


class WriteView(APIView):
    @extend_schema(operation_id="write_intake", request=LeaveSerializer, responses=ANSWERS)
    def post(self, request: Request, intake_id: UUID) -> Response:
        given = parsed(LeaveSerializer, request)
        return Response(_whole(services.write(actor=signed_in(request), intake_id=intake_id, now=timezone.now(), **given), request))


class UndoView(APIView):
    @extend_schema(operation_id="undo_intake", request=None, responses=ANSWERS)
    def post(self, request: Request, intake_id: UUID) -> Response:
        """Written rows taken back."""
        return Response(_whole(services.undo(actor=signed_in(request), intake_id=intake_id, now=timezone.now()), request))
