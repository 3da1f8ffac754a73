"""How the API's description tells the kinds of events: one shape a kind, from the core's own types."""

from __future__ import annotations

from typing import Any

from drf_spectacular.extensions import OpenApiSerializerExtension
from drf_spectacular.plumbing import resolve_type_hint

from metrology.run.asked_types import ASKED
from metrology.run.event_types import OPEN


class AskedEvents(OpenApiSerializerExtension):
    """An event as a browser sends it is one of those that may be asked for, told apart by its type."""

    target_class = "apps.runs.api.serializers.EventSerializer"

    def map_serializer(self, auto_schema: Any, direction: str) -> dict[str, Any]:
        return {"oneOf": [_shape(kind, payload) for kind, payload in ASKED.items()]}


def _shape(kind: str, payload: type) -> dict[str, Any]:
    told = resolve_type_hint(payload)
    if kind in OPEN:
        told["additionalProperties"] = {}
    return {
        "type": "object",
        "properties": {
            "id": {"type": "string", "format": "uuid"},
            # Behind allOf, or the generator would gather the names of all kinds into one list, and none could be told from another.
            "type": {"allOf": [{"type": "string", "enum": [kind]}]},
            "payload": told,
            "device_at": {"type": "string", "format": "date-time", "nullable": True},
        },
        "required": ["id", "type", "payload"],
    }
