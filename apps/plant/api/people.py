"""People and what they are qualified for, over HTTP; here since what work takes is known by the plant."""

from __future__ import annotations

from typing import Any

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts import qualifications
from apps.accounts.api.people import signed_in
from apps.accounts.api.serializers import FailureSerializer, GivenSerializer, PeopleSerializer, TakenAwaySerializer
from apps.accounts.policy import require
from apps.plant.needs import skills_asked
from config.asked import parsed

ANSWERS = {200: PeopleSerializer, 400: FailureSerializer, 403: FailureSerializer, 404: FailureSerializer}


def _people(request: Request) -> dict[str, Any]:
    names = sorted({*skills_asked(), *qualifications.known_names()})
    return {"people": qualifications.people_rows(signed_in(request), timezone.localdate()), "names": names}


class PeopleView(APIView):
    @extend_schema(operation_id="list_people", responses=PeopleSerializer)
    def get(self, request: Request) -> Response:
        """Who works here, and what they are qualified for."""
        require(request.user, "read")
        return Response(_people(request))


class QualificationsView(APIView):
    @extend_schema(operation_id="give_qualification", request=GivenSerializer, responses=ANSWERS)
    def post(self, request: Request, username: str) -> Response:
        """Entered, or renewed."""
        given = parsed(GivenSerializer, request)
        qualifications.give(actor=signed_in(request), username=username, now=timezone.now(), **given)
        return Response(_people(request))


class QualificationView(APIView):
    @extend_schema(operation_id="take_qualification_away", request=TakenAwaySerializer, responses=ANSWERS)
    def post(self, request: Request, qualification_id: int) -> Response:
        """It counts no longer."""
        given = parsed(TakenAwaySerializer, request)
        qualifications.take_away(actor=signed_in(request), qualification_id=qualification_id, now=timezone.now(), **given)
        return Response(_people(request))
