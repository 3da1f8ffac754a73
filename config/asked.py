"""What a request asks, in the shape of a serializer: no more and no other than its description says."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, cast

from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.serializers import Serializer

TEXT, NUMBER, WHOLE, YES_OR_NO, LIST, NAMES = (
    "a text",
    "a number",
    "a whole number",
    "true or false",
    "a list",
    "a set of names with their values",
)
# The first that fits counts: a choice is a text, whatever else it is made of.
KINDS: tuple[tuple[type[serializers.Field[Any, Any, Any, Any]], str], ...] = (
    (serializers.BooleanField, YES_OR_NO),
    (serializers.IntegerField, WHOLE),
    (serializers.FloatField, NUMBER),
    (serializers.DecimalField, NUMBER),
    (serializers.ListField, LIST),
    (serializers.ListSerializer, LIST),
    (serializers.DictField, NAMES),
    (serializers.Serializer, NAMES),
    *((kind, TEXT) for kind in (serializers.CharField, serializers.ChoiceField, serializers.UUIDField)),
    *((kind, TEXT) for kind in (serializers.DateField, serializers.DateTimeField, serializers.TimeField)),
)


def parsed(kind: type[Serializer[Any]], request: Request) -> dict[str, Any]:
    """The request's data in the shape of a serializer, or a 400. JSON is taken at its word: a number is no text, and a text no number."""
    given = kind(data=request.data)
    _require_kinds(given, request)
    given.is_valid(raise_exception=True)
    return dict(given.validated_data)


def as_it_came(kind: type[Serializer[Any]], request: Request) -> dict[str, Any]:
    """The request's data, every field of the kind that a serializer describes; what is in them is for whoever asked to judge, all at once."""
    _require_kinds(kind(), request)
    return cast("dict[str, Any]", request.data)


def _require_kinds(given: Serializer[Any], request: Request) -> None:
    if (request.content_type or "").startswith("application/json"):
        others = {path or "body": [f"{wanted.capitalize()} is expected here."] for path, wanted in of_another_kind(given, request.data)}
        if others:
            raise serializers.ValidationError(others)


def of_another_kind(field: serializers.Field[Any, Any, Any, Any], value: Any, path: str = "") -> Iterator[tuple[str, str]]:
    """Where JSON is of another kind than a field of a serializer, with what is expected there."""
    wanted = next((words for kind, words in KINDS if isinstance(field, kind)), "")
    if not wanted or (value is None and field.allow_null):
        return
    if not _is(wanted, value):
        yield path, wanted
    elif isinstance(field, serializers.Serializer):
        for name, inner in field.fields.items():
            if name in value and not inner.read_only:
                yield from of_another_kind(inner, value[name], f"{path}.{name}" if path else name)
    elif isinstance(field, serializers.ListField | serializers.ListSerializer | serializers.DictField):
        pairs = value.items() if isinstance(value, dict) else [(str(n), each) for n, each in enumerate(value, 1)]
        for name, each in pairs:
            if field.child is not None:
                yield from of_another_kind(field.child, each, f"{path} {name}".strip())


def _is(wanted: str, value: Any) -> bool:
    if wanted == YES_OR_NO:
        return isinstance(value, bool)
    if wanted == WHOLE:
        return not isinstance(value, bool) and (isinstance(value, int) or (isinstance(value, float) and value.is_integer()))
    if wanted == NUMBER:
        return not isinstance(value, bool) and isinstance(value, int | float)
    return isinstance(value, {TEXT: str, LIST: list, NAMES: dict}[wanted])
