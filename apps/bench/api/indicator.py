"""The registers of an instrument over HTTP: what it tells now, read for the record, told and read back."""

from __future__ import annotations

import uuid

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.api.people import signed_in
from apps.accounts.api.serializers import FailureSerializer
from apps.accounts.policy import require
from apps.bench.indicator import read_fields, saved_file, send_values, take_file, told_now
from apps.runs.api.views import ANSWERS, parsed
from apps.runs.selectors import run_data


class ToldFieldSerializer(serializers.Serializer):
    name = serializers.CharField()
    value = serializers.CharField()
    note = serializers.CharField(allow_blank=True)


class IndicatorSerializer(serializers.Serializer):
    device = serializers.CharField(allow_blank=True)  # empty where nothing can be read
    fault = serializers.CharField(allow_blank=True)
    told = ToldFieldSerializer(many=True)


class ReadoutSerializer(serializers.Serializer):
    readout = serializers.CharField(max_length=40)


class IndicatorView(APIView):
    @extend_schema(operation_id="what_the_indicator_tells", responses={200: IndicatorSerializer})
    def get(self, request: Request, run_id: uuid.UUID) -> Response:
        """What the instrument tells now of the fields of the current step; nothing of it is kept."""
        require(request.user, "read")
        return Response(IndicatorSerializer(told_now(run_id)).data)


class IndicatorReadView(APIView):
    @extend_schema(operation_id="read_indicator", request=ReadoutSerializer, responses=ANSWERS)
    def post(self, request: Request, run_id: uuid.UUID) -> Response:
        """Fields of the current step read from the instrument; on the record as read."""
        given = parsed(ReadoutSerializer, request)
        now = timezone.now()
        return Response(run_data(*read_fields(actor=signed_in(request), run_id=run_id, readout=given["readout"], now=now), now))


class IndicatorSendView(APIView):
    @extend_schema(operation_id="send_to_indicator", request=None, responses=ANSWERS)
    def post(self, request: Request, run_id: uuid.UUID) -> Response:
        """What is meant sent to the instrument, and read back."""
        now = timezone.now()
        return Response(run_data(*send_values(actor=signed_in(request), run_id=run_id, now=now), now))


class ParameterDocumentSerializer(serializers.Serializer):
    document = serializers.DictField()


class IndicatorFileView(APIView):
    @extend_schema(operation_id="get_indicator_file", responses={200: dict, 400: FailureSerializer})
    def get(self, request: Request, run_id: uuid.UUID) -> Response:
        """The parameters that were read back, as an open JSON document."""
        require(request.user, "read")
        data = saved_file(run_id)
        return Response(data, headers={"Content-Disposition": f'attachment; filename="{data["tag"]}-parameters.json"'})

    @extend_schema(operation_id="take_indicator_file", request=ParameterDocumentSerializer, responses=ANSWERS)
    def post(self, request: Request, run_id: uuid.UUID) -> Response:
        """A file that was saved of this instrument, for what is to be sent."""
        given = parsed(ParameterDocumentSerializer, request)
        now = timezone.now()
        return Response(run_data(*take_file(actor=signed_in(request), run_id=run_id, document=given["document"], now=now), now))
