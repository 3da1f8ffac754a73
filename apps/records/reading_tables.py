"""The readings of a set on the certificate: as a table, with what the set as a whole was judged by and what live readings told."""

from __future__ import annotations

from typing import Any
from xml.sax.saxutils import escape

from reportlab.platypus import Flowable, KeepTogether, Paragraph

from apps.records.paper import HEAD, SMALL, WIDTH, local, text, verdict_markup
from apps.records.ruled import Ruled
from metrology.run.set_types import Named, RowData, SetData

WIDTHS = {
    "percent": 0.07, "direction": 0.07, "applied": 0.12, "ideal": 0.1, "indicated": 0.1, "error": 0.12, "tolerance": 0.1, "u": 0.1, "tur": 0.09,
}  # fmt: skip


def set_tables(found: SetData) -> list[Flowable]:
    """One set: its readings, what it was judged by, and what was found beside."""
    columns = found["columns"]
    header = [text(t, SMALL) for t in (*(c["label"] for c in columns), "Verdict")]
    rows = [header, *[_row(r, found) for r in found["rows"]]]
    by_name = any(r["channel"] and not r["percent"] for r in found["rows"])
    shares = [*(0.14 if by_name and c["key"] == "percent" else WIDTHS.get(c["key"], 0.1) for c in columns), 0.13]
    widths = [WIDTH * share / sum(shares) for share in shares]
    stats = "; ".join(f"{s['name'].lower()} {s['value']}" for s in found["statistics"])
    return [
        KeepTogether([text(f"{found['title']}: readings", HEAD), Ruled(rows, widths, head=True, repeats=True)]),
        *_criteria(found),
        *[table(t["title"], t["head"], t["rows"]) for t in found["tables"]],
        *([text(f"Statistics (IEC 61298-2): {stats}.", SMALL)] if stats else []),
        *_on_paper(found),
        *_told(found),
    ]


def _criteria(found: SetData) -> list[Flowable]:
    """What the set as a whole was judged by."""
    if not found["criteria"]:
        return []
    rows: list[list[Flowable]] = [[text(t, SMALL) for t in ("Judged by", "Value", "Accepted", "U (k = 2)", "Verdict")]]
    for c in found["criteria"]:
        says = f" {c['says']}" if c["says"] else ""
        cells = [text(f"{c['label']}{says}", SMALL), text(c["value"], SMALL), text(c["limits"], SMALL), text(c["u"], SMALL)]
        rows.append([*cells, Paragraph(verdict_markup(c["verdict"]), SMALL)])
    return [Ruled(rows, [WIDTH * f for f in (0.4, 0.16, 0.2, 0.12, 0.12)], head=True)]


def table(title: str, head: list[str], rows: list[list[str]]) -> Flowable:
    """A table as a kind of trial makes it."""
    cells = [[text(h, SMALL) for h in head], *[[text(v, SMALL) for v in row] for row in rows]]
    return KeepTogether([text(title, HEAD), Ruled(cells, [WIDTH / len(head)] * len(head), head=True, repeats=True)])


def _on_paper(found: SetData) -> list[Flowable]:
    """Readings that were written on paper and typed in afterwards, with both times."""
    rows = [r for r in found["rows"] if r["read_at"] and not r["struck"]]
    told = "; ".join(f"reading {r['number']} at {local(r['read_at'])}, typed {local(r['at'])} by {r['by']}" for r in rows)
    return [text(f"Read on paper and typed in afterwards: {told}.", SMALL)] if rows else []


def _told(found: SetData) -> list[Flowable]:
    """What the method finds beyond the statistics, what was simulated or hung, and how live readings settled."""
    lines = []
    if found["findings"]:
        lines.append("; ".join(f"{f['name']}: {f['value'].rstrip('.')}" for f in found["findings"]) + ".")
    inputs = [f"{r['percent'] or r['channel']} {r['simulated']}" for r in found["rows"] if r["simulated"] and not r["struck"]]
    if inputs:
        lines.append(f"At the input: {'; '.join(inputs)}.")
    whole = [r for r in found["rows"] if not r["struck"] and r.get("halves")]
    splits = [
        f"{r['percent']} {r['direction']}: digital {r['pv']}, {r['split']}" for r in found["rows"] if r["split"] and not r.get("halves")
    ]
    if splits:  # a record sealed before its figures were kept apart
        lines.append(f"Digital value beside the output: {'; '.join(splits)}.")
    live = [(r, c) for r in found["rows"] for c in r["captured"] if c["quantity"] == "indicated" and not r["struck"]]
    in_words = [(r, c) for r, c in live if not c.get("figures")]
    if in_words:
        captured = " ".join(f"{r['percent']} {r['direction']}, {c['says']}" for r, c in in_words)
        lines.append(f"Captured live: {captured}")
    return [
        *[text(line, SMALL) for line in lines],
        *_figures("Digital value beside the output", [(r, r["halves"]) for r in whole]),
        *_figures("Captured live", [(r, c["figures"]) for r, c in live if c.get("figures")]),
    ]


def _figures(title: str, rows: list[tuple[RowData, list[Named]]]) -> list[Flowable]:
    """Figures of readings, a line each; a column in which nothing stands is left out."""
    names = (
        [f["name"] for f in rows[0][1] if any(g["value"] for _, figures in rows for g in figures if g["name"] == f["name"])] if rows else []
    )
    told = [({f["name"]: f["value"] for f in figures}, r) for r, figures in rows]
    body = [
        [f"{r['percent'] or r['channel']} {r['direction'] if r['percent'] else ''}".strip(), *(by.get(n, "") for n in names)]
        for by, r in told
    ]
    return [table(title, ["Point", *names], body)] if rows else []


def _row(r: RowData, found: SetData) -> list[Flowable]:
    keys = [c["key"] for c in found["columns"]]
    if r["struck"]:
        shown = {"percent": r["percent"] or r["channel"], "direction": r["direction"], "applied": r["applied"], "indicated": r["indicated"]}
        cells = [Paragraph(f"<strike>{escape(str(shown[k]))}</strike>", SMALL) if k in shown else text("", SMALL) for k in keys]
        return [*cells, text(f"struck by {r['struck_by']}: {r['struck']}", SMALL)]
    close = ", marginal" if r["is_too_close"] else ""
    texts: dict[str, Any] = dict(r)
    texts["percent"] = f"{r['percent']} {r['channel']}".strip()
    texts["indicated"] = r["indicated"] if found["read_unit"] else f"{r['indicated']} {r['unit']}"
    return [*[text(texts[k], SMALL) for k in keys], Paragraph(verdict_markup(r["verdict"]) + close, SMALL)]
