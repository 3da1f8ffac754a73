"""What a detector on the bench tells and does by itself in a round: its sources, its current on hold, its own keys.

What is read live counts, whatever a tap has said.
"""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from datetime import datetime

from apps.accounts.models import Person
from apps.bench.capture import read_now
from apps.bench.keys import press_key
from apps.bench.selectors import list_signals
from metrology.methods.method import Method
from metrology.methods.steps import Step
from metrology.run.state import RunState, source_key

INHIBIT, RESET, RELEASE = "inhibit", "reset", "release"


def sources_of(state: RunState, method: Method) -> list[dict[str, str]]:
    """The likeliest signal that is wired to the detector, for every quantity of its readings that has none yet."""
    tag = state.setup.instrument.tag
    known = {source_key(s["quantity"], s.get("channel", "")) for s in state.sources.values()}
    out: dict[str, dict[str, str]] = {}
    for slot in method.trial.plan(state.setup, "as_found").slots:
        for q in method.trial.asks(state.setup, slot):
            channel = method.watching.source_channel(q.name, slot.channel)
            key = source_key(q.name, channel)
            if key in out or key in known:
                continue
            rows = list_signals(unit=q.unit, tag=tag, quantity=q.name, channel=channel)
            taken = {row["signal"] for row in out.values()}
            found = next((s for s in rows if s["is_wired"] and s["is_likely"] and s["id"] not in taken), None)
            if found:
                out[key] = {"quantity": q.name, "channel": channel, "signal": found["id"]}
    return list(out.values())


def seen_of(state: RunState, method: Method, step: Step) -> Mapping[str, str]:
    """What its source reads now of a condition, under the name of the step's field; nothing where it is not live or does not answer."""
    watched = method.watching.watched(state.setup, step) if step.kind == "condition" else None
    if watched is None or not watched[1]:
        return {}
    slot, (quantity, *_) = watched
    source = state.sources.get(source_key(quantity.name, method.watching.source_channel(quantity.name, slot.channel)))
    told = read_now(str(source["signal"])) if source and source["signal"] else None
    return {step.fields[0].name: f"{told[0]:.4g}"} if told else {}


def press(actor: Person, run_id: uuid.UUID, tag: str, key: str, now: datetime) -> bool:
    """Press one of its keys, where it is wired here; whether there was one."""
    found = next(
        (s for s in list_signals(unit="key", tag=tag) if s["is_wired"] and s["role"] == "key" and s["id"].endswith(f".{key}")), None
    )
    if found:
        press_key(actor=actor, run_id=run_id, signal_id=found["id"], now=now)
    return found is not None
