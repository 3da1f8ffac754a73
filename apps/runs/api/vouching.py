"""Samples against a calibration, and chromatograms of a run, over HTTP."""

from __future__ import annotations

import json
import uuid
from typing import Any

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.api.people import signed_in
from apps.accounts.api.serializers import FailureSerializer
from apps.accounts.policy import require
from apps.plant.selectors import get_instrument
from apps.runs.api.views import ANSWERS, parsed
from apps.runs.chromatograms import take_chromatogram
from apps.runs.models import Validity
from apps.runs.selectors import run_data
from apps.runs.vouching import add_sample, end_validity, validity_of
from metrology.faults import Fault
from metrology.quantities.chromatogram_file import read_chromatogram


class ChromatogramFormSerializer(serializers.Serializer):
    file = serializers.FileField()
    typed = serializers.CharField(required=False, default="{}")
    expected_seq = serializers.IntegerField(required=False, allow_null=True, default=None)


class SampleFormSerializer(serializers.Serializer):
    name = serializers.CharField(allow_blank=True)
    values = serializers.CharField(required=False, default="{}")
    file = serializers.FileField(required=False, allow_null=True, default=None)


class EndValiditySerializer(serializers.Serializer):
    why = serializers.CharField(allow_blank=True)


class SampleResultSerializer(serializers.Serializer):
    name = serializers.CharField()
    unit = serializers.CharField()
    value = serializers.CharField()
    u = serializers.CharField()


class SampleSerializer(serializers.Serializer):
    name = serializers.CharField()
    at = serializers.DateTimeField()
    by = serializers.CharField()
    results = SampleResultSerializer(many=True)


class ComponentSerializer(serializers.Serializer):
    name = serializers.CharField()
    unit = serializers.CharField()


class ValiditySerializer(serializers.Serializer):
    vouches = serializers.BooleanField()
    run = serializers.UUIDField(allow_null=True)
    run_number = serializers.CharField(allow_blank=True)
    since = serializers.DateTimeField(allow_null=True)
    until = serializers.DateTimeField(allow_null=True)
    ended_at = serializers.DateTimeField(allow_null=True)
    ended_by = serializers.CharField(allow_blank=True)
    why = serializers.CharField(allow_blank=True)
    components = ComponentSerializer(many=True)
    samples = SampleSerializer(many=True)


def text_of_file(sent: Any) -> str:
    """A sent file as text; raises a Fault where it is none."""
    try:
        return str(sent.read().decode("utf-8-sig"))
    except UnicodeDecodeError:
        raise Fault("not_text", f"{sent.name} is no text file; export the chromatogram as CSV, time and signal.", field="file") from None


def texts(raw: str) -> dict[str, str]:
    """A JSON object of texts, as a form carries it; anything else is nothing."""
    try:
        found = json.loads(raw)
    except ValueError:
        return {}
    return {str(k): str(v) for k, v in found.items()} if isinstance(found, dict) else {}


def validity_data(tag: str) -> dict[str, Any]:
    """What stands for samples of an instrument, for the page."""
    instrument = get_instrument(tag)
    found = validity_of(instrument, timezone.now())
    if found is None:
        nothing = {"run": None, "run_number": "", "since": None, "until": None, "ended_at": None, "ended_by": "", "why": ""}
        return {"vouches": False, **nothing, "components": [], "samples": []}
    return {
        "vouches": True,
        "run": found.run_id,
        "run_number": found.run.label,
        "since": found.since,
        "until": found.until,
        "ended_at": found.ended_at,
        "ended_by": found.ended_by,
        "why": found.why,
        "components": [{"name": v["name"], "unit": v["unit"]} for v in found.vouched],
        "samples": _samples(found),
    }


def _samples(found: Validity) -> list[dict[str, Any]]:
    return [{"name": s.name, "at": s.at, "by": s.by, "results": s.results} for s in found.samples.order_by("-at")[:50]]


class ChromatogramView(APIView):
    parser_classes = [MultiPartParser]

    @extend_schema(operation_id="take_chromatogram", request={"multipart/form-data": ChromatogramFormSerializer}, responses=ANSWERS)
    def post(self, request: Request, run_id: uuid.UUID) -> Response:
        """A chromatogram from a file for the injection that is next."""
        require(request.user, "work on a run")
        given = parsed(ChromatogramFormSerializer, request)
        now = timezone.now()
        run, state = take_chromatogram(
            actor=signed_in(request),
            run_id=run_id,
            curve=read_chromatogram(text_of_file(given["file"])),
            label=str(given["file"].name),
            typed=texts(given["typed"]),
            expected_seq=given["expected_seq"],
            now=now,
        )
        return Response(run_data(run, state, now))


class ValidityView(APIView):
    @extend_schema(operation_id="get_validity", responses=ValiditySerializer)
    def get(self, request: Request, tag: str) -> Response:
        """Until when the last calibration stands for samples, and the samples taken against it."""
        require(request.user, "read")
        return Response(validity_data(tag))

    @extend_schema(operation_id="end_validity", request=EndValiditySerializer, responses={200: ValiditySerializer, 400: FailureSerializer})
    def post(self, request: Request, tag: str) -> Response:
        """Its power was lost: it ends at once."""
        given = parsed(EndValiditySerializer, request)
        end_validity(actor=signed_in(request), tag=tag, why=given["why"], now=timezone.now())
        return Response(validity_data(tag))


class SamplesView(APIView):
    parser_classes = [MultiPartParser]

    @extend_schema(
        operation_id="add_sample",
        request={"multipart/form-data": SampleFormSerializer},
        responses={201: ValiditySerializer, 400: FailureSerializer},
    )
    def post(self, request: Request, tag: str) -> Response:
        """A sample, by what was typed or by its chromatogram."""
        given = parsed(SampleFormSerializer, request)
        curve = read_chromatogram(text_of_file(given["file"])) if given["file"] else None
        add_sample(actor=signed_in(request), tag=tag, name=given["name"], values=texts(given["values"]), curve=curve, now=timezone.now())
        return Response(validity_data(tag), status=201)
