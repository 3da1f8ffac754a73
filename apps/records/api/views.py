"""Records over HTTP: the list, the certificate, the exports."""

from __future__ import annotations

import uuid

from django.http import HttpResponse, JsonResponse
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.policy import require
from apps.records.certificate import make_certificate
from apps.records.package import make_package
from apps.records.selectors import export_csv, export_json, list_records
from apps.runs.api.serializers import RunPageSerializer
from apps.runs.selectors import run_row
from apps.runs.store import load_run
from apps.runs.trust import fault_of, proof_for
from config.lists import page_of


class RecordsView(APIView):
    @extend_schema(
        operation_id="list_records",
        responses=RunPageSerializer,
        parameters=[
            OpenApiParameter("search", str),
            OpenApiParameter("status", str),
            OpenApiParameter("verdict", str),
            OpenApiParameter("page", int),
        ],
    )
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        asked = request.query_params
        rows = list_records(search=asked.get("search", "").strip()[:100], status=asked.get("status", ""), verdict=asked.get("verdict", ""))
        return Response(page_of(request, rows, run_row))


class CertificateView(APIView):
    @extend_schema(operation_id="get_certificate", responses={(200, "application/pdf"): OpenApiTypes.BINARY})
    def get(self, request: Request, run_id: uuid.UUID) -> HttpResponse:
        require(request.user, "read")
        run, events = load_run(run_id, fresh=True)
        pdf = make_certificate(run, events, timezone.now(), broken=fault_of(run), proof=proof_for(run))
        return _file(pdf, "application/pdf", f"{run.label}-{run.tag}.pdf", inline=True)


class PackageView(APIView):
    @extend_schema(operation_id="get_evidence_package", responses={(200, "application/zip"): OpenApiTypes.BINARY})
    def get(self, request: Request, run_id: uuid.UUID) -> HttpResponse:
        require(request.user, "read")
        run, events = load_run(run_id, fresh=True)
        return _file(make_package(run, events, timezone.now()), "application/zip", f"{run.label}-{run.tag}-evidence.zip")


class CsvView(APIView):
    @extend_schema(operation_id="get_run_csv", responses={(200, "text/csv"): OpenApiTypes.STR})
    def get(self, request: Request, run_id: uuid.UUID) -> HttpResponse:
        require(request.user, "read")
        run, events = load_run(run_id, fresh=True)
        text = export_csv(run, events, timezone.now(), broken=fault_of(run))
        return _file(text.encode("utf-8-sig"), "text/csv; charset=utf-8", f"{run.label}-{run.tag}.csv")


class JsonView(APIView):
    @extend_schema(operation_id="get_run_json", responses=OpenApiTypes.OBJECT)
    def get(self, request: Request, run_id: uuid.UUID) -> HttpResponse:
        require(request.user, "read")
        run, events = load_run(run_id, fresh=True)
        response = JsonResponse(export_json(run, events), json_dumps_params={"ensure_ascii": False, "indent": 1})
        response["Content-Disposition"] = f'attachment; filename="{_safe_name(f"{run.label}-{run.tag}.json")}"'
        return response


def _file(body: bytes, kind: str, name: str, *, inline: bool = False) -> HttpResponse:
    response = HttpResponse(body, content_type=kind)
    response["Content-Disposition"] = f'{"inline" if inline else "attachment"}; filename="{_safe_name(name)}"'
    return response


def _safe_name(name: str) -> str:
    return "".join(c if (c.isalnum() and c.isascii()) or c in "-_." else "_" for c in name)
