"""Runs over HTTP: parse, call the verb, show the view."""

from __future__ import annotations

import uuid
from typing import Any

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.api.people import signed_in
from apps.accounts.api.serializers import FailureSerializer, ProofSerializer
from apps.accounts.policy import require
from apps.accounts.services import check_credentials, confirm_password
from apps.plant.selectors import get_instrument
from apps.runs import services
from apps.runs.api.serializers import (
    AppendedSerializer,
    AppendSerializer,
    CountersignSerializer,
    LogRowSerializer,
    OverrideSerializer,
    ReviewSerializer,
    RunSerializer,
    SecondSerializer,
    SignSerializer,
    StartSerializer,
    VoidSerializer,
)
from apps.runs.selectors import get_run_data, log_of, run_changes, run_data
from apps.runs.store import load_run
from config.asked import parsed

ANSWERS = {200: RunSerializer, 400: FailureSerializer, 409: FailureSerializer}


class StartView(APIView):
    @extend_schema(operation_id="start_run", request=StartSerializer, responses={201: RunSerializer, 400: FailureSerializer})
    def post(self, request: Request) -> Response:
        given = parsed(StartSerializer, request)
        actor, now = signed_in(request), timezone.now()
        if given["item"]:
            run = services.start_check(actor=actor, code=given["item"], now=now)
        else:
            chosen = {
                "method_key": given["method"],
                "points": given["points"],
                "cycles": given["cycles"],
                "supervisor": given["supervisor"],
            }
            run = services.start_run(actor=actor, instrument=get_instrument(given["tag"]), now=now, **chosen)
        return Response(get_run_data(run.id, timezone.now()), status=201)


class RunDetailView(APIView):
    @extend_schema(operation_id="get_run", responses=RunSerializer)
    def get(self, request: Request, run_id: uuid.UUID) -> Response:
        require(request.user, "read")
        return Response(get_run_data(run_id, timezone.now()))


class LogView(APIView):
    @extend_schema(operation_id="get_run_log", responses=LogRowSerializer(many=True))
    def get(self, request: Request, run_id: uuid.UUID) -> Response:
        require(request.user, "read")
        return Response(log_of(load_run(run_id)[1]))


class EventsView(APIView):
    @extend_schema(operation_id="append_events", request=AppendSerializer, responses={**ANSWERS, 200: AppendedSerializer})
    def post(self, request: Request, run_id: uuid.UUID) -> Response:
        given = parsed(AppendSerializer, request)
        events = [services.NewEvent(e["id"], e["type"], e["payload"], e.get("device_at")) for e in given["events"]]
        now = timezone.now()
        run, state = services.append_events(
            actor=signed_in(request),
            run_id=run_id,
            expected_seq=given["expected_seq"],
            events=events,
            now=now,
            together=given["together"],
        )
        return Response(run_changes(run, state, now, given["expected_seq"]) if given["parts"] else run_data(run, state, now))


class OverrideView(APIView):
    @extend_schema(operation_id="override_reference", request=OverrideSerializer, responses=ANSWERS)
    def post(self, request: Request, run_id: uuid.UUID) -> Response:
        given = parsed(OverrideSerializer, request)
        require(request.user, "work on a run")
        reviewer = check_credentials(request._request, given["reviewer"], given["password"], given["one_time"])
        payload = {k: given[k] for k in ("role", "code", "reason")}
        now = timezone.now()
        run, state = services.override_reference(
            actor=signed_in(request),
            reviewer=reviewer,
            run_id=run_id,
            expected_seq=given["expected_seq"],
            event=services.NewEvent(given["id"], "reference_assigned", payload),
            now=now,
        )
        return Response(run_data(run, state, now))


def _proved(kind: type[ProofSerializer], request: Request, act: str) -> dict[str, Any]:
    """What is asked of an act that takes a signature, once the role allows it and whoever asks has said again who they are."""
    given = parsed(kind, request)
    require(request.user, act)
    confirm_password(request._request, signed_in(request), given.pop("password"), given.pop("one_time"))
    return given


class SignView(APIView):
    @extend_schema(operation_id="sign_run", request=SignSerializer, responses=ANSWERS)
    def post(self, request: Request, run_id: uuid.UUID) -> Response:
        given, now = _proved(SignSerializer, request, "sign a run"), timezone.now()
        return Response(run_data(*services.sign_run(actor=signed_in(request), run_id=run_id, now=now, **given), now))


class CountersignView(APIView):
    @extend_schema(operation_id="countersign_run", request=CountersignSerializer, responses=ANSWERS)
    def post(self, request: Request, run_id: uuid.UUID) -> Response:
        """A second name under a signed run: of whoever did part of the work, saw it done, or answers for it."""
        given, now = _proved(CountersignSerializer, request, "countersign a record"), timezone.now()
        return Response(run_data(*services.countersign_run(actor=signed_in(request), run_id=run_id, now=now, **given), now))


class ReviewView(APIView):
    @extend_schema(operation_id="review_run", request=ReviewSerializer, responses=ANSWERS)
    def post(self, request: Request, run_id: uuid.UUID) -> Response:
        given, now = _proved(ReviewSerializer, request, "review a record"), timezone.now()
        return Response(run_data(*services.review_run(actor=signed_in(request), run_id=run_id, now=now, **given), now))


class VoidView(APIView):
    @extend_schema(operation_id="void_run", request=VoidSerializer, responses=ANSWERS)
    def post(self, request: Request, run_id: uuid.UUID) -> Response:
        given = parsed(VoidSerializer, request)
        now = timezone.now()
        run, state = services.void_run(
            actor=signed_in(request),
            run_id=run_id,
            reason=given["reason"],
            release=given["release"],
            keeps_hold=given["keeps_hold"],
            expected_seq=given["expected_seq"],
            now=now,
        )
        return Response(run_data(run, state, now))


class SecondView(APIView):
    @extend_schema(operation_id="append_with_second", request=SecondSerializer, responses=ANSWERS)
    def post(self, request: Request, run_id: uuid.UUID) -> Response:
        given = parsed(SecondSerializer, request)
        require(request.user, "work on a run")
        second = check_credentials(request._request, given["second"], given["password"], given["one_time"])
        now = timezone.now()
        run, state = services.append_with_second(
            actor=signed_in(request),
            second=second,
            run_id=run_id,
            expected_seq=given["expected_seq"],
            event=services.NewEvent(given["id"], given["type"], given["payload"]),
            now=now,
        )
        return Response(run_data(run, state, now))
