"""A table of a certificate: rows of text with a fine line under each, and a stronger one under its head.

The page setter's own table can do anything, and takes half of a certificate's time doing it; this one can do what a certificate needs.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

from reportlab.lib.colors import HexColor
from reportlab.platypus import Flowable

from apps.records.paper import Text
from apps.records.plot import INK

RULE = HexColor("#cfd6d9")
ABOVE, BELOW, BESIDE = 1.5, 2.0, 4.0  # points between a cell and the lines above and below it, and the next cell to the right


class Ruled(Flowable):
    """Rows of cells, as many to a row as there are widths; head: the first row is one; repeats: it is there again on each new page."""

    hAlign = "CENTER"

    def __init__(self, rows: Sequence[Sequence[Flowable]], widths: Sequence[float], *, head: bool = False, repeats: bool = False) -> None:
        super().__init__()
        self.rows, self.widths, self.head, self.repeats = rows, widths, head, repeats

    @cached_property
    def _inner(self) -> list[list[float]]:
        """The height of each cell, by rows."""
        return [[cell.wrap(w - BESIDE, 0)[1] for cell, w in zip(row, self.widths, strict=False)] for row in self.rows]

    @property
    def _heights(self) -> list[float]:
        return [max(row) + ABOVE + BELOW for row in self._inner]

    def wrap(self, width: float, height: float) -> tuple[float, float]:
        self.width, self.height = sum(self.widths), sum(self._heights)
        return self.width, self.height

    def split(self, width: float, height: float) -> list[Flowable]:
        """Whole rows only; nothing where not even one fits below a head that repeats."""
        fits, used = 0, 0.0
        for row in self._heights:
            used += row
            if used > height:
                break
            fits += 1
        if fits == len(self.rows):
            return [self]
        if fits <= int(self.repeats):
            return []
        rest = [*(self.rows[:1] if self.repeats else ()), *self.rows[fits:]]
        return [
            Ruled(self.rows[:fits], self.widths, head=self.head, repeats=self.repeats),
            Ruled(rest, self.widths, head=self.head and self.repeats, repeats=self.repeats),
        ]

    def draw(self) -> None:
        path, y, ends = self.canv.beginPath(), self.height, []
        for row, inner, height in zip(self.rows, self._inner, self._heights, strict=True):
            x = 0.0
            for cell, tall, width in zip(row, inner, self.widths, strict=False):
                if isinstance(cell, Text) and cell.is_one_line:
                    cell.draw_at(self.canv, x, y - ABOVE)
                else:
                    cell.drawOn(self.canv, x, y - ABOVE - tall)
                x += width
            y -= height
            ends.append(y)
            path.moveTo(0, y)
            path.lineTo(self.width, y)
        self._rule(path, ends[0])

    def _rule(self, path: object, head: float) -> None:
        self.canv.setLineWidth(0.3)
        self.canv.setStrokeColor(RULE)
        self.canv.drawPath(path, stroke=1, fill=0)
        if self.head:
            self.canv.setLineWidth(0.8)
            self.canv.setStrokeColor(INK)
            self.canv.line(0, head, self.width, head)
