"""Batches of sensors over HTTP."""

from __future__ import annotations

from uuid import UUID

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.api.people import signed_in
from apps.accounts.api.serializers import FailureSerializer, OptionSerializer
from apps.accounts.policy import require
from apps.accounts.services import confirm_password
from apps.batches import selectors, services
from apps.batches.proposing import asked_of, propose
from apps.bench.api.views import AutoSerializer
from apps.checks.api.views import CheckAskedSerializer, SignAllSerializer, TagSerializer, TapSerializer
from config.asked import parsed

TAG, TEXT = 40, 400


def _texts() -> serializers.DictField:
    return serializers.DictField(child=serializers.CharField(max_length=TEXT, allow_blank=True), default=dict)


class SensorSerializer(serializers.Serializer):
    tag = serializers.CharField()
    service = serializers.CharField()
    area = serializers.CharField()
    range = serializers.CharField()
    standing = serializers.CharField()
    due = serializers.CharField()
    run = serializers.UUIDField(allow_null=True)


class ProposeSerializer(serializers.Serializer):
    tags = serializers.ListField(child=serializers.CharField(max_length=TAG), max_length=20)
    blocks = _texts()  # by tag, where somebody has said which


class NewBatchSerializer(ProposeSerializer):
    id = serializers.UUIDField()  # made by the page, so that a batch sent twice is made once
    serials = _texts()
    said = _texts()


class ProposedSensorSerializer(serializers.Serializer):
    tag = serializers.CharField()
    block = serializers.CharField()
    block_name = serializers.CharField()
    well = serializers.IntegerField(allow_null=True)
    probe = serializers.CharField()
    probe_name = serializers.CharField()
    readout = serializers.CharField()
    is_live = serializers.BooleanField()
    remarks = serializers.ListField(child=serializers.CharField())
    why_not = serializers.CharField()


class BatchAskSerializer(CheckAskedSerializer):
    kind = serializers.CharField()
    hint = serializers.CharField()
    only_for = serializers.ListField(child=serializers.CharField())  # kinds of hold for which it is asked; empty: always
    options = OptionSerializer(many=True)


class BatchProposalSerializer(serializers.Serializer):
    sensors = ProposedSensorSerializer(many=True)
    blocks = OptionSerializer(many=True)
    asks = BatchAskSerializer(many=True)
    minutes = serializers.IntegerField()
    tap = TapSerializer()


class BatchBriefSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    by = serializers.CharField()
    is_mine = serializers.BooleanField()
    made_at = serializers.DateTimeField()
    tags = serializers.ListField(child=serializers.CharField())


class BatchSensorSerializer(serializers.Serializer):
    tag = serializers.CharField()
    service = serializers.CharField()
    unit = serializers.CharField()
    block = serializers.CharField()
    block_name = serializers.CharField()
    well = serializers.IntegerField()
    probe = serializers.CharField()
    readout = serializers.CharField()
    run = serializers.UUIDField(allow_null=True)
    state = serializers.CharField()
    at_step = serializers.CharField()
    is_on_hold = serializers.BooleanField()
    note = serializers.CharField()
    verdict = serializers.CharField()
    share = serializers.CharField()
    taken = serializers.IntegerField()
    total = serializers.IntegerField()
    asks = CheckAskedSerializer(many=True)
    says = serializers.ListField(child=serializers.CharField())


class SensorBatchSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    by = serializers.CharField()
    is_mine = serializers.BooleanField()
    made_at = serializers.DateTimeField()
    closed_at = serializers.DateTimeField(allow_null=True)
    said = serializers.DictField(child=serializers.CharField())
    sensors = BatchSensorSerializer(many=True)
    ready = serializers.IntegerField()
    can_capture = serializers.BooleanField()
    auto = AutoSerializer(allow_null=True)


class GoOnBatchSerializer(serializers.Serializer):
    said = _texts()


class PutBackSerializer(serializers.Serializer):
    said = serializers.DictField(child=_texts())  # by tag


REFUSED = {400: FailureSerializer, 403: FailureSerializer, 404: FailureSerializer, 409: FailureSerializer}
ANSWERS = {200: SensorBatchSerializer, **REFUSED}


def _shown(request: Request, batch_id: UUID, status: int = 200) -> Response:
    return Response(selectors.batch_data(services.find_batch(batch_id), signed_in(request)), status=status)


class SensorsView(APIView):
    @extend_schema(operation_id="list_batch_sensors", responses=SensorSerializer(many=True))
    def get(self, request: Request) -> Response:
        """Sensors that go into a block, those due first."""
        require(request.user, "read")
        return Response(selectors.sensors(timezone.localdate()))


class ProposalView(APIView):
    @extend_schema(operation_id="propose_batch", request=ProposeSerializer, responses={200: BatchProposalSerializer, **REFUSED})
    def post(self, request: Request) -> Response:
        """Who would stand where, and what is to be said; nothing is stored."""
        require(request.user, "start a run")
        given = parsed(ProposeSerializer, request)
        rows = propose(given["tags"], given["blocks"], timezone.localdate())
        return Response(selectors.proposal_data(rows, asked_of(rows)))


class BatchesView(APIView):
    @extend_schema(operation_id="list_batches", responses=BatchBriefSerializer(many=True))
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        return Response(selectors.batches(signed_in(request)))

    @extend_schema(operation_id="make_batch", request=NewBatchSerializer, responses={201: SensorBatchSerializer, **REFUSED})
    def post(self, request: Request) -> Response:
        """Begin the sensors and capture what is live."""
        given = parsed(NewBatchSerializer, request)
        made = services.make_batch(actor=signed_in(request), batch_id=given.pop("id"), now=timezone.now(), **given)
        return _shown(request, made.id, 201)


class BatchView(APIView):
    @extend_schema(operation_id="get_batch", responses=ANSWERS)
    def get(self, request: Request, batch_id: UUID) -> Response:
        require(request.user, "read")
        return _shown(request, batch_id)


class GoOnView(APIView):
    @extend_schema(operation_id="go_on_batch", request=GoOnBatchSerializer, responses=ANSWERS)
    def post(self, request: Request, batch_id: UUID) -> Response:
        services.go_on(actor=signed_in(request), batch_id=batch_id, now=timezone.now(), **parsed(GoOnBatchSerializer, request))
        return _shown(request, batch_id)


class PutBackView(APIView):
    @extend_schema(operation_id="put_batch_back", request=PutBackSerializer, responses=ANSWERS)
    def post(self, request: Request, batch_id: UUID) -> Response:
        services.put_back(actor=signed_in(request), batch_id=batch_id, now=timezone.now(), **parsed(PutBackSerializer, request))
        return _shown(request, batch_id)


class DropView(APIView):
    @extend_schema(operation_id="drop_from_batch", request=TagSerializer, responses=ANSWERS)
    def post(self, request: Request, batch_id: UUID) -> Response:
        services.drop(actor=signed_in(request), batch_id=batch_id, now=timezone.now(), **parsed(TagSerializer, request))
        return _shown(request, batch_id)


class SignAllView(APIView):
    @extend_schema(operation_id="sign_batch", request=SignAllSerializer, responses=ANSWERS)
    def post(self, request: Request, batch_id: UUID) -> Response:
        given = parsed(SignAllSerializer, request)
        require(request.user, "sign a run")
        confirm_password(request._request, signed_in(request), given["password"], given["one_time"])
        services.sign_all(actor=signed_in(request), batch_id=batch_id, note=given["note"], now=timezone.now())
        return _shown(request, batch_id)
