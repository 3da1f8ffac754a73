"""Due work over HTTP: the list, what happened, what is put off, and calendars."""

from __future__ import annotations

from datetime import date

from django.db.models import QuerySet
from django.http import HttpResponse, StreamingHttpResponse
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.api.people import signed_in
from apps.accounts.api.serializers import FailureSerializer, OptionSerializer
from apps.accounts.policy import require
from apps.planning.due import calendar_of, due_days, due_list, due_row, make_feed, revoke_feed, waiting_deferrals
from apps.planning.due_files import HEADER, due_rows, print_due
from apps.planning.in_use import set_use
from apps.planning.models import Feed
from apps.plant.api.serializers import InstrumentRowSerializer
from apps.plant.models import TRIGGERS, Instrument
from apps.plant.selectors import get_instrument, instrument_row
from apps.plant.sheets import XLSX, write_csv, write_xlsx
from apps.runs.due import ask_deferral, decide_deferral, deferral_row, report_trigger
from config.asked import parsed
from config.lists import PageSerializer, page_of
from metrology.quantities.words import day_words


class DueListRowSerializer(InstrumentRowSerializer):
    why = serializers.CharField()
    standing = serializers.CharField()
    rule = serializers.CharField()
    days_left = serializers.IntegerField(allow_null=True)
    open_run = serializers.UUIDField(allow_null=True)
    planned = serializers.DateField(allow_null=True, help_text="The week for which it was planned, where that is another")
    replace_by = serializers.DateField(allow_null=True)


class DeferralSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    tag = serializers.CharField()
    service = serializers.CharField()
    due_on = serializers.DateField()
    until = serializers.DateField()
    reason = serializers.CharField()
    asked_by = serializers.CharField()
    asked_at = serializers.DateTimeField()
    decided_by = serializers.CharField()
    state = serializers.CharField()
    note = serializers.CharField()


class DuePageSerializer(PageSerializer):
    rows = DueListRowSerializer(many=True)
    deferrals = DeferralSerializer(many=True)
    triggers = OptionSerializer(many=True)


class DayRoundSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    name = serializers.CharField()


class DueDaySerializer(serializers.Serializer):
    day = serializers.DateField()
    due = serializers.IntegerField()
    overdue = serializers.IntegerField()
    rounds = DayRoundSerializer(many=True)


class DeferralFormSerializer(serializers.Serializer):
    until = serializers.CharField()
    reason = serializers.CharField()


class DecisionSerializer(serializers.Serializer):
    approve = serializers.BooleanField()
    note = serializers.CharField(allow_blank=True, required=False, default="")


class TriggerFormSerializer(serializers.Serializer):
    kind = serializers.CharField()
    note = serializers.CharField(allow_blank=True, required=False, default="")
    minutes = serializers.CharField(allow_blank=True, required=False, default="")


class FeedSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    area = serializers.CharField()
    person = serializers.CharField(help_text="Whose rounds, where they are not one's own")
    address = serializers.CharField(help_text="Told when it is made, and empty afterwards")
    made_at = serializers.DateTimeField()


class FeedFormSerializer(serializers.Serializer):
    area = serializers.CharField(allow_blank=True)
    person = serializers.CharField(allow_blank=True, required=False, default="", max_length=150)


class DueView(APIView):
    @extend_schema(
        operation_id="list_due",
        responses=DuePageSerializer,
        parameters=[OpenApiParameter(n, str) for n in ("area", "search", "days", "on", "page")],
    )
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        today = timezone.localdate()
        rows, _ = _chosen(request, today)
        triggers = [{"value": v, "label": t} for v, t in TRIGGERS.items()]
        return Response({**page_of(request, rows, lambda i: due_row(i, today)), "deferrals": waiting_deferrals(), "triggers": triggers})


def _chosen(request: Request, today: date) -> tuple[QuerySet[Instrument], str]:
    """What is asked for of the due list, and how that is called."""
    asked = request.query_params
    days = int(asked["days"]) if asked.get("days", "").isdecimal() and len(asked["days"]) < 5 else 30
    area, on = asked.get("area", "")[:12], _day(asked.get("on", ""))
    rows = due_list(today=today, area=area, search=asked.get("search", "")[:60], days=days, on=on)
    what = (
        f"Due on {day_words(on)}"
        if on
        else f"Due within {days} days of {day_words(today)}"
        if days
        else f"Due on {day_words(today)} and before"
    )
    return rows, f"{what}{f', area {area}' if area else ''}"


class DueFileView(APIView):
    @extend_schema(
        operation_id="export_due",
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
        parameters=[OpenApiParameter(n, str) for n in ("kind", "area", "search", "days", "on")],
    )
    def get(self, request: Request) -> HttpResponse | StreamingHttpResponse:
        """The due list as CSV, XLSX or PDF (kind), with all of what is chosen."""
        require(request.user, "read")
        now = timezone.now()
        today = timezone.localdate(now)
        rows, title = _chosen(request, today)
        kind = request.query_params.get("kind", "csv")
        if kind == "pdf":
            answer: HttpResponse | StreamingHttpResponse = HttpResponse(print_due(rows, title, now), content_type="application/pdf")
        elif kind == "xlsx":
            answer = HttpResponse(write_xlsx("Due", HEADER, due_rows(rows, today)), content_type=XLSX)
        else:
            kind, answer = "csv", StreamingHttpResponse(write_csv(HEADER, due_rows(rows, today)), content_type="text/csv; charset=utf-8")
        place = "inline" if kind == "pdf" else "attachment"
        answer["Content-Disposition"] = f'{place}; filename="due-{today:%Y-%m-%d}.{kind}"'
        return answer


def _day(text: str) -> date | None:
    try:
        return date.fromisoformat(text)
    except ValueError:
        return None


class DueDaysView(APIView):
    @extend_schema(operation_id="list_due_days", responses=DueDaySerializer(many=True), parameters=[OpenApiParameter("area", str)])
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        return Response(due_days(today=timezone.localdate(), area=request.query_params.get("area", "")))


class DeferView(APIView):
    @extend_schema(operation_id="ask_deferral", request=DeferralFormSerializer, responses={201: DeferralSerializer, 400: FailureSerializer})
    def post(self, request: Request, tag: str) -> Response:
        asked = parsed(DeferralFormSerializer, request)
        made = ask_deferral(actor=signed_in(request), instrument=get_instrument(tag), now=timezone.now(), **asked)
        return Response(deferral_row(made), status=201)


class DecideDeferralView(APIView):
    @extend_schema(operation_id="decide_deferral", request=DecisionSerializer, responses={200: DeferralSerializer, 400: FailureSerializer})
    def post(self, request: Request, deferral_id: int) -> Response:
        asked = parsed(DecisionSerializer, request)
        done = decide_deferral(actor=signed_in(request), deferral_id=deferral_id, now=timezone.now(), **asked)
        return Response(deferral_row(done))


class UseSerializer(serializers.Serializer):
    state = serializers.CharField(max_length=12)
    reason = serializers.CharField(max_length=300, allow_blank=True)


class UseView(APIView):
    @extend_schema(
        operation_id="set_instrument_use", request=UseSerializer, responses={200: InstrumentRowSerializer, 400: FailureSerializer}
    )
    def post(self, request: Request, tag: str) -> Response:
        """Taken out of use, retired, or taken back."""
        asked = parsed(UseSerializer, request)
        done = set_use(actor=signed_in(request), instrument=get_instrument(tag), now=timezone.now(), **asked)
        return Response(instrument_row(done))


class TriggerView(APIView):
    @extend_schema(operation_id="report_trigger", request=TriggerFormSerializer, responses={201: None, 400: FailureSerializer})
    def post(self, request: Request, tag: str) -> Response:
        asked = parsed(TriggerFormSerializer, request)
        report_trigger(actor=signed_in(request), instrument=get_instrument(tag), now=timezone.now(), **asked)
        return Response(status=201)


def _feed(feed: Feed, request: Request, secret: str = "") -> dict[str, object]:
    address = request.build_absolute_uri(f"/api/v1/calendars/{secret}.ics") if secret else ""
    return {
        "id": feed.pk,
        "area": feed.area.name if feed.area else "",
        "person": feed.person.name if feed.person else "",
        "address": address,
        "made_at": feed.made_at,
    }


class FeedsView(APIView):
    @extend_schema(operation_id="list_feeds", responses=FeedSerializer(many=True))
    def get(self, request: Request) -> Response:
        mine = signed_in(request).feeds.filter(revoked_at=None).select_related("area", "person")
        return Response([_feed(f, request) for f in mine])

    @extend_schema(operation_id="make_feed", request=FeedFormSerializer, responses={201: FeedSerializer, 400: FailureSerializer})
    def post(self, request: Request) -> Response:
        asked = parsed(FeedFormSerializer, request)
        feed, secret = make_feed(actor=signed_in(request), now=timezone.now(), **asked)
        return Response(_feed(feed, request, secret), status=201)


class RevokeFeedView(APIView):
    @extend_schema(operation_id="revoke_feed", responses={204: None})
    def delete(self, request: Request, feed_id: int) -> Response:
        revoke_feed(actor=signed_in(request), feed_id=feed_id, now=timezone.now())
        return Response(status=204)


class CalendarView(APIView):
    """The link itself is the secret: a calendar program has no session here."""

    permission_classes = [AllowAny]
    authentication_classes: list[type] = []

    @extend_schema(operation_id="get_calendar", responses={(200, "text/calendar"): bytes})
    def get(self, request: Request, token: str) -> HttpResponse:
        answer = HttpResponse(calendar_of(token, timezone.now()), content_type="text/calendar; charset=utf-8")
        answer["Cache-Control"] = "private, max-age=600"
        return answer
