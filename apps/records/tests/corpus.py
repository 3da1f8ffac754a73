"""The golden corpus: runs of every method and revision, and what they come to on every surface.

`python -m tools.corpus` makes it; the runs themselves never change. A difference in what is expected is either a defect or a change that was
meant: then `python -m tools.corpus --expect` writes it anew, and its difference is read like code.
"""

from __future__ import annotations

import io
import json
import re
import uuid
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from unittest.mock import patch

from pypdf import PdfReader

from apps.records.certificate import make_certificate
from apps.records.selectors import export_csv
from apps.runs.models import Run
from metrology.methods.registry import get_method
from metrology.run.events import Event
from metrology.run.folding import fold
from metrology.run.progress import evaluate_set, make_progress
from metrology.run.view import make_view

CORPUS = Path(__file__).parent / "corpus_runs"
SEEN = datetime(2026, 11, 3, 12, 0, tzinfo=UTC)
SEEN_BY = "1.0"  # the version of the core that unsealed runs are judged again with, here: raising it changes nothing else of them


def names() -> list[str]:
    """The runs there are."""
    return sorted(f.name.removesuffix(".run.json") for f in CORPUS.glob("*.run.json"))


def read_run(name: str) -> tuple[Run, list[Event]]:
    """A run with its events, as they were exported; the run's row is not in any database."""
    told = json.loads((CORPUS / f"{name}.run.json").read_text())
    events = [
        Event(e["seq"], e["id"], e["type"], e["payload"], e["author"], e["author_name"], datetime.fromisoformat(e["at"]))
        for e in told["events"]
    ]
    run = Run(id=uuid.UUID(told["run"]), number=int(told["number"].removeprefix("VL-")), method=told["method"], revision=told["revision"])
    run.head, run.events_count = told["head"], len(events)
    return run, events


def outcome_of(events: list[Event]) -> dict[str, Any]:
    """Every set judged: verdicts and numbers as they are computed, signatures, statistics."""
    state = fold(events)
    method = get_method(state.setup.method)
    out: dict[str, Any] = {}
    for p in make_progress(state, method).steps:
        if p.step.kind == "readings" and state.active_readings(p.step.key):
            result = evaluate_set(state, method, p.step.key)
            out[p.step.key] = {
                "verdict": result.verdict,
                "is_complete": result.is_complete,
                "readings": [
                    {
                        "slot": j.slot.index,
                        "error_percent": j.point.error_percent,
                        "tolerance": j.tolerance,
                        "U": j.uncertainty.expanded if j.uncertainty else None,
                        "verdict": j.decision.verdict,
                    }
                    for j in result.judged
                ],
                "signatures": [[s.code, s.confidence] for s in result.signatures],
                "statistics": {k: getattr(result.statistics, k) for k in result.statistics.__dataclass_fields__}
                if result.statistics
                else None,
            }
    return out


def pdf_text(pdf: bytes) -> str:
    """The words of a certificate, a line each."""
    pages = PdfReader(io.BytesIO(pdf)).pages
    return re.sub(r"[ \t]+", " ", "\n".join(page.extract_text() for page in pages)).strip() + "\n"


def surfaces(name: str) -> dict[str, Any]:
    """What today's code makes of a run: outcome and view as data, certificate and CSV as text."""
    run, events = read_run(name)
    state = fold(events)
    with patch("metrology.run.view.CORE_VERSION", SEEN_BY):
        return {
            "outcome": outcome_of(events),
            "view": make_view(state, get_method(state.setup.method), SEEN),
            "certificate": pdf_text(make_certificate(run, events, SEEN)),
            "csv": export_csv(run, events, SEEN),
        }


def write_expected(file: Path) -> None:
    """Write what today's code makes of a run beside it."""
    name = file.name.removesuffix(".run.json")
    told = surfaces(name)
    data = {k: told[k] for k in ("outcome", "view")}
    (CORPUS / f"{name}.expected.json").write_text(json.dumps(data, indent=1, ensure_ascii=False, sort_keys=True) + "\n")
    (CORPUS / f"{name}.certificate.txt").write_text(told["certificate"])
    (CORPUS / f"{name}.csv").write_bytes(told["csv"].encode())


def differences(expected: Any, found: Any, path: str = "") -> list[str]:
    """Where what is found is not what is expected. What is found may say more; it may not say less, or otherwise."""
    if isinstance(expected, dict) and isinstance(found, dict):
        return [
            d for k, v in expected.items() for d in (differences(v, found[k], f"{path}/{k}") if k in found else [f"{path}/{k} is gone"])
        ]
    if isinstance(expected, list) and isinstance(found, list):
        if len(expected) != len(found):
            return [f"{path}: {len(expected)} expected, {len(found)} found"]
        return [d for n, (a, b) in enumerate(zip(expected, found, strict=True)) for d in differences(a, b, f"{path}/{n}")]
    if isinstance(expected, float) and isinstance(found, int | float):
        return [] if abs(expected - found) <= 1e-9 * max(1.0, abs(expected)) else [f"{path}: {expected} expected, {found} found"]
    return [] if expected == found else [f"{path}: {expected!r} expected, {found!r} found"]
