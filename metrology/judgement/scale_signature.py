"""What the errors of a scale under load give away: what binds it, a cell that is not right, a number typed wrong, or just its span.

Sources: OIML R 76-1:2006 3.6.2, 3.9.4 (eccentric loading, zero return); practice of vessel weighing (pipes, stays, ropes, build-up, wind).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from metrology.judgement.signature import Signature

DEAD = 25.0  # share of the mean below which a support carries nothing to speak of, %
LIGHT = 85.0  # below it carries too little
STRAINED = 1.6  # empty signal over the middle one of all, from which on a cell is thought to have been overloaded
NEAR = 0.25  # how near a span error must come to what a cause would make, of that
TYPED = (  # what a scale reads over what lies on it, by what was typed wrong
    (0.5, "half"), (2.0, "twice"), (2.20462, "pounds for kilograms"), (1 / 2.20462, "kilograms for pounds"), (10.0, "ten times"), (0.1, "a tenth"),
    (2 / 3, "two cells for three"), (1.5, "three cells for two"), (0.75, "three cells for four"), (4 / 3, "four cells for three"),
)  # fmt: skip
TYPED_WITHIN = 0.01
SURE = 0.5  # from there on a named cause stands for the plain words 'span' and 'zero'


@dataclass(frozen=True)
class Loaded:
    """One reading: what lay on it, how far off it read, kg; and on the way up or down."""

    load: float
    error: float
    is_down: bool = False


@dataclass(frozen=True)
class ScaleSeen:
    """A set of a scale. All in kg; shares of the supports in % of their mean, and their signals empty in any one unit, empty where not looked at.

    limit: tolerance at the largest load, zero_limit: at zero. back: the zero after the loads less that before; None where not read.
    gravity_off: how much more everything weighs here than where cells are rated, %; 0 where the scale was not set by its cells.
    zeros: as-found zeros of earlier calibrations, oldest first. moving: standard deviation of a captured reading, None where typed.
    """

    rows: tuple[Loaded, ...]
    division: float
    limit: float
    zero_limit: float
    back: float | None = None
    shares: tuple[float, ...] = ()
    empty: tuple[float, ...] = ()
    gravity_off: float = 0.0
    zeros: tuple[float, ...] = ()
    moving: float | None = None

    @property
    def top(self) -> Loaded:
        """The largest load on the way up."""
        return max((r for r in self.rows if not r.is_down), key=lambda r: r.load, default=Loaded(0.0, 0.0))

    @property
    def zero(self) -> float:
        """How far off it was empty, at first."""
        return next((r.error for r in self.rows if r.load == 0 and not r.is_down), 0.0)

    @property
    def span(self) -> float:
        """Error of the span at the largest load, kg."""
        return self.top.error - self.zero

    @property
    def returns(self) -> bool:
        """Whether the zero came back, as far as it was read."""
        return self.back is None or abs(self.back) <= self.division * (1 + 1e-9)

    @property
    def gap(self) -> float:
        """The largest difference between down and up at one load."""
        up = {r.load: r.error for r in self.rows if not r.is_down}
        return max((r.error - up[r.load] for r in self.rows if r.is_down and r.load in up and r.load > 0), key=abs, default=0.0)


def find_scale_signatures(s: ScaleSeen) -> tuple[Signature, ...]:
    """The named causes, the likeliest first; nothing while zero and span hold and every support carries its part."""
    made = (_dead(s), _strained(s), _typed(s), _gravity(s), _binding(s), _hose(s), _restless(s), _build_up(s), _span(s), _zero(s))
    found = sorted((m for m in made if m), key=lambda m: -m.confidence)
    if any(m.code not in ("span-error", "zero-shift") and m.confidence >= SURE for m in found):
        found = [m for m in found if m.code not in ("span-error", "zero-shift")]
    return tuple(found)


def _tell(code: str, says: str, action: str, confidence: float, *evidence: str) -> Signature:
    return Signature(code, says, action, confidence, evidence)


def _is_off(s: ScaleSeen) -> bool:
    return abs(s.span) > s.limit * (1 + 1e-9)


def _support(shares: Sequence[float]) -> int:
    return min(range(len(shares)), key=lambda n: shares[n])


def _dead(s: ScaleSeen) -> Signature | None:
    if not s.shares or min(s.shares) >= DEAD:
        return None
    n = _support(s.shares)
    return _tell(
        "dead-cell", f"Support {n + 1} takes no load: its cell is dead, its cable broken, or the leg does not stand on it.",
        "Look whether the leg stands on its cell; measure the cell's bridge and insulation at its own cable, then exchange it.", 0.9,
        f"It carries {s.shares[n]:.0f} % of the mean of the supports.",
    )  # fmt: skip


def _strained(s: ScaleSeen) -> Signature | None:
    if len(s.empty) < 3:
        return None
    middle = sorted(s.empty)[len(s.empty) // 2]
    n = max(range(len(s.empty)), key=lambda k: abs(s.empty[k] - middle))
    if middle <= 0 or (1 / STRAINED <= s.empty[n] / middle <= STRAINED):
        return None
    shares = f" and {s.shares[n]:.0f} % of the load" if s.shares else ""
    confidence = 0.85 if not s.shares or LIGHT <= s.shares[n] <= 200 - LIGHT else 0.5
    return _tell(
        "overloaded-cell", f"The cell of support {n + 1} does not stand where the others do when empty: it was overloaded, or water is in it.",
        "Take the load off it and measure its zero against its certificate; beyond 5 % of its output it is exchanged.", confidence,
        f"Empty it gives {s.empty[n]:g}, the middle one {middle:g}{shares}.",
    )  # fmt: skip


def _typed(s: ScaleSeen) -> Signature | None:
    if s.top.load <= 0 or not _is_off(s) or (s.shares and min(s.shares) < DEAD):  # a dead cell reads like a number typed wrong
        return None
    factor = 1 + s.span / s.top.load
    near = min(TYPED, key=lambda t: abs(factor / t[0] - 1))
    if abs(factor / near[0] - 1) > TYPED_WITHIN:
        return None
    return _tell(
        "wrong-capacity", f"It reads {near[1]}: a capacity, a number of cells or a unit was typed wrong.",
        "Compare capacity, number of cells, sensitivity and unit in the indicator with the certificates before anything is adjusted.", 0.93,
        f"{s.top.load:g} kg read {s.top.load + s.span:g} kg: {factor:.3f} times.",
    )  # fmt: skip


def _gravity(s: ScaleSeen) -> Signature | None:
    made = s.gravity_off / 100 * s.top.load
    if not s.gravity_off or abs(made) < s.division or abs(s.span - made) > NEAR * abs(made) or not s.returns:
        return None
    return _tell(
        "wrong-gravity", "It reads what the gravity of this place makes of it: the cells are rated elsewhere and that was not counted.",
        "Count the gravity of the place in the computed span; weights on the scale settle it.", 0.8,
        f"Off by {100 * s.span / s.top.load:+.3f} %; gravity here makes {s.gravity_off:+.3f} %.",
    )  # fmt: skip


def _binding(s: ScaleSeen) -> Signature | None:
    light = bool(s.shares) and min(s.shares) < LIGHT and min(s.shares) >= DEAD
    low = s.span < -s.limit * (1 + 1e-9)
    if not (light or (low and s.returns)):
        return None
    where = f" at support {_support(s.shares) + 1}" if light else ""
    evidence = [f"Under {s.top.load:g} kg it is {s.span:+g} kg off; empty it comes back to {s.back or 0:+g} kg."] if low else []
    if light:
        evidence.append(f"Support {_support(s.shares) + 1} carries {min(s.shares):.0f} % of the mean.")
    return _tell(
        "binding", f"Something carries part of the load{where}: pipework, a stay, a ladder or a platform binds the vessel.",
        "Go round it: flexible joints, stays with play, cables slack, nothing leaning; free it, then load again. Don't adjust it away.",
        0.9 if light and low else 0.75 if light else 0.4, *evidence,
    )  # fmt: skip


def _hose(s: ScaleSeen) -> Signature | None:
    if abs(s.gap) <= max(s.limit, s.division) * (1 + 1e-9):
        return None
    return _tell(
        "rope-or-hose", "Up and down lie apart: a rope, hose or bellows that is dragged along, or friction in the stays.",
        "Take off what hangs between vessel and ground, free the stays, and load up and down again.", 0.8,
        f"At one load down is {s.gap:+g} kg from up.",
    )  # fmt: skip


def _restless(s: ScaleSeen) -> Signature | None:
    if s.moving is None or s.moving <= s.division / 2:
        return None
    return _tell(
        "wind", "The reading does not stand still: wind, an agitator, or a conveyor that shakes the frame.",
        "Stop what moves, shield it from the wind or wait, and read again; a filter hides it and does not cure it.", 0.7,
        f"It moves by {s.moving:.2g} kg (s), {s.moving / s.division:.1f} divisions.",
    )  # fmt: skip


def _build_up(s: ScaleSeen) -> Signature | None:
    if s.zero <= s.zero_limit * (1 + 1e-9) or _is_off(s):
        return None
    past = (*s.zeros, s.zero)
    rises = len(past) >= 3 and all(b >= a for a, b in pairwise(past)) and past[-1] - past[0] > s.division
    return _tell(
        "build-up", "Empty it is heavy and the span is right: product sticks to it, or dirt and snow lie on it.",
        "Clean it inside and out, then zero it; where it comes back, look for what makes it stick.", 0.8 if rises else 0.6,
        f"Empty it shows {s.zero:+g} kg; the span is {s.span:+g} kg off at {s.top.load:g} kg.",
    )  # fmt: skip


def _span(s: ScaleSeen) -> Signature | None:
    if not _is_off(s):
        return None
    return _tell(
        "span-error", "The error grows with the load: its span is off.", "Set the span with a known load; keep the factor of before and after.",
        0.7 if s.returns else 0.5, f"{s.span:+g} kg at {s.top.load:g} kg, {100 * s.span / s.top.load:+.3f} %.",
    )  # fmt: skip


def _zero(s: ScaleSeen) -> Signature | None:
    if abs(s.zero) <= s.zero_limit * (1 + 1e-9) or _is_off(s):
        return None
    return _tell(
        "zero-shift",
        "It is off by the same everywhere: its zero has moved.",
        "Look for what lies on it, then zero it.",
        0.5,
        f"Empty it shows {s.zero:+g} kg.",
    )
