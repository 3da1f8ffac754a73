"""Labels with a QR code that opens the instrument's page, to be printed on sheets; and what a scanned or typed code means."""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import Any
from urllib.parse import quote, unquote, urlsplit

import segno
from django.db.models import Q
from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from apps.plant.models import Instrument
from config.failures import Missing
from config.pdf import BOLD, PLAIN
from metrology.faults import Fault

ACROSS, DOWN = 3, 8
WIDE, HIGH = 63.5 * mm, 33.9 * mm
LEFT, TOP, GAP = 7.2 * mm, 12.9 * mm, 2.5 * mm
QR = 27 * mm
MAX_LABELS = 1000


def make_labels(instruments: Sequence[Instrument], origin: str) -> bytes:
    """A PDF of label sheets, three by eight on A4. origin: the address under which this server is reached from the plant."""
    if not instruments:
        raise Fault("no_labels", "No instrument matches, so there is nothing to print. Choose other instruments.")
    if len(instruments) > MAX_LABELS:
        raise Fault("too_many_labels", f"{len(instruments)} labels are more than the {MAX_LABELS} of one print. Choose an area.")
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=A4)
    canvas.setTitle("Instrument labels")
    for n, instrument in enumerate(instruments):
        place = n % (ACROSS * DOWN)
        if n and not place:
            canvas.showPage()
        x = LEFT + (place % ACROSS) * (WIDE + GAP)
        y = A4[1] - TOP - (place // ACROSS + 1) * HIGH
        _label(canvas, instrument, f"{origin}/plant/{quote(instrument.tag, safe='')}", x, y)
    canvas.save()
    return out.getvalue()


def _label(canvas: Canvas, i: Instrument, address: str, x: float, y: float) -> None:
    matrix = segno.make(address, error="m").matrix
    module = QR / len(matrix)
    top = y + HIGH - 3 * mm
    for row, cells in enumerate(matrix):
        for column, is_dark in enumerate(cells):
            if is_dark:
                canvas.rect(x + 2 * mm + column * module, top - (row + 1) * module, module, module, stroke=0, fill=1)
    at = x + QR + 4 * mm
    room = WIDE - QR - 5 * mm
    size = 13.0
    while canvas.stringWidth(i.tag, BOLD, size) > room and size > 5:
        size -= 0.5
    canvas.setFont(BOLD, size)
    canvas.drawString(at, top - 11, i.tag)
    canvas.setFont(PLAIN, 6.5)
    for n, line in enumerate(_wrapped(canvas, i.service, room)[:4]):
        canvas.drawString(at, top - 24 - 8 * n, line)
    canvas.drawString(at, y + 6 * mm, f"S/N {i.serial}"[:24])


def _wrapped(canvas: Canvas, text: str, room: float) -> list[str]:
    lines: list[str] = [""]
    for word in text.split():
        longer = f"{lines[-1]} {word}".strip()
        if canvas.stringWidth(longer, PLAIN, 6.5) <= room:
            lines[-1] = longer
        else:
            lines.append(word)
    return lines


def find_code(code: str) -> dict[str, Any]:
    """What a scanned or typed code stands for: our own label, a tag in whatever case, or a serial."""
    text = code.strip()[:400]
    path = urlsplit(text).path if "/" in text else ""
    tag = unquote(path.rpartition("/plant/")[2].strip("/")) if "/plant/" in path else text
    if not tag:
        raise Fault("missing", "Scan a label, or type a tag or a serial.", field="code")
    found = list(Instrument.objects.filter(Q(tag_key=tag.casefold()) | Q(serial__iexact=tag))[:3])
    exact = [i for i in found if i.tag == tag] or found
    if len(exact) == 1:
        return {"tag": exact[0].tag, "service": exact[0].service, "others": []}
    if exact:
        return {"tag": "", "service": "", "others": [i.tag for i in exact]}
    near = list(Instrument.objects.filter(tag_key__contains=tag.casefold()).values_list("tag", flat=True)[:5]) if len(tag) > 2 else []
    told = f" Did you mean {', '.join(near)}?" if near else " Check the plate, or search the plant."
    raise Missing("unknown_code", f"No instrument has the tag or serial {tag[:60]}.{told}", field="code")
