"""Check every chain of events; name the first broken link."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from apps.runs.models import Run
from apps.runs.store import find_broken_link


class Command(BaseCommand):
    help = "Checks the chain of events of every run (or of one) and names the first broken link of each."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--run", help="number of one run, such as VL-000042")

    def handle(self, *args: Any, **options: Any) -> None:
        runs = Run.objects.order_by("number")
        if options["run"]:
            digits = options["run"].upper().removeprefix("VL-")
            if not digits.isdigit():
                raise CommandError(f"'{options['run']}' is not a run number like VL-000042.")
            runs = runs.filter(number=int(digits))
        checked = 0
        broken = []
        for run in runs.iterator(chunk_size=500):
            checked += 1
            fault = find_broken_link(run)
            if fault:
                broken.append(fault)
                self.stderr.write(fault)
        if not checked and options["run"]:
            raise CommandError("There is no such run.")
        if broken:
            raise CommandError(f"{len(broken)} of {checked} chains are broken. The first: {broken[0]}")
        self.stdout.write(f"{checked} chains checked, none broken.")
