"""Compute every sealed record anew and list what would differ today; nothing is changed."""

from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from apps.runs.models import Run, RunEvent
from apps.runs.store import load_events
from metrology import CORE_VERSION
from metrology.faults import Fault
from metrology.methods.registry import get_method
from metrology.run.folding import fold
from metrology.run.seal import compare

SHOWN = 12


class Command(BaseCommand):
    help = "Computes every sealed record anew with today's rules and lists what would differ and why. Nothing is changed."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--all", action="store_true", help="every difference, not only the first of each record")

    def handle(self, *args: Any, **options: Any) -> None:
        ends = ("signed", "voided")
        sealed = RunEvent.objects.filter(type__in=ends, payload__contains='"seal"').values_list("run_id", flat=True)
        count = differing = 0
        for run in Run.objects.filter(pk__in=sealed).select_related("instrument").order_by("number").iterator(chunk_size=200):
            events = load_events(run)
            at, end = next((n, e) for n, e in reversed(list(enumerate(events))) if e.type in ends)
            seal = end.payload.get("seal")
            if fold(events).seal is None or seal is None:
                continue  # returned since: it is judged as it goes on
            count += 1
            try:
                found = compare(seal, fold(events[:at]), get_method(run.method), end.at)
                told = [d.says for d in found]
            except Fault as fault:
                told = [f"it can't be judged any more: {fault.message}"]
            if not told:
                continue
            differing += 1
            why = self._why(seal, run)
            self.stdout.write(f"{run.label} {run.tag}, {why}")
            for line in told if options["all"] else told[:SHOWN]:
                self.stdout.write(f"  {line}")
            if len(told) > SHOWN and not options["all"]:
                self.stdout.write(f"  and {len(told) - SHOWN} more (--all lists them)")
        self.stdout.write(f"{count} sealed records computed anew, {differing} would differ. Nothing was changed.")

    def _why(self, seal: dict[str, Any], run: Run) -> str:
        """What changed between the seal and now, as far as the two say."""
        now = get_method(run.method).revision
        parts = []
        if seal["core"] != CORE_VERSION:
            parts.append(f"sealed by core {seal['core']}, now {CORE_VERSION}")
        if seal["revision"] != now:
            parts.append(f"judged by revision {seal['revision']} of the method, now {now}")
        return "; ".join(parts) or f"same core {CORE_VERSION} and revision {now}: a rule was changed without raising either"
