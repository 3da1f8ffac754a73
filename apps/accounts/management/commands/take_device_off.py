"""For an administrator who lost the device with the one-time codes, where no other one is there: whoever holds the server may take it off."""

from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand, CommandError
from django.utils import timezone

from apps.accounts.access import find_person
from apps.accounts.second_factor import take_off
from metrology.faults import Fault


class Command(BaseCommand):
    help = "Takes the device for one-time codes off somebody, who can then set up another."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("username")
        parser.add_argument("--reason", required=True)

    def handle(self, *_args: Any, **options: Any) -> None:
        try:
            person = find_person(options["username"])
            take_off(person, by=person, reason=f"At the server's command line: {options['reason']}", now=timezone.now())
        except Fault as fault:
            raise CommandError(fault.message) from None
        self.stdout.write(f"{person.name} signs in with the password alone until another device is set up.")
