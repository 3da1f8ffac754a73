"""The round on paper: its sheet, what must be in the van, and for each instrument a page with blanks, for when every battery is dead."""

from __future__ import annotations

import io
from datetime import datetime
from typing import Any
from xml.sax.saxutils import escape

from django.utils import timezone
from reportlab.lib import colors
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable, KeepTogether, PageBreak, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from apps.planning.following import job_rows
from apps.planning.loading import load_list
from apps.planning.models import Round
from apps.planning.solver.why import clock
from apps.planning.unfit import unfit_kit
from apps.plant.models import Instrument
from apps.plant.services import policy_for
from config.pdf import BOLD, PLAIN
from metrology.faults import Fault
from metrology.judgement.tolerance import describe
from metrology.methods.registry import METHODS

TITLE = ParagraphStyle("title", fontName=BOLD, fontSize=15, leading=19)
HEADING = ParagraphStyle("heading", fontName=BOLD, fontSize=11, leading=15, spaceBefore=8)
BODY = ParagraphStyle("body", fontName=PLAIN, fontSize=8.5, leading=11.5)
BOLDER = ParagraphStyle("bolder", parent=BODY, fontName=BOLD)
LINES = TableStyle(
    [
        ("LINEBELOW", (0, 0), (-1, 0), 1, colors.black),
        ("LINEBELOW", (0, 1), (-1, -1), 0.4, colors.grey),
        ("VALIGN", (0, 0), (-1, -1), "MIDDLE"),
        ("TOPPADDING", (0, 0), (-1, -1), 3),
        ("BOTTOMPADDING", (0, 0), (-1, -1), 3),
    ]
)
BLANK = "_" * 14
PAPER_RULE = (
    "Site procedures, permits and local codes rule over this sheet. Write the time at which each value was read. "
    "Typed in afterwards it is marked as read on paper, with both times."
)


def make_pack(found: Round, now: datetime) -> bytes:
    """The whole pack as a PDF."""
    out = io.BytesIO()
    document = SimpleDocTemplate(out, pagesize=A4, leftMargin=16 * mm, rightMargin=16 * mm, topMargin=14 * mm, bottomMargin=16 * mm)
    document.title = found.name
    rows = sorted((r for r in job_rows(found, now) if r["tasks"]), key=lambda r: r["tasks"][0]["start"])
    story: list[Flowable] = [*_sheet(found, rows), *_load(found)]
    instruments = {i.tag: i for i in Instrument.objects.select_related("area").filter(tag__in=[r["tag"] for r in rows])}
    for row in rows:
        story += [PageBreak(), *_method_sheet(instruments[row["tag"]], row)]
    printed = f"{found.name}, printed {timezone.localtime(now):%-d %b %Y %H:%M}"
    document.build(story, onFirstPage=lambda c, d: _foot(c, d, printed), onLaterPages=lambda c, d: _foot(c, d, printed))
    return out.getvalue()


def _foot(canvas: Canvas, document: Any, printed: str) -> None:
    canvas.setFont(PLAIN, 7)
    canvas.drawString(16 * mm, 9 * mm, printed)
    canvas.drawRightString(A4[0] - 16 * mm, 9 * mm, f"page {document.page}")


def _p(text: Any, style: ParagraphStyle = BODY) -> Paragraph:
    return Paragraph(escape(str(text)), style)


def _table(header: list[str], rows: list[list[Any]], widths: list[float]) -> Table:
    body = [[_p(h, BOLDER) for h in header], *([c if isinstance(c, Flowable) else _p(c) for c in row] for row in rows)]
    return Table(body, colWidths=[w * mm for w in widths], style=LINES, repeatRows=1)


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
        _p(f"{found.name}, {found.day:%A %-d %B %Y}", TITLE),
        _p(crew),
        *[_p(text) for text in permits],
        Spacer(1, 6),
        _table(["When", "Tag", "Service", "Area", "Who", "Done at"], lines, [30, 24, 46, 34, 26, 18]),
    ]


def _load(found: Round) -> list[Flowable]:
    load = load_list(found)
    things = [[k["code"], k["words"], " and ".join(k["who"])] for k in (*load["kit"], *load["more"])]
    things += [[g["code"], f"{g['litres']} l of {g['left']} l left", " and ".join(g["who"])] for g in load["gas"]]
    wear = [[w["what"], ", ".join(w["tags"][:12]) + (" …" if len(w["tags"]) > 12 else ""), ""] for w in load["wear"]]
    lacks = [_p(f"Not to be had: {says}", BOLDER) for says in load["lacks"]]
    lacks += [_p(f"Not to be used: {row['says']} It is planned for {', '.join(row['tags'])}.", BOLDER) for row in unfit_kit(found)]
    return [_p("In the van", HEADING), *lacks, _table(["What", "How much, for what", "With"], [*things, *wear], [60, 86, 32])]


def _method_sheet(i: Instrument, row: dict[str, Any]) -> list[Flowable]:
    story: list[Flowable] = [
        _p(f"{i.tag}  {i.service}", TITLE),
        _p(
            f"{i.area.name}. Serial {i.serial}. {i.lrv:g} to {i.urv:g} {i.unit}, out {i.output_lo:g} to {i.output_hi:g} {i.output_unit}. "
            f"Tolerance {describe(i.tolerance(), i.unit)}. {i.method_title}."
        ),
        _p(f"Feeds: {i.feeds}") if i.feeds else Spacer(1, 1),
        _p(f"Caution: {i.hazards}", BOLDER) if i.hazards else Spacer(1, 1),
        _p(f"With: {', '.join(row['kit'])}") if row["kit"] else Spacer(1, 1),
        _p(PAPER_RULE),
        Spacer(1, 4),
    ]
    return [*story, *_steps(i)]


def _steps(i: Instrument) -> list[Flowable]:
    method = METHODS.get(i.method)
    if method is None:
        return [_p("Work by the site's procedure; results:", HEADING), *[_p("_" * 96) for _ in range(14)]]
    try:
        setup = i.run_setup(policy_for(i), method.revision)
        steps = [s for s in method.steps(setup, {}) if not s.left_out and not s.if_needed]
    except Fault as fault:
        return [_p(f"Its register entry does not hold together: {fault.message}")]
    out: list[Flowable] = []
    for n, step in enumerate(steps, start=1):
        parts: list[Flowable] = [_p(f"{n}. {step.title}", HEADING), _p(step.instruction)]
        parts += [_p(f"Caution: {c}", BOLDER) for c in step.cautions]
        parts += [_p(f"[  ]  {c.label}") for c in step.checks]
        parts += [_p(f"{f.label}{f' ({f.unit})' if f.unit else ''}: {BLANK}") for f in step.fields]
        if step.kind == "hold":
            parts.append(_p(f"Kind of hold {BLANK} placed at {BLANK} until {BLANK}"))
        if step.kind == "release":
            parts.append(_p(f"Released at {BLANK} by {BLANK}"))
        if step.kind in ("judge", "adjust"):
            parts.append(_p(f"Decision and reason: {'_' * 70}"))
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
    return _table(["", "Point", "Should read", "Really applied", "Read", "At (time)"], rows, [8, 42, 36, 34, 34, 24])
