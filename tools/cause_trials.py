"""Readings of transmitters with one fault, two, or none, written down from formulas of their own, and what is named for each.

They differ from the simulated transmitters the product is demonstrated on: no device is stepped through time; friction and hysteresis have other
shapes, drift is straight or dying out, bows lean to one side, scatter is drawn anew for each reading, outputs are rounded as a meter shows them.
"""

from __future__ import annotations

import math
import random
from collections import Counter, defaultdict
from dataclasses import dataclass, field

from metrology.judgement.causes.explain import NONE, explain
from metrology.judgement.causes.rows import Curve
from metrology.judgement.errors import DOWN, UP, measure_point
from metrology.quantities.transfer import Transfer

FIVE, THREE = (0.0, 25.0, 50.0, 75.0, 100.0), (0.0, 50.0, 100.0)
TOLERANCES = (0.075, 0.1, 0.25, 0.5, 1.0)
KINDS = ("linear", "reverse", "sqrt")
SIZED = ("zero-shift", "span-error", "linearity", "hysteresis", "friction", "time-drift", "outlier")
UNSIZED = ("range-mismatch", "transfer-mismatch", "saturation", "reversed", "scatter", "unit-mismatch")


@dataclass
class Made:
    """A transmitter as the trials see it: faults by code in tolerances, and what is drawn for it."""

    kind: str
    tolerance: float
    rng: random.Random
    faults: dict[str, float] = field(default_factory=dict)
    points: tuple[float, ...] = FIVE
    is_up_only: bool = False
    cycles: int = 1

    def __post_init__(self) -> None:
        r, t = self.rng, self.tolerance
        self.noise = r.uniform(0.01, 0.08) * t
        self.little = {k: r.gauss(0, 0.08) * t for k in ("zero", "span", "bow", "gap")}
        self.hump = r.choice((lambda x: math.sin(math.pi * x), lambda x: 4 * x * (1 - x), lambda x: (4 * x * (1 - x)) ** 0.7))
        self.bow = r.choice((lambda x: 4 * x * (1 - x), lambda x: math.sin(math.pi * x), lambda x: 6.75 * x * (1 - x) ** 2))
        self.side = r.choice((-0.5, 0.0, 0.0, 0.5))  # where between up and down the truth lies
        self.is_dying = r.random() < 0.3
        self.clip = r.uniform(0.55, 0.96)
        self.clips_low = r.random() < 0.3
        self.law = r.random() < 0.5
        self.range = r.choice(((0, 1.6), (0, 0.6), (0, 1.2), (0, 0.8), (0.1, 1.1), (-0.2, 1), (0, 2), (0, 1.25), (0.2, 1)))
        self.unit = r.choice((1.0197162, 0.980665, 1.01325, 0.9869233))

    def ideal(self, x: float) -> float:
        """Ideal output fraction."""
        return {"linear": x, "reverse": 1 - x, "sqrt": math.sqrt(max(x, 0.0))}[self.kind]

    def law_of(self, x: float) -> float:
        """What it does instead where its transfer is another one."""
        if "reversed" in self.faults:
            return 1 - self.ideal(x)
        if "transfer-mismatch" in self.faults:
            if self.kind == "sqrt":
                return x if self.law else max(x, 0.0) ** 0.25
            other = math.sqrt(max(x, 0.0)) if self.law else x * x
            return other if self.kind == "linear" else 1 - other
        return self.ideal(x)

    def ways(self) -> list[tuple[float, str]]:
        """Points and directions as taken."""
        one = [(p, UP) for p in self.points]
        return (one if self.is_up_only else one + [(p, DOWN) for p in reversed(self.points)]) * self.cycles

    def curve(self) -> Curve:
        """Its readings."""
        f, t, r = self.faults, self.tolerance / 100, self.rng
        ways = self.ways()
        odd = r.randrange(1, len(ways) - 1)
        made = []
        for n, (p, way) in enumerate(ways):
            x, sign = p / 100, 1 if way == DOWN else -1
            share = n / (len(ways) - 1)
            drift = f.get("time-drift", 0) * (1 - math.exp(-3 * share) if self.is_dying else share)
            gap = f.get("hysteresis", 0) * self.hump(x) + f.get("friction", 0) + self.little["gap"] / self.tolerance * self.hump(x)
            off = (
                f.get("zero-shift", 0)
                + f.get("span-error", 0) * x
                + f.get("linearity", 0) * self.bow(x)
                + (0.5 * sign + self.side) * gap
                + drift
            )
            off = off * t + (self.little["zero"] + self.little["span"] * x + self.little["bow"] * 4 * x * (1 - x)) / 100
            meant = x + off
            if "range-mismatch" in f:
                a, b = self.range
                meant = (x - a) / (b - a) + off
            if "unit-mismatch" in f:
                meant = x * self.unit + off
            y = self.law_of(meant)
            if "saturation" in f:
                y = max(y, 1 - self.clip) if self.clips_low else min(y, self.clip)
            if n == odd:
                y += f.get("outlier", 0) * t
            y += r.gauss(0, self.noise / 100 + f.get("scatter", 0) * t)
            made.append(
                measure_point(
                    p, round(4 + 16 * y, 4), lrv=0, urv=100, transfer=Transfer(self.kind), output_lo=4, output_hi=20, direction=way
                )
            )
        return Curve(tuple(made), self.tolerance, Transfer(self.kind), 0, 100, "")


def draw(rng: random.Random, codes: tuple[str, ...], size: float, **more: object) -> Made:
    """A transmitter with these faults, of this size in tolerances either way."""
    faults = {c: size * (rng.choice((-1, 1)) if c != "scatter" else 1) for c in codes}
    if "scatter" in faults:
        faults["scatter"] = size * 0.6
    if "outlier" in faults:
        faults["outlier"] *= 2
    kind = rng.choice(("linear",)) if "unit-mismatch" in codes else rng.choice(KINDS)
    is_seen = codes in (("hysteresis",), ("friction",)) and kind != "sqrt" and not more.get("is_up_only")
    made = Made(kind, rng.choice(TOLERANCES[:3] if "unit-mismatch" in codes else TOLERANCES), rng, faults, **more)  # type: ignore[arg-type]
    return made if is_seen or made.curve().worst >= 0.75 * made.tolerance else draw(rng, codes, size, **more)


@dataclass(frozen=True)
class Trial:
    """What it had, what was told."""

    truth: tuple[str, ...]
    kind: str
    codes: tuple[str, ...]
    shares: tuple[float, ...]
    chance: float
    is_undecided: bool


def told(made: Made) -> Trial:
    """One, judged blind."""
    e = explain(made.curve())
    c = e.candidates
    return Trial(tuple(made.faults) or (NONE,), made.kind, tuple(k.code for k in c), tuple(k.share for k in c), c[0].chance, e.is_undecided)


def run(cases: int, size: float, seed: int = 11, **more: object) -> list[Trial]:
    """Single faults of one size, evenly over all codes and kinds."""
    rng = random.Random(seed)
    codes = SIZED + UNSIZED
    return [told(draw(rng, (codes[n % len(codes)],), size, **more)) for n in range(cases)]


def healthy(cases: int, seed: int = 12) -> list[Trial]:
    """Errors of all kinds together, up to 0.6 of the tolerance at the worst reading."""
    rng = random.Random(seed)
    trials = []
    while len(trials) < cases:
        made = Made(rng.choice(KINDS), rng.choice(TOLERANCES), rng)
        for k in made.little:
            made.little[k] = rng.gauss(0, 0.2) * made.tolerance
        if made.curve().worst <= 0.6 * made.tolerance:
            trials.append(told(made))
    return trials


def pairs(cases: int, size: float, seed: int = 13) -> list[Trial]:
    """Two faults at once."""
    rng = random.Random(seed)
    both = [
        ("zero-shift", "span-error"), ("zero-shift", "linearity"), ("zero-shift", "hysteresis"), ("zero-shift", "friction"), ("zero-shift", "time-drift"),
        ("zero-shift", "outlier"), ("span-error", "linearity"), ("span-error", "hysteresis"), ("span-error", "outlier"), ("linearity", "hysteresis"),
    ]  # fmt: skip
    return [told(draw(rng, both[n % len(both)], size)) for n in range(cases)]


def right(t: Trial) -> bool:
    """The first name is one of what it had."""
    return t.codes[0] in t.truth


def share(trials: list[Trial]) -> float:
    """Of those whose first name is right."""
    return sum(map(right, trials)) / len(trials)


def confusion(trials: list[Trial]) -> str:
    """By what it had and kind: how often right, and what else it was called."""
    rows: dict[tuple[str, str], list[Trial]] = defaultdict(list)
    for t in trials:
        rows["+".join(t.truth), t.kind].append(t)
    out = []
    for (truth, kind), mine in sorted(rows.items()):
        other = Counter(t.codes[0] for t in mine if not right(t))
        undecided = 100 * sum(t.is_undecided for t in mine) / len(mine)
        instead = ", ".join(f"{k} {v}" for k, v in other.most_common(4))
        out.append(f"  {truth:<20} {kind:<8} {len(mine):>4} {100 * share(mine):>6.1f} %   open {undecided:>3.0f} %   {instead}")
    return "\n".join(out)


def calibration(trials: list[Trial]) -> list[tuple[float, float, int]]:
    """(mean share told, share right, count) in bins of ten by share told."""
    bins: dict[int, list[Trial]] = defaultdict(list)
    for t in trials:
        bins[min(9, int(10 * t.shares[0]))].append(t)
    return [(sum(t.shares[0] for t in b) / len(b), sum(map(right, b)) / len(b), len(b)) for _, b in sorted(bins.items())]


def brier(trials: list[Trial]) -> float:
    """Mean squared distance of the first share from what came true."""
    return sum((t.shares[0] - right(t)) ** 2 for t in trials) / len(trials)
