"""Error signatures of transmitters: what kind of error is this, how sure, on what evidence, what to do first.

Each candidate explanation is fitted to the error curve; it is named when it explains what is there
and the rest does not. Nothing is named while every error is well inside the tolerance.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from metrology.judgement.errors import DOWN, UP, Point, is_falling
from metrology.quantities.transfer import Transfer, input_fraction


@dataclass(frozen=True)
class Signature:
    """A named error pattern. confidence 0 to 1."""

    code: str
    says: str
    first_action: str
    confidence: float
    evidence: tuple[str, ...]


@dataclass(frozen=True)
class Curve:
    """What the explanations are fitted to: points, tolerance in % of span, the range, and PV errors where PV was read."""

    points: tuple[Point, ...]
    tolerance: float
    transfer: Transfer
    lrv: float
    urv: float
    unit: str
    pv_errors: tuple[float, ...] | None = None  # % of span, applied to PV, one a point

    @property
    def worst(self) -> float:
        """Largest error in size, % of span."""
        return max(abs(p.error_percent) for p in self.points)

    @property
    def noticeable(self) -> float:
        """Size from which a component is worth a name: half the tolerance."""
        return 0.5 * self.tolerance


@dataclass(frozen=True)
class Fit:
    """A straight line through errors against ideal output percent, and how far the points stay from it."""

    at_zero: float
    at_span: float
    rest: float  # largest distance from the line

    def at(self, y: float) -> float:
        """The line at ideal output percent y."""
        return self.at_zero + (self.at_span - self.at_zero) * y / 100.0


def fit_errors(points: Sequence[Point]) -> Fit:
    """Least-squares line of error against ideal percent (a level line when all points are at one place)."""
    n = len(points)
    mx = math.fsum(p.ideal_percent for p in points) / n
    my = math.fsum(p.error_percent for p in points) / n
    sxx = math.fsum((p.ideal_percent - mx) ** 2 for p in points)
    slope = math.fsum((p.ideal_percent - mx) * (p.error_percent - my) for p in points) / sxx if sxx > 0 else 0.0
    zero = my - slope * mx
    rest = max(abs(p.error_percent - zero - slope * p.ideal_percent) for p in points)
    return Fit(zero, zero + 100.0 * slope, rest)


def find_signatures(curve: Curve) -> tuple[Signature, ...]:
    """The named patterns in these points, most telling first; empty when there is nothing to name.

    Needs at least three points at two different levels; fewer give no name.
    """
    levels = {round(p.ideal_percent) for p in curve.points}
    if len(curve.points) < 3 or len(levels) < 2:
        return ()
    if curve.worst <= curve.noticeable:
        return ()
    seen = _as_its_input(curve)
    for detect in _WHOLE_CURVE:
        found = detect(curve if detect in _AS_READ else seen)
        if found:
            return (found, *_split(curve))
    found_parts = [s for s in (detect(seen) for detect in _COMPONENTS) if s]
    found_parts.sort(key=lambda s: -s.confidence)
    return (*found_parts, *_split(curve))


NO_FLOW = 0.01  # of span: a square root that reads nothing at nothing tells nothing of its zero, which may lie below


def _as_its_input(c: Curve) -> Curve:
    """A square root seen from its input, where that explains the errors better: there a shifted sensor is a level line again.

    Taken back through the root, each reading says which input it means; an error of the output stage stays a line as it was read.
    """
    if c.transfer.kind != "sqrt":
        return c
    points = []
    for p in c.points:
        read = (p.ideal_percent + p.error_percent) / 100.0
        if p.fraction < NO_FLOW and read < NO_FLOW:
            continue
        meant = input_fraction(c.transfer, read) if read >= 0 else -read * read
        points.append(replace(p, ideal_percent=100.0 * p.fraction, error_percent=100.0 * (meant - p.fraction)))
    if len({round(p.ideal_percent) for p in points}) < 3:
        return c
    seen = replace(c, points=tuple(points), transfer=Transfer(), pv_errors=None)
    # Clearly better: a span error is a line either way, and an offset of the output is nearly one.
    return seen if fit_errors(points).rest / max(seen.worst, 1e-9) < 0.5 * fit_errors(c.points).rest / c.worst else c


def _confidence(explained: float, rest: float) -> float:
    """0.5 to 0.99: how much of the picture the explanation takes away."""
    total = explained + rest
    return round(min(0.99, 0.5 + 0.49 * explained / total), 2) if total > 0 else 0.5


def _reversed(c: Curve) -> Signature | None:
    y = [p.ideal_percent for p in c.points]
    ind = [p.ideal_percent + p.error_percent for p in c.points]
    my, mi = sum(y) / len(y), sum(ind) / len(ind)
    slope = sum((a - my) * (b - mi) for a, b in zip(y, ind, strict=True)) / sum((a - my) ** 2 for a in y)
    if slope > -0.3:
        return None
    return Signature(
        "reversed",
        "The output runs the wrong way: high and low side swapped, or reverse action.",
        "Check tubing or wiring and the configured direction before anything else.",
        _confidence(1.0, max(0.0, 1 + slope)),
        (f"Output moves {100 * slope:+.0f} % of span when it should move +100 %.",),
    )


def _outlier(c: Curve) -> Signature | None:
    if len(c.points) < 5:
        return None
    best: tuple[float, int, Fit] | None = None
    for i in range(len(c.points)):
        fit = fit_errors([p for j, p in enumerate(c.points) if j != i])
        if best is None or fit.rest < best[0]:
            best = (fit.rest, i, fit)
    if best is None:
        return None
    rest, i, fit = best
    p = c.points[i]
    off = p.error_percent - fit.at(p.ideal_percent)
    if abs(off) < max(c.tolerance, 4.0 * rest) or rest > c.noticeable:
        return None
    twins = [q for j, q in enumerate(c.points) if j != i and abs(q.ideal_percent - p.ideal_percent) <= 1.0]
    if not twins and not 1.0 < p.ideal_percent < 99.0 and abs(off) < 3 * c.tolerance:
        return None  # an end visited once may as well be clipping or curvature
    return Signature(
        "outlier",
        f"One reading is off and the others lie in line: a reading or typing mistake at {p.fraction * 100:.0f} %.",
        "Strike it with a reason and take that point again.",
        _confidence(abs(off), rest),
        (
            f"Reading {i + 1} is {off:+.2f} % of span away from the line through the others.",
            f"The others stay within {rest:.2f} % of span of that line.",
        ),
    )


def _saturation(c: Curve) -> Signature | None:
    for low_end in (False, True):
        ps = sorted(c.points, key=lambda p: p.ideal_percent, reverse=not low_end)
        edge = ps[0].ideal_percent + ps[0].error_percent
        flat = [p for p in ps if abs(p.ideal_percent + p.error_percent - edge) < max(0.3, 0.5 * c.tolerance)]
        spread = max(p.ideal_percent for p in flat) - min(p.ideal_percent for p in flat)
        others = [p for p in c.points if p not in flat]
        if spread < 5.0 or len({round(p.ideal_percent) for p in others}) < 2:
            continue
        fit = fit_errors(others)
        if fit.rest > max(c.tolerance, 1.0):
            continue
        where = "below" if low_end else "above"
        return Signature(
            "saturation",
            f"The output stays flat {where} {edge:.1f} %: saturation, clipping or cut-off.",
            "Check range, wiring, supply voltage and cut-off.",
            _confidence(spread, fit.rest),
            (f"{len(flat)} readings over {spread:.0f} % of span all read about {edge:.1f} %.",),
        )
    return None


def _clipped_end(c: Curve) -> Signature | None:
    """Clipping that only the end points reach: they fall short together while all the others lie in line."""
    for low_end in (False, True):
        edge = (min if low_end else max)(p.ideal_percent for p in c.points)
        ends = [p for p in c.points if abs(p.ideal_percent - edge) <= 1.0]
        others = [p for p in c.points if p not in ends]
        if len(ends) < 2 or len({round(p.ideal_percent) for p in others}) < 3:
            continue
        fit = fit_errors(others)
        short = [(1 if low_end else -1) * (p.error_percent - fit.at(p.ideal_percent)) for p in ends]
        # A bowed curve also leaves its line at the end, but then the others do not lie in line: about 5 times the rest.
        if min(short) < max(2.0 * c.tolerance, 8.0 * fit.rest) or max(short) - min(short) > 0.2 * max(short):
            continue
        level = sum(p.ideal_percent + p.error_percent for p in ends) / len(ends)
        return Signature(
            "saturation",
            f"The output does not go {'below' if low_end else 'above'} {level:.1f} %: saturation, clipping or cut-off.",
            "Check range, wiring, supply voltage and cut-off.",
            round(0.9 * _confidence(min(short), fit.rest), 2),
            (
                f"Both readings at the end fall {min(short):.1f} % of span short of the line through the others.",
                f"The others stay within {fit.rest:.2f} % of span of that line.",
            ),
        )
    return None


def _transfer_mismatch(c: Curve) -> Signature | None:
    ends = [p for p in c.points if p.ideal_percent < 2 or p.ideal_percent > 98]
    middle = [p for p in c.points if 2 <= p.ideal_percent <= 98]
    if len(middle) < 2 or not ends:
        return None
    allowed = max(2.0 * c.tolerance, 1.0)
    if any(abs(p.error_percent) > allowed for p in ends):
        return None
    laws: tuple[tuple[str, Callable[[float], float]], ...] = (
        ("the square root of what it should be: root extraction is on twice, or on where it should be off", math.sqrt),
        ("the square of what it should be: root extraction is missing", lambda v: v * v),
    )
    for words, law in laws:
        misses = [abs(p.ideal_percent + p.error_percent - 100 * law(max(0.0, p.ideal_percent) / 100)) for p in middle]
        size = max(abs(p.error_percent) for p in middle)
        if max(misses) <= max(allowed, 0.15 * size) and size > 4 * allowed:
            return Signature(
                "transfer-mismatch",
                f"Right at both ends, but in between the output is {words}.",
                "Check the square root in the transmitter and in the system: it must be applied once only.",
                _confidence(size, max(misses)),
                (f"Errors in the middle reach {size:.1f} % of span and follow that law within {max(misses):.2f} %.",),
            )
    return None


def _range_mismatch(c: Curve) -> Signature | None:
    fit = fit_errors(c.points)
    gain = 1.0 + (fit.at_span - fit.at_zero) / 100.0
    shift = max(abs(fit.at_zero), abs(fit.at_span))
    if fit.rest > max(c.noticeable, 0.1 * shift) or gain <= 0.1:
        return None
    if abs(gain - 1.0) < 0.04 or shift < 6.0 * c.tolerance:
        return None
    low = input_fraction(c.transfer, -fit.at_zero / 100.0 / gain)
    high = input_fraction(c.transfer, (1.0 - fit.at_zero / 100.0) / gain)
    span = c.urv - c.lrv
    a, b = c.lrv + low * span, c.lrv + high * span
    return Signature(
        "range-mismatch",
        f"The readings lie on another straight line: reads as a {a:.4g} to {b:.4g} {c.unit} range.".replace("  ", " "),
        "Check the configured range before trimming anything.",
        _confidence(shift, fit.rest),
        (
            f"Error {fit.at_zero:+.2f} % at the bottom and {fit.at_span:+.2f} % at the top of the output.",
            f"Every reading is within {fit.rest:.2f} % of span of that line.",
        ),
    )


def _pairs(c: Curve) -> list[tuple[float, float]]:
    """(ideal percent, down minus up) where one level was read both ways, bottom first."""
    rows = []
    for up in (p for p in c.points if p.direction == UP):
        for down in (p for p in c.points if p.direction == DOWN and p.cycle == up.cycle):
            if abs(up.ideal_percent - down.ideal_percent) <= 1.0:
                rows.append((up.ideal_percent, down.error_percent - up.error_percent))
    return sorted(rows)


def _hysteresis_or_time(c: Curve) -> Signature | None:
    pairs = _pairs(c)
    gaps = [g for _, g in pairs]
    if len(pairs) < 2 or max(abs(g) for g in gaps) < max(c.noticeable, 0.25 * c.tolerance):
        return None
    widest = max(gaps, key=abs)
    consistent = sum(1 for g in gaps if g * widest > 0) / len(gaps)
    ends = [g for y, g in pairs if y < 2 or y > 98]
    bottom = [g for y, g in pairs if y < 2]
    # Read up then down, a slow change with time leaves the widest gap where most time has passed: at the bottom.
    if bottom and abs(max(bottom, key=abs)) >= 0.85 * abs(widest) and len(pairs) >= 3 and consistent > 0.7:
        return Signature(
            "time-drift",
            "The readings move with time: leak, not settled, or temperature.",
            "Test for leaks, let it settle, then repeat.",
            _confidence(abs(widest), 0.25 * abs(widest)),
            (f"The gap between down and up grows towards the bottom, where most time has passed: {widest:+.2f} %.",),
        )
    quiet = max((abs(g) for g in ends), default=0.0)
    if consistent < 0.6:
        return None
    return Signature(
        "hysteresis",
        "Upscale and downscale readings lie apart: friction, plugged line or a mechanical cause.",
        "Clean it and free it; hysteresis cannot be adjusted away.",
        _confidence(abs(widest), 0.5 * quiet),
        (f"Down minus up is {widest:+.2f} % of span at its widest, {quiet:.2f} % at the ends.",),
    )


def _level_means(c: Curve) -> list[tuple[float, float]]:
    rows: dict[int, list[Point]] = {}
    for p in c.points:
        rows.setdefault(round(p.ideal_percent), []).append(p)
    return sorted((sum(p.ideal_percent for p in ps) / len(ps), sum(p.error_percent for p in ps) / len(ps)) for ps in rows.values())


def _linearity(c: Curve) -> Signature | None:
    means = _level_means(c)
    if len(means) < 3:
        return None
    (y0, e0), (y1, e1) = means[0], means[-1]
    bows = [(y, e - e0 - (e1 - e0) * (y - y0) / (y1 - y0)) for y, e in means[1:-1]]
    y, widest = max(bows, key=lambda b: abs(b[1]))
    if abs(widest) < c.noticeable:
        return None
    agreeing = sum(1 for _, b in bows if b * widest > 0) / len(bows)
    return Signature(
        "linearity",
        "The errors bow in the middle: linearity or characterisation.",
        "Linearise it if it can be; replace it if not.",
        round(_confidence(abs(widest), 0.0) * (0.6 + 0.39 * agreeing), 2),
        (f"The curve leaves the line through its ends by {widest:+.2f} % of span at {y:.0f} %.",),
    )


def _ends(c: Curve, fit: Fit) -> tuple[float, float]:
    """The line's errors at LRV and at URV: where the output falls as the input rises, LRV is at the top of the output."""
    return (fit.at_span, fit.at_zero) if is_falling(c.points) else (fit.at_zero, fit.at_span)


def _zero(c: Curve) -> Signature | None:
    fit = fit_errors(c.points)
    at_lrv, at_urv = _ends(c, fit)
    change = abs(at_urv - at_lrv)
    if abs(at_lrv) < c.noticeable or abs(at_lrv) < 0.35 * change:
        return None
    return Signature(
        "zero-shift",
        f"The same error everywhere, about {at_lrv:+.2f} % of span: zero shift.",
        "Adjust zero; look for the cause (build-up, head, mounting).",
        _confidence(abs(at_lrv), 0.5 * change + 0.5 * fit.rest),
        (
            f"The line through the errors starts at {at_lrv:+.2f} % and ends at {at_urv:+.2f} %.",
            f"The readings stay within {fit.rest:.2f} % of it.",
        ),
    )


def _span(c: Curve) -> Signature | None:
    fit = fit_errors(c.points)
    at_lrv, at_urv = _ends(c, fit)
    change = at_urv - at_lrv
    if abs(change) < c.noticeable or abs(change) < 0.35 * abs(at_lrv):
        return None
    return Signature(
        "span-error",
        f"The error grows with the input, {change:+.2f} % from bottom to top: span error.",
        "Adjust zero first, then span (sensor or span trim).",
        _confidence(abs(change), 0.5 * abs(at_lrv) + 0.5 * fit.rest),
        (f"Error {at_lrv:+.2f} % at the bottom, {at_urv:+.2f} % at the top of the range.",),
    )


def _split(c: Curve) -> tuple[Signature, ...]:
    """Which side of a smart transmitter is off, where the digital value was read beside the output."""
    if c.pv_errors is None:
        return ()
    sensor = max(abs(e) for e in c.pv_errors)
    output = max(abs(p.error_percent - e) for p, e in zip(c.points, c.pv_errors, strict=True))
    evidence = (f"Applied to digital value: up to {sensor:.2f} %. Digital value to output: up to {output:.2f} %.",)
    if output >= c.noticeable and sensor < 0.5 * output:
        return (
            Signature(
                "output-stage",
                "The digital value is good and the output is off: output stage.",
                "Trim the output, not the sensor.",
                _confidence(output, sensor),
                evidence,
            ),
        )
    if sensor >= c.noticeable and output < 0.5 * sensor:
        return (
            Signature(
                "sensor-side",
                "The digital value is off and the output follows it: sensor side.",
                "Trim the sensor, not the output.",
                _confidence(sensor, output),
                evidence,
            ),
        )
    return ()


_WHOLE_CURVE = (_reversed, _transfer_mismatch, _saturation, _clipped_end, _outlier, _range_mismatch)
_AS_READ = (_reversed, _transfer_mismatch, _saturation)  # what is told from the output itself
_COMPONENTS = (_hysteresis_or_time, _linearity, _zero, _span)
