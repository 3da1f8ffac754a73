"""What of the kit is offered for a role of a run: each judged by the rules of its kind, the best first."""

from __future__ import annotations

import uuid
from datetime import date
from typing import Any

from apps.kit.models import Reference
from apps.kit.selectors import list_references, reference_row
from apps.runs.items import items_offered
from apps.runs.models import Run
from apps.runs.store import load_state
from config.failures import Missing
from metrology.judgement.reference import find_reference_faults
from metrology.methods.method import Method
from metrology.methods.registry import get_method
from metrology.methods.setup import RunSetup
from metrology.methods.standards.base import REFERENCE, Need
from metrology.methods.standards.kinds import OFFERED
from metrology.quantities.units import quantity_of
from metrology.quantities.words import ratio, ratio_below
from metrology.run.state import RunState

NO_LIMIT = 1e6  # a TUR beyond it says only that nothing is uncertain
ORDER = {"good": 0, "warn": 1, "refuse": 2}


def offers(run_id: uuid.UUID, role: str, today: date) -> list[dict[str, Any]]:
    """What there is for a role, with what the rules say of each; one proposed where one will do, and told when it is the usual one."""
    run, _, state = load_state(run_id)
    method = get_method(state.setup.method)
    need = method.standards.of(state.setup, role)
    if need is None or not (need.kind == REFERENCE or need.kind in OFFERED):
        raise Missing("unknown_role", f"'{role}' is not something this run takes from the kit.", field="role")
    rows = offer_references(state.setup, method, need, today) if need.kind == REFERENCE else _items(state, need, today)
    rows.sort(key=lambda r: ORDER[r["standing"]])
    if rows and rows[0]["standing"] != "refuse":
        rows[0]["is_proposed"] = True
    good = [r for r in rows if r["standing"] == "good"]
    if len(good) == 1 and good[0]["code"] == _used_last(run, role):
        good[0]["is_usual"] = True
    return rows


def _used_last(run: Run, role: str) -> str:
    """Which reference the last signed run of the same subject and method took in that role."""
    before = Run.objects.filter(instrument=run.instrument_id, item=run.item, method=run.method, status__in=("signed", "accepted"))
    last = before.order_by("-signed_at").values_list("id", flat=True).first()
    if last is None:
        return ""
    chosen = load_state(last)[2].references.get(role) or {}
    return str((chosen.get("reference") or {}).get("code", ""))


def offer_references(setup: RunSetup, method: Method, need: Need, today: date) -> list[dict[str, Any]]:
    """References that measure the quantity; all of the kit where none does, since a person may know better than a unit."""
    wanted = quantity_of(need.unit)
    everything = list_references()
    fitting = [r for r in everything if r.unit == need.unit or (wanted is not None and quantity_of(r.unit) == wanted)]
    return [offer_reference(setup, method, need, r, today) for r in fitting or everything]


def offer_reference(setup: RunSetup, method: Method, need: Need, r: Reference, today: date) -> dict[str, Any]:
    """A reference as it is offered for a need, with what the rules say of it."""
    row, standard = reference_row(r, today), r.standard()
    remarks = [
        {"rule": f.code, "standing": "refuse", "says": f.message}
        for f in find_reference_faults(standard, low=need.low, high=need.high, unit=need.unit, today=today)
    ]
    reaches = ""
    if not remarks:
        tur = method.standards.tur(setup, need.role, standard)
        wanted = 0.0 if need.is_informative else setup.policy.minimum_tur
        reaches = f"TUR {ratio(tur)}" if tur < NO_LIMIT else ""
        if tur < wanted:
            standing = "refuse" if tur < 1 else "warn"
            remarks.append(
                {"rule": "tur", "standing": standing, "says": f"Reaches a TUR of {ratio_below(tur, wanted)}; {ratio(wanted)} is wanted."}
            )
    return {
        "code": row["code"],
        "name": row["name"],
        "detail": f"{row['range']}, {row['uncertainty']}",
        "good_until": row["due_on"].isoformat(),
        "state": row["standing"],
        "reaches": reaches,
        **_standing(remarks),
    }


def _items(state: RunState, need: Need, today: date) -> list[dict[str, Any]]:
    rows = []
    for item in items_offered(need.kind):
        fitness = OFFERED[need.kind](state.setup, need, item, today)
        remarks = [{"rule": r.rule, "standing": r.standing, "says": r.says} for r in fitness.remarks]
        rows.append(
            {
                "code": item["code"],
                "name": item["name"],
                "detail": fitness.shows.removeprefix(f"{item['code']}, "),
                "good_until": item["good_until"],
                "state": item["state"],
                "reaches": "",
                **_standing(remarks),
            }
        )
    return rows


def _standing(remarks: list[dict[str, Any]]) -> dict[str, Any]:
    worst = max((r["standing"] for r in remarks), key=lambda s: ORDER[s], default="good")
    return {"standing": worst, "remarks": remarks, "is_proposed": False, "is_usual": False}
