"""Set the policies of the whole plant, or of one method."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from apps.plant.models import PolicyLayer
from apps.plant.services import policies_in
from metrology.faults import Fault
from metrology.judgement.policy import describe_policy, resolve_policy
from metrology.methods.registry import CATALOGUE, methods_of
from metrology.methods.setup import KIT


class Command(BaseCommand):
    help = "Sets policies: set_policy pass_rule=guard-u adjust_limit_percent=60 [--method KEY]. An empty value takes one back."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("values", nargs="*", metavar="name=value")
        parser.add_argument("--method", default="", help="for one method instead of the whole plant")

    def handle(self, *args: Any, **options: Any) -> None:
        method = options["method"]
        titles = {**CATALOGUE, **{m.key: m.title for m in methods_of(KIT)}}
        if method and method not in titles:
            raise CommandError(f"There is no method '{method}'. Known are {', '.join(titles)}.")
        layer, _ = PolicyLayer.objects.get_or_create(method=method)
        for pair in options["values"]:
            name, equals, value = pair.partition("=")
            if not equals:
                raise CommandError(f"'{pair}' is not name=value.")
            if value:
                layer.values[name] = value
            else:
                layer.values.pop(name, None)
        try:
            policy = resolve_policy(policies_in(layer.values, method))
        except Fault as fault:
            raise CommandError(f"{fault.message} Nothing was changed.") from None
        layer.save()
        where = titles[method] if method else "The whole plant"
        self.stdout.write("\n".join((f"{where}:", *describe_policy(policy))))
