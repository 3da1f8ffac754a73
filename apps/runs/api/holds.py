"""The holds board over HTTP."""

from __future__ import annotations

import uuid

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.api.people import signed_in
from apps.accounts.api.serializers import FailureSerializer
from apps.accounts.models import Person
from apps.accounts.policy import require
from apps.runs import services
from apps.runs.api.serializers import ColleagueSerializer, HoldActSerializer, HoldRowSerializer, ReleaseFieldSerializer
from apps.runs.holds import find_hold, list_open_holds
from apps.runs.store import load_state
from config.asked import parsed
from metrology.methods.registry import get_method
from metrology.run.holds import release_step
from metrology.run.progress import choices

EVENTS = {"release": "hold_released", "extend": "hold_extended", "hand over": "hold_handed_over", "accept": "hold_accepted"}


class HoldsView(APIView):
    @extend_schema(operation_id="list_holds", responses=HoldRowSerializer(many=True))
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        return Response(list_open_holds(timezone.now()))


class HoldView(APIView):
    @extend_schema(operation_id="get_release_fields", responses=ReleaseFieldSerializer(many=True))
    def get(self, request: Request, hold_id: uuid.UUID) -> Response:
        """What is asked before the hold comes off."""
        require(request.user, "read")
        _, _, state = load_state(find_hold(hold_id).run_id)
        steps = get_method(state.setup.method).steps(state.setup, choices(state))
        release = release_step(steps, state.holds[str(hold_id)])
        rows = [{"name": f.name, "label": f.label, "kind": f.kind, "unit": f.unit, "options": f.options} for f in release.fields]
        return Response(rows)

    @extend_schema(
        operation_id="act_on_hold", request=HoldActSerializer, responses={200: HoldRowSerializer(many=True), 400: FailureSerializer}
    )
    def post(self, request: Request, hold_id: uuid.UUID) -> Response:
        given = parsed(HoldActSerializer, request)
        now = timezone.now()
        payload = {k: given[k] for k in ("minutes", "reason", "approval", "to", "note", "values")}
        services.act_on_hold(actor=signed_in(request), hold_id=hold_id, event_type=EVENTS[given["act"]], payload=payload, now=now)
        return Response(list_open_holds(now))


class ColleaguesView(APIView):
    @extend_schema(operation_id="list_colleagues", responses=ColleagueSerializer(many=True))
    def get(self, request: Request) -> Response:
        """Technicians a hold can be handed to."""
        require(request.user, "read")
        people = Person.objects.filter(role="technician", is_active=True).order_by("username")
        return Response([{"username": p.username, "name": p.name} for p in people])
