"""Assigning gas to a run: the bottle with its fittings judged, refused with a sentence or kept with every remark."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from datetime import date
from typing import Any

from metrology.faults import Fault
from metrology.judgement.gas_kit import AMBIENT, REFUSE, Bottle, BottleGas, Fitting, GasNeed, KitVerdict, judge_kit
from metrology.methods.base import Method, RawReading
from metrology.methods.gas import t90_of
from metrology.methods.gas_plan import litres_of
from metrology.run.fields import text_of
from metrology.run.state import RunState

AMBIENT_ASKS = {"bottled": "Why ambient air must do", "scrubbed": "Which scrubber, and until when it is good"}


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
        peers=[(str(t), float(r)) for t, r in payload.get("peers", ()) if t != state.setup.instrument.tag],
    )


def find_need(state: RunState, method: Method, role: str) -> GasNeed:
    """The need of a role; a Fault when the run has none."""
    found = next((n for n in method.gas_needs(state.setup) if n.role == role), None)
    if found is None:
        raise Fault("unknown_role", f"'{role}' is not a gas of this run.", field="role")
    return found


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
    peers = " ".join(f"{t}={r:.3f}" for t, r in payload.get("peers", ()))
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
        "remarks": [asdict(r) for r in verdict.remarks],
        "enters": {
            **({"value": f"{verdict.applied:.6g}", "u": f"{verdict.u_percent:g}"} if need.kind != "zero" else {}),
            "bottle": bottle["code"],
            "oxygen": f"{bottle['oxygen']:g}",
            **({"peers": peers} if peers else {}),
        },
    }


def litres_used(state: RunState) -> dict[str, float]:
    """Litres of each bottle that this run's exposures used, struck ones too."""
    out: dict[str, float] = {}
    for r in state.readings:
        code = r.extra.get("bottle")
        if code and code != AMBIENT:
            used = litres_of(state.setup, str(r.extra["exposure"]), r.extra.get("captured"))
            out[str(code)] = out.get(str(code), 0.0) + used
    for adjustment in state.adjustments:
        kind = "zero" if adjustment.screw.endswith("zero") else "span"
        name = adjustment.screw.rpartition(" ")[0]
        gas = state.gases.get("air" if adjustment.screw == "air" else kind if kind == "zero" or not name else f"span:{name}")
        if gas and gas["bottle"]["code"] != AMBIENT:
            code = str(gas["bottle"]["code"])
            out[code] = out.get(code, 0.0) + litres_of(state.setup, kind, None)
    return out


def exposures_of(state: RunState, method: Method) -> list[dict[str, Any]]:
    """Each exposure to span gas or air that counts: ratio, T90, signal, sensitivity, dose and hours, and the sensor's life."""
    out: list[dict[str, Any]] = []
    new_serials = [str(c.values["new_serial"]) for c in state.confirmations.values() if c.values.get("new_serial")]
    old_life = state.setup.instrument.details.detector.sensor_serial or "first"
    exchanged_at = max((c.at for c in state.confirmations.values() if c.values.get("new_serial")), default=None)
    for r in state.readings:
        kind = str(r.extra.get("exposure", ""))
        if r.is_struck or kind in ("", "zero", "background"):
            continue
        slot = method.plan(state.setup, r.step)[r.slot]
        raw = RawReading(r.slot, r.applied, r.indicated, r.extra)
        applied = float(r.applied)
        signal = float(r.extra["signal"]) if r.extra.get("signal") else None
        minutes = litres_of(state.setup, kind, r.extra.get("captured")) / state.setup.instrument.details.detector.flow_l_min
        is_new = exchanged_at is not None and r.at > exchanged_at
        out.append(
            {
                "channel": slot.channel,
                "phase": "as found" if r.step.startswith("as_found") else "as left",
                "at": r.at,
                "bottle": str(r.extra.get("bottle", "")),
                "ratio": float(r.indicated) / slot.ideal if slot.ideal else None,
                "t90_s": t90_of(raw),
                "signal": signal,
                "sensitivity": signal / applied if signal is not None and applied else None,
                "dose": applied * minutes / 60.0,
                "hours": minutes / 60.0,
                "life": new_serials[-1] if is_new and new_serials else old_life,
            }
        )
    return out
