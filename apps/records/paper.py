"""What a certificate is set with: type, lines of text, rules, verdicts, pages counted, the QR code."""

from __future__ import annotations

from collections.abc import Sequence
from contextvars import ContextVar
from datetime import datetime
from itertools import groupby
from typing import Any, cast
from xml.sax.saxutils import escape
from zoneinfo import ZoneInfo

import segno
from django.conf import settings
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase.pdfmetrics import stringWidth
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable, Paragraph

from apps.records.plot import AMBER, FAINT, INK, IRON, KELP
from config import pdf  # noqa: F401  registers the type faces

WIDTH = A4[0] - 36 * mm
BODY = ParagraphStyle("body", fontName="Plain", fontSize=7.6, leading=10.4, textColor=INK)
SMALL = ParagraphStyle("small", parent=BODY, fontSize=6.6, leading=8.8)
HEAD = ParagraphStyle("head", parent=BODY, fontName="PlainBold", fontSize=9, leading=12, spaceBefore=7, spaceAfter=2)
TITLE = ParagraphStyle("title", parent=BODY, fontName="PlainBold", fontSize=16, leading=20)
VERDICT_WORDS = {"pass": "PASS", "marginal": "MARGINAL", "fail": "FAIL", None: "not judged"}
ZONE: ContextVar[str] = ContextVar("zone", default="")  # the plant's zone when the record was sealed
VERDICT_COLOURS = {"pass": KELP, "marginal": AMBER, "fail": IRON}


class CountingCanvas(Canvas):
    """Writes 'page n of m', which is known only at the end."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self._pages: list[dict[str, Any]] = []

    def showPage(self) -> None:
        self._pages.append(dict(self.__dict__))
        self._startPage()

    def save(self) -> None:
        for page in self._pages:
            self.__dict__.update(page)
            self.setFont("Plain", 6.5)
            self.setFillColor(FAINT)
            self.drawRightString(A4[0] - 18 * mm, 10 * mm, f"page {self._pageNumber} of {len(self._pages)}")
            super().showPage()
        super().save()


class Text(Flowable):
    """Plain text: drawn as one line where it fits, which most cells do; set as a paragraph, which costs ten times that, where it must wrap."""

    def __init__(self, text: str, style: ParagraphStyle) -> None:
        super().__init__()
        self.text, self.style = text, style
        self._long: Paragraph | None = None
        self.spaceBefore, self.spaceAfter = style.spaceBefore, style.spaceAfter

    @property
    def is_one_line(self) -> bool:
        """Whether it fitted into the width it was last asked to fit."""
        return self._long is None

    def wrap(self, width: float, height: float) -> tuple[float, float]:
        self._long = None
        if "\n" not in self.text and stringWidth(self.text, self.style.fontName, self.style.fontSize) <= width:
            self.width, self.height = width, self.style.leading
            return self.width, self.height
        self._long = Paragraph(escape(self.text), self.style)
        return cast(tuple[float, float], self._long.wrap(width, height))

    def split(self, width: float, height: float) -> list[Flowable]:
        return self._long.split(width, height) if self._long else []

    def draw(self) -> None:
        if self._long:
            self._long.drawOn(self.canv, 0, 0)
            return
        self.draw_at(self.canv, 0, self.height)

    def draw_at(self, canvas: Canvas, x: float, top: float) -> None:
        """Draw what fits into one line below a height."""
        canvas.setFont(self.style.fontName, self.style.fontSize)
        canvas.setFillColor(self.style.textColor)
        canvas.drawString(x, top - self.style.fontSize, self.text)


def text(said: Any, style: ParagraphStyle = BODY) -> Flowable:
    """What is said, set in a style; a dash for nothing."""
    return Text(str(said if said not in (None, "") else "–"), style)


def verdict_markup(verdict: str | None) -> str:
    """A verdict in words and colour, as paragraph markup."""
    colour = VERDICT_COLOURS.get(verdict or "", INK)
    return f'<font name="PlainBold" color="{colour.hexval().replace("0x", "#")}">{VERDICT_WORDS.get(verdict, "–")}</font>'


class QrCode(Flowable):
    """A QR code in vectors, drawn as one path."""

    def __init__(self, text: str, size: float = 74.0) -> None:
        super().__init__()
        self.size = size
        self.width = self.height = self.size
        self._rows = [list(row) for row in segno.make(text, error="m", mask=0).matrix_iter(border=2)]

    def draw(self) -> None:
        """Each row as strips of dark modules, in a grid of modules counted from the top left corner."""
        strips = (f"{x} {y} {n} 1 re" for y, row in enumerate(self._rows) for x, n in _strips(row))
        module = self.size / len(self._rows)
        self.canv.saveState()
        self.canv.translate(0, self.size)
        self.canv.scale(module, -module)
        self.canv.setFillColor(INK)
        self.canv.addLiteral("\n".join([*strips, "f"]))
        self.canv.restoreState()


def _strips(row: Sequence[int]) -> list[tuple[int, int]]:
    """Where dark modules follow each other: the first of them, and how many."""
    out, x = [], 0
    for dark, group in groupby(row, key=bool):
        n = len(list(group))
        if dark:
            out.append((x, n))
        x += n
    return out


def local(text: str | None) -> str:
    """A moment in the plant's zone, with the zone's name."""
    if not text:
        return "–"
    return datetime.fromisoformat(text).astimezone(ZoneInfo(ZONE.get() or settings.PLANT_TIME_ZONE)).strftime("%-d %b %Y %H:%M %Z")
