"""The kit's registers over HTTP."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.http import FileResponse
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from apps.accounts.api.people import signed_in
from apps.accounts.api.serializers import FailureSerializer, OptionSerializer
from apps.accounts.policy import require
from apps.kit.models import Buffer, KitChange, KitFile, Liquid, Solution, Syringe, Trap, Worn
from apps.kit.outside import item_check, item_stops, item_uses
from apps.kit.quarantine import CAUSES, cause_of, quarantine_of
from apps.kit.register import GROUPS, KitField, add_item, as_typed, edit_item, get_item, group_of
from apps.kit.selectors import standing
from apps.kit.services import attach, check_in, set_state
from apps.plant.api.serializers import UploadSerializer
from apps.plant.policies import kit_limits
from config.asked import parsed
from config.failures import Missing
from config.uploads import sent_file
from metrology.judgement.incoming import CHECKS, Check, limit_words

# What is good for a time of its own, in the order it is shown.
LASTING: tuple[tuple[str, type[Buffer | Solution | Syringe | Trap]], ...] = (
    ("buffer", Buffer),
    ("solution", Solution),
    ("syringe", Syringe),
    ("trap", Trap),
)


class KitFieldSerializer(serializers.Serializer):
    name = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    kind = serializers.CharField()
    required = serializers.BooleanField()  # type: ignore[assignment]
    hint = serializers.CharField()
    unit = serializers.CharField()
    options = OptionSerializer(many=True)


class IncomingCheckSerializer(serializers.Serializer):
    name = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    number = serializers.BooleanField()
    unit = serializers.CharField()
    may_not_apply = serializers.BooleanField()
    limit = serializers.CharField(help_text="by which it is judged")


class KitGroupSerializer(serializers.Serializer):
    group = serializers.CharField()
    title = serializers.CharField()
    asked = KitFieldSerializer(many=True)


class KitGroupsSerializer(serializers.Serializer):
    groups = KitGroupSerializer(many=True)
    incoming = IncomingCheckSerializer(many=True)
    causes = OptionSerializer(many=True)
    liquids = serializers.ListField(child=serializers.DictField(child=serializers.CharField()))


class KitUseSerializer(serializers.Serializer):
    tag = serializers.CharField()
    service = serializers.CharField()
    fits = serializers.BooleanField()
    says = serializers.CharField()


class StopSerializer(serializers.Serializer):
    kind = serializers.CharField()
    id = serializers.CharField()
    says = serializers.CharField()


class KitChangeSerializer(serializers.Serializer):
    at = serializers.DateTimeField()
    by = serializers.CharField()
    reason = serializers.CharField()
    what = serializers.ListField(child=serializers.CharField())


class KitFileSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    size = serializers.IntegerField()
    at = serializers.DateTimeField()
    by = serializers.CharField()


class KitCheckSerializer(serializers.Serializer):
    id = serializers.UUIDField()
    number = serializers.CharField()
    status = serializers.CharField()
    at = serializers.DateTimeField()
    by = serializers.CharField()
    decision = serializers.CharField()
    verdict = serializers.CharField()


class CheckedInSerializer(serializers.Serializer):
    """How it is checked in by a run, the one that is open, and those that were made."""

    title = serializers.CharField()
    open_run = serializers.UUIDField(allow_null=True)
    results = KitCheckSerializer(many=True)


class KitItemSerializer(serializers.Serializer):
    check_in = CheckedInSerializer(allow_null=True)
    group = serializers.CharField()
    code = serializers.CharField()
    title = serializers.CharField()
    state = serializers.CharField()
    standing = serializers.CharField()
    form = serializers.DictField(child=serializers.CharField())
    uses = KitUseSerializer(many=True)
    stops = StopSerializer(many=True)
    changes = KitChangeSerializer(many=True)
    files = KitFileSerializer(many=True)
    says = serializers.ListField(child=serializers.CharField())
    quarantine = serializers.CharField()


class KitFormSerializer(serializers.Serializer):
    values = serializers.DictField(child=serializers.CharField(allow_blank=True))
    reason = serializers.CharField(allow_blank=True, required=False, default="")
    seen = serializers.DictField(child=serializers.CharField(allow_blank=True), required=False)  # as the form was opened


class StateFormSerializer(serializers.Serializer):
    state = serializers.CharField()
    reason = serializers.CharField(allow_blank=True)
    cause = serializers.CharField(allow_blank=True, required=False, default="")


def _field(f: KitField) -> dict[str, Any]:
    options = [{"value": v, "label": t} for v, t in f.words.items()]
    return {"name": f.name, "label": f.label, "kind": f.kind, "required": f.required, "hint": f.hint, "unit": f.unit, "options": options}


def _standing(group: str, item: Any) -> str:
    today = timezone.localdate()
    if group == "reference":
        return standing(item, today)
    until = item.good_until() if isinstance(item, Liquid | Worn) else getattr(item, "expires_on", None)
    if item.state != "in service" or until is None:
        return str(item.state)
    left = (until - today).days
    return "expired" if left < 0 else "due soon" if left <= 30 else "in date"


def _item(group: str, item: Any, says: list[str] | None = None) -> dict[str, Any]:
    today = timezone.localdate()
    changes = KitChange.objects.filter(group=group, code=item.code).select_related("by")[:30]
    return {
        "group": group,
        "code": item.code,
        "title": group_of(group)[1],
        "state": item.state,
        "standing": _standing(group, item),
        "form": as_typed(group, item),
        "uses": item_uses(group, item, today),
        "stops": item_stops(item.code),
        "check_in": item_check(group, item),
        "changes": [
            {
                "at": c.at,
                "by": c.by.name,
                "reason": c.reason,
                "what": _what_changed(c),
            }
            for c in changes
        ],
        "files": [
            {"id": f.pk, "name": f.name, "size": f.size, "at": f.at, "by": f.by.name}
            for f in KitFile.objects.filter(group=group, code=item.code).select_related("by")
        ],
        "says": says or [],
        "quarantine": held.says if item.state == "quarantined" and (held := quarantine_of(group, item.code)) else "",
    }


def _what_changed(change: KitChange) -> list[str]:
    """What a change was, each field a line; of an incoming check every answer, value and time that was given."""
    out = [f"{k}: {v[0] or 'empty'} → {v[1]}" for k, v in change.values.items() if k not in ("incoming", "cause")]
    if "cause" in change.values:
        out.append(f"because: {cause_of(change.values['cause'][1]).label.lower()}")
    given = change.values.get("incoming", ["", ""])[1]
    if isinstance(given, dict):
        out += [_answer(c, given) for c in CHECKS if str(given.get(c.name) or "").strip()]
    return out


def _answer(c: Check, given: Mapping[str, Any]) -> str:
    """One answer of an incoming check with the limit that it was judged by; older ones do not tell it."""
    limit = given.get(f"limit of {c.name}", "")
    return f"{c.label}: {given[c.name]}{f' {c.unit}' if c.unit else ''}{f' ({limit})' if limit else ''}"


def _form(request: Request) -> dict[str, Any]:
    asked = parsed(KitFormSerializer, request)
    return {**asked["values"], **{k: v for k, v in asked.items() if k != "values"}}


class KitGroupsView(APIView):
    @extend_schema(operation_id="get_kit_groups", responses=KitGroupsSerializer)
    def get(self, request: Request) -> Response:
        require(request.user, "read")
        groups = [{"group": g, "title": t, "asked": [_field(f) for f in fields]} for g, (_, t, fields) in GROUPS.items()]
        limits = limit_words(kit_limits())
        names = ("name", "label", "number", "unit", "may_not_apply")
        incoming = [{**{k: getattr(c, k) for k in names}, "limit": limits.get(c.name, "")} for c in CHECKS]
        shown = [
            {
                "group": group,
                "code": b.code,
                "words": b.words,
                "until": b.good_until().isoformat(),
                "standing": _standing(group, b),
            }
            for group, model in LASTING
            for b in model._default_manager.all()
        ]
        return Response(
            {
                "groups": groups,
                "incoming": incoming,
                "liquids": shown,
                "causes": [{"value": c.key, "label": c.label} for c in CAUSES.values()],
            }
        )


class KitItemsView(APIView):
    @extend_schema(operation_id="add_kit_item", request=KitFormSerializer, responses={201: KitItemSerializer, 400: FailureSerializer})
    def post(self, request: Request, group: str) -> Response:
        made = add_item(actor=signed_in(request), group=group, data=_form(request), now=timezone.now())
        return Response(_item(group, made), status=201)


class KitItemView(APIView):
    @extend_schema(operation_id="get_kit_item", responses=KitItemSerializer)
    def get(self, request: Request, group: str, code: str) -> Response:
        require(request.user, "read")
        return Response(_item(group, get_item(group, code)))

    @extend_schema(operation_id="edit_kit_item", request=KitFormSerializer, responses={200: KitItemSerializer, 400: FailureSerializer})
    def put(self, request: Request, group: str, code: str) -> Response:
        edited = edit_item(actor=signed_in(request), group=group, code=code, data=_form(request), now=timezone.now())
        return Response(_item(group, edited))


class KitStateView(APIView):
    @extend_schema(operation_id="set_kit_state", request=StateFormSerializer, responses={200: KitItemSerializer, 400: FailureSerializer})
    def post(self, request: Request, group: str, code: str) -> Response:
        asked = parsed(StateFormSerializer, request)
        return Response(_item(group, set_state(actor=signed_in(request), group=group, code=code, now=timezone.now(), **asked)))


class KitIncomingView(APIView):
    @extend_schema(operation_id="check_kit_in", request=KitFormSerializer, responses={200: KitItemSerializer, 400: FailureSerializer})
    def post(self, request: Request, group: str, code: str) -> Response:
        values = {k: v for k, v in _form(request).items() if k not in ("reason", "seen")}
        return Response(_item(group, check_in(actor=signed_in(request), group=group, code=code, values=values, now=timezone.now())))


class KitFilesView(APIView):
    parser_classes = [MultiPartParser]

    @extend_schema(
        operation_id="attach_kit_file",
        request={"multipart/form-data": UploadSerializer},
        responses={201: KitItemSerializer, 400: FailureSerializer},
    )
    def post(self, request: Request, group: str, code: str) -> Response:
        name, data = sent_file(request)
        attach(actor=signed_in(request), group=group, code=code, name=name, data=data, now=timezone.now())
        return Response(_item(group, get_item(group, code)), status=201)


class KitFileView(APIView):
    @extend_schema(operation_id="get_kit_file", responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: Request, file_id: int) -> FileResponse:
        require(request.user, "read")
        found = KitFile.objects.filter(pk=file_id).first()
        if found is None:
            raise Missing("unknown_file", "There is no such file.")
        return FileResponse(found.file.open("rb"), as_attachment=True, filename=found.name, content_type=found.kind)
