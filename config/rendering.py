"""Answers as JSON, written by a faster writer than the framework's: the view of a long run is more than a hundred kilobytes."""

from __future__ import annotations

from typing import Any

import orjson
from rest_framework.renderers import JSONRenderer
from rest_framework.utils.encoders import JSONEncoder

# Times are left to the framework, so that they read as they always did.
OPTIONS = orjson.OPT_PASSTHROUGH_DATETIME | orjson.OPT_NON_STR_KEYS
_OTHERS = JSONEncoder()


class FastJSON(JSONRenderer):
    """The framework's JSON; what the fast writer can't write, such as a number of more than 64 bits, is left to the framework."""

    def render(self, data: Any, accepted_media_type: str | None = None, renderer_context: Any = None) -> bytes:
        """The body of an answer."""
        if data is None:
            return b""
        try:
            return orjson.dumps(data, default=_OTHERS.default, option=OPTIONS)
        except TypeError:
            written: bytes = super().render(data, accepted_media_type, renderer_context)
            return written
