"""Chromatograms in a run: one is read with the rules of its method, kept thinned with its peaks, and becomes the readings of its injection."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from metrology.faults import Fault
from metrology.methods.method import Chromatography, Method
from metrology.methods.slots import INJECTION
from metrology.methods.steps import Step
from metrology.quantities.words import iso
from metrology.run.chromatogram_types import ChromatogramData, ChromatogramStep, WindowData
from metrology.run.progress import current_slot, make_progress
from metrology.run.raw import raw_readings
from metrology.run.state import RunState


def slots_now(state: RunState, method: Method, step: Step) -> tuple[Any, ...]:
    """The slots of the injection that is next; raises a Fault where one is half entered or none is due."""
    slot = current_slot(state, method, step.key)
    if slot is None or INJECTION not in slot.extra:
        raise Fault("no_injection", "No injection is due here. Nothing was stored.", field="file")
    plan = method.trial.plan(state.setup, step.key, raw_readings(state, method, step.key)).slots
    mine = tuple(s for s in plan if s.extra.get(INJECTION) == slot.extra[INJECTION])
    if mine[0].index != slot.index:
        raise Fault("half_entered", "This injection is half entered by hand: finish it so, or strike what was entered.", field="file")
    return mine


def admit_chromatogram(state: RunState, method: Method, step: Step, payload: Mapping[str, Any]) -> dict[str, Any]:
    """The completed payload of a chromatogram for the injection that is next: its curve thinned, its peaks, and what it makes the analyzer read."""
    if method.chromatography is None:
        raise Fault("no_chromatogram", "This method reads no chromatograms.", field="file")
    slots = slots_now(state, method, step)
    made = method.chromatography.read(state.setup, step.key, payload["times"], payload["signal"])
    return {
        "step": step.key,
        "injection": slots[0].extra[INJECTION],
        "title": f"{step.title}, injection {slots[0].extra[INJECTION]}",
        "label": str(payload.get("label", ""))[:120],
        "rows": len(payload["times"]),
        "times": list(made.times),
        "signal": list(made.signal),
        "baseline": list(made.baseline),
        "peaks": [dict(p) for p in made.peaks],
        "values": {name: dict(v) for name, v in made.values.items()},
        "windows": _windows(state, method.chromatography),
        "pair": list(made.pair),
    }


def _windows(state: RunState, by: Chromatography) -> list[WindowData]:
    return [{"name": n, "low": low, "high": high} for n, low, high in by.windows(state.setup)]


def readings_of(state: RunState, method: Method, step: Step, taken: Mapping[str, Any], *, typed: Mapping[str, str]) -> list[dict[str, Any]]:
    """The readings that a chromatogram of the run stands for, one a component. typed: what was entered beside it, such as the leak test."""
    out = []
    for n, slot in enumerate(slots_now(state, method, step)):
        values = taken["values"].get(slot.channel, {})
        out.append({"step": step.key, "slot": slot.index, **(typed if n == 0 else {}), **values, "chromatogram": taken["event"]})
    return out


def chromatogram_rows(state: RunState) -> list[ChromatogramData]:
    """The chromatograms of a run, as they are drawn."""
    return [
        {
            "title": str(c["title"]),
            "label": str(c["label"]),
            "at": iso(c["at"]) or "",
            "times": list(c["times"]),
            "signal": list(c["signal"]),
            "baseline": list(c["baseline"]),
            "peaks": [
                {
                    "name": str(p["name"]), "start": float(p["start"]), "apex": float(p["apex"]), "end": float(p["end"]), "height": float(p["height"]),
                    "area": float(p["area"]), "width": float(p["width"]), "asymmetry": float(p["asymmetry"]), "resolution": p["resolution"],
                }
                for p in c["peaks"]
            ],
            "windows": [{"name": str(w["name"]), "low": float(w["low"]), "high": float(w["high"])} for w in c["windows"]],
            "pair": [str(word) for word in c["pair"] if word],
        }
        for c in state.chromatograms
    ]  # fmt: skip


def chromatogram_step(state: RunState, method: Method, key: str) -> ChromatogramStep | None:
    """What the entry of an injection needs: where each component should come out, and what is asked beside the curve; None where there is none."""
    slot = current_slot(state, method, key)
    if method.chromatography is None or slot is None or INJECTION not in slot.extra:
        return None
    step = make_progress(state, method).find(key)
    try:
        first = slots_now(state, method, step.step)[0] if step else None
    except Fault:
        return None
    if first is None:
        return None
    beside = [q for q in method.trial.asks(state.setup, first) if q.required and q.name not in ("indicated", "applied")]
    windows = _windows(state, method.chromatography)
    return {
        "injection": slot.extra[INJECTION],
        "windows": windows,
        "lasts_s": max(w["high"] for w in windows),
        "asked": [{"name": q.name, "label": q.label, "unit": q.unit, "hint": q.hint} for q in beside],
    }
