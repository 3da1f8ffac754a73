"""Store devices from their map files."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from apps.bench.maps import load_map
from metrology.faults import Fault


class Command(BaseCommand):
    help = "Stores a device from its map file, or brings it up to date: load_map path/to/device.json [more]."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("paths", nargs="+", type=Path)

    def handle(self, *args: Any, **options: Any) -> None:
        for path in options["paths"]:
            try:
                device = load_map(path)
            except Fault as fault:
                raise CommandError(f"{path}: {fault.message}") from fault
            self.stdout.write(f"{device.code}: {device.label}, {len(device.signals)} signals at {device.host}:{device.port}.")
