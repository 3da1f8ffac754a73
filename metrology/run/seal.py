"""The seal of a signed record: what was judged, kept with the signature, so that no later rule, register or bottle can change it.

A seal is plain data inside the event that ends the run, so the chain holds it. It carries the view (everything a screen, a certificate or a
CSV shows), the numbers behind it, and what lists, drift and life of sensors follow. Screens, exports and due rules of a sealed record read it;
`compare` computes the record anew and tells what today's rules would make of it, without changing anything.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from metrology import CORE_VERSION
from metrology.methods.method import Method
from metrology.methods.outcome import Outcome
from metrology.quantities.words import iso
from metrology.run.progress import evaluate_set, make_progress
from metrology.run.results import results_of
from metrology.run.state import RunState
from metrology.run.uses import results_followed, uses_of
from metrology.run.view import LIVE_KEYS, make_view

FORMAT = 1
CHANCES = {"100.0 %": "over 99.9 %", "0.0 %": "under 0.1 %", "at least 100.0 %": "at least 99.9 %"}  # as they were written, and are


def make_seal(state: RunState, method: Method, now: datetime) -> dict[str, Any]:
    """The seal of a run that ends now; its state is the one before the event that ends it."""
    view = make_view(state, method, now)
    sealed = {k: v for k, v in view.items() if k not in LIVE_KEYS}
    for phase in sealed["rail"]:  # type: ignore[attr-defined]
        for step in phase["steps"]:
            if step["kind"] == "sign":
                step["status"] = "done"
    return {
        "format": FORMAT,
        "core": CORE_VERSION,
        "revision": method.revision,
        "at": iso(now),
        "view": sealed,
        "sets": _sets(state, method),
        "summary": results_of(state, method),
        "uses": [{"item": u.item, "kind": u.kind, "amount": u.amount, "unit": u.unit} for u in uses_of(state, method)],
        "results": [{**row, "at": iso(row["at"])} for row in results_followed(state, method)],
    }


def _sets(state: RunState, method: Method) -> dict[str, Any]:
    return {
        p.step.key: set_numbers(evaluate_set(state, method, p.step.key))
        for p in make_progress(state, method).steps
        if p.step.kind == "readings" and state.active_readings(p.step.key)
    }


def set_numbers(result: Outcome) -> dict[str, Any]:
    """A judged set as numbers: each reading with error, tolerance, U and verdict, the statistics, the signatures."""
    s = result.statistics
    return {
        "verdict": result.verdict,
        "is_complete": result.is_complete,
        "readings": [
            {
                "slot": j.slot.index,
                "error_percent": j.point.error_percent,
                "tolerance": j.tolerance,
                "U": j.uncertainty.expanded if j.uncertainty else None,
                "verdict": j.decision.verdict,
            }
            for j in result.judged
        ],
        "criteria": [
            {"name": c.name, "value": c.value, "low": c.low, "high": c.high, "u": c.u, "verdict": c.verdict} for c in result.criteria
        ],
        "signatures": [[s.code, s.confidence] for s in result.signatures],
        "statistics": {k: getattr(s, k) for k in s.__dataclass_fields__} if s else None,
    }


@dataclass(frozen=True)
class Difference:
    """Where a record would come out otherwise today: the place in words, what stands on it, what would stand there now."""

    place: str
    then: str
    now: str

    @property
    def says(self) -> str:
        """The difference as a sentence."""
        return f"{self.place}: {self.then} on the record, {self.now} now"


def compare(seal: Mapping[str, Any], state: RunState, method: Method, at: datetime) -> list[Difference]:
    """What the record would be today and is not; `state` is the one before the run ended, `at` the moment it did."""
    anew = make_seal(state, method, at)
    keys = ("view", "sets", "summary", "uses", "results")
    return [d for k in keys for d in _walk((k,), seal.get(k), anew.get(k))]


def _walk(path: tuple[str, ...], then: Any, now: Any) -> Iterator[Difference]:
    if isinstance(then, Mapping) and isinstance(now, Mapping):
        for key in dict.fromkeys((*then, *now)):
            if key not in then:
                continue  # what has been added since says nothing against the record
            yield from _walk((*path, str(key)), then[key], now.get(key))
    elif path[-1] == "noted" and _is_list(now) and {n["title"] for n in now} - {n["title"] for n in then}:
        told = {n["title"] for n in then}  # steps that records did not tell of then say nothing against them either
        yield from _walk(path, then, [n for n in now if n["title"] in told])
    elif _is_list(then) and _is_list(now) and len(then) == len(now):
        for n, (a, b) in enumerate(zip(then, now, strict=True)):
            yield from _walk((*path, _name(a, n)), a, b)
    elif isinstance(then, float) and isinstance(now, int | float):
        if abs(then - now) > 1e-9 * max(1.0, abs(then)):
            yield Difference(_place(path), f"{then:.6g}", f"{now:.6g}")
    elif _spelled(then) != _spelled(now):
        yield Difference(_place(path), _short(then), _short(now))


def _spelled(value: Any) -> Any:
    """A text with its degrees and its all but certain chances written as they are today: a record that says C instead of °C says nothing else."""
    if not isinstance(value, str):
        return value
    return CHANCES.get(value) or re.sub(r"(?<=[\d/ ])C(?![\w])", "°C", value)


def _is_list(value: Any) -> bool:
    return isinstance(value, Sequence) and not isinstance(value, str)


def _name(item: Any, n: int) -> str:
    """What an item of a list is called: its title or name where it has one."""
    if isinstance(item, Mapping):
        for key in ("title", "phase", "name", "label", "role", "code"):
            if item.get(key):
                return str(item[key])
        if "number" in item:
            return f"reading {item['number']}"
        if "slot" in item:
            return f"reading {item['slot'] + 1}"
    return str(n + 1)


def _place(path: tuple[str, ...]) -> str:
    words = [p.replace("_", " ") for p in path[1:] if p not in ("evidence", "rows", "readings")]
    return ", ".join(words) or path[0]


def _short(value: Any) -> str:
    if value is None:
        return "nothing"
    text = f"{len(value)} rows" if _is_list(value) else str(value)
    return text if len(text) <= 120 else f"{text[:117]}..."
