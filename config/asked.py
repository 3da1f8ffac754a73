"""What a request asks, in the shape of a serializer."""

from __future__ import annotations

from typing import Any

from rest_framework.request import Request
from rest_framework.serializers import Serializer


def parsed(kind: type[Serializer[Any]], request: Request) -> dict[str, Any]:
    """The request's data in the shape of a serializer, or a 400."""
    given = kind(data=request.data)
    given.is_valid(raise_exception=True)
    return dict(given.validated_data)
