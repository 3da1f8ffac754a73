"""Sign the journal's head now."""

from typing import Any

from django.core.management.base import BaseCommand

from apps.journal.anchoring import BY_HAND, folders, make_anchor


class Command(BaseCommand):
    help = "Signs the head of the journal and writes it to the plant's folder of anchors, and to ANCHOR_FOLDER where that is set."

    def handle(self, *args: Any, **options: Any) -> None:
        made = make_anchor(BY_HAND)
        if made is None:
            self.stdout.write("The journal is empty; there is nothing to sign.")
            return
        self.stdout.write(f"Signed at entry {made.seq} with key {made.key}; written to {', '.join(map(str, folders()))}.")
        if made.problem:
            self.stderr.write(f"Not written everywhere: {made.problem}")
