"""Paging of lists, the same everywhere."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.db.models import QuerySet
from rest_framework import serializers
from rest_framework.request import Request

PAGE_SIZE = 50


def page_of(request: Request, rows: QuerySet[Any], shape: Callable[[Any], dict[str, Any]]) -> dict[str, Any]:
    """One page of rows in the shape the list shows; a page beyond the end is the last one."""
    total = rows.count()
    pages = max(1, -(-total // PAGE_SIZE))
    asked = request.query_params.get("page", "1")
    page = min(max(1, int(asked) if asked.isdecimal() and len(asked) < 8 else 1), pages)
    found = rows[(page - 1) * PAGE_SIZE : page * PAGE_SIZE]
    return {"total": total, "page": page, "pages": pages, "rows": [shape(r) for r in found]}


class PageSerializer(serializers.Serializer):
    """What every page of a list carries."""

    total = serializers.IntegerField()
    page = serializers.IntegerField()
    pages = serializers.IntegerField()
