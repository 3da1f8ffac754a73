"""The type faces of every paper, shipped with the application."""

from __future__ import annotations

from pathlib import Path

from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont

FONTS = Path(__file__).parent / "fonts"
PLAIN, BOLD = "Plain", "PlainBold"
pdfmetrics.registerFont(TTFont(PLAIN, str(FONTS / "DejaVuSans.ttf")))
pdfmetrics.registerFont(TTFont(BOLD, str(FONTS / "DejaVuSans-Bold.ttf")))
pdfmetrics.registerFontFamily(PLAIN, normal=PLAIN, bold=BOLD, italic=PLAIN, boldItalic=BOLD)
