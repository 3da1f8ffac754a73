"""The year ahead over HTTP."""

from __future__ import annotations

from django.http import HttpResponse, StreamingHttpResponse
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.api.people import signed_in
from apps.accounts.api.serializers import FailureSerializer
from apps.accounts.policy import require
from apps.agenda import selectors, services
from apps.agenda.year_sheet import print_year
from apps.plant.sheets import XLSX, write_csv, write_xlsx
from config.asked import parsed

AREA = OpenApiParameter("area", str)


class YearWeekSerializer(serializers.Serializer):
    monday = serializers.DateField()
    hours = serializers.FloatField()
    there = serializers.FloatField()
    over = serializers.FloatField()
    calibrations = serializers.IntegerField()
    others = serializers.IntegerField()
    planned = serializers.IntegerField()


class YearMoveSerializer(serializers.Serializer):
    tag = serializers.CharField()
    says = serializers.CharField()
    due_on = serializers.DateField()
    hours = serializers.FloatField()
    before = serializers.DateField()
    after = serializers.DateField()


class YearSerializer(serializers.Serializer):
    weeks = YearWeekSerializer(many=True)
    usual = serializers.FloatField()
    assumed = serializers.CharField(help_text="What is assumed where no usual week was entered; else empty")
    moves = YearMoveSerializer(many=True)
    more_moves = serializers.IntegerField()
    left_over = serializers.FloatField(help_text="Hours that are over once all of the proposals are taken")


class YearJobSerializer(serializers.Serializer):
    kind = serializers.CharField()
    title = serializers.CharField()
    what = serializers.CharField()
    says = serializers.CharField()
    on = serializers.DateField()
    hours = serializers.FloatField()
    link = serializers.CharField()
    tag = serializers.CharField()
    window = serializers.CharField()
    planned = serializers.DateField(allow_null=True)


class WeekJobsSerializer(serializers.Serializer):
    monday = serializers.DateField()
    hours = serializers.FloatField()
    there = serializers.FloatField()
    total = serializers.IntegerField()
    jobs = YearJobSerializer(many=True)


class WeekHoursSerializer(serializers.Serializer):
    week = serializers.CharField(max_length=20, allow_blank=True, help_text="A day of the week; empty: a usual one")
    hours = serializers.CharField(max_length=20, allow_blank=True, help_text="Empty: as usual again")


class MoveSerializer(serializers.Serializer):
    tag = serializers.CharField(max_length=40)
    week = serializers.CharField(max_length=20, allow_blank=True, help_text="Empty: back to where it is due")


class MovesSerializer(serializers.Serializer):
    moves = MoveSerializer(many=True)


ANSWERS = {200: YearSerializer, 400: FailureSerializer, 403: FailureSerializer}


def _area(request: Request) -> str:
    return request.query_params.get("area", "")[:12]


class YearView(APIView):
    @extend_schema(operation_id="get_year", responses=YearSerializer, parameters=[AREA])
    def get(self, request: Request) -> Response:
        """The year week by week, and what could be moved to level it."""
        require(request.user, "read")
        return Response(selectors.year_data(timezone.now(), _area(request)))


class WeekView(APIView):
    @extend_schema(
        operation_id="get_year_week",
        responses={200: WeekJobsSerializer, 400: FailureSerializer},
        parameters=[AREA, OpenApiParameter("on", str)],
    )
    def get(self, request: Request) -> Response:
        """The jobs of one week."""
        require(request.user, "read")
        now = timezone.now()
        week = services.read_week(request.query_params.get("on", ""), timezone.localdate(now), field="on")
        return Response(selectors.week_jobs(now, week, _area(request)))


class OthersView(APIView):
    @extend_schema(
        operation_id="list_other_work",
        responses=YearJobSerializer(many=True),
        parameters=[AREA, OpenApiParameter("days", int, description="Up to 400")],
    )
    def get(self, request: Request) -> Response:
        """What is to be done beside the calibrations: sensors, kit, duties, follow-ups, stand-ins, qualifications."""
        require(request.user, "read")
        text = request.query_params.get("days", "30")
        days = min(int(text), 400) if text.isdecimal() and len(text) < 5 else 30
        return Response(selectors.others_within(timezone.now(), days, _area(request)))


class HoursView(APIView):
    @extend_schema(operation_id="set_week_hours", request=WeekHoursSerializer, responses=ANSWERS)
    def post(self, request: Request) -> Response:
        now = timezone.now()
        services.set_hours(actor=signed_in(request), now=now, **parsed(WeekHoursSerializer, request))
        return Response(selectors.year_data(now))


class MovesView(APIView):
    @extend_schema(operation_id="plan_weeks", request=MovesSerializer, responses=ANSWERS)
    def post(self, request: Request) -> Response:
        """Jobs planned for other weeks, all or none."""
        now = timezone.now()
        services.plan_weeks(actor=signed_in(request), now=now, **parsed(MovesSerializer, request))
        return Response(selectors.year_data(now))


class YearFileView(APIView):
    @extend_schema(
        operation_id="export_year",
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
        parameters=[AREA, OpenApiParameter("kind", str)],
    )
    def get(self, request: Request) -> HttpResponse | StreamingHttpResponse:
        """Every job of the year as CSV or XLSX, or the year to print as PDF (kind)."""
        require(request.user, "read")
        now, area = timezone.now(), _area(request)
        if request.query_params.get("kind") == "pdf":
            return HttpResponse(print_year(now, area, selectors.area_name(area)), content_type="application/pdf")
        rows = selectors.year_rows(now, area)
        kind = "xlsx" if request.query_params.get("kind") == "xlsx" else "csv"
        if kind == "xlsx":
            answer: HttpResponse | StreamingHttpResponse = HttpResponse(write_xlsx("Year", selectors.HEADER, rows), content_type=XLSX)
        else:
            answer = StreamingHttpResponse(write_csv(selectors.HEADER, rows), content_type="text/csv; charset=utf-8")
        answer["Content-Disposition"] = f'attachment; filename="year-{timezone.localdate(now):%Y-%m-%d}.{kind}"'
        return answer
