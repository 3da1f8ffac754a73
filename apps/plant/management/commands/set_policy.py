"""Set the policies of the whole plant, or of one method, from the server's command line."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.utils import timezone

from apps.plant.models import layers_on
from apps.plant.policies import plain_policies, set_policies
from metrology.faults import Fault
from metrology.judgement.policy import describe_policy, resolve_policy
from metrology.methods.registry import METHODS


class Command(BaseCommand):
    help = (
        "Sets policies: set_policy pass_rule=guard-u adjust_limit_percent=60 [--method KEY] [--why REASON]. An empty value takes one back."
    )

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("values", nargs="*", metavar="name=value")
        parser.add_argument("--method", default="", help="for one method instead of the whole plant")
        parser.add_argument("--why", default="Set at the server's command line.", help="the reason, for its history")

    def handle(self, *args: Any, **options: Any) -> None:
        method = options["method"]
        values = {}
        for pair in options["values"]:
            name, equals, value = pair.partition("=")
            if not equals:
                raise CommandError(f"'{pair}' is not name=value.")
            values[name] = value
        now = timezone.now()
        try:
            set_policies(actor=None, method=method, values=values, reason=options["why"], now=now)
        except Fault as fault:
            if fault.code != "nothing_changed":
                raise CommandError(f"{fault.message} Nothing was changed.") from None
        known = layers_on(timezone.localdate(now))
        policy = resolve_policy(plain_policies(known.get("", {})), plain_policies(known.get(method, {})))
        where = METHODS[method].title if method else "The whole plant"
        self.stdout.write("\n".join((f"{where}:", *describe_policy(policy))))
