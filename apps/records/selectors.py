"""Finished runs, and their exports."""

from __future__ import annotations

import csv
import io
from datetime import datetime
from typing import Any

from django.db.models import Q, QuerySet

from apps.plant.sheets import guarded
from apps.runs.models import Run
from apps.runs.store import folded
from apps.runs.trust import UNASKED, Trust
from metrology import CORE_VERSION
from metrology.methods.registry import get_method
from metrology.run.events import Event, moment_text
from metrology.run.view import make_view

FINISHED = ("signed", "accepted", "voided")
EXPORT_FORMAT = "verify-loop-run"
EXPORT_VERSION = 1


def list_records(*, search: str = "", status: str = "", verdict: str = "") -> QuerySet[Run]:
    """Finished and returned runs, newest first, by part of tag, number or service, by status, by as-found verdict."""
    rows = Run.objects.select_related("instrument__area", "technician").filter(status__in=(*FINISHED, "returned"))
    if search:
        wanted = Q(instrument__search_key__contains=search.casefold()) | Q(item__icontains=search)
        digits = search.upper().removeprefix("VL-")
        if digits.isdecimal() and len(digits) < 10:
            wanted |= Q(number=int(digits))
        rows = rows.filter(wanted)
    if status:
        rows = rows.filter(status=status)
    if verdict:
        rows = rows.filter(found_verdict=verdict)
    return rows.order_by("-signed_at", "-number")


def export_json(run: Run, events: list[Event], trust: Trust = UNASKED) -> dict[str, Any]:
    """The run as an open document, complete enough to rebuild it; described in docs/run-export.md."""
    rows = run.events.order_by("seq").values_list("previous", "link")
    return {
        "format": EXPORT_FORMAT,
        "version": EXPORT_VERSION,
        "core": CORE_VERSION,
        "run": str(run.id),
        "number": run.label,
        "method": run.method,
        "revision": run.revision,
        "head": run.head,
        **({"broken": trust.broken} if trust.broken else {}),
        **({"journal": trust.proof} if trust.proof else {}),
        "events": [
            {
                "seq": e.seq,
                "id": e.id,
                "type": e.type,
                "payload": e.payload,
                "author": e.author,
                "author_name": e.author_name,
                "at": moment_text(e.at),
                "device_at": moment_text(e.device_at) if e.device_at else None,
                "previous": previous,
                "link": link,
            }
            for e, (previous, link) in zip(events, rows, strict=True)
        ],
    }


def export_csv(run: Run, events: list[Event], now: datetime, trust: Trust = UNASKED) -> str:
    """One line a reading, struck ones included, one for each thing a set as a whole is judged by, and two for each proof test."""
    view = make_view(folded(run, events), get_method(run.method), now)
    out = io.StringIO()
    writer = csv.writer(out)
    i = view["instrument"]
    on_paper = any(r["read_at"] for s in view["evidence"] for r in s["rows"])
    units = {(s["applied_unit"], s["read_unit"]) for s in view["evidence"]}
    told = {s["csv_error"] for s in view["evidence"]}
    found_error = told.pop() if len(told) == 1 else "error"
    applied, read = units.pop() if len(units) == 1 else (i["unit"], "")
    writer.writerow(
        [
            "record",
            "tag",
            "serial",
            "set",
            "point",
            "cycle",
            "direction",
            "percent",
            f"applied ({applied})",
            f"indicated ({read})" if read else "indicated",
            f"ideal ({read})" if read else "ideal",
            found_error,
            "tolerance",
            "U",
            "verdict",
            "struck",
            "by",
            "at",
            "channel",
            "unit",
            "digital value",
            "source",
            *(["read on paper at"] if on_paper else []),
        ]
    )
    for found in view["evidence"]:
        for r in found["rows"]:
            writer.writerow(
                [
                    _safe(c)
                    for c in (
                        run.label,
                        i["tag"],
                        i["serial"],
                        found["title"],
                        r["number"],
                        r["cycle"],
                        r["direction"],
                        r["percent"],
                        r["applied"],
                        r["indicated"],
                        r["ideal"],
                        f"{r['y']:.6g}" if r["y"] is not None else "",
                        r["tolerance"],
                        r["u"],
                        r["verdict"],
                        r["struck"],
                        r["by"],
                        r["at"],
                        r["channel"],
                        r["unit"],
                        r["pv"],
                        "live" if r["captured"] else "paper" if r["read_at"] else "typed",
                        *([r["read_at"]] if on_paper else []),
                    )
                ]
            )
        for c in found["criteria"]:
            value, _, unit = c["value"].partition(" ")
            told_row = (
                run.label, i["tag"], i["serial"], found["title"], "judged by", "", "", "", "", value, "", "", c["limits"], c["u"], c["verdict"], "",
                "", "", c["label"], unit, "", "",
            )  # fmt: skip
            writer.writerow([_safe(cell) for cell in told_row])
    for p in view["proofs"]:
        for told_as, at, verdict in (("found", p["found"], p["found_verdict"]), ("left", p["left"], p["left_verdict"])):
            value, _, unit = ("no trip", "", "") if at == "no trip" else at.partition(" ")
            told_row = (
                run.label, i["tag"], i["serial"], f"Proof test, as {told_as}", "trip", "", "", "", "", value, "", "", p["required"], "", verdict, "", "",
                "", f"{p['code']}, {p['level']}, {p['path']}", unit, "", f"bypass {p['bypass']}",
            )  # fmt: skip
            if at:
                writer.writerow([_safe(cell) for cell in told_row])
    if trust.broken:
        writer.writerow([run.label, "DOES NOT HOLD", _safe(trust.broken)])
    return out.getvalue()


def _safe(cell: Any) -> Any:
    """A cell that a spreadsheet will not take for a formula; numbers stay as they are."""
    return guarded(cell) if isinstance(cell, str) else "" if cell is None else cell
