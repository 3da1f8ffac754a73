"""Make the projected tables again from the events."""

from typing import Any

from django.core.management.base import BaseCommand
from django.db import transaction

from apps.runs.models import Hold, Run
from apps.runs.projections import project
from apps.runs.store import load_events
from metrology.run.folding import fold


class Command(BaseCommand):
    help = "Rebuilds run rows, holds and instruments' last results from the events."

    def handle(self, *args: Any, **options: Any) -> None:
        count = 0
        with transaction.atomic():
            Hold.objects.all().delete()
            for run in Run.objects.select_related("instrument__area", "technician").order_by("number").iterator(chunk_size=500):
                project(run, fold(load_events(run)))
                count += 1
        self.stdout.write(f"{count} runs rebuilt from their events.")
