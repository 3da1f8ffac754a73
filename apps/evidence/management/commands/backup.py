"""Make a backup now."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError
from django.utils import timezone

from apps.evidence.backup import make_backup


class Command(BaseCommand):
    help = "Makes a backup while people write, looks it through, and lets the oldest go. BACKUP_FOLDER, BACKUP_KEY and BACKUPS_KEPT say where and how."

    def handle(self, *args: Any, **options: Any) -> None:
        made = make_backup(timezone.now())
        if made.problem:
            raise CommandError(made.problem)
        kind = "encrypted" if made.is_encrypted else "not encrypted"
        self.stdout.write(
            f"{made.name}, {made.size / 1e6:.1f} MB, {kind}, to entry {made.seq} of the journal; looked through, all of it holds."
        )
