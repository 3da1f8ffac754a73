"""The API asked at random, by its own description and past it, as every role and as a stranger. `make fuzz`.

No server error, no answer that is not described, no refusal without a sentence.
"""

from __future__ import annotations

import argparse
import json
import logging
import os
import random
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import yaml

ROOT = Path(__file__).resolve().parent.parent
ROLES = {"technician": "ines", "planner": "ruben", "reviewer": "marta", "administrator": "holt", "stranger": ""}
TOKEN = "a" * 32  # of a double-submitted cookie: the same in both places
SLOW = ("/evidence/backup/", "/evidence/look-through/", "/plans/")
SLOW_EXAMPLES = 3
# What people, broken programs and malice put into a field.
NASTY: tuple[Any, ...] = (
    *("\ud800", "a\udfffb", "\x00", "", " ", "\u202e1.2", "１２", "٣", "−5", "1e400", "-1e-400", "nan", "inf", "9" * 400, "0x10", "1,234"),
    *("=1+1", "<script>1</script>", "../../etc/passwd", "2026-02-30", "0000-00-00", "99999-01-01", "24:61", "x" * 20_000),
    *(-1, 0, 2**63, -(2**70), 1e308, 5e-324, True, None, [], {}, [[]], {"a": {"b": []}}),
)  # fmt: skip
PROGRAMMERS = ("Traceback", "ErrorDetail", "NoneType", "object at 0x", "<class", "None,", "'None'", "dict_keys")


def known_values() -> dict[str, list[str]]:
    """Names that are there in the plant, by the parameter of an address that they fit."""
    from apps.batches.models import Batch
    from apps.bench.models import AutoCapture
    from apps.checks.models import CheckRound
    from apps.followups.models import FollowUp
    from apps.kit.models import GasBottle, Reference
    from apps.planning.models import Round
    from apps.plant.models import Instrument
    from apps.runs.models import Hold, Run
    from apps.safety.models import SafetyFunction
    from metrology.calculators import CALCULATORS

    def ids(model: Any, name: str = "pk") -> list[str]:
        return [str(v) for v in model.objects.order_by("pk").values_list(name, flat=True)[:8]]

    rounds = ids(Round) + ids(CheckRound)
    return {
        "run_id": ids(Run),
        "round_id": rounds,
        "number": ids(Run, "number"),
        "batch_id": ids(Batch),
        "follow_up_id": ids(FollowUp),
        "auto_id": ids(AutoCapture),
        "hold_id": ids(Hold),
        "tag": ids(Instrument, "tag"),
        "code": ids(Reference, "code") + ids(GasBottle, "code") + ids(SafetyFunction, "code"),
        "group": ["reference", "gas", "fitting", "buffer"],
        "role": ["applied", "indicated", "span", "zero"],
        "username": ["ines", "tomas", "holt"],
        "name": sorted(CALCULATORS),
        "kind": ["before", "after", "reference"],
    }


def spoiled(value: Any, chance: random.Random) -> Any:
    """The same with one or two of its leaves replaced by something nasty."""
    if isinstance(value, dict) and value:
        out = dict(value)
        for name in chance.sample(sorted(out), min(len(out), chance.choice((1, 1, 2)))):
            out[name] = spoiled(out[name], chance)
        return out
    if isinstance(value, list) and value and chance.random() < 0.8:
        n = chance.randrange(len(value))
        return [*value[:n], spoiled(value[n], chance), *value[n + 1 :]]
    return chance.choice(NASTY)


def _plain(described: Any) -> Any:
    """A description as JSON Schema has it: what may be nothing is one of two things."""
    if isinstance(described, list):
        return [_plain(each) for each in described]
    if not isinstance(described, dict):
        return described
    plain = {k: _plain(v) for k, v in described.items() if k != "nullable"}
    return {"anyOf": [plain, {"type": "null"}]} if described.get("nullable") is True else plain


def as_text(value: Any) -> str:
    """A value as it can stand in an address."""
    return str(value)[:300].encode("utf-8", "replace").decode()


def is_sentence(answer: Any, case: Any) -> bool:
    """Whether a refusal says why, and in no programmer's words but those that it was given."""
    try:
        message = answer.json()["message"]
    except (ValueError, KeyError, TypeError):
        return False
    given = unquote(f"{case.body} {case.query} {case.path_parameters}")
    return bool(str(message).strip()) and not any(w in message and w not in given for w in PROGRAMMERS)


class Fuzz:
    """One pass over all operations."""

    def __init__(self, seed: int, examples: int) -> None:
        import schemathesis
        from django.core.wsgi import get_wsgi_application

        self.seed, self.examples = seed, examples
        self.django = get_wsgi_application()
        described = yaml.safe_load((ROOT / "docs/openapi.yaml").read_text())
        self.components, told = _plain(described["components"]), json.dumps(described).encode()

        def app(environ: dict[str, Any], start: Callable[..., Any]) -> Iterable[bytes]:
            if environ["PATH_INFO"] == "/openapi.json":
                start("200 OK", [("Content-Type", "application/json")])
                return [told]
            return self.django(environ, start)

        self.schema = schemathesis.openapi.from_wsgi("/openapi.json", app)
        self.known = known_values()
        self.calls = 0
        self.answers: Counter[int] = Counter()
        self.wrong: Counter[str] = Counter()
        self.first: dict[str, str] = {}

    def cookies(self, role: str) -> dict[str, str]:
        """Of somebody of that role who has just signed in."""
        from django.test import Client

        from apps.accounts.models import Person

        client = Client()
        if ROLES[role]:
            person = Person.objects.get(username=ROLES[role])
            Person.objects.filter(pk=person.pk).update(is_active=True, role=role)
            client.force_login(Person.objects.get(pk=person.pk), backend="apps.accounts.sessions.Passwords")
        return {"csrftoken": TOKEN, **{k: v.value for k, v in client.cookies.items()}}

    def run(self, only: str) -> None:
        """All operations whose address holds `only`, as every role."""
        for result in self.schema.get_all_operations():
            operation = result.ok()
            if only in operation.path and "stream" not in operation.path:
                for role in ROLES:
                    self.operation(operation, role)

    def operation(self, operation: Any, role: str) -> None:
        """One operation as one role, by its description and past it."""
        from hypothesis import HealthCheck, Phase, given, seed, settings
        from schemathesis import GenerationMode

        chance = random.Random(f"{self.seed} {operation.label} {role}")
        cookies = self.cookies(role)
        many = SLOW_EXAMPLES if any(s in operation.path for s in SLOW) else self.examples

        @seed(self.seed)
        @settings(max_examples=many, database=None, deadline=None, phases=[Phase.generate], suppress_health_check=list(HealthCheck))
        @given(case=operation.as_strategy(generation_mode=GenerationMode.POSITIVE))
        def ask(case: Any) -> None:
            for name in case.path_parameters or {}:
                if name in self.known and self.known[name] and chance.random() < 0.7:
                    case.path_parameters[name] = chance.choice(self.known[name])
            is_nasty = isinstance(case.body, dict | list) and chance.random() < 0.6
            if is_nasty and "json" in (case.media_type or ""):
                case.body = spoiled(case.body, chance)
            if case.query and chance.random() < 0.4:
                case.query = {k: v if chance.random() < 0.5 else as_text(chance.choice(NASTY)) for k, v in case.query.items()}
            self.ask(case, role, cookies)

        ask()

    def ask(self, case: Any, role: str, cookies: dict[str, str]) -> None:
        """One call, judged."""
        self.calls += 1
        label = f"{case.operation.label} as {role}"
        at = time.monotonic()
        try:
            answer = case.call(cookies=cookies, headers={"X-CSRFToken": TOKEN})
        except UnicodeError:  # what no client could send
            return
        took = time.monotonic() - at
        self.answers[answer.status_code] += 1
        told = case.operation.definition.raw["responses"]
        if answer.status_code >= 500 and answer.status_code != 503:
            self.note(f"server error {answer.status_code}: {label}", case)
        elif str(answer.status_code) not in told:
            self.note(f"not described, {answer.status_code}: {label}", case)
        elif answer.status_code < 300 and self.breaks(case):
            self.note(f"taken though it breaks the description: {label}", case)
        elif answer.status_code >= 400 and answer.status_code != 405 and not is_sentence(answer, case):
            self.note(f"no sentence, {answer.status_code}: {label}", case)
        if took > 10:
            self.note(f"over 10 s: {label}", case)

    def breaks(self, case: Any) -> bool:
        """Whether a body is not as the description has it; forms are texts all through."""
        from jsonschema import Draft202012Validator

        described = case.operation.definition.raw.get("requestBody", {}).get("content", {}).get("application/json")
        if described is None or case.media_type != "application/json" or not isinstance(case.body, dict | list):
            return False
        schema = {**_plain(described["schema"]), "components": self.components}
        return not Draft202012Validator(schema).is_valid(case.body)

    def note(self, what: str, case: Any) -> None:
        self.wrong[what] += 1
        self.first.setdefault(what, case.as_curl_command()[:600])


def prepare(folder: Path) -> None:
    """A demonstration plant of its own, in a folder that goes afterwards."""
    os.environ["DJANGO_SETTINGS_MODULE"] = "config.settings.demo"
    os.environ["DATABASE_URL"] = f"sqlite:///{folder / 'fuzz.sqlite3'}"
    import django

    django.setup()
    from django.conf import settings
    from django.core.management import call_command

    for name in ("MEDIA_ROOT", "KEY_FOLDER", "ANCHORS_HERE", "BACKUP_FOLDER"):
        setattr(settings, name, folder / name.lower())
    settings.ALLOWED_HOSTS = ["*"]
    settings.BACKGROUND_INLINE = True
    logging.disable(logging.CRITICAL)
    call_command("migrate", verbosity=0)
    call_command("load_demo", verbosity=0)


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--examples", type=int, default=12, help="of each operation and role")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--only", default="", help="operations whose address holds this")
    given = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        prepare(Path(folder))
        fuzz = Fuzz(given.seed, given.examples)
        at = time.monotonic()
        fuzz.run(given.only)
    answers = ", ".join(f"{n} times {code}" for code, n in sorted(fuzz.answers.items()))
    print(f"\n{fuzz.calls} calls in {time.monotonic() - at:.0f} s, seed {given.seed}: {answers}")
    for what, n in fuzz.wrong.most_common():
        print(f"  {n:>4}  {what}\n        {fuzz.first[what]}")
    print("Nothing broke, and every answer is described." if not fuzz.wrong else f"{len(fuzz.wrong)} things to mend.")
    return 1 if fuzz.wrong else 0


if __name__ == "__main__":
    sys.exit(main())
