"""JSON that is kept as it was written: evidence whose hash was taken must read back the same from every engine.

An engine's own type may put keys into another order, drop the sign of a zero, and write a large number otherwise.
"""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any

from django.core.serializers.json import DjangoJSONEncoder
from django.db import models


class KeptJSON(models.TextField):
    """Plain data in a column of text."""

    if TYPE_CHECKING:
        _pyi_private_set_type: Any
        _pyi_private_get_type: Any

    def from_db_value(self, value: str | None, *_: Any) -> Any:
        """The data."""
        return None if value is None else json.loads(value)

    def get_prep_value(self, value: Any) -> Any:
        """Its text."""
        return None if value is None else json.dumps(value, cls=DjangoJSONEncoder)

    def to_python(self, value: Any) -> Any:
        """The data: nothing is made a text on the way."""
        return value
