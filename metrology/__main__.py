"""Command line of the calculations: `python -m metrology list`, `python -m metrology NAME key=value ...`, `python -m metrology batch` for JSON lines."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterable
from typing import Any

from metrology.calculators import CALCULATORS, calculate
from metrology.faults import Fault

USAGE = "python -m metrology list | batch | NAME key=value ... | NAME --json '{...}'"


def _parse(arguments: list[str]) -> dict[str, Any]:
    if arguments and arguments[0] == "--json":
        if len(arguments) != 2:
            raise Fault("usage", f"--json takes one JSON object. {USAGE}")
        try:
            data = json.loads(arguments[1])
        except (ValueError, RecursionError) as error:
            raise Fault("bad_json", f"The text after --json is not JSON: {error}.", field="json") from None
        if not isinstance(data, dict):
            raise Fault("bad_json", "The JSON after --json must be an object of named fields.", field="json")
        return data
    data = {}
    for argument in arguments:
        key, equals, value = argument.partition("=")
        if not equals or not key:
            raise Fault("usage", f"'{argument}' is not key=value. {USAGE}", field=argument)
        if key in data:
            raise Fault("usage", f"'{key}' is given twice; give it once.", field=key)
        data[key] = _structured(key, value)
    return data


def _structured(key: str, value: str) -> Any:
    if value[:1] in "[{" and value:
        try:
            return json.loads(value)
        except (ValueError, RecursionError):
            raise Fault("bad_json", f"{key} starts like a list but is not JSON.", field=key) from None
    return value


def _one(line: str) -> dict[str, Any]:
    """One line of a batch: a calculation by its name with its fields, or an error in a sentence."""
    try:
        try:
            data = json.loads(line)
        except (ValueError, RecursionError) as error:
            raise Fault("bad_json", f"This line is not JSON: {error}.") from None
        if not isinstance(data, dict) or not isinstance(data.get("name"), str):
            raise Fault("bad_json", "A line is a JSON object with the name of a calculation and its fields.", field="name")
        return calculate(data["name"], {k: v for k, v in data.items() if k != "name"})
    except Fault as fault:
        return {"error": fault.message}


def batch(lines: Iterable[str]) -> None:
    """Calculations from JSON lines, a JSON line each, in their order; one that fails gives an error line and the others go on."""
    for line in lines:
        if line.strip():
            print(json.dumps(_one(line), allow_nan=False), flush=True)


def main(arguments: list[str]) -> int:
    """Run one calculation; print one line of JSON; 0 when it worked, 2 with an error otherwise."""
    if arguments == ["batch"]:
        batch(sys.stdin)
        return 0
    if arguments == ["list"]:
        print("\n".join(CALCULATORS))
        return 0
    try:
        if not arguments:
            raise Fault("usage", USAGE)
        print(json.dumps(calculate(arguments[0], _parse(arguments[1:])), allow_nan=False))
    except Fault as fault:
        print(json.dumps({"error": fault.message}, ensure_ascii=False))
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
