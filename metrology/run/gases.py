"""Assigning gas to a run: the bottle with its fittings judged, refused with a sentence or kept with every remark."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from datetime import date
from typing import Any

from metrology.faults import Fault
from metrology.judgement.gas_kit import AMBIENT, REFUSE, Bottle, BottleGas, Fitting, GasNeed, KitVerdict, judge_kit
from metrology.judgement.suspicion import REPEATS, Peer
from metrology.methods.method import Method
from metrology.run.assigning import find_need as need_in
from metrology.run.fields import text_of
from metrology.run.state import RunState

AMBIENT_ASKS = {"bottled": "Why ambient air must do", "scrubbed": "Which scrubber, and until when it is good"}


def _purged(payload: Mapping[str, Any]) -> dict[str, str]:
    """Since when the regulator has stayed on this bottle, purged; empty where it has to be purged again. Nothing where there is no regulator."""
    regulator = payload.get("regulator") or {}
    if "stays_on" not in regulator:
        return {}
    stays = regulator["stays_on"] == payload["bottle"]["code"] and bool(regulator["stays_on"])
    return {"regulator": str(regulator["code"]), "purged_on": str(regulator["purged_on"]) if stays else ""}


def bottle_from(data: Mapping[str, Any]) -> Bottle:
    """A bottle frozen in an event."""
    return Bottle(**{**data, "gases": tuple(BottleGas(**g) for g in data["gases"])})


def fitting_from(data: Mapping[str, Any] | None) -> Fitting | None:
    """A regulator or line frozen in an event."""
    return Fitting(**data) if data else None


def judge_for(state: RunState, need: GasNeed, payload: Mapping[str, Any], *, today: date) -> KitVerdict:
    """The kit of a payload judged for a need."""
    return judge_kit(
        need,
        bottle_from(payload["bottle"]),
        regulator=fitting_from(payload.get("regulator")),
        line=fitting_from(payload.get("line")),
        today=today,
        policy=state.setup.policy,
        peers=[p for p in _peers(payload) if p.tag != state.setup.instrument.tag],
    )


def _peers(payload: Mapping[str, Any]) -> list[Peer]:
    """Detectors on the bottle lately, as the server found them."""
    rows = [(*p, REPEATS, False)[:4] if len(p) == 2 else p for p in payload.get("peers", ())]
    return [Peer(str(tag), float(ratio), float(u), bool(was_set)) for tag, ratio, u, was_set in rows]


def _parts_told(need: GasNeed, verdict: KitVerdict) -> list[list[str]]:
    """The components that are in a mixture, as name, value and unit."""
    units = {n.component: n.unit for n in (need, *need.also, *need.beside)}
    return [[name, f"{value:g}", units[name]] for name, value, _ in verdict.parts if value]


def find_need(state: RunState, method: Method, role: str) -> GasNeed:
    """The need of a role; a Fault when the run has none."""
    need: GasNeed = need_in(state, method, role, "gas").detail
    return need


def admit_gas(state: RunState, method: Method, payload: Mapping[str, Any], *, today: date) -> dict[str, Any]:
    """The completed payload of a gas assigned. It may be changed until the run is judged: an empty bottle is changed for a full one."""
    role = str(payload.get("role", ""))
    need = find_need(state, method, role)
    verdict = judge_for(state, need, payload, today=today)
    if verdict.standing == REFUSE:
        raise Fault("kit_refused", " ".join(verdict.reasons), field=role, reasons=list(verdict.reasons))
    taken = any(not r.is_struck and r.extra.get("gas") == role for r in state.readings)
    school = state.setup.policy.zero_gas
    is_ambient = payload["bottle"]["code"] == AMBIENT and school in AMBIENT_ASKS
    what = AMBIENT_ASKS[school] if is_ambient else "Why the gas is changed in the middle"
    reason = text_of(payload, "reason", label=what, required=is_ambient or taken)
    bottle = payload["bottle"]
    peers = " ".join(p.text for p in _peers(payload))
    return {
        "role": role,
        "label": need.label,
        "bottle": dict(bottle),
        "regulator": dict(payload["regulator"]) if payload.get("regulator") else None,
        "line": dict(payload["line"]) if payload.get("line") else None,
        "reason": reason,
        "applied": verdict.applied,
        "unit": need.unit,
        "litres": round(need.litres, 2),
        **({"parts": _parts_told(need, verdict)} if verdict.parts else {}),
        "remarks": [asdict(r) for r in verdict.remarks],
        "enters": {
            **({"value": f"{verdict.applied:.6g}", "u": f"{verdict.u_percent:g}"} if need.kind != "zero" else {}),
            **{f"value:{name}": f"{value:.6g}" for name, value, _ in verdict.parts},
            **{f"u:{name}": f"{u:g}" for name, _, u in verdict.parts},
            "bottle": bottle["code"],
            "oxygen": f"{bottle['oxygen']:g}",
            **_purged(payload),
            **({"peers": peers} if peers else {}),
        },
    }
