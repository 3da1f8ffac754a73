"""What was made of what was found outside: the older ones answered and closed, those of the last weeks still open."""

from __future__ import annotations

from datetime import datetime, timedelta

from apps.accounts.models import Person
from apps.followups.models import FollowUp
from apps.followups.services import answer, close

OPEN_DAYS = 100
CAUSES = (
    ("Sensor drifts; no event is on record since the last calibration.", "Interval looked at; exchanged when it comes again."),
    ("Salt in the impulse line.", "Line flushed; flushing is on the monthly list now."),
    ("Zero set with the line under pressure, as the last record shows.", "Shown to the crew; the vent is tagged."),
)


def follow_up(now: datetime, technician: Person, reviewer: Person) -> None:
    """Answer and close what is older than some months."""
    for n, found in enumerate(
        FollowUp.objects.filter(closed_at=None, opened_at__lt=now - timedelta(days=OPEN_DAYS)).select_related("run__instrument")
    ):
        cause, action = CAUSES[n % len(CAUSES)]
        feeds = found.run.instrument.feeds if found.run.instrument else ""
        values = {
            "impact": f"{feeds.capitalize() or 'Local reading only'}: trends looked through, nothing outside its own limits.",
            "told": "Shift lead, on the day.", "cause": cause, "action": action,
        }  # fmt: skip
        answer(actor=technician, follow_up_id=found.pk, values=values, version=0, now=found.opened_at + timedelta(days=1))
        done = close(actor=reviewer, follow_up_id=found.pk, note="Read with the shift lead.", now=found.opened_at + timedelta(days=4))
        assert done.closed_at is not None
