"""The round on paper: its sheet, what must be in the van, and for each instrument a page with blanks, for when every battery is dead."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.utils import timezone
from reportlab.platypus import Flowable, KeepTogether, PageBreak, Spacer, Table

from apps.planning.following import job_rows
from apps.planning.loading import load_list
from apps.planning.models import Round
from apps.planning.printing import BOLDER, HEADING, TITLE, p, printed, table
from apps.planning.solver.why import clock
from apps.planning.unfit import unfit_kit
from apps.plant.models import Instrument
from apps.plant.services import policy_for
from metrology.faults import Fault
from metrology.judgement.tolerance import describe
from metrology.methods.registry import METHODS

BLANK = "_" * 14
PAPER_RULE = (
    "Site procedures, permits and local codes rule over this sheet. Write the time at which each value was read. "
    "Typed in afterwards it is marked as read on paper, with both times."
)


def make_pack(found: Round, now: datetime) -> bytes:
    """The whole pack as a PDF."""
    rows = sorted((r for r in job_rows(found, now) if r["tasks"]), key=lambda r: r["tasks"][0]["start"])
    story: list[Flowable] = [*_sheet(found, rows), *_load(found)]
    instruments = {i.tag: i for i in Instrument.objects.select_related("area").filter(tag__in=[r["tag"] for r in rows])}
    for row in rows:
        story += [PageBreak(), *_method_sheet(instruments[row["tag"]], row)]
    return printed(found.name, f"{found.name}, printed {timezone.localtime(now):%-d %b %Y %H:%M}", story)


def _sheet(found: Round, rows: list[dict[str, Any]]) -> list[Flowable]:
    crew = ", ".join(f"{c['name']} {clock(c['start'])} to {clock(c['end'])}" for c in found.crew)
    lines = [
        [
            ", ".join(f"{clock(t['start'])} to {clock(t['end'])}" for t in r["tasks"]),
            r["tag"],
            r["service"],
            r["area"],
            " and ".join(dict.fromkeys(n for t in r["tasks"] for n in t["names"])),
            "",
        ]
        for r in rows
    ]
    permits = [f"Permit for {code}: {clock(w[0])} to {clock(w[1])}." for code, w in found.permits.items()]
    return [
        p(f"{found.name}, {found.day:%A %-d %B %Y}", TITLE),
        p(crew),
        *[p(text) for text in permits],
        Spacer(1, 6),
        table(["When", "Tag", "Service", "Area", "Who", "Done at"], lines, [30, 24, 46, 34, 26, 18]),
    ]


def _load(found: Round) -> list[Flowable]:
    load = load_list(found)
    things = [[k["code"], k["words"], " and ".join(k["who"])] for k in (*load["kit"], *load["more"])]
    things += [[g["code"], f"{g['litres']} l of {g['left']} l left", " and ".join(g["who"])] for g in load["gas"]]
    wear = [[w["what"], ", ".join(w["tags"][:12]) + (" …" if len(w["tags"]) > 12 else ""), ""] for w in load["wear"]]
    lacks = [p(f"Not to be had: {says}", BOLDER) for says in load["lacks"]]
    lacks += [p(f"Not to be used: {row['says']} It is planned for {', '.join(row['tags'])}.", BOLDER) for row in unfit_kit(found)]
    return [p("In the van", HEADING), *lacks, table(["What", "How much, for what", "With"], [*things, *wear], [60, 86, 32])]


def _method_sheet(i: Instrument, row: dict[str, Any]) -> list[Flowable]:
    story: list[Flowable] = [
        p(f"{i.tag}  {i.service}", TITLE),
        p(
            f"{i.area.name}. Serial {i.serial}. {i.lrv:g} to {i.urv:g} {i.unit}, out {i.output_lo:g} to {i.output_hi:g} {i.output_unit}. "
            f"Tolerance {describe(i.tolerance(), i.unit)}. {i.method_title}."
        ),
        p(f"Feeds: {i.feeds}") if i.feeds else Spacer(1, 1),
        p(f"Caution: {i.hazards}", BOLDER) if i.hazards else Spacer(1, 1),
        p(f"With: {', '.join(row['kit'])}") if row["kit"] else Spacer(1, 1),
        p(PAPER_RULE),
        Spacer(1, 4),
    ]
    return [*story, *_steps(i)]


def _steps(i: Instrument) -> list[Flowable]:
    method = METHODS.get(i.method)
    if method is None:
        return [p("Work by the site's procedure; results:", HEADING), *[p("_" * 96) for _ in range(14)]]
    try:
        setup = i.run_setup(policy_for(i), method.revision)
        steps = [s for s in method.steps(setup, {}) if not s.left_out and not s.if_needed]
    except Fault as fault:
        return [p(f"Its register entry does not hold together: {fault.message}")]
    out: list[Flowable] = []
    for n, step in enumerate(steps, start=1):
        parts: list[Flowable] = [p(f"{n}. {step.title}", HEADING), p(step.instruction)]
        parts += [p(f"Caution: {c}", BOLDER) for c in step.cautions]
        parts += [p(f"[  ]  {c.label}") for c in step.checks]
        parts += [p(f"{f.label}{f' ({f.unit})' if f.unit else ''}: {BLANK}") for f in step.fields]
        if step.kind == "hold":
            parts.append(p(f"Kind of hold {BLANK} placed at {BLANK} until {BLANK}"))
        if step.kind == "release":
            parts.append(p(f"Released at {BLANK} by {BLANK}"))
        if step.kind in ("judge", "adjust"):
            parts.append(p(f"Decision and reason: {'_' * 70}"))
        out.append(KeepTogether(parts))
        if step.kind == "readings":
            out.append(_readings(method, setup, step.key))
    return out


def _readings(method: Any, setup: Any, key: str) -> Table:
    rows = []
    for slot in method.plan(setup, key):
        shown = method.trial.asks(setup, slot)
        indicated = next(q for q in shown if q.name == "indicated")
        rows.append(
            [
                slot.index + 1,
                f"{slot.nominal:g} {indicated.unit if slot.channel else setup.instrument.unit} {slot.direction}",
                f"{indicated.expected:.6g} {indicated.unit}",
                "",
                "",
                "",
            ]
        )
    return table(["", "Point", "Should read", "Really applied", "Read", "At (time)"], rows, [8, 42, 36, 34, 34, 24])
