"""The PDF certificate: everything an auditor asks of a run, on paper."""

from __future__ import annotations

import io
from collections.abc import Mapping
from datetime import date, datetime
from functools import partial
from typing import Any
from xml.sax.saxutils import escape

from django.conf import settings
from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import BaseDocTemplate, Flowable, Frame, KeepTogether, PageTemplate, Paragraph, Spacer, Table, TableStyle

from apps.records.paper import BODY, HEAD, SMALL, TITLE, WIDTH, ZONE, CountingCanvas, QrCode, local, text, verdict_markup
from apps.records.plot import FAINT, INK, error_plot
from apps.records.reading_tables import set_tables
from apps.records.ruled import Ruled
from apps.runs.models import Run
from apps.runs.store import folded
from apps.runs.trust import UNASKED, Trust
from config import pdf  # noqa: F401  registers the type faces
from metrology.methods.registry import get_method
from metrology.methods.setup import KIT
from metrology.run.events import Event
from metrology.run.step_types import PassData
from metrology.run.view import make_view
from metrology.run.view_types import RunView


def make_certificate(run: Run, events: list[Event], now: datetime, trust: Trust = UNASKED) -> bytes:
    """The certificate of a run as PDF bytes. trust: whether it holds, and where it stands in the journal."""
    state = folded(run, events)
    view = make_view(state, get_method(run.method), now)
    ZONE.set(view["seal"]["plant"].get("zone", ""))
    out = io.BytesIO()
    document = BaseDocTemplate(
        out,
        pagesize=A4,
        leftMargin=18 * mm,
        rightMargin=18 * mm,
        topMargin=16 * mm,
        bottomMargin=18 * mm,
        title=f"{_document(view)} {run.label} {view['instrument']['tag']}",
        author="Verify Loop",
        subject=f"Chain head {run.head}",
        invariant=1,
    )
    frame = Frame(document.leftMargin, document.bottomMargin, WIDTH, A4[1] - 34 * mm, 0, 0, 0, 0)
    document.addPageTemplates(PageTemplate(frames=[frame], onPage=partial(_margin, run=run, view=view, broken=trust.broken)))
    document.build([*_does_not_hold(trust.broken), *_story(run, view, trust)], canvasmaker=CountingCanvas)
    return out.getvalue()


def _does_not_hold(broken: str) -> list[Flowable]:
    """Above all else, where the record is not as it was written."""
    told = f"THIS RECORD DOES NOT HOLD. {broken} Do not rely on it; ask whoever looks after the plant's records."
    return [text(told, HEAD), Spacer(1, 6)] if broken else []


def _margin(canvas: Canvas, _document: Any, *, run: Run, view: RunView, broken: str) -> None:
    canvas.saveState()
    canvas.setFont("Plain", 6.5)
    canvas.setFillColor(FAINT)
    canvas.drawString(18 * mm, 10 * mm, f"{run.label}  {view['instrument']['tag']}  chain head {run.head[:16]}…")
    word = "DOES NOT HOLD" if broken else {"voided": "VOID", "open": "NOT SIGNED", "returned": "RETURNED"}.get(view["status"])
    if word:
        canvas.setFont("PlainBold", 70 if len(word) < 12 else 52)
        canvas.setFillColor(HexColor("#f3dedb"))
        canvas.translate(A4[0] / 2, A4[1] / 2)
        canvas.rotate(40)
        canvas.drawCentredString(0, 0, word)
    canvas.restoreState()


def _day(iso: str) -> str:
    return date.fromisoformat(iso).strftime("%-d %b %Y")


def _story(run: Run, view: RunView, trust: Trust) -> list[Flowable]:
    story: list[Flowable] = [_heading(run, view), Spacer(1, 4), _facts(view)]
    story += _result(view)
    shown = [s for s in view["evidence"] if any(r["y"] is not None for r in s["rows"])]
    if shown:
        story.append(KeepTogether([text("Errors", HEAD), error_plot(shown, WIDTH, 165)]))
    for found in view["evidence"]:
        story += set_tables(found)
    story += _proofs(view)
    story += _adjusting(view)
    story += _noted(view)
    story += _computed(view)
    story += _parameters(view)
    story += _flags(view)
    story += _references(view)
    story += _gases(view)
    story += _items(view)
    story += _rules(view)
    story += _holds(view)
    story += _remarks(view)
    story += _signatures(run, view, trust.proof)
    return story


def _document(view: RunView) -> str:
    """How it is headed; older seals don't tell."""
    return view["method"].get("document") or "Calibration certificate"


def _heading(run: Run, view: RunView) -> Table:
    status = {"signed": "signed, review pending", "accepted": "signed and reviewed", "voided": "void"}.get(view["status"], view["status"])
    left = [text(_document(view), TITLE), text(f"{run.label}  ·  {view['instrument']['tag']}  ·  {status}", BODY)]
    right = [
        text(view["seal"]["plant"].get("name") or settings.PLANT_NAME, HEAD),
        text(f"{view['method']['title']}, revision {view['method']['revision']}", SMALL),
    ]
    return Table(
        [[left, right]],
        colWidths=[WIDTH * 0.64, WIDTH * 0.36],
        style=TableStyle(
            [("VALIGN", (0, 0), (-1, -1), "BOTTOM"), ("LINEBELOW", (0, 0), (-1, -1), 1.2, INK), ("LEFTPADDING", (0, 0), (-1, -1), 0)]
        ),
    )


def _facts(view: RunView) -> Ruled:
    i = view["instrument"]
    around = ", ".join(f"{n['name'].lower()} {n['value']}" for n in view["surroundings"])
    plate = {n["name"]: n["value"] for n in i.get("plate", [])}
    exchanged = plate.pop("Exchanged for", "")
    which = f"{i['tag']}, serial {i['serial']}" + (f"; exchanged in this run, as left: {exchanged}" if exchanged else "")
    rows = [
        ("Item" if i.get("subject") == KIT else "Instrument", which, "Started", local(view["started"]["at"])),
        ("Service", f"{i['service']}, {i['area']}", "Signed", local(view["signed"]["at"]) if view["signed"] else "not signed"),
        ("Range", f"{i['range']}, {i['transfer']}", "Technician", view["signed"]["by"] if view["signed"] else view["started"]["name"]),
        ("Output", i["output"], "Reviewer", view["reviewed"]["by"] if view["reviewed"] else "pending"),
        ("Tolerance", i["tolerance"], "Surroundings", around),
        (
            "Feeds",
            i["protects"],
            "Test points",
            view["points"],
        ),
    ]
    made = ", ".join(f"{name.lower()} {value}" for name, value in plate.items())
    due = view["seal"]["plant"].get("next_due")
    if made or due:  # what a record sealed before it was kept does not tell
        rows.append(("Made by", made.removeprefix("manufacturer ") or "–", "Due next", _day(due) if due else "–"))
    cells = [[text(a, SMALL), text(b), text(c, SMALL), text(d)] for a, b, c, d in rows]
    return Ruled(cells, [WIDTH * f for f in (0.11, 0.45, 0.13, 0.31)])


def _result(view: RunView) -> list[Flowable]:
    came_to = {r["phase"]: r for r in view["results"]}
    found, left = came_to.get("as found"), came_to.get("as left")
    parts = []
    if found:
        parts.append(f"As found: {verdict_markup(found['verdict'])} ({escape(found['share'] or '–')})")
    if left:
        parts.append(f"As left: {verdict_markup(left['verdict'])} ({escape(left['share'] or '–')})")
    elif found:
        parts.append("Not adjusted: as found stands as as left")
    lines: list[Flowable] = [text("Result", HEAD), Paragraph(" &nbsp; · &nbsp; ".join(parts) or "No readings.", BODY)]
    for d in view["decisions"]:
        against = f" (proposed: {d['proposed']})" if d["proposed"] != d["choice"] else " (as proposed)"
        why = f". Reason: {d['reason']}" if d["reason"] else ""
        lines.append(text(f"Decision: {d['choice_label']}{against}, {d['by']}, {local(d['at'])}{why}"))
    for s in [sig for found_set in view["evidence"] for sig in found_set["signatures"][:2]]:
        lines.append(text(f"Error signature ({s['confidence'] or 'open'}): {s['says']}"))
    return lines


SEEN = ("reading", "operator", "latches")  # of a release, told by themselves


def _proofs(view: RunView) -> list[Flowable]:
    """The proof tests of the safety functions that it belongs to."""
    if not view["proofs"]:
        return []
    rows: list[list[Any]] = [
        [text(h, SMALL) for h in ("Safety function", "Proved", "Required", "Tripped, as found", "As left", "In bypass")]
    ]
    for p in view["proofs"]:
        found = f"{p['found']}, {p['found_verdict']}: {p['found_says']}"
        left = f"{p['left']}, {p['left_verdict']}: {p['left_says']}" if p["left"] else "not told"
        cells = (f"{p['code']} {p['name']}, {p['level']}", p["path"], p["required"], found, left, p["bypass"])
        rows.append([text(c, SMALL) for c in cells])
    table = Ruled(rows, [WIDTH * f for f in (0.2, 0.12, 0.16, 0.22, 0.2, 0.1)], head=True)
    return [KeepTogether([text("Proof test", HEAD), table])]


def _adjusting(view: RunView) -> list[Flowable]:
    """The passes with before and after, and any work on the cause."""
    lines: list[Flowable] = [text(f"{w['by']}, {local(w['at'])}: {w['text']}") for w in view["works"]]
    for a in view["adjustments"]:
        passes = "; ".join(_pass(p) for p in a["passes"])
        stopped = f" Stopped before both ends were inside the aim: {a['reason']}" if a["reason"] else ""
        lines.append(text(f"{a['title']} (error in % of span in brackets): {passes}.{stopped}"))
    return [KeepTogether([text("Adjustment and work", HEAD), *lines])] if lines else []


def _inside(label: str) -> str:
    """A label inside a sentence: a unit or a name in it keeps its letters."""
    return label[:1].lower() + label[1:]


def _noted(view: RunView) -> list[Flowable]:
    """What was noted in the steps of the method."""
    lines = [
        text(f"{n['title']}: " + ", ".join(f"{_inside(r['name'])} {r['value']}" for r in n["rows"]) + f" ({n['by']}, {local(n['at'])}).")
        for n in view["noted"]
    ]
    return [KeepTogether([text("Noted", HEAD), *lines])] if lines else []


def _computed(view: RunView) -> list[Flowable]:
    """What was computed for the run and kept."""
    out: list[Flowable] = []
    for c in view["computed"]:
        reason = f" Gone on all the same: {c['reason']}" if c["reason"] else ""
        lines: list[Flowable] = [text(c["title"], HEAD), text(c["says"] + reason)]
        if c["rows"]:
            cells = [[text(h, SMALL) for h in c["head"]], *[[text(v, SMALL) for v in row] for row in c["rows"]]]
            lines.append(Ruled(cells, [WIDTH / len(c["head"])] * len(c["head"]), head=True))
        out.append(KeepTogether(lines))
    return out


def _parameters(view: RunView) -> list[Flowable]:
    """Parameter sets before and after side by side, and what was done through the communication."""
    sets = {p["kind"]: p for p in view["parameters"]}
    before, after = sets.get("before"), sets.get("after")
    out: list[Flowable] = []
    if before and after:
        left, right = ({v["name"]: v["value"] for v in s["values"]} for s in (before, after))
        rows = [[text(t, SMALL) for t in ("Parameter", f"Before, {local(before['at'])}", f"After, {local(after['at'])}")]]
        rows += [[text(name, SMALL), text(left.get(name), SMALL), text(right.get(name), SMALL)] for name in dict.fromkeys((*left, *right))]
        table = Ruled(rows, [WIDTH * f for f in (0.3, 0.35, 0.35)], head=True)
        out += [text("Parameters", HEAD), text(f"Before: {before['source']}. After: {after['source']}.", SMALL), table]
    if view["acts"]:
        out.append(
            text("Done through its communication: " + "; ".join(f"{local(a['at'])} {a['by']} {a['words']}" for a in view["acts"]) + ".")
        )
    return out


def _pass(p: PassData) -> str:
    unit = p["unit"]
    if not p["after_read"]:
        return f"pass {p['pass_number']} {p['screw']} {p['before_read']} {unit} ({p['before_text']}), left alone"
    return f"pass {p['pass_number']} {p['screw']} {p['before_read']} to {p['after_read']} {unit} ({p['before_text']} to {p['after_text']})"


def _references(view: RunView) -> list[Flowable]:
    rows: list[list[Flowable]] = [[text(t, SMALL) for t in ("Role", "Reference", "Certificate", "Traceability", "In date until", "TUR")]]
    notes: list[Flowable] = []
    for shown in view["references"]:
        if shown["code"] is None:
            continue
        rows.append(
            [
                text(c, SMALL)
                for c in (
                    shown["label"],
                    f"{shown['code']} {shown['name']}, serial {shown['serial']}",
                    f"{shown['certificate']}, {shown['laboratory']}",
                    shown["traceability"],
                    shown["due_on"],
                    shown["tur"],
                )
            ]
        )
        if shown["override"]:
            o = shown["override"]
            notes.append(text(f"{shown['code']} was out of date. {o['name']} let it be used: {o['reason']}", BODY))
        elif shown["reason"]:
            notes.append(text(f"{shown['code']} was used below the wanted TUR: {shown['reason']}", BODY))
    notes += [
        text(f"Before it was changed: {e['code']} {e['name']}, certificate {e['certificate'] or 'none'}, for {e['used_for']}.")
        for e in view["earlier"]
    ]
    notes += [
        text(f"'{r['title']}' opened again by {r['by']}, {local(r['at'])}: {r['reason']}. Before: {r['values'] or 'nothing entered'}.")
        for r in view["reopened"]
    ]
    if len(rows) == 1:
        return notes
    widths = [WIDTH * f for f in (0.12, 0.26, 0.2, 0.22, 0.11, 0.09)]
    return [KeepTogether([text("References", HEAD), Ruled(rows, widths, head=True)]), *notes]


def _rules(view: RunView) -> list[Flowable]:
    lines: list[Flowable] = [text("Decision rule and policies in force", HEAD), text(" ".join(view["policies"]))]
    budgets = [s["budget"] for s in view["evidence"] if s["budget"]]
    if budgets:
        b = budgets[0]
        parts = ", ".join(f"{r['name'][0].lower()}{r['name'][1:]} {r['standard']}" for r in b["rows"])
        lines.append(
            text(
                f"Uncertainty (JCGM 100:2008), largest at {b['at']}: U = {b['expanded']} of span (k = {b['k']}, 95.45 %). Standard "
                f"uncertainties: {parts}. A pass marked 'marginal' lies nearer to the limit than U reaches.",
                SMALL,
            )
        )
    return [KeepTogether(lines)]


def _gases(view: RunView) -> list[Flowable]:
    """The bottles as references: what they hold by certificate, through what, and what was said of them."""
    if not view["gases"]:
        return []
    rows: list[list[Any]] = [[text(h, BODY) for h in ("Gas", "Bottle", "Applied", "Certificate, good until", "Through")]]
    for g in view["gases"]:
        said = " ".join(r["says"] for r in g["remarks"] if r["standing"] != "good")
        reason = f" {g['reason']}." if g["reason"] else ""
        cells = (
            g["label"],
            f"{g['bottle']}, {g['name']}",
            f"{g['applied']}{reason} {said}".strip(),
            f"{g['certificate']}, {g['expires_on']}",
            ", ".join(p for p in (g["regulator"], g["line"]) if p),
        )
        rows.append([text(c) for c in cells])
    return [text("Gas", HEAD), Ruled(rows, [26 * mm, 40 * mm, 58 * mm, 34 * mm, 22 * mm], head=True)]


def _items(view: RunView) -> list[Flowable]:
    """What else stood for the truth: buffers with set, lot and dates, and what was said of them."""
    if not view["items"]:
        return []
    rows: list[list[Any]] = [[text(h, SMALL) for h in ("Standard", "Which", "Certificate, good until", "Remarks")]]
    for i in view["items"]:
        said = " ".join(r["says"] for r in i["remarks"] if r["standing"] != "good")
        cells = (i["label"], i["shows"], f"{i['certificate'] or 'none'}, {i['good_until']}", f"{i['reason']} {said}".strip())
        rows.append([text(c, SMALL) for c in cells])
    return [text("Standards used", HEAD), Ruled(rows, [WIDTH * f for f in (0.2, 0.34, 0.22, 0.24)], head=True)]


def _flags(view: RunView) -> list[Flowable]:
    """What nobody may overlook."""
    return [text("Flagged", HEAD), *(text(f) for f in view["flags"])] if view["flags"] else []


def _holds(view: RunView) -> list[Flowable]:
    lines = []
    for h in view["holds"]:
        seen = h["release_values"]
        unit = view["instrument"]["unit"]
        channels = [(k.partition(":")[2], v) for k, v in seen.items() if k.startswith("reading:") and v]
        read = f"{seen['reading']} {unit}" if seen.get("reading") else ", ".join(f"{c} {v}" for c, v in channels)
        normal = f"; normal reading seen: {read}; operator told: {seen['operator']}" if read else ""
        others = [f"{k.replace('_', ' ')} {v}" for k, v in seen.items() if v and k not in SEEN and not k.startswith("reading")]
        normal += f"; {', '.join(others)}" if others else ""
        off = f"off {local(h['released_at'])} by {h['released_by']}{normal}" if h["released_at"] else "STILL ON"
        lines.append(
            text(f"{h['kind']}: on {local(h['placed_at'])} by {h['placed_by']} ({h['reason']}), planned until {local(h['until'])}; {off}.")
        )
    lines += [text(f"{n['kind'].capitalize()}: {n['text']}") for n in view["unheld"]]
    return [KeepTogether([text("Holds", HEAD), *lines])] if lines else []


def _remarks(view: RunView) -> list[Flowable]:
    lines = [text(f"{n['kind']}, {n['by']}, {local(n['at'])}: {n['text']}") for n in view["notes"] if n not in view["unheld"]]
    lines += [text(f"Timer '{t['step'].replace('_', '-')}' was cut short: {t['reason']}") for t in view["timers"] if t["reason"]]
    lines += [
        text(f"Reading {r['number']} ({s['title'].lower()}, {r['indicated']}) was outside what is expected and confirmed by {r['by']}.")
        for s in view["evidence"]
        for r in s["rows"]
        if r["was_confirmed_unlikely"]
    ]
    return [KeepTogether([text("Remarks", HEAD), *lines])] if lines else []


def _anchored(proof: Mapping[str, Any] | None) -> list[Flowable]:
    """Where its signature stands in the plant's journal, and by which key that was signed."""
    if proof is None:
        return []
    entry, a = proof["entry"], proof["anchor"]
    told = f"Entry {entry['seq']} of the plant's journal, which was signed (Ed25519) at entry {a['seq']} on {a['at'][:19]} UTC; link and public key:"
    return [text(told, SMALL), text(a["link"], SMALL), text(a["key"], SMALL)]


def _signatures(run: Run, view: RunView, proof: Mapping[str, Any] | None) -> list[Flowable]:
    lines: list[Flowable] = []
    second = [("Countersigned", note, f" {note['kind']},") for note in view["countersigned"]]
    rest = [("Reviewed and accepted", view["reviewed"], ""), ("Voided", view["voided"], "")]
    for word, note, capacity in [("Signed", view["signed"], ""), *second, *rest]:
        if note:
            told = f"{word} by {note['by']},{capacity} {local(note['at'])}, password given again."
            lines.append(text(told + (f" {note['text']}" if note["text"] else "")))
    code = f"verify-loop:{run.label}:{run.events_count}:{run.head}"
    side = 116.0 if proof else 74.0  # what holds a signature has modules of its own size still
    if proof:
        a = proof["anchor"]
        code += f":{a['seq']}:{a['link']}:{a['key']}:{a['signature']}"
    lines += [
        Spacer(1, 3),
        text(f"Head of the event chain (SHA-256), event {run.events_count}:", SMALL),
        text(run.head, SMALL),
        *_anchored(proof),
        *([text(view["seal"]["says"], SMALL)] if view["seal"]["says"] else []),
        text(
            "Each event of this run holds the hash of the one before it; a changed or missing event does not lead to this head. "
            "Site procedures, local codes and licensed practice rule over this record.",
            SMALL,
        ),
    ]
    box = Table(
        [[lines, QrCode(code, side)]],
        colWidths=[WIDTH - side - 4, side + 4],
        style=TableStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 0)]),
    )
    return [KeepTogether([text("Signatures", HEAD), box])]
