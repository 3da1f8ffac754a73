"""The error plot of the certificate, as vectors: tolerance corridor, adjust limit, readings told apart by shape and word."""

from __future__ import annotations

from itertools import product

from reportlab.graphics.shapes import Circle, Drawing, Group, Line, Polygon, PolyLine, Rect, String
from reportlab.lib.colors import Color, HexColor, white

from metrology.run.set_types import PlotWords, RowData, SetData

INK, FAINT = HexColor("#1d2a30"), HexColor("#8a979c")
KELP, AMBER, IRON, WATER = HexColor("#1f6b4a"), HexColor("#9a5b00"), HexColor("#a3261c"), HexColor("#14507a")
CORRIDOR = HexColor("#e3efe8")
FONT = "Plain"


class Scale:
    """Data to page: x percent of input, y error in percent of span."""

    def __init__(self, width: float, height: float, limit: float) -> None:
        self.left, self.bottom = 42.0, 30.0
        self.width, self.height = width - self.left - 120, height - self.bottom - 12
        self.limit = limit

    def x(self, percent: float) -> float:
        return self.left + self.width * (percent + 4) / 108

    def y(self, error: float) -> float:
        inside = max(-self.limit, min(self.limit, error))
        return self.bottom + self.height * (inside + self.limit) / (2 * self.limit)


def nice_limit(worst: float) -> float:
    """The least of 1, 2, 2.5, 5 times a power of ten that shows `worst` with some room."""
    size = 1e-3
    while True:
        for m in (1, 2, 2.5, 5):
            if m * size >= worst * 1.1:
                return m * size
        size *= 10


def error_plot(sets: list[SetData], width: float, height: float) -> Drawing:
    """Errors of the given sets over the points."""
    corridor = sets[0]["corridor"]
    worst = max([c["tolerance"] for c in corridor] + [abs(r["y"]) for s in sets for r in s["rows"] if r["y"] is not None], default=1.0)
    scale = Scale(width, height, nice_limit(min(worst, 4 * max(c["tolerance"] for c in corridor))))
    drawing = Drawing(width, height)
    _corridor(drawing, scale, sets[0])
    _axes(drawing, scale, sets[0]["plot"])
    for found in sets:
        _readings(drawing, scale, found)
    _legend(drawing, scale, sets, width)
    return drawing


def _corridor(drawing: Drawing, scale: Scale, found: SetData) -> None:
    rows = found["corridor"]
    upper = [(scale.x(c["x"]), scale.y(c["tolerance"])) for c in rows]
    lower = [(scale.x(c["x"]), scale.y(-c["tolerance"])) for c in rows]
    flat = [v for point in (*upper, *reversed(lower)) for v in point]
    drawing.add(Polygon(flat, fillColor=CORRIDOR, strokeColor=None))
    for edge in (upper, lower):
        drawing.add(PolyLine([v for p in edge for v in p], strokeColor=KELP, strokeWidth=0.9))
    for sign in (1, -1):
        points = [v for c in rows for v in (scale.x(c["x"]), scale.y(sign * c["adjust_limit"]))]
        drawing.add(PolyLine(points, strokeColor=AMBER, strokeWidth=0.6, strokeDashArray=[3, 2]))


def _axes(drawing: Drawing, scale: Scale, words: PlotWords) -> None:
    for step in (-1.0, -0.5, 0.0, 0.5, 1.0):
        y = scale.y(step * scale.limit)
        weight = 0.7 if step == 0 else 0.25
        drawing.add(Line(scale.left, y, scale.left + scale.width, y, strokeColor=FAINT, strokeWidth=weight))
        label = f"{step * scale.limit:+.3g}" if step else "0"
        drawing.add(String(scale.left - 4, y - 2.5, label, fontName=FONT, fontSize=6.5, fillColor=INK, textAnchor="end"))
    for tick in words["ticks"]:
        x = scale.x(tick["x"])
        drawing.add(Line(x, scale.bottom, x, scale.bottom - 3, strokeColor=FAINT, strokeWidth=0.5))
        drawing.add(String(x, scale.bottom - 11, tick["label"], fontName=FONT, fontSize=6.5, fillColor=INK, textAnchor="middle"))
    middle = scale.left + scale.width / 2
    drawing.add(String(middle, scale.bottom - 22, words["x"], fontName=FONT, fontSize=6.5, fillColor=INK, textAnchor="middle"))
    group = Group(String(0, 0, words["y"], fontName=FONT, fontSize=6.5, fillColor=INK, textAnchor="middle"))
    group.translate(8, scale.bottom + scale.height / 2)
    group.rotate(90)
    drawing.add(group)


def ways_of(found: SetData) -> tuple[str, ...]:
    """The ways a set is read in; one where it has no direction."""
    return ("up", "down") if any(c["key"] == "direction" for c in found["columns"]) else ("up",)


def _colour(row: RowData) -> Color:
    return {"pass": KELP, "marginal": AMBER, "fail": IRON}.get(row["verdict"] or "", INK)


def mark(x: float, y: float, *, phase: str, direction: str, colour: Color) -> Polygon | Circle:
    """Shape of a reading: as found a triangle pointing the way it was approached, as left a diamond (up) or square (down)."""
    r = 3.4
    if phase == "as found":
        tip = r if direction == "up" else -r
        return Polygon([x - r, y - tip * 0.8, x + r, y - tip * 0.8, x, y + tip], fillColor=colour, strokeColor=white, strokeWidth=0.4)
    if direction == "up":
        return Polygon([x, y - r, x + r, y, x, y + r, x - r, y], fillColor=white, strokeColor=colour, strokeWidth=1.1)
    return Rect(x - r * 0.8, y - r * 0.8, r * 1.6, r * 1.6, fillColor=white, strokeColor=colour, strokeWidth=1.1)


def _readings(drawing: Drawing, scale: Scale, found: SetData) -> None:
    rows = [r for r in found["rows"] if r["x"] is not None and r["y"] is not None]
    is_named = found["plot"].get("names_lines", False)  # what was sealed before lines were named stays as it was drawn
    channels = list(dict.fromkeys(r["channel"] for r in rows)) if is_named else [""]
    for direction, channel in product(("up", "down"), channels):
        mine = [r for r in rows if r["direction"] == direction and (not is_named or r["channel"] == channel)]
        line = [(scale.x(r["x"] or 0.0), scale.y(r["y"] or 0.0)) for r in mine]
        if len(line) >= 2:
            drawing.add(PolyLine([v for point in line for v in point], strokeColor=FAINT, strokeWidth=0.5))
        if line and is_named:
            x, y = line[-1]
            drawing.add(String(x + 5, y + 2, channel, fontName=FONT, fontSize=5.5, fillColor=INK))
    for r in rows:
        aside = -1.0 if r["direction"] == "up" else 1.0  # so that up and down at one point do not hide each other
        drawing.add(
            mark(
                scale.x((r["x"] or 0.0) + aside), scale.y(r["y"] or 0.0), phase=found["phase"], direction=r["direction"], colour=_colour(r)
            )
        )


def _legend(drawing: Drawing, scale: Scale, sets: list[SetData], width: float) -> None:
    x, y = width - 108, scale.bottom + scale.height - 6
    for found in sets:
        ways = ways_of(found)
        for direction in ways:
            drawing.add(mark(x, y + 2, phase=found["phase"], direction=direction, colour=INK))
            drawing.add(
                String(
                    x + 9,
                    y,
                    f"{found['title']}, {direction}" if len(ways) > 1 else found["title"],
                    fontName=FONT,
                    fontSize=6.5,
                    fillColor=INK,
                )
            )
            y -= 12
    drawing.add(Line(x - 5, y + 2, x + 5, y + 2, strokeColor=KELP, strokeWidth=0.9))
    drawing.add(String(x + 9, y, "tolerance", fontName=FONT, fontSize=6.5, fillColor=INK))
    y -= 12
    drawing.add(Line(x - 5, y + 2, x + 5, y + 2, strokeColor=AMBER, strokeWidth=0.6, strokeDashArray=[3, 2]))
    drawing.add(String(x + 9, y, "adjust limit", fontName=FONT, fontSize=6.5, fillColor=INK))
