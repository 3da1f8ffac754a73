"""Look the whole journal through."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError
from django.utils import timezone

from apps.evidence import checking


class Command(BaseCommand):
    help = "Looks through the journal, every run, register, file and anchor, and the database itself; names what does not hold."

    def handle(self, *args: Any, **options: Any) -> None:
        made = checking.start(timezone.now())
        checking.finish(made)
        made.refresh_from_db()
        for fault in made.findings:
            self.stderr.write(fault)
        if made.findings:
            raise CommandError(f"Not all of it holds ({len(made.findings)}). The first: {made.findings[0]}")
        self.stdout.write(f"{made.total} entries looked through, all of it holds.")
