"""Events as sentences: what happened, for the log of a run and for those who came second."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from metrology.run.countersigning import CAPACITIES
from metrology.run.events import Event

_WORDS: dict[str, Callable[[Mapping[str, Any]], str]] = {
    "run_started": lambda p: f"started the run on {p['instrument']['tag']}",
    "step_confirmed": lambda p: f"confirmed '{p['step'].replace('_', ' ')}'",
    "timer_started": lambda p: f"started the {p['step'].replace('_', '-')} timer ({p['minutes']:g} min)",
    "timer_ended": lambda p: (
        f"stopped the clock after {next(iter(p['enters'].values()))} s"
        if p.get("enters")
        else f"ended the {p['step'].replace('_', '-')} timer" + (f": {p['reason']}" if p.get("reason") else "")
    ),
    "hold_placed": lambda p: (
        {"none": "needed no hold", "bench": "took it to the bench"}.get(p["kind"], f"placed a hold ({p['kind']})") + f": {p['reason']}"
    ),
    "hold_released": lambda p: "released the hold" + (f": {p['reason']}" if p.get("reason") else ""),
    "hold_handed_over": lambda p: f"handed the hold over to {p['to_name']}" + (f": {p['note']}" if p.get("note") else ""),
    "hold_accepted": lambda _: "took the hold over",
    "hold_extended": lambda p: f"extended the hold: {p['reason']}",
    "gas_assigned": lambda p: f"chose gas {p['bottle']['code']} ({p['label'].lower()})" + (f": {p['reason']}" if p.get("reason") else ""),
    "pair_moved": lambda p: (
        f"moved '{p['label']}' "
        + ("to the test" if p["to"] == "out" else "back")
        + (f", {'from' if p['to'] == 'out' else 'to'} terminal {p['terminal']}" if p.get("terminal") else "")
    ),
    "counted": lambda p: f"counted {p['count']} ({p['step'].replace('_', ' ')}): {p['says']}",
    "reference_assigned": lambda p: f"chose {p['reference']['code']} ({p['role']})",
    "standard_assigned": lambda p: f"chose {p['item']['code']} ({p['label'].lower()})" + (f": {p['reason']}" if p.get("reason") else ""),
    "step_reopened": lambda p: f"opened '{p['step'].replace('_', ' ')}' again: {p['reason']}",
    "chromatogram_taken": lambda p: (
        f"read a chromatogram ({p['step'].replace('_', ' ')}, injection {p['injection']}): {len(p['peaks'])} peaks"
    ),
    "reading_taken": lambda p: f"took reading {p['slot'] + 1} ({p['step'].replace('_', ' ')}): {p['indicated']}",
    "source_chosen": lambda p: f"reads {p['quantity']} " + (f"live from {p['label']}" if p["signal"] else "by hand"),
    "parameters_captured": lambda p: f"kept a parameter set ({p['kind']}, {p['source']})",
    "device_acted": lambda p: f"{p['words']}",
    "device_accepted": lambda p: f"accepted device number {p['serial']} ({p['tag'] or 'no tag'}) as the one that is meant: {p['reason']}",
    "reading_struck": lambda p: f"struck a reading: {p['reason']}",
    "adjustment_made": lambda p: (
        f"tried {p['screw']} at {p['before']}: refused, the old calibration stands"
        if p.get("outcome") == "refused"
        else f"forced {p['screw']}: {p['before']} to {p['after']}, {p['forced']['reason']}"
        if p.get("forced")
        else f"set {p['screw']}: {p['before']} to {p['after']}"
        if p["after"]
        else f"looked at {p['screw']}: {p['before']}, left alone"
    ),
    "decision_made": lambda p: f"decided: {p['choice']}",
    "note_added": lambda p: f"noted: {p['text']}",
    "signed": lambda _: "signed the run",
    "countersigned": lambda p: f"countersigned, as {CAPACITIES[p['capacity']]}" + (f": {p['note']}" if p.get("note") else ""),
    "reviewed": lambda _: "accepted the record",
    "returned": lambda p: f"returned the record: {p['reason']}",
    "voided": lambda p: f"voided the run: {p['reason']}",
}


def describe(event: Event) -> str:
    """What the author did, without the author's name: 'took reading 3 (as found): 12.04'."""
    return _WORDS[event.type](event.payload)
