"""What a run took of the kit, and which of its results are followed from run to run."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from metrology.methods.method import Method, ResultContext, Use
from metrology.methods.slots import AT_ONCE
from metrology.run.progress import evaluate_together, final_readings_step, found_step, make_progress
from metrology.run.raw import raw, raw_readings
from metrology.run.state import RunState

AMBIENT = "AMBIENT"


def uses_of(state: RunState, method: Method) -> list[Use]:
    """What each item gave to readings, struck ones too, and to adjustments."""
    found: list[Use] = []
    for r in state.readings:
        slot = raw(state, method, r).slot
        if AT_ONCE in slot.extra:
            continue
        item = str(slot.extra.get("bottle") or _item(state, r.standards.get(method.standards.role_at(state.setup, slot), "")))
        use = method.uses(state.setup, str(slot.extra.get("exposure", "")), r.captured)
        if item and use:
            found.append(replace(use, item=item))
    for a in state.adjustments:
        target = next((t for t in method.adjusting.targets(state.setup, "adjust") if t.screw == a.screw), None)
        use = method.uses(state.setup, target.kind, None) if target and target.role else None
        item = _item(state, state.standing.get(target.role, "")) if target else ""
        if item and use:
            found.append(replace(use, item=item))
    out: dict[str, Use] = {}
    for u in found:
        if u.item != AMBIENT:
            out[u.item] = replace(u, amount=u.amount + (out[u.item].amount if u.item in out else 0.0))
    return list(out.values())


@dataclass(frozen=True)
class Regulator:
    """What a run says of a regulator last: on which bottle, when, and whether it stays there purged; None where nothing is said of that."""

    code: str
    bottle: str
    at: datetime
    stays: bool | None


def regulators_of(state: RunState) -> list[Regulator]:
    """Each regulator of the run, as it was left."""
    left = next((c for c in state.confirmations.values() if "regulator_left" in c.values), None)
    stays = None if left is None else left.values["regulator_left"] == "on"
    return [
        Regulator(str(p["regulator"]["code"]), str(p["bottle"]["code"]), left.at if left else state.gas_at[role], stays)
        for role, p in state.gases.items()
        if p.get("regulator") and p["bottle"]["code"] != AMBIENT
    ]


def _item(state: RunState, event: str) -> str:
    """The code of what an event assigned."""
    p = state.assigned.get(event, {})
    held = p.get("bottle") or p.get("item") or p.get("reference") or {}
    return str(held.get("code", ""))


def results_followed(state: RunState, method: Method) -> list[dict[str, Any]]:
    """Each result that is followed: of single readings where a method gives one, and of the sets as found and as left."""
    return [*_of_readings(state, method), *_of_sets(state, method)]


def _life(state: RunState, at: datetime) -> str:
    """Which worn part stood at a time, by its serial: the one in the register, until one is exchanged in the run."""
    new = [c for c in state.confirmations.values() if c.values.get("new_serial") and c.at < at]
    registered = getattr(state.setup.instrument.details, "sensor_serial", "")
    return str(max(new, key=lambda c: c.at).values["new_serial"] if new else registered or "first")


def _of_readings(state: RunState, method: Method) -> list[dict[str, Any]]:
    phases = {p.step.key: p.step.phase for p in make_progress(state, method).steps}
    out = []
    for r in state.readings:
        if r.is_struck:
            continue
        reading = raw(state, method, r)
        life = _life(state, r.at)
        phase = "as found" if phases.get(r.step) == "as found" else "as left"
        row = method.exposed(state.setup, reading, ResultContext(phase, life, reading.on))
        if row is not None:
            out.append({"channel": reading.slot.channel, "phase": phase, "at": r.at, "life": life, "kind": "reading", **row})
    return out


def _of_sets(state: RunState, method: Method) -> list[dict[str, Any]]:
    """What the as-found and the final set say of the instrument as a whole."""
    out = []
    found, left = found_step(state, method), final_readings_step(state, method)
    for key, phase in ((found, "as found"), (left, "as left")):
        readings = raw_readings(state, method, key)
        if not readings or (phase == "as left" and left == found):
            continue
        at: datetime = max(r.at for r in state.active_readings(key).values())
        for s in evaluate_together(state, method, key).series:
            if not s.is_followed:
                continue
            more = {"label": s.label, "low": s.low, "high": s.high, **({} if s.is_shown else {"is_shown": False})}
            out.append(
                {
                    "channel": s.channel, "phase": phase, "at": at, "life": _life(state, at), "kind": "set", "name": s.name, "value": s.value,
                    "unit": s.unit, "item": "", "more": more,
                }
            )  # fmt: skip
    return out
