"""The journal begins to follow the registers when everything is there."""

from django.apps import AppConfig


class JournalConfig(AppConfig):
    name = "apps.journal"

    def ready(self) -> None:
        from apps.journal.registers import follow

        follow()
