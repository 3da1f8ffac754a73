"""What the plan prints is set like: styles, a table, a foot, and the whole as a PDF."""

from __future__ import annotations

import io
from typing import Any
from xml.sax.saxutils import escape

from reportlab.lib import colors
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable, Paragraph, SimpleDocTemplate, Table, TableStyle

from config.pdf import BOLD, PLAIN

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


def printed(title: str, foot: str, story: list[Flowable]) -> bytes:
    """The story as a PDF, each page with the foot and its number."""
    out = io.BytesIO()
    document = SimpleDocTemplate(out, pagesize=A4, leftMargin=16 * mm, rightMargin=16 * mm, topMargin=14 * mm, bottomMargin=16 * mm)
    document.title = title
    document.build(story, onFirstPage=lambda c, d: _foot(c, d, foot), onLaterPages=lambda c, d: _foot(c, d, foot))
    return out.getvalue()


def _foot(canvas: Canvas, document: Any, printed: str) -> None:
    canvas.setFont(PLAIN, 7)
    canvas.drawString(16 * mm, 9 * mm, printed)
    canvas.drawRightString(A4[0] - 16 * mm, 9 * mm, f"page {document.page}")


def p(text: Any, style: ParagraphStyle = BODY) -> Paragraph:
    """A paragraph of plain text."""
    return Paragraph(escape(str(text)), style)


def table(header: list[str], rows: list[list[Any]], widths: list[float]) -> Table:
    """A table with a heading row that is repeated; widths in mm."""
    body = [[p(h, BOLDER) for h in header], *([c if isinstance(c, Flowable) else p(c) for c in row] for row in rows)]
    return Table(body, colWidths=[w * mm for w in widths], style=LINES, repeatRows=1)
