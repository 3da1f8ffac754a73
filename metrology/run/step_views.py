"""What compute and compare steps show, and what is kept of them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from metrology.calculations.sheets import SHEETS
from metrology.faults import Fault
from metrology.methods.method import Method
from metrology.methods.parameters import ACTS, PARAMETERS, Parameter, differences, same, words
from metrology.methods.settings import setting_words
from metrology.methods.setup import InstrumentSetup
from metrology.methods.steps import Step
from metrology.quantities.device_units import units_beside
from metrology.quantities.words import iso
from metrology.run.computing import compute
from metrology.run.parameters import against_register, device_values, latest, pending_values
from metrology.run.set_types import Named
from metrology.run.state import RunState
from metrology.run.step_types import CompareData, ComputeData, ParameterData
from metrology.run.view_types import ComputedData, ParameterSetData


def result_words(calculator: str, result: Mapping[str, Any]) -> tuple[str, list[str], list[list[str]]]:
    """A calculation's result as a sentence, and as a table (head, rows)."""
    if calculator == "loop":
        told = f"{result['available_v']:.2f} V are left at full current, {result['margin_v']:+.2f} V over lift-off. {result['reason']}"
        return told, [], []
    if calculator == "displacer-weights":
        head = ["Level", "Exact load", "Load made", "Weights", "True level", "Off"]
        rows = [
            [
                f"{r['percent']:g} %",
                f"{r['exact']:.4f}",
                f"{r['load']:.4f}",
                " + ".join(f"{w:g}" for w in r["weights"]) or "none",
                f"{r['true_percent']:.2f} %",
                f"{r['off_percent']:+.2f} %",
            ]
            for r in result["rows"]
        ]
        return str(result["says"]), head, rows
    if calculator == "vessel-plan":
        plan = result["plan"]
        return str(result["says"]), [str(k).capitalize() for k in plan[0]] if plan else [], [[str(v) for v in r.values()] for r in plan]
    outputs = next((s.outputs for s in SHEETS if s.name == calculator), ())
    parts = [f"{label.lower()} {result[name]:.6g} {unit}".strip() for name, label, unit in outputs if name in result]
    return "; ".join(parts) + ".", [], []


def compute_step(state: RunState, step: Step) -> ComputeData:
    """The fields' first values and, when they suffice, the result with them."""
    given = dict(step.given)
    values = {f.name: str(given.get(f.name, "")) for f in step.fields}
    shown: ComputeData = {"calculator": step.calculator, "values": values, "rows": [], "head": [], "says": "", "failed": ""}
    if any(f.required and not values[f.name] for f in step.fields):
        return shown
    try:
        says, head, rows = result_words(step.calculator, compute(state, step, {}))
    except Fault as fault:
        return {**shown, "failed": fault.message}
    return {**shown, "rows": rows, "head": head, "says": says}


def computed_rows(state: RunState, method: Method) -> list[ComputedData]:
    """The results kept, in the order of their steps."""
    titles = {s.key: s.title for s in method.steps(state.setup, {k: d.choice for k, d in state.decisions.items()})}
    out: list[ComputedData] = []
    for key, kept in state.computed.items():
        says, head, rows = result_words(kept["calculator"], kept["result"])
        out.append({"title": titles.get(key, key), "says": says, "reason": kept.get("reason", ""), "head": head, "rows": rows})
    return out


def parameter_sets(state: RunState) -> list[ParameterSetData]:
    """Every parameter set kept, oldest first."""
    return [
        {
            "kind": p.kind,
            "source": p.source,
            "by": p.by,
            "at": iso(p.at),
            "values": [{"name": q.label, "value": words(q.name, p.values[q.name])} for q in PARAMETERS if q.name in p.values],
        }
        for p in state.parameters
    ]


def compare_step(state: RunState, step: Step) -> CompareData:
    """Device value and pending value side by side, and where the step stands."""
    before, after = latest(state, "before"), latest(state, "after")
    device, pending = device_values(state), pending_values(state)
    rows: list[ParameterData] = []
    for p in PARAMETERS:

        def told(values: Mapping[str, Any], name: str = p.name) -> str:
            return words(name, values[name]) if name in values else ""

        rows.append(
            {
                "name": p.name,
                "label": p.label,
                "kind": p.kind,
                "unit": p.unit or (str(device.get("unit", "")) if p.kind == "number" else ""),
                "is_settable": p.is_settable,
                "options": [{"value": v, "label": t} for v, t in _options(p, device)],
                "before": told(before.values) if before else "",
                "device": told(device),
                "pending": told(pending),
                "after": told(after.values) if after else "",
                "differs": bool(
                    before
                    and not p.live
                    and p.name in before.values
                    and p.name in device
                    and not same(p.name, before.values[p.name], device[p.name])
                ),
            }
        )
    status, says = _standing(state)
    changed = differences(before.values, device) if before else ()
    return {
        "variant": step.variant,
        "state": status,
        "says": says,
        "rows": rows,
        "differences": [
            f"{next(p.label for p in PARAMETERS if p.name == n)}: {words(n, a)} before, {words(n, b)} now" for n, a, b in changed
        ],
        "register": list(against_register(state.setup.instrument, device)),
        "source": str(state.sources.get("device", {}).get("label", "")),
        "acts": [
            {"act": a.key, "label": a.label, "unit": {"mA": "mA", "pv": state.setup.instrument.unit}.get(a.asks, ""), "warns": a.warns}
            for a in ACTS.values()
        ],
    }


def _options(p: Parameter, device: Mapping[str, Any]) -> tuple[tuple[str, str], ...]:
    """What can be chosen: of the units those that measure what the device measures."""
    unit = str(device.get("unit") or "")
    return tuple((u, u) for u in units_beside(unit)) if p.name == "unit" and unit else p.options


def _standing(state: RunState) -> tuple[str, str]:
    sent, back = latest(state, "sent"), latest(state, "read back")
    if not device_values(state):
        return "not read", "The device has not been read yet."
    if pending_values(state):
        return "pending", "Edits are pending: the device does not have them until they are sent."
    if sent is None:
        return "read", "The device has been read; nothing is pending."
    if back is None or back.at < sent.at:
        return "sent", "Sent. Read back: a sent value counts when the device shows it."
    wrong = differences(sent.values, back.values)
    if wrong:
        return "different", "The device does not hold what was sent."
    return "proved", "Read back: the device holds what was sent."


def details_words(i: InstrumentSetup) -> list[Named]:
    """The details that differ from their defaults, for screen and record."""
    return [{"name": label, "value": value} for label, value in setting_words(i.details, policies=False)]
