"""Records over HTTP: the list, the certificate, the exports."""

from __future__ import annotations

import json
import uuid

from django.http import HttpResponse
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
from apps.runs.trust import printed_trust_of, trust_of
from config.downloads import file_answer
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
        pdf = make_certificate(run, events, timezone.now(), printed_trust_of(run))
        return file_answer(pdf, "application/pdf", f"{run.label}-{run.tag}.pdf", inline=True)


class PackageView(APIView):
    @extend_schema(operation_id="get_evidence_package", responses={(200, "application/zip"): OpenApiTypes.BINARY})
    def get(self, request: Request, run_id: uuid.UUID) -> HttpResponse:
        require(request.user, "read")
        run, events = load_run(run_id, fresh=True)
        return file_answer(make_package(run, events, timezone.now()), "application/zip", f"{run.label}-{run.tag}-evidence.zip")


class CsvView(APIView):
    @extend_schema(operation_id="get_run_csv", responses={(200, "text/csv"): OpenApiTypes.STR})
    def get(self, request: Request, run_id: uuid.UUID) -> HttpResponse:
        require(request.user, "read")
        run, events = load_run(run_id, fresh=True)
        text = export_csv(run, events, timezone.now(), printed_trust_of(run))
        return file_answer(text.encode("utf-8-sig"), "text/csv; charset=utf-8", f"{run.label}-{run.tag}.csv")


class JsonView(APIView):
    @extend_schema(operation_id="get_run_json", responses=OpenApiTypes.OBJECT)
    def get(self, request: Request, run_id: uuid.UUID) -> HttpResponse:
        require(request.user, "read")
        run, events = load_run(run_id, fresh=True)
        text = json.dumps(export_json(run, events, trust_of(run)), ensure_ascii=False, indent=1)
        return file_answer(text.encode(), "application/json", f"{run.label}-{run.tag}.json")
