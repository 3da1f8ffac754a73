"""Rounds over HTTP."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from django.http import HttpResponse
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.api.people import signed_in
from apps.accounts.api.serializers import FailureSerializer
from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.accounts.qualifications import ending, held_by
from apps.planning.across import PLANNED, overlaps_of
from apps.planning.following import get_round, hand_over, job_rows, minute_of, walking_of
from apps.planning.loading import load_list
from apps.planning.making import make_round
from apps.planning.models import Round
from apps.planning.pack import make_pack
from apps.planning.rounds import change_job, set_status, start_solving, stop_solving
from apps.planning.unfit import exchange_kit, unfit_kit
from config.asked import parsed


class TaskSerializer(serializers.Serializer):
    start = serializers.IntegerField()
    end = serializers.IntegerField()
    people = serializers.ListField(child=serializers.CharField())
    names = serializers.ListField(child=serializers.CharField())
    holds = serializers.BooleanField()
    wait = serializers.IntegerField()


class RoundJobSerializer(serializers.Serializer):
    tag = serializers.CharField()
    service = serializers.CharField()
    area = serializers.CharField()
    area_code = serializers.CharField()
    method_title = serializers.CharField()
    next_due = serializers.DateField(allow_null=True)
    is_must = serializers.BooleanField()
    is_locked = serializers.BooleanField()
    tasks = TaskSerializer(many=True)
    kit = serializers.ListField(child=serializers.CharField())
    why_left = serializers.CharField()
    state = serializers.CharField()
    run = serializers.UUIDField(allow_null=True)
    is_on_hold = serializers.BooleanField()
    begun = serializers.IntegerField(allow_null=True)
    ended = serializers.IntegerField(allow_null=True)
    late_min = serializers.IntegerField()


class CrewSerializer(serializers.Serializer):
    username = serializers.CharField()
    name = serializers.CharField()
    start = serializers.IntegerField()
    end = serializers.IntegerField()
    lunch = serializers.IntegerField(allow_null=True)
    skills = serializers.ListField(child=serializers.CharField())


class ProgressSerializer(serializers.Serializer):
    jobs = serializers.IntegerField()
    value = serializers.IntegerField()
    bound = serializers.FloatField()
    seconds = serializers.FloatField()


class WalkSerializer(serializers.Serializer):
    person = serializers.CharField()
    start = serializers.IntegerField()
    end = serializers.IntegerField()
    says = serializers.CharField()


class RoundResultSerializer(serializers.Serializer):
    says = serializers.CharField()
    clash = serializers.ListField(child=serializers.CharField())
    progress = ProgressSerializer(many=True)
    value = serializers.IntegerField(allow_null=True)
    bound = serializers.FloatField(allow_null=True)
    gap_percent = serializers.FloatField(allow_null=True)
    is_best = serializers.BooleanField()
    seconds = serializers.FloatField(allow_null=True)
    saved_min = serializers.IntegerField()
    walks = WalkSerializer(many=True)
    walked_min = serializers.IntegerField()
    tour_min = serializers.IntegerField(help_text="The least walking that these places take, with the way back for lunch")


class LoadItemSerializer(serializers.Serializer):
    code = serializers.CharField()
    words = serializers.CharField()
    who = serializers.ListField(child=serializers.CharField())
    handed = serializers.CharField(allow_blank=True)
    litres = serializers.FloatField(allow_null=True)
    left = serializers.FloatField(allow_null=True)


class WearSerializer(serializers.Serializer):
    what = serializers.CharField()
    tags = serializers.ListField(child=serializers.CharField())


class LoadSerializer(serializers.Serializer):
    kit = LoadItemSerializer(many=True)
    gas = LoadItemSerializer(many=True)
    more = LoadItemSerializer(many=True)
    lacks = serializers.ListField(child=serializers.CharField())
    wear = WearSerializer(many=True)
    elsewhere = serializers.ListField(child=serializers.CharField())


class UnfitSerializer(serializers.Serializer):
    code = serializers.CharField()
    says = serializers.CharField()
    tags = serializers.ListField(child=serializers.CharField())
    instead = serializers.ListField(child=serializers.CharField())


class ExchangeSerializer(serializers.Serializer):
    code = serializers.CharField(max_length=20)
    take = serializers.CharField(max_length=20)


class HandOverSerializer(serializers.Serializer):
    tag = serializers.CharField()
    what = serializers.CharField()
    says = serializers.CharField()


class RoundRowSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    name = serializers.CharField()
    day = serializers.DateField()
    status = serializers.CharField()
    made_by = serializers.CharField()
    people = serializers.ListField(child=serializers.CharField())
    planned = serializers.IntegerField()
    total = serializers.IntegerField()


class WorkRoundSerializer(RoundRowSerializer):
    crew = CrewSerializer(many=True)
    areas = serializers.ListField(child=serializers.CharField())
    permits = serializers.DictField(child=serializers.ListField(child=serializers.IntegerField()))
    jobs = RoundJobSerializer(many=True)
    result = RoundResultSerializer()
    load = LoadSerializer()
    hand_over = HandOverSerializer(many=True)
    overlaps = serializers.ListField(child=serializers.CharField())
    not_taken = serializers.ListField(child=serializers.CharField())
    unfit = UnfitSerializer(many=True)
    now = serializers.IntegerField()


class CrewFormSerializer(serializers.Serializer):
    username = serializers.CharField()
    start = serializers.CharField()
    end = serializers.CharField()
    lunch = serializers.BooleanField(required=False)


class PermitFormSerializer(serializers.Serializer):
    area = serializers.CharField()
    start = serializers.CharField()
    end = serializers.CharField()


class RoundFormSerializer(serializers.Serializer):
    name = serializers.CharField(allow_blank=True, required=False)
    day = serializers.CharField()
    crew = CrewFormSerializer(many=True)
    areas = serializers.ListField(child=serializers.CharField(), required=False)
    permits = PermitFormSerializer(many=True, required=False)
    musts = serializers.ListField(child=serializers.CharField(), required=False)


class JobChangeSerializer(serializers.Serializer):
    is_must = serializers.BooleanField(required=False)
    is_locked = serializers.BooleanField(required=False)
    person = serializers.CharField(required=False)
    start = serializers.CharField(required=False)
    with_swap = serializers.BooleanField(required=False, help_text="With the exchange that was proposed")
    remove = serializers.BooleanField(required=False)
    reason = serializers.CharField(required=False, allow_blank=True, max_length=300)


class SolveSerializer(serializers.Serializer):
    seconds = serializers.FloatField(required=False, min_value=1, max_value=120)


class StatusSerializer(serializers.Serializer):
    status = serializers.CharField()


class CrewChoiceSerializer(serializers.Serializer):
    username = serializers.CharField()
    name = serializers.CharField()
    skills = serializers.ListField(child=serializers.CharField())


class RoundListSerializer(serializers.Serializer):
    rows = RoundRowSerializer(many=True)
    people = CrewChoiceSerializer(many=True)
    ending = serializers.ListField(child=serializers.CharField())  # qualifications that have ended, or end soon


def _row(found: Round) -> dict[str, Any]:
    tasks = list(found.jobs.values_list("tasks", flat=True))
    return {
        "id": found.id,
        "name": found.name,
        "day": found.day,
        "status": found.status,
        "made_by": found.made_by.name,
        "people": [c["name"] for c in found.crew],
        "planned": sum(1 for t in tasks if t),
        "total": len(tasks),
    }


def _whole(found: Round) -> dict[str, Any]:
    now = timezone.now()
    r = found.result
    is_built = found.status != "solving" and "value" in r
    empty: dict[str, Any] = {"kit": [], "gas": [], "more": [], "wear": [], "lacks": [], "elsewhere": []}
    lunches = r.get("lunches", {})
    return {
        **_row(found),
        "crew": [{**c, "lunch": lunches.get(c["username"])} for c in found.crew],
        "areas": found.areas,
        "permits": found.permits,
        "jobs": job_rows(found, now),
        "result": {
            "says": r.get("says", ""),
            "clash": r.get("clash", []),
            "progress": r.get("progress", []),
            "value": r.get("value"),
            "bound": r.get("bound"),
            "gap_percent": r.get("gap_percent"),
            "is_best": r.get("is_best", False),
            "seconds": r.get("seconds"),
            "saved_min": r.get("saved_min", 0),
            **walking_of(found, is_built=is_built),
        },
        "load": load_list(found) if is_built else empty,
        "hand_over": hand_over(found, now) if found.status == "under way" else [],
        "overlaps": overlaps_of(found) if found.status in PLANNED else [],
        "not_taken": r.get("not_taken", []),
        "unfit": unfit_kit(found) if found.status in PLANNED else [],
        "now": minute_of(found, now),
    }


class RoundsView(APIView):
    @extend_schema(operation_id="list_plans", responses=RoundListSerializer)
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        today = timezone.localdate()
        people = list(Person.objects.filter(role="technician", is_active=True).order_by("first_name"))
        skills = held_by(people, today)
        return Response(
            {
                "rows": [_row(r) for r in Round.objects.select_related("made_by")[:30]],
                "people": [{"username": p.username, "name": p.name, "skills": skills[p.pk]} for p in people],
                "ending": ending(today),
            }
        )

    @extend_schema(operation_id="make_plan", request=RoundFormSerializer, responses={201: WorkRoundSerializer, 400: FailureSerializer})
    def post(self, request: Request) -> Response:
        asked = parsed(RoundFormSerializer, request)
        return Response(_whole(make_round(actor=signed_in(request), data=asked, now=timezone.now())), status=201)


class RoundView(APIView):
    @extend_schema(operation_id="get_plan", responses=WorkRoundSerializer)
    def get(self, request: Request, round_id: UUID) -> Response:
        require(request.user, "read")
        return Response(_whole(get_round(round_id)))

    @extend_schema(operation_id="set_plan_status", request=StatusSerializer, responses={200: WorkRoundSerializer, 400: FailureSerializer})
    def post(self, request: Request, round_id: UUID) -> Response:
        wanted = parsed(StatusSerializer, request)["status"]
        return Response(_whole(set_status(actor=signed_in(request), round_id=round_id, status=wanted)))


class PackView(APIView):
    @extend_schema(
        operation_id="print_plan",
        responses={(200, "application/pdf"): OpenApiTypes.BINARY},
        parameters=[OpenApiParameter("person", str, description="A username: their part alone")],
    )
    def get(self, request: Request, round_id: UUID) -> HttpResponse:
        """The round on paper, of everybody or of one person."""
        require(request.user, "read")
        pack = make_pack(get_round(round_id), timezone.now(), request.query_params.get("person", "")[:150])
        answer = HttpResponse(pack, content_type="application/pdf")
        answer["Content-Disposition"] = 'inline; filename="round.pdf"'
        return answer


class SolveView(APIView):
    @extend_schema(operation_id="solve_plan", request=SolveSerializer, responses={200: WorkRoundSerializer, 400: FailureSerializer})
    def post(self, request: Request, round_id: UUID) -> Response:
        asked = parsed(SolveSerializer, request)
        return Response(_whole(start_solving(actor=signed_in(request), round_id=round_id, now=timezone.now(), **asked)))

    @extend_schema(operation_id="stop_plan", responses={200: WorkRoundSerializer})
    def delete(self, request: Request, round_id: UUID) -> Response:
        return Response(_whole(stop_solving(actor=signed_in(request), round_id=round_id)))


class JobView(APIView):
    @extend_schema(
        operation_id="change_plan_job", request=JobChangeSerializer, responses={200: WorkRoundSerializer, 400: FailureSerializer}
    )
    def post(self, request: Request, round_id: UUID, tag: str) -> Response:
        asked = parsed(JobChangeSerializer, request)
        return Response(_whole(change_job(actor=signed_in(request), round_id=round_id, tag=tag, data=asked, now=timezone.now())))


class ExchangeView(APIView):
    @extend_schema(
        operation_id="exchange_plan_kit", request=ExchangeSerializer, responses={200: WorkRoundSerializer, 400: FailureSerializer}
    )
    def post(self, request: Request, round_id: UUID) -> Response:
        """Another item for every job that needs one that must not be used."""
        asked = parsed(ExchangeSerializer, request)
        return Response(_whole(exchange_kit(actor=signed_in(request), round_id=round_id, **asked)))
