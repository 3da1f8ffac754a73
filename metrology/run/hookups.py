"""What is connected to what at the readings of a run, as a screen draws it."""

from __future__ import annotations

from typing import TypedDict

from metrology.methods.method import Method
from metrology.run.state import RunState


class BoxData(TypedDict):
    """A box of the drawing of what is connected; code: of the item that stands in its role."""

    title: str
    code: str


class ValveData(TypedDict):
    """A valve while it is read: shut or open."""

    name: str
    state: str


class LineData(TypedDict):
    """From one box to the next: tube, wires, well or hook."""

    kind: str
    label: str
    wires: int
    poles: bool
    resistor: str
    valves: list[ValveData]


class HookupData(TypedDict):
    """What is connected to what while it is read, to be drawn, and in sentences."""

    boxes: list[BoxData]
    lines: list[LineData]
    says: list[str]


def hookup_of(state: RunState, method: Method) -> HookupData | None:
    """What is connected to what, with the codes of what was chosen."""
    h = method.hookup(state.setup)
    if h is None:
        return None
    codes = {role: str(chosen["reference"]["code"]) for role, chosen in state.references.items()}
    return {
        "boxes": [{"title": b.title, "code": codes.get(b.role, "")} for b in h.boxes],
        "lines": [
            {
                "kind": line.kind,
                "label": line.label,
                "wires": line.wires,
                "poles": line.poles,
                "resistor": f"{line.ohm:g} ohm" if line.ohm else "",
                "valves": [{"name": v.name, "state": v.state} for v in line.valves],
            }
            for line in h.lines
        ],
        "says": list(h.says),
    }
