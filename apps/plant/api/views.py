"""The register over HTTP."""

from __future__ import annotations

from typing import Any

from django.http import FileResponse
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.api.people import signed_in
from apps.accounts.api.serializers import FailureSerializer
from apps.accounts.policy import require
from apps.plant.api.serializers import (
    AreaFormSerializer,
    AreaSerializer,
    InstrumentFormSerializer,
    InstrumentPageDataSerializer,
    InstrumentPageSerializer,
    InstrumentRowSerializer,
    UploadSerializer,
)
from apps.plant.models import STATES, Area, Instrument, InstrumentFile
from apps.plant.outside import more_of
from apps.plant.policies import policy_for
from apps.plant.register import FIELDS, as_typed
from apps.plant.selectors import (
    detail_fields,
    form_choices,
    get_instrument,
    instrument_row,
    list_areas,
    list_instruments,
    methods_by_family,
    methods_for,
    policy_fields,
)
from apps.plant.services import add_instrument, attach_document, edit_instrument, store_area
from config.asked import as_it_came
from config.failures import Missing
from config.lists import page_of
from config.uploads import sent_file
from metrology.judgement.policy import describe_policy
from metrology.judgement.tolerance import describe
from metrology.methods.registry import METHODS
from metrology.methods.settings import setting_words
from metrology.quantities.transfer import KINDS
from metrology.run.step_views import details_words

TEXT = {"type": str, "location": "query"}


def _area(a: Area) -> dict[str, Any]:
    return {"code": a.code, "name": a.name, "needs_permit": a.needs_permit, "east_m": a.east_m, "north_m": a.north_m}


class AreaView(APIView):
    @extend_schema(operation_id="store_area", request=AreaFormSerializer, responses={200: AreaSerializer, 400: FailureSerializer})
    def put(self, request: Request, code: str) -> Response:
        return Response(_area(store_area(actor=signed_in(request), code=code, data=as_it_came(AreaFormSerializer, request))))


class InstrumentsView(APIView):
    @extend_schema(
        operation_id="list_instruments",
        responses=InstrumentPageSerializer,
        parameters=[
            OpenApiParameter("search", str),
            OpenApiParameter("area", str),
            OpenApiParameter("family", str),
            OpenApiParameter("page", int),
        ],
    )
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        asked = request.query_params
        rows = list_instruments(search=asked.get("search", "").strip()[:100], area=asked.get("area", ""), family=asked.get("family", ""))
        areas = [_area(a) for a in list_areas()]
        return Response(
            {
                **page_of(request, rows, instrument_row),
                "areas": areas,
                "choices": form_choices(),
                "methods": methods_by_family(),
                "details": detail_fields(),
                "policies": policy_fields(),
            }
        )

    @extend_schema(
        operation_id="add_instrument", request=InstrumentFormSerializer, responses={201: InstrumentRowSerializer, 400: FailureSerializer}
    )
    def post(self, request: Request) -> Response:
        added = add_instrument(actor=signed_in(request), data=as_it_came(InstrumentFormSerializer, request), now=timezone.now())
        return Response(instrument_row(added), status=201)


class InstrumentView(APIView):
    @extend_schema(operation_id="get_instrument", responses=InstrumentPageDataSerializer)
    def get(self, request: Request, tag: str) -> Response:
        require(request.user, "read")
        return Response(_page(get_instrument(tag)))

    @extend_schema(
        operation_id="edit_instrument",
        request=InstrumentFormSerializer,
        responses={200: InstrumentPageDataSerializer, 400: FailureSerializer},
    )
    def put(self, request: Request, tag: str) -> Response:
        data = as_it_came(InstrumentFormSerializer, request)
        edited = edit_instrument(actor=signed_in(request), instrument=get_instrument(tag), data=data, now=timezone.now())
        return Response(_page(edited))


class InstrumentFilesView(APIView):
    parser_classes = [MultiPartParser]

    @extend_schema(
        operation_id="attach_document",
        request={"multipart/form-data": UploadSerializer},
        responses={201: InstrumentPageDataSerializer, 400: FailureSerializer},
    )
    def post(self, request: Request, tag: str) -> Response:
        found = get_instrument(tag)
        name, data = sent_file(request)
        attach_document(actor=signed_in(request), instrument=found, name=name, data=data, now=timezone.now())
        return Response(_page(found), status=201)


class InstrumentFileView(APIView):
    @extend_schema(operation_id="get_document", responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, file_id: int) -> FileResponse:
        require(request.user, "read")
        found = InstrumentFile.objects.filter(pk=file_id).first()
        if found is None:
            raise Missing("unknown_file", "There is no such document.")
        return FileResponse(found.file.open("rb"), as_attachment=True, filename=found.name, content_type=found.kind)


SHOWN = (
    "system",
    "ex_marking",
    "access",
    "skills",
    "permit_kind",
    "voting_group",
    "voting",
    "zone",
    "people",
    "due_rule",
    "grace_days",
    "documents",
)


def _register_words(i: Instrument) -> list[str]:
    """What of the register stands beside its range: where it is, how it is reached, when it is due; what is as usual is left out."""
    typed = as_typed(i)
    usual = {"people": "1", "due_rule": "fixed", "grace_days": "0"}
    shown = [FIELDS[n] for n in SHOWN if typed[n] and typed[n] != usual.get(n)]
    return [f"{f.label}: {f.words.get(typed[f.name], typed[f.name])}" for f in shown]


def _policy_words(i: Instrument) -> list[str]:
    """The policies in force, those of its method among them."""
    if i.method not in METHODS:
        return list(describe_policy(policy_for(i), groups=()))
    own = setting_words(i.run_setup(policy_for(i), METHODS[i.method].revision).instrument.details, policies=True)
    return [*describe_policy(policy_for(i), groups=METHODS[i.method].traits.policies), *(f"{label}: {value}." for label, value in own)]


def _page(i: Instrument) -> dict[str, Any]:
    return {
        **instrument_row(i),
        "form": as_typed(i),
        "tolerance": describe(i.tolerance(), i.unit),
        "output": f"{i.output_lo:g} to {i.output_hi:g} {i.output_unit}, {KINDS[i.transfer]}",
        "policies": _policy_words(i),
        "uses": [{"value": v, "label": t} for v, t in STATES.items() if v != i.state],
        "methods": methods_for(i),
        "has_points": i.method in METHODS and METHODS[i.method].traits.has_points,
        "follows_life": i.method in METHODS and METHODS[i.method].traits.follows_life,
        "detail_words": [*_register_words(i), *(f"{d['name']}: {d['value']}" for d in details_words(i.setup()))],
        **more_of(i),
        "files": [{"id": f.pk, "name": f.name, "size": f.size, "at": f.at, "by": f.by.name} for f in i.files.select_related("by")],
        "changes": [
            {"at": c.at, "by": c.by.name, "reason": c.reason, "what": [f"{k}: {v[0]} → {v[1]}" for k, v in c.values.items()]}
            for c in i.changes.select_related("by")[:20]
        ],
    }
