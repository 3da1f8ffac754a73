"""Put a backup into an empty place."""

import os
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from apps.evidence.restoring import restore
from metrology.faults import Fault


class Command(BaseCommand):
    help = "Puts a backup into a folder that is not there yet, and reports what is in it, to the last entry. An encrypted one takes BACKUP_KEY."
    requires_system_checks: list[str] = []

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("backup", type=Path)
        parser.add_argument("--to", type=Path, required=True, help="the new folder of the plant, to be named as PLANT_HOME")
        parser.add_argument("--key", action="append", default=[], help="the plant's public key, as it was printed; one for each it had")

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            made = restore(options["backup"], options["to"], passphrase=os.environ.get("BACKUP_KEY", ""), keys=options["key"])
        except Fault as fault:
            raise CommandError(fault.message) from fault
        counts = ", ".join(f"{n} {name}" for name, n in made.counts.items())
        self.stdout.write(f"{made.plant or 'The plant'}, as of {made.made_at}: {counts}, {made.files} files.")
        self.stdout.write(f"The journal ends with entry {made.last_entry} of {made.last_at or 'no time'}.")
        for says in made.faults:
            self.stderr.write(f"WRONG  {says}")
        if made.faults:
            raise CommandError("It was put in place, and not all of it holds; see above. Nothing else was changed.")
        self.stdout.write(
            "All of it holds. People sign in anew, and a new key signs the journal from now on: print it, and keep the old one."
        )
        self.stdout.write(f"Start it with PLANT_HOME={options['to']} make serve")
