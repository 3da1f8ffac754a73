"""The evidence over HTTP: how it stands, anchors, backups and looks through on demand, and the journal as a list."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from django.http import HttpResponse
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.policy import require
from apps.evidence import checking
from apps.evidence.api.serializers import EvidenceSerializer, JournalPageSerializer
from apps.evidence.backup import make_backup
from apps.evidence.models import LookThrough
from apps.evidence.selectors import Names, export_entries, find_entries, status
from apps.journal import verify
from apps.journal.anchoring import BY_HAND, make_anchor
from config import background
from config.downloads import file_answer
from config.lists import page_of
from metrology.faults import Fault

ASKED = [OpenApiParameter(name, str) for name in ("group", "search", "since", "until")]


def _answer() -> Response:
    return Response(status(timezone.now()))


class EvidenceView(APIView):
    @extend_schema(operation_id="get_evidence", responses=EvidenceSerializer)
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        return _answer()


class AnchorView(APIView):
    @extend_schema(operation_id="make_anchor", request=None, responses=EvidenceSerializer)
    def post(self, request: Request) -> Response:
        require(request.user, "look after the evidence")
        make_anchor(BY_HAND)
        return _answer()


class BackupView(APIView):
    @extend_schema(operation_id="make_backup", request=None, responses=EvidenceSerializer)
    def post(self, request: Request) -> Response:
        require(request.user, "look after the evidence")
        made = make_backup(timezone.now())
        if made.problem:
            raise Fault("no_backup", made.problem)
        return _answer()


class LookThroughView(APIView):
    @extend_schema(operation_id="look_through", request=None, responses=EvidenceSerializer)
    def post(self, request: Request) -> Response:
        require(request.user, "look after the evidence")
        last = LookThrough.objects.order_by("-began_at").first()
        if last is None or last.ended_at or (timezone.now() - last.began_at).total_seconds() > 3600:
            background.start(checking.finish, checking.start(timezone.now()))
        return _answer()


class VerifyView(APIView):
    @extend_schema(operation_id="get_verify", responses={(200, "text/x-python"): OpenApiTypes.BINARY})
    def get(self, request: Request) -> HttpResponse:
        require(request.user, "read")
        return file_answer(Path(verify.__file__).read_bytes(), "text/x-python; charset=utf-8", "verify.py")


def _asked(request: Request) -> Mapping[str, Any]:
    given = request.query_params
    return {
        "group": given.get("group", "changes"),
        "search": given.get("search", "").strip()[:100],
        "since": given.get("since", "")[:10],
        "until": given.get("until", "")[:10],
    }


class JournalView(APIView):
    @extend_schema(operation_id="list_journal", responses=JournalPageSerializer, parameters=[*ASKED, OpenApiParameter("page", int)])
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        found = page_of(request, find_entries(**_asked(request)), lambda entry: {"entry": entry})
        entries = [row["entry"] for row in found["rows"]]
        names = Names(entries)
        return Response({**found, "rows": [names.row(e) for e in entries]})


class JournalFileView(APIView):
    @extend_schema(operation_id="get_journal_file", responses={(200, "text/csv"): OpenApiTypes.STR}, parameters=ASKED)
    def get(self, request: Request) -> HttpResponse:
        require(request.user, "read")
        text = export_entries(find_entries(**_asked(request)))
        return file_answer(text.encode("utf-8-sig"), "text/csv; charset=utf-8", f"journal-{timezone.localdate():%Y-%m-%d}.csv")
