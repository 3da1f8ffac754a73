"""What runs tell on an instrument's page: the open run, the last results, and why it is due when it is."""

from __future__ import annotations

from typing import Any

from django.utils import timezone

from apps.plant.models import Instrument
from apps.runs.due import due_words
from apps.runs.models import OPEN

SHOWN = 12


def page_part(i: Instrument) -> dict[str, Any]:
    """The part of the page that is the runs'."""
    runs = i.runs.exclude(status="voided").select_related("technician").order_by("-started_at")[:SHOWN]
    return {
        "open_run": next((r.id for r in runs if r.status in OPEN), None),
        "due_reason": due_words(i, timezone.localdate()),
        "results": [
            {
                "id": r.id,
                "number": r.label,
                "status": r.status,
                "signed_at": r.signed_at,
                "started_at": r.started_at,
                "found_verdict": r.found_verdict,
                "left_verdict": r.left_verdict,
                "found_error": r.found_error,
                "left_error": r.left_error,
                "decision": r.decision,
                "technician": r.technician.name,
            }
            for r in runs
        ],
    }
