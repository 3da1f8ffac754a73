"""What an explanation says to a technician: names, first actions, what was seen, and the one more reading that would tell."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from metrology.judgement.causes.explain import NONE, Candidate, Explanation, explain
from metrology.judgement.causes.hypothesis import FLOOR
from metrology.judgement.causes.rows import OUTPUT, Curve
from metrology.judgement.causes.telling import LEAST_NAMED, MOST, is_nothing, named, signature, undecided
from metrology.judgement.errors import DOWN, Point, is_falling
from metrology.judgement.signature import Signature

SENSOR_SIDE, OUTPUT_SIDE = "sensor-side", "output-side"
ADJUSTED = {"zero-shift", "span-error", NONE}  # whichever of them it is, the same is done
TITLES = {
    "zero-shift": "zero shift", "span-error": "span error", "linearity": "linearity", "hysteresis": "hysteresis", "friction": "friction",
    "time-drift": "a change with time", "range-mismatch": "another range", "unit-mismatch": "another unit", "transfer-mismatch": "root extraction",
    "saturation": "saturation", "reversed": "the wrong way round", "outlier": "one reading off", "scatter": "scatter", NONE: "nothing wrong",
}  # fmt: skip
ACTIONS = {
    "zero-shift": "Adjust zero; look for the cause (build-up, head, mounting).",
    "span-error": "Adjust zero first, then span (sensor or span trim).",
    "linearity": "Linearise it if it can be; replace it if not.",
    "hysteresis": "Clean it and free it; hysteresis cannot be adjusted away.",
    "friction": "Free its movement: bearings, pivots, a rubbing float or linkage; friction cannot be adjusted away.",
    "time-drift": "Test for leaks, let it settle, then repeat.",
    "range-mismatch": "Check the configured range before trimming anything.",
    "unit-mismatch": "Check the unit in the transmitter and of the reference before trimming anything.",
    "transfer-mismatch": "Check the square root in the transmitter and in the system: it must be applied once only.",
    "saturation": "Check range, wiring, supply voltage and cut-off.",
    "reversed": "Check tubing or wiring and the configured direction before anything else.",
    "outlier": "Strike it with a reason and take that point again.",
    "scatter": "Do not adjust: look for a loose contact, pulsation, vibration or a source that does not hold, then repeat.",
}


def find_signatures(curve: Curve) -> tuple[Signature, ...]:
    """The named causes, likeliest first; before them `undecided` where they can't be told apart and not the same is to be done.

    Empty where nothing is wrong.
    """
    told = explain(curve)
    if is_nothing(told, is_failed=curve.worst > curve.tolerance):
        return ()
    found = []
    for c in named(told):
        says, seen = WORDS[c.code](curve, c)
        found.append(signature(told, c, TITLES, says=says, action=ACTIONS[c.code], seen=seen))
    if told.is_undecided and not {c.code for c in told.candidates if c.chance >= LEAST_NAMED} <= ADJUSTED:
        found.insert(0, undecided(told, TITLES, would_tell(curve)))
    sides = side_of(curve)
    # Where the digital value tells which side is off, an error of zero or span is put right on that side: the two don't say different things.
    return (*(replace(s, first_action=sides[0].first_action) if sides and s.code in ADJUSTED else s for s in found), *sides)


def with_sides(curve: Curve, told: Explanation) -> tuple[tuple[str, float], ...]:
    """(code, share) of each; where the digital value was read, what is trimmed away on one side is told by its side."""
    side = [s.code for s in side_of(curve)]
    rows: dict[str, float] = {}
    for c in told.candidates:
        is_moved = c.code in ("zero-shift", "span-error") or (OUTPUT_SIDE in side and c.code in ("range-mismatch", "linearity"))
        for code in side if side and is_moved else [c.code]:
            rows[code] = rows.get(code, 0.0) + c.share / (len(side) if side and is_moved else 1)
    return tuple(sorted(rows.items(), key=lambda r: -r[1]))


def would_tell(curve: Curve) -> str:
    """The one more reading, or look, that tells the two likeliest causes apart; empty where it is decided."""
    told = explain(curve)
    if not told.is_undecided or len(told.candidates) < 2:
        return ""
    two = told.candidates[:2]
    codes = {c.code for c in two}
    low, high = min(curve.points, key=lambda p: p.fraction), max(curve.points, key=lambda p: p.fraction)
    first = 100 * curve.points[0].fraction
    off = next((c for c in two if c.code == "outlier"), None)
    at = 100 * curve.points[int(off.best.about)].fraction if off else 0.0
    ways = (
        ({"range-mismatch", "unit-mismatch"}, "Read the range and the unit that are set in the device."),
        ({"transfer-mismatch"}, "Read in the device, and in the system, whether the square root is on."),
        ({"outlier"}, f"Take {at:.0f} % again."),
        ({"saturation"}, "Read one point more just inside the end, at 5 % and at 95 %: an output that is held stays where it is."),
        ({"time-drift"}, f"Go back to {first:.0f} % and read it again: what changes with time has moved it."),
        ({"scatter"}, "Repeat 50 % three times: scatter does not come back to the same value."),
        ({"friction", "hysteresis"}, _both_ways(curve, low, high)),
        (
            {"linearity"},
            "Read 25 % and 75 % as well." if _levels(curve) < 5 else "Take the points once more: a bow comes back, chance does not.",
        ),
    )
    return next((words for needs, words in ways if needs & codes), "Take the points once more: two cycles tell a shift from chance.")


def _levels(curve: Curve) -> int:
    return len({round(p.ideal_percent) for p in curve.points})


def _both_ways(curve: Curve, low: Point, high: Point) -> str:
    if not curve.is_both_ways:
        return "Take the points down again."
    return f"Read {100 * low.fraction:.0f} % coming from above and {100 * high.fraction:.0f} % coming from below: friction is there too, hysteresis is not."


Told = tuple[str, tuple[str, ...]]


def _zero(curve: Curve, c: Candidate) -> Told:
    at_lrv, at_urv, rest = _line(curve)
    size = _size(c)
    where = "" if c.best.domain == OUTPUT or curve.transfer.kind != "sqrt" else " of its input"
    lines = (
        f"The line through the errors starts at {at_lrv:+.2f} % and ends at {at_urv:+.2f} %.",
        f"The readings stay within {rest:.2f} % of it.",
    )
    return (
        f"The same error everywhere, about {size:+.2f} % of span{where}: zero shift.",
        lines,
    )


def _span(curve: Curve, c: Candidate) -> Told:
    at_lrv, at_urv, _ = _line(curve)
    return (
        f"The error grows with the input, {at_urv - at_lrv:+.2f} % from bottom to top: span error.",
        (f"Error {at_lrv:+.2f} % at the bottom, {at_urv:+.2f} % at the top of the range.",),
    )


def _linearity(curve: Curve, c: Candidate) -> Told:
    means = _means(curve)
    (y0, e0), (y1, e1) = means[0], means[-1]
    y, widest = max(
        ((y, e - e0 - (e1 - e0) * (y - y0) / (y1 - y0)) for y, e in means[1:-1]), key=lambda b: abs(b[1]), default=(50.0, _size(c))
    )
    return "The errors bow in the middle: linearity or characterisation.", (
        f"The curve leaves the line through its ends by {widest:+.2f} % of span at {y:.0f} %.",
    )


def _gaps(curve: Curve) -> list[tuple[float, float]]:
    ups = {(p.cycle, round(p.ideal_percent)): p.error_percent for p in curve.points if p.direction != DOWN}
    return sorted(
        (p.ideal_percent, p.error_percent - ups[p.cycle, round(p.ideal_percent)])
        for p in curve.points
        if p.direction == DOWN and (p.cycle, round(p.ideal_percent)) in ups
    )


def _hysteresis(curve: Curve, c: Candidate) -> Told:
    gaps = _gaps(curve)
    widest = max((g for _, g in gaps), key=abs, default=_size(c))
    quiet = max((abs(g) for y, g in gaps if y < 2 or y > 98), default=0.0)
    return (
        "Upscale and downscale readings lie apart in the middle: hysteresis, a plugged line or a mechanical cause.",
        (f"Down minus up is {widest:+.2f} % of span at its widest, {quiet:.2f} % at the ends.",),
    )


def _friction(curve: Curve, c: Candidate) -> Told:
    gaps = [g for _, g in _gaps(curve)]
    seen = (f"Down minus up is {min(gaps, key=abs):+.2f} to {max(gaps, key=abs):+.2f} % of span.",) if gaps else ()
    return "Friction: both ways apart by the same everywhere.", seen


def _time(curve: Curve, c: Candidate) -> Told:
    return (
        "The readings move with time: leak, not settled, or temperature.",
        (f"They have moved by {_size(c):+.2f} % of span from the first reading to the last, whichever way the input went.",),
    )


def _range(curve: Curve, c: Candidate) -> Told:
    at_lrv, at_urv, rest = _line(curve)
    seen = (
        f"Error {at_lrv:+.2f} % at the bottom and {at_urv:+.2f} % at the top of the range.",
        f"Every reading is within {rest:.2f} % of span of that line.",
    )
    about = f"{c.best.about} {curve.unit}".rstrip()
    return f"The readings lie on another straight line: reads as a {about} range.", seen if curve.transfer.kind != "sqrt" else seen[:1]


def _unit(curve: Curve, c: Candidate) -> Told:
    return (
        f"The gain is that of another unit: {c.best.about}.",
        (f"The error of {c.best.sizes[1]:+.2f} % from bottom to top is the ratio of the two units to within what the readings tell.",),
    )


def _transfer(curve: Curve, c: Candidate) -> Told:
    words = {
        "doubled": "the square root of what it should be: root extraction is on twice, or on where it should be off",
        "missing": "the square of what it should be: root extraction is missing",
    }[c.best.about]
    return f"Right at both ends, but in between the output is {words}.", (
        f"Errors in the middle reach {curve.worst:.1f} % of span and follow that law.",
    )


def _saturation(curve: Curve, c: Candidate) -> Told:
    way, level = c.best.about.split()
    reads = [p.ideal_percent + p.error_percent for p in curve.points]
    if max(reads) - min(reads) < max(0.6 * curve.tolerance, 0.1):
        return f"The output stays at {level} % whatever is applied: stuck, saturated or held.", (
            f"All {len(reads)} readings are about {level} %.",
        )
    return f"The output does not go {way} {level} %: saturation, clipping or cut-off.", (
        f"What should lie {way} it reads about {level} %.",
    )


def _reversed(curve: Curve, c: Candidate) -> Told:
    first, last = min(curve.points, key=lambda p: p.ideal_percent), max(curve.points, key=lambda p: p.ideal_percent)
    moved = last.ideal_percent + last.error_percent - first.ideal_percent - first.error_percent
    wanted = last.ideal_percent - first.ideal_percent
    return (
        "The output runs the wrong way: high and low side swapped, or reverse action.",
        (f"Output moves {moved:+.0f} % of span when it should move {wanted:+.0f} %.",),
    )


def _outlier(curve: Curve, c: Candidate) -> Told:
    k = int(c.best.about)
    return (
        f"One reading is off and the others lie in line: a reading or typing mistake at {100 * curve.points[k].fraction:.0f} %.",
        (f"Reading {k + 1} is {c.best.sizes[0]:+.2f} % of span away from where the others put it.",),
    )


def _scatter(curve: Curve, c: Candidate) -> Told:
    _, _, rest = _line(curve)
    return "Scatter: it does not repeat.", (f"The readings lie up to {rest:.2f} % of span from any line, up and down without order.",)


WORDS: dict[str, Callable[[Curve, Candidate], Told]] = {
    "zero-shift": _zero, "span-error": _span, "linearity": _linearity, "hysteresis": _hysteresis, "friction": _friction, "time-drift": _time,
    "range-mismatch": _range, "unit-mismatch": _unit, "transfer-mismatch": _transfer, "saturation": _saturation, "reversed": _reversed,
    "outlier": _outlier, "scatter": _scatter,
}  # fmt: skip


def _size(c: Candidate) -> float:
    """Of the cause in the hypothesis that speaks most for it."""
    return c.best.sizes[min(c.best.codes.index(c.code), len(c.best.sizes) - 1)]


def _line(curve: Curve) -> tuple[float, float, float]:
    """Least-squares errors at LRV and at URV and the largest distance from that line; a falling output has LRV at its top."""
    n = len(curve.points)
    mx = sum(p.ideal_percent for p in curve.points) / n
    my = sum(p.error_percent for p in curve.points) / n
    sxx = sum((p.ideal_percent - mx) ** 2 for p in curve.points)
    slope = sum((p.ideal_percent - mx) * (p.error_percent - my) for p in curve.points) / sxx
    zero = my - slope * mx
    rest = max(abs(p.error_percent - zero - slope * p.ideal_percent) for p in curve.points)
    ends = zero, zero + 100 * slope
    return (*(ends[::-1] if is_falling(curve.points) else ends), rest)


def _means(curve: Curve) -> list[tuple[float, float]]:
    rows: dict[int, list[Point]] = {}
    for p in curve.points:
        rows.setdefault(round(p.ideal_percent), []).append(p)
    return sorted((sum(p.ideal_percent for p in ps) / len(ps), sum(p.error_percent for p in ps) / len(ps)) for ps in rows.values())


def side_of(curve: Curve) -> tuple[Signature, ...]:
    """Which side of a smart transmitter is off, where the digital value was read beside the output; both where both are."""
    if curve.pv_errors is None:
        return ()
    sensor = max(abs(e) for e in curve.pv_errors)
    output = max(abs(p.error_percent - e) for p, e in zip(curve.points, curve.pv_errors, strict=True))
    floor = FLOOR * curve.tolerance
    evidence = (f"Applied to digital value: up to {sensor:.2f} %. Digital value to output: up to {output:.2f} %.",)
    sure = min(MOST, round(0.5 + 0.5 * abs(output - sensor) / (output + sensor), 2)) if output + sensor else 0.5
    found = []
    if output >= floor and output >= 0.5 * sensor:
        found.append(
            Signature(
                OUTPUT_SIDE,
                "The digital value is good and the output is off: output stage.",
                "Trim the output, not the sensor.",
                sure,
                evidence,
            )
        )
    if sensor >= floor and sensor >= 0.5 * output:
        found.append(
            Signature(
                SENSOR_SIDE,
                "The digital value is off and the output follows it: sensor side.",
                "Trim the sensor, not the output.",
                sure,
                evidence,
            )
        )
    if len(found) == 2:
        words = "Sensor and output are both off."
        return tuple(replace(s, says=words, first_action="Trim the sensor first, then the output.", confidence=sure) for s in found)
    return tuple(found)
