"""Policies of the plant and of its methods over HTTP."""

from __future__ import annotations

from typing import Any

from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.api.people import signed_in
from apps.accounts.api.serializers import FailureSerializer, OptionSerializer
from apps.accounts.policy import is_allowed, require
from apps.plant.policies import WHOLE_PLANT, policy_rows, set_policies, titles
from config.asked import parsed
from config.failures import Missing


class PolicyChangeSerializer(serializers.Serializer):
    words = serializers.CharField()
    before = serializers.CharField()
    counts_from = serializers.DateField()
    is_to_come = serializers.BooleanField()
    at = serializers.DateTimeField()
    by = serializers.CharField()
    reason = serializers.CharField()


class PolicyRowSerializer(serializers.Serializer):
    name = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    kind = serializers.CharField()
    unit = serializers.CharField()
    hint = serializers.CharField()
    counts_for = serializers.CharField(help_text="for what work; empty: for all")
    options = OptionSerializer(many=True)
    own = serializers.CharField(help_text="what is set here; empty: nothing")
    value = serializers.CharField()
    words = serializers.CharField()
    comes_from = serializers.CharField()
    otherwise = serializers.CharField(help_text="what holds where nothing is set here")
    changes = PolicyChangeSerializer(many=True)


class PoliciesSerializer(serializers.Serializer):
    method = serializers.CharField()
    title = serializers.CharField()
    may_set = serializers.BooleanField()
    methods = OptionSerializer(many=True)
    rows = PolicyRowSerializer(many=True)


class SetPolicySerializer(serializers.Serializer):
    method = serializers.CharField(max_length=40, allow_blank=True, default=WHOLE_PLANT)
    name = serializers.CharField(max_length=40)
    value = serializers.CharField(max_length=40, allow_blank=True)
    counts_from = serializers.CharField(max_length=20, allow_blank=True, default="")
    reason = serializers.CharField(max_length=300, allow_blank=True)


def _policies(request: Request, method: str) -> dict[str, Any]:
    known = titles()
    if method and method not in known:
        raise Missing("unknown_method", f"There is no method '{method[:40]}'.", field="method")
    return {
        "method": method,
        "title": known.get(method, "The whole plant"),
        "may_set": is_allowed(request.user, "set a policy"),
        "methods": [{"value": WHOLE_PLANT, "label": "The whole plant"}, *({"value": k, "label": t} for k, t in known.items())],
        "rows": policy_rows(method, timezone.localdate()),
    }


class PoliciesView(APIView):
    @extend_schema(operation_id="list_policies", parameters=[OpenApiParameter("method", str)], responses=PoliciesSerializer)
    def get(self, request: Request) -> Response:
        """What the whole plant or one method goes by, where that comes from, and every change."""
        require(request.user, "read")
        return Response(_policies(request, request.query_params.get("method", WHOLE_PLANT)))

    @extend_schema(
        operation_id="set_policy",
        request=SetPolicySerializer,
        responses={200: PoliciesSerializer, 400: FailureSerializer, 403: FailureSerializer},
    )
    def post(self, request: Request) -> Response:
        """Set one, or take it back (empty value)."""
        given = parsed(SetPolicySerializer, request)
        values = {given.pop("name"): given.pop("value")}
        set_policies(actor=signed_in(request), values=values, now=timezone.now(), **given)
        return Response(_policies(request, given["method"]))
