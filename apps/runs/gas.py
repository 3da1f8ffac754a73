"""The gas of runs: what is left in each bottle, what it can be used for, and which is best for a run."""

from __future__ import annotations

import uuid
from collections import defaultdict
from collections.abc import Mapping
from dataclasses import astuple
from datetime import date, timedelta
from typing import Any, cast

from django.db.models import Sum
from django.utils import timezone

from apps.kit.models import GasBottle, GasFitting
from apps.plant.once import once
from apps.runs.models import KitUse, Result
from apps.runs.store import load_state
from config.failures import Missing
from metrology.judgement.gas_kit import AMBIENT, REFUSE, Bottle, Fitting, GasNeed, KitVerdict
from metrology.judgement.suspicion import REPEATS, Peer, judge_bottle
from metrology.methods.registry import get_method
from metrology.quantities.words import day_words, plain
from metrology.run.gases import find_need, judge_for
from metrology.run.state import RunState

PEER_DAYS = 120
USABLE = ("in date", "due soon", "nearly empty")  # standings of a bottle with which it may be used
AMBIENT_AIR = Bottle(AMBIENT, "Ambient air", (), "air", 20.9, 1e9, "", is_humid=True)


def litres_left() -> dict[str, float]:
    """What is left in each bottle, litres."""
    used = dict(KitUse.objects.filter(kind="gas").values_list("item").annotate(total=Sum("amount")))
    return {b.code: max(0.0, b.litres - b.litres_drawn - used.get(b.code, 0.0)) for b in GasBottle.objects.all()}


def bottles() -> list[Bottle]:
    """Every bottle as the core has it, with what is left in it."""
    return cast(list[Bottle], once("bottles", _bottles))


def _bottles() -> list[Bottle]:
    left = litres_left()
    return [b.bottle(litres_left=round(left[b.code], 2)) for b in GasBottle.objects.exclude(state="retired")]


def peers_of(code: str) -> list[Peer]:
    """The latest as found of each detector on a bottle lately, with whether it had been set on this bottle before."""
    return cast(dict[str, list[Peer]], once("peers", _peers)).get(code, [])


def _peers() -> dict[str, list[Peer]]:
    """The detectors on every bottle lately, by bottle."""
    since = timezone.now() - timedelta(days=PEER_DAYS)
    rows = Result.objects.filter(name="exposure", value__isnull=False).exclude(run__status="voided").order_by("at")
    set_on: dict[str, str] = {}  # the bottle that a detector was last set on, as the rows go by
    latest: dict[str, dict[str, Peer]] = defaultdict(dict)
    for tag, item, phase, at, ratio, more in rows.values_list("instrument__tag", "item", "phase", "at", "value", "more"):
        if phase == "as left":
            set_on[tag] = item
        elif at >= since:
            latest[item][tag] = Peer(tag, float(ratio or 0.0), float(more.get("u", REPEATS)), set_on.get(tag) == item)
    return {item: [found[t] for t in sorted(found)] for item, found in latest.items()}


def _plain(made: Bottle | Fitting) -> dict[str, Any]:
    data = dict(made.__dict__)
    if "gases" in data:
        data["gases"] = [dict(g.__dict__) for g in data["gases"]]
    return data


def gas_snapshot(payload: Mapping[str, Any]) -> dict[str, Any]:
    """What an event keeps of the codes that a client names: bottle, fittings, and what others read of the bottle."""
    code = str(payload.get("bottle") or "")
    found = AMBIENT_AIR if code == AMBIENT else next((b for b in bottles() if b.code == code), None)
    if found is None:
        raise Missing(
            "unknown_bottle", f"There is no bottle {code or '(none chosen)'} in the kit. Choose one that is there.", field="bottle"
        )
    out: dict[str, Any] = {
        "role": payload.get("role"),
        "reason": payload.get("reason"),
        "bottle": _plain(found),
        "peers": [astuple(p) for p in peers_of(code)],
    }
    for kind in ("regulator", "line"):
        name = str(payload.get(kind) or "")
        fitting = GasFitting.objects.filter(code=name, kind=kind).first() if name else None
        if name and fitting is None:
            raise Missing("unknown_fitting", f"There is no {kind} {name} in the kit.", field=kind)
        out[kind] = _plain(fitting.fitting()) if fitting else None
    return out


def best_kit(state: RunState, need: GasNeed, bottle: Bottle, fittings: list[Fitting], today: date) -> tuple[KitVerdict, str, str]:
    """The verdict on a bottle with the fittings that suit it best."""
    peers = peers_of(bottle.code)
    regulators: list[Fitting | None] = [f for f in fittings if f.kind == "regulator"] or [None]
    lines: list[Fitting | None] = [f for f in fittings if f.kind == "line"] or [None]
    if bottle.code == AMBIENT:
        regulators, lines = [None], [None]
    best: tuple[float, KitVerdict, str, str] | None = None
    for regulator in regulators:
        for line in lines:
            payload = {
                "bottle": _plain(bottle),
                "regulator": _plain(regulator) if regulator else None,
                "line": _plain(line) if line else None,
                "peers": [astuple(p) for p in peers],
            }
            verdict = judge_for(state, need, payload, today=today)
            bad = sum(10.0 if r.standing == REFUSE else r.standing == "warn" for r in verdict.remarks)
            bad -= 0.5 * (regulator is not None and regulator.stays_on == bottle.code)
            if best is None or bad < best[0]:
                best = (bad, verdict, regulator.code if regulator else "", line.code if line else "")
    assert best is not None
    return best[1], best[2], best[3]


def gas_options(run_id: uuid.UUID, role: str, today: date) -> dict[str, Any]:
    """Every bottle judged for a role of a run, the best first; the fittings to choose from."""
    _, _, state = load_state(run_id)
    need = find_need(state, get_method(state.setup.method), role)
    fittings = [f.fitting() for f in GasFitting.objects.exclude(state="retired")]
    rows = []
    offered = [*bottles(), *([AMBIENT_AIR] if need.kind in ("zero", "air") and need.gas != "nitrogen" else [])]
    for bottle in offered:
        verdict, regulator, line = best_kit(state, need, bottle, fittings, today)
        rows.append({**bottle_words(bottle), **verdict_data(verdict, need), "regulator": regulator, "line": line})
    # A bottle before ambient air, then by standing, then the one that expires first, so that none is kept till it is too old.
    order = {"good": 0, "warn": 1, "refuse": 2}
    rows.sort(key=lambda r: (order[r["standing"]], r["code"] == AMBIENT, r["expires_on"] or "9999", r["code"]))
    rows[0]["is_proposed"] = rows[0]["standing"] != REFUSE
    return {
        "role": role,
        "label": need.label,
        "litres": round(need.litres, 1),
        "flow": need.flow_l_min,
        "bottles": rows,
        "regulators": [{"code": f.code, "words": fitting_words(f)} for f in fittings if f.kind == "regulator"],
        "lines": [{"code": f.code, "words": fitting_words(f)} for f in fittings if f.kind == "line"],
    }


def verdict_data(verdict: KitVerdict, need: GasNeed) -> dict[str, Any]:
    """A verdict as plain data."""
    return {
        "standing": verdict.standing,
        "applied": f"{plain(verdict.applied)} {need.unit}" if need.kind != "zero" and verdict.applied else "",
        "remarks": [{"rule": r.rule, "standing": r.standing, "says": r.says} for r in verdict.remarks],
        "is_proposed": False,
    }


def bottle_words(b: Bottle) -> dict[str, Any]:
    """A bottle in words."""
    held = ", ".join(f"{g.value:g} {g.unit} {g.gas}" + (f" ({g.basis})" if g.basis else "") for g in b.gases)
    return {
        "code": b.code,
        "name": b.name,
        "holds": f"{held} in {b.balance}" if held else b.balance,
        "litres_left": round(b.litres_left, 1) if b.code != AMBIENT else None,
        "expires_on": b.expires_on or None,
        "certificate": b.certificate,
        "state": b.state,
    }


def fitting_words(f: Fitting) -> str:
    """A fitting in words."""
    size = f"{f.flow_l_min:g} l/min" if f.kind == "regulator" else f"{f.length_m:g} m" + (", conditioned" if f.is_conditioned else "")
    stays = f", stays on {f.stays_on}, purged {day_words(f.purged_on) if f.purged_on else 'at a time not noted'}" if f.stays_on else ""
    return f"{f.code}: {f.material}, {size}{stays}" + ("" if f.state == "in service" else f" ({f.state})")


def list_bottles(today: date) -> list[dict[str, Any]]:
    """The bottles with what is left, their standing, and what others read of them."""
    rows = []
    full = dict(GasBottle.objects.values_list("code", "litres"))
    for b in bottles():
        left = (date.fromisoformat(b.expires_on) - today).days if b.expires_on else None
        share = b.litres_left / full[b.code] if full[b.code] else 0.0
        standing = b.state if b.state != "in service" else "expired" if left is not None and left < 0 else "empty" if share <= 0.02 else ""
        standing = standing or ("due soon" if left is not None and left <= 30 else "nearly empty" if share < 0.15 else "in date")
        rows.append(
            {
                **bottle_words(b),
                "litres_full": full[b.code],
                "standing": standing,
                "is_usable": standing in USABLE,
                "suspicion": judge_bottle(peers_of(b.code)),
            }
        )
    return rows
