"""What people wrote beside a run and under it: notes, its signature and those beside it, its review. A sealed record still gains of it."""

from __future__ import annotations

from collections.abc import Sequence

from metrology.methods.steps import UNHELD_NOTES
from metrology.quantities.words import iso
from metrology.run.countersigning import CAPACITIES
from metrology.run.entries import Note
from metrology.run.kept import kept
from metrology.run.state import RunState
from metrology.run.view_types import NoteData, RemarksData


def remarks(state: RunState) -> RemarksData:
    """All of it, for a view."""
    notes = kept(state, "notes", state.notes, lambda: _rows(state.notes))
    return {
        "notes": notes,
        "unheld": [n for n in notes if n["kind"] in UNHELD_NOTES],
        "signed": _row(state.signed),
        "countersigned": [{**n, "kind": CAPACITIES[n["kind"]]} for n in _rows(state.countersigned)],
        "can_countersign": [{"name": words, "value": key} for key, words in CAPACITIES.items()] if state.status == "signed" else [],
        "reviewed": _row(state.reviewed),
        "voided": _row(state.voided),
    }


def _rows(notes: Sequence[Note]) -> list[NoteData]:
    return [{"kind": n.kind, "text": n.text, "by": n.by, "at": iso(n.at)} for n in notes]


def _row(note: Note | None) -> NoteData | None:
    return _rows([note])[0] if note else None
