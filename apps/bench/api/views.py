"""The bench over HTTP: signals, captures, batches, the transmitter's own parameters."""

from __future__ import annotations

import uuid
from typing import Any

from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.api.people import signed_in
from apps.accounts.api.serializers import FailureSerializer
from apps.accounts.policy import require
from apps.bench import auto_capture, device_acts
from apps.bench.api.serializers import (
    ActSerializer,
    AutoSerializer,
    BatchPlanSerializer,
    CandidateSerializer,
    CaptureSerializer,
    CompareSerializer,
    DifferenceSerializer,
    ModemSerializer,
    RunsSerializer,
    SignalSerializer,
)
from apps.bench.capture import capture_reading, live_of
from apps.bench.chromatograms import take_live
from apps.bench.keys import press_key
from apps.bench.models import AutoCapture
from apps.bench.selectors import list_modems, list_signals
from apps.bench.views_data import auto_data, candidates
from apps.runs.api.serializers import RunSerializer
from apps.runs.api.views import ANSWERS, parsed
from apps.runs.models import Run
from apps.runs.selectors import run_data
from metrology.faults import Fault
from metrology.methods.parameters import BY_NAME, FORMAT, differences, read_values, words
from metrology.run.state import RunState


def _shown(changed: tuple[Run, RunState]) -> Response:
    return Response(run_data(*changed, timezone.now()))


class SignalsView(APIView):
    @extend_schema(
        operation_id="list_signals",
        responses=SignalSerializer(many=True),
        parameters=[
            OpenApiParameter("unit", str),
            OpenApiParameter("tag", str),
            OpenApiParameter("quantity", str),
            OpenApiParameter("channel", str),
        ],
    )
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        asked = {name: request.query_params.get(name, "") for name in ("unit", "tag", "quantity", "channel")}
        return Response(list_signals(**asked))


class ModemsView(APIView):
    @extend_schema(operation_id="list_modems", responses=ModemSerializer(many=True), parameters=[OpenApiParameter("tag", str)])
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        return Response(list_modems(request.query_params.get("tag", "")))


class CaptureView(APIView):
    @extend_schema(operation_id="capture_reading", request=CaptureSerializer, responses=ANSWERS)
    def post(self, request: Request, run_id: uuid.UUID) -> Response:
        given = parsed(CaptureSerializer, request)
        return _shown(
            capture_reading(
                actor=signed_in(request),
                run_id=run_id,
                typed=given["typed"],
                now=timezone.now(),
                event_id=given["id"],
                expected_seq=given["expected_seq"],
            )
        )


class KeySerializer(serializers.Serializer):
    signal = serializers.CharField(max_length=80)


class KeyView(APIView):
    @extend_schema(operation_id="press_key", request=KeySerializer, responses=ANSWERS)
    def post(self, request: Request, run_id: uuid.UUID) -> Response:
        """One of the keys of a detector on the bench; what it answered is on the record."""
        return _shown(
            press_key(actor=signed_in(request), run_id=run_id, signal_id=parsed(KeySerializer, request)["signal"], now=timezone.now())
        )


class GasOnView(APIView):
    @extend_schema(operation_id="gas_is_on", request=None, responses={204: None})
    def post(self, request: Request, run_id: uuid.UUID) -> Response:
        """The moment gas came: the exposure is timed from here."""
        require(request.user, "work on a run")
        live_of(run_id)[0].mark(told=True)
        return Response(status=204)


class LiveChromatogramSerializer(serializers.Serializer):
    typed = serializers.DictField(child=serializers.CharField(allow_blank=True), required=False, default=dict)
    expected_seq = serializers.IntegerField(required=False, allow_null=True, default=None)


class LiveChromatogramView(APIView):
    @extend_schema(operation_id="take_live_chromatogram", request=LiveChromatogramSerializer, responses=ANSWERS)
    def post(self, request: Request, run_id: uuid.UUID) -> Response:
        """The curve since the injection was told, as the readings of that injection."""
        given = parsed(LiveChromatogramSerializer, request)
        return _shown(take_live(actor=signed_in(request), run_id=run_id, now=timezone.now(), **given))


class BatchPlanView(APIView):
    @extend_schema(operation_id="plan_batch", request=RunsSerializer, responses={200: BatchPlanSerializer, 400: FailureSerializer})
    def post(self, request: Request) -> Response:
        return Response(auto_capture.preview(actor=signed_in(request), run_ids=parsed(RunsSerializer, request)["runs"]))


class AutoCapturesView(APIView):
    @extend_schema(operation_id="list_auto_captures", responses=AutoSerializer(many=True), parameters=[OpenApiParameter("run", str)])
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        run = request.query_params.get("run", "")
        rows: list[AutoCapture] = list(AutoCapture.objects.select_related("started_by")[:50])
        if run:
            rows = [a for a in rows if run in a.runs][:1]
        return Response([auto_data(a) for a in rows[:10]])

    @extend_schema(operation_id="start_auto_capture", request=RunsSerializer, responses={201: AutoSerializer, 400: FailureSerializer})
    def post(self, request: Request) -> Response:
        ids = parsed(RunsSerializer, request)["runs"]
        return Response(auto_data(auto_capture.start(actor=signed_in(request), run_ids=ids, now=timezone.now())), status=201)


class CandidatesView(APIView):
    @extend_schema(operation_id="list_batch_candidates", responses=CandidateSerializer(many=True))
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        return Response(candidates())


class StopAutoCaptureView(APIView):
    @extend_schema(operation_id="stop_auto_capture", request=None, responses={200: AutoSerializer, 404: FailureSerializer})
    def post(self, request: Request, auto_id: uuid.UUID) -> Response:
        return Response(auto_data(auto_capture.stop(actor=signed_in(request), auto_id=auto_id, now=timezone.now())))


class AcceptDeviceSerializer(serializers.Serializer):
    reason = serializers.CharField(max_length=400, allow_blank=True)


class AcceptDeviceView(APIView):
    @extend_schema(operation_id="accept_device", request=AcceptDeviceSerializer, responses=ANSWERS)
    def post(self, request: Request, run_id: uuid.UUID) -> Response:
        """The device that answers now is the one that is meant, with a reason."""
        given = parsed(AcceptDeviceSerializer, request)
        return _shown(device_acts.accept_device(actor=signed_in(request), run_id=run_id, reason=given["reason"], now=timezone.now()))


class ReadDeviceView(APIView):
    @extend_schema(operation_id="read_device", request=ActSerializer, responses=ANSWERS)
    def post(self, request: Request, run_id: uuid.UUID) -> Response:
        kind = parsed(ActSerializer, request)["act"]
        return _shown(device_acts.read_device(actor=signed_in(request), run_id=run_id, kind=kind, now=timezone.now()))


class SendView(APIView):
    @extend_schema(operation_id="send_parameters", request=None, responses={200: RunSerializer, 400: FailureSerializer})
    def post(self, request: Request, run_id: uuid.UUID) -> Response:
        return _shown(device_acts.send_pending(actor=signed_in(request), run_id=run_id, now=timezone.now()))


class ActView(APIView):
    @extend_schema(operation_id="act_on_device", request=ActSerializer, responses=ANSWERS)
    def post(self, request: Request, run_id: uuid.UUID) -> Response:
        given = parsed(ActSerializer, request)
        return _shown(
            device_acts.act_on_device(actor=signed_in(request), run_id=run_id, act=given["act"], value=given["value"], now=timezone.now())
        )


class ParameterFileView(APIView):
    @extend_schema(operation_id="get_parameter_file", responses={200: dict, 400: FailureSerializer})
    def get(self, request: Request, run_id: uuid.UUID, kind: str) -> Response:
        require(request.user, "read")
        data = device_acts.parameter_file(run_id, kind.replace("-", " "))
        name = f"{data['tag']}-{kind}.json"
        return Response(data, headers={"Content-Disposition": f'attachment; filename="{name}"'})


class CompareView(APIView):
    @extend_schema(
        operation_id="compare_parameters",
        request=CompareSerializer,
        responses={200: DifferenceSerializer(many=True), 400: FailureSerializer},
    )
    def post(self, request: Request) -> Response:
        require(request.user, "read")
        given = parsed(CompareSerializer, request)
        sets: list[dict[str, Any]] = []
        for name in ("a", "b"):
            doc = given[name]
            if doc.get("format") != FORMAT or not isinstance(doc.get("values"), dict):
                raise Fault("bad_file", f"This is not a parameter set of format {FORMAT}. Choose a file saved here.", field=name)
            sets.append(read_values(doc["values"]))
        rows = differences(*sets)
        return Response([{"name": n, "label": BY_NAME[n].label, "a": words(n, a), "b": words(n, b)} for n, a, b in rows])
