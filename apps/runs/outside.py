"""What runs ask of those above, who put themselves in here when they start.

Of the bench: what a signal is and reads, how long an instrument has had power. Of the safety functions: what a run must prove, when the next proof is due.
"""

from __future__ import annotations

import uuid
from collections.abc import Callable
from datetime import date
from typing import Any

from apps.plant.models import Instrument
from config.failures import Missing
from metrology.faults import Fault
from metrology.judgement.exposure import alarms_on
from metrology.methods.fragments import alarms_of
from metrology.methods.method import Method
from metrology.methods.setup import TripPoint
from metrology.quantities.units import convert
from metrology.run.holds import release_step
from metrology.run.progress import choices
from metrology.run.state import RunState, source_key

FunctionsOf = Callable[[Instrument], "tuple[TripPoint, ...]"]
FUNCTIONS: list[FunctionsOf] = []


def functions_of(i: Instrument) -> tuple[TripPoint, ...]:
    """The safety functions that it belongs to, with where it must trip."""
    return tuple(p for told in FUNCTIONS for p in told(i))


ProofDue = Callable[[Instrument, "frozenset[str]", "date | None"], "tuple[date, str] | None"]
PROOF_DUE: list[ProofDue] = []


def next_proof(i: Instrument, proved: frozenset[str] = frozenset(), on: date | None = None) -> tuple[date, str] | None:
    """When its next proof test is due, and why; None where it belongs to no safety function. proved: by a run that ends on that day."""
    return min((due for told in PROOF_DUE if (due := told(i, proved, on))), default=None)


Describe = Callable[[str, str], dict[str, Any]]
DESCRIBE: list[Describe] = []


ReadNow = Callable[[str], "tuple[float, str] | None"]
READ_NOW: list[ReadNow] = []


def seen_at_release(state: RunState, method: Method, hold_id: str) -> dict[str, dict[str, str]]:
    """What the instrument itself shows now of the readings that are asked before a hold comes off, by field, where the run reads it live."""
    hold = state.holds.get(hold_id)
    out: dict[str, dict[str, str]] = {}
    for field in release_step(method.steps(state.setup, choices(state)), hold).fields if hold else ():
        kind, _, channel = field.name.partition(":")
        source = state.sources.get(source_key("indicated", channel))
        told = next((read(str(source["signal"])) for read in READ_NOW), None) if source and kind == "reading" else None
        if source and told and (value := _in_unit(told, field.unit)) is not None:
            out[field.name] = {"text": f"{value:.4g}", "unit": field.unit, "label": str(source["label"])}
    return out


def alarms_on_at_release(state: RunState) -> list[str]:
    """The alarms that the instrument's own status word tells as on, where the run reads it live."""
    source, named = next((s for s in state.sources.values() if s["quantity"] == "status"), None), alarms_of(state.setup)
    told = next((read(str(source["signal"])) for read in READ_NOW), None) if source and named else None
    return [named[n].name for n in alarms_on(told[0], len(named))] if told else []


def _in_unit(told: tuple[float, str], unit: str) -> float | None:
    """A reading in another unit; None where one is not of the kind of the other, as a current is not a pressure."""
    try:
        return convert(told[0], told[1], to_unit=unit)
    except Fault:
        return None


StillDriven = Callable[[uuid.UUID], "list[str]"]
STILL_DRIVEN: list[StillDriven] = []


def still_driven(run_id: uuid.UUID) -> list[str]:
    """What still drives the instrument of a run, a sentence each: an output that is held, a source that is hot or under pressure."""
    return [says for told in STILL_DRIVEN for says in told(run_id)]


PowerOf = Callable[[str], "float | None"]
POWERED: list[PowerOf] = []


def powered_for_s(tag: str) -> float | None:
    """For how many seconds an instrument has had power, as it tells itself; None where it does not, or can't be asked."""
    for told in POWERED:
        return told(tag)
    return None


def describe_signal(signal_id: str, quantity: str) -> dict[str, Any]:
    """What a run is told of a chosen signal; without a bench there is none."""
    for told in DESCRIBE:
        return told(signal_id, quantity)
    raise Missing("unknown_signal", "There is no bench here: type the reading.", field="signal")
