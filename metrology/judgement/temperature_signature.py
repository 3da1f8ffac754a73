"""Error signatures of temperature sensors: leads, cold junction, gradient, drifted element, one bad reading.

Errors are in C; the slope of the sensor's curve at each point turns them into the sensor's own unit, where causes are constant.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from metrology.judgement.signature import Signature
from metrology.quantities.temperature import pt_resistance


@dataclass(frozen=True)
class SensorPoint:
    """One comparison: reference temperature and error in C, and the slope of the sensor's curve there (ohm or mV per C)."""

    t90_c: float
    error_c: float
    slope: float


def find_sensor_signatures(
    points: Sequence[SensorPoint], *, tolerance: float, sensor: str, r0: float = 100.0, wires: int = 4
) -> tuple[Signature, ...]:
    """The named patterns in these comparisons, most telling first; tolerance in C, sensor as "pt" or "tc-k"."""
    if len({round(p.t90_c, 1) for p in points}) < 3 or max(abs(p.error_c) for p in points) <= 0.5 * tolerance:
        return ()
    outlier = _outlier(points, tolerance)
    if outlier:
        return (outlier,)
    found = _platinum(points, tolerance, r0, wires) if sensor == "pt" else _thermocouple(points, tolerance) if sensor else _plain(points)
    return tuple(sorted(found, key=lambda s: -s.confidence))


def _confidence(explained: float, rest: float) -> float:
    total = explained + rest
    return round(min(0.99, 0.5 + 0.49 * explained / total), 2) if total > 0 else 0.5


def _fit(values: Sequence[float], law: Sequence[float]) -> tuple[float, float]:
    """Size of one law that fits best, and the root mean square of what it leaves."""
    size = math.fsum(v * x for v, x in zip(values, law, strict=True)) / math.fsum(x * x for x in law)
    rest = math.sqrt(math.fsum((v - size * x) ** 2 for v, x in zip(values, law, strict=True)) / len(values))
    return size, rest


def _line(points: Sequence[SensorPoint]) -> tuple[float, float, float]:
    """Least-squares error at the lowest and the highest temperature, and the largest distance from that line, C."""
    n = len(points)
    mt, me = math.fsum(p.t90_c for p in points) / n, math.fsum(p.error_c for p in points) / n
    stt = math.fsum((p.t90_c - mt) ** 2 for p in points)
    slope = math.fsum((p.t90_c - mt) * (p.error_c - me) for p in points) / stt
    at: Callable[[float], float] = lambda t: me + slope * (t - mt)  # noqa: E731
    low, high = min(p.t90_c for p in points), max(p.t90_c for p in points)
    return at(low), at(high), max(abs(p.error_c - at(p.t90_c)) for p in points)


def _outlier(points: Sequence[SensorPoint], tolerance: float) -> Signature | None:
    """One point away from a smooth course through the others; needs five points, and the others in line."""
    if len(points) < 5:
        return None
    for i, p in enumerate(points):
        others = [q for k, q in enumerate(points) if k != i]
        low, high, rest = _line(others)
        a, b = min(q.t90_c for q in others), max(q.t90_c for q in others)
        off = p.error_c - (low + (high - low) * (p.t90_c - a) / (b - a))
        if abs(off) > max(tolerance, 5 * rest) and rest < 0.3 * tolerance and a < p.t90_c < b:
            return Signature(
                "outlier",
                f"One comparison is off and the others lie in line: a reading or typing mistake at {p.t90_c:.1f} °C.",
                "Strike it with a reason and take that point again.",
                _confidence(abs(off), rest),
                (f"It is {off:+.2f} °C away from the line through the others, which stay within {rest:.2f} °C.",),
            )
    return None


def _platinum(points: Sequence[SensorPoint], tolerance: float, r0: float, wires: int) -> list[Signature]:
    ohm = [p.error_c * p.slope for p in points]
    lead, lead_rest = _fit(ohm, [1.0] * len(points))
    drift, drift_rest = _fit(ohm, [pt_resistance(p.t90_c, r0=r0) for p in points])
    if min(lead_rest, drift_rest) > 0.4 * max(abs(v) for v in ohm):
        return _shape(points, tolerance)
    if lead_rest <= drift_rest:
        wired = "a 2-wire connection carries its leads" if wires == 2 else "a lead or contact carries resistance"
        return [
            Signature(
                "lead-resistance",
                f"The same {lead:+.3f} ohm everywhere: {wired}.",
                "Check wiring and terminals; compensate 2-wire leads.",
                _confidence(abs(lead), lead_rest),
                (f"A constant {lead:+.3f} ohm leaves {lead_rest:.4f} ohm unexplained; a shift of R0 leaves {drift_rest:.4f} ohm.",),
            )
        ]
    return [
        Signature(
            "r0-drift",
            f"The error grows with the resistance: R0 has moved by {100 * drift:+.2f} %.",
            "The element has drifted or is strained: replace it, or load matching coefficients where a transmitter takes them.",
            _confidence(abs(drift) * r0, drift_rest),
            (f"A shift of R0 leaves {drift_rest:.4f} ohm unexplained; a constant resistance leaves {lead_rest:.4f} ohm.",),
        )
    ]


def _thermocouple(points: Sequence[SensorPoint], tolerance: float) -> list[Signature]:
    micro = [1000 * p.error_c * p.slope for p in points]
    size, rest = _fit(micro, [1.0] * len(points))
    low, high, off = _line(points)
    if low > 0.25 * tolerance and high < -0.25 * tolerance and off < 0.5 * (low - high):
        return [
            Signature(
                "inhomogeneity",
                f"It reads high at the low end ({low:+.2f} °C) and low at the high end ({high:+.2f} °C): its wires have changed.",
                "Replace it; more depth or another block does not cure it.",
                _confidence(low - high, off),
                (f"The error crosses zero within the range; the points stay within {off:.2f} °C of that line.",),
            )
        ]
    if rest <= 0.4 * abs(size):
        return [
            Signature(
                "cold-junction",
                f"The same {size:+.0f} \u00b5V everywhere: the cold junction is not compensated as thought.",
                "Check the cold-junction temperature, the extension wire and its polarity.",
                _confidence(abs(size), rest),
                (f"A constant {size:+.0f} \u00b5V leaves {rest:.0f} \u00b5V unexplained.",),
            )
        ]
    return _shape(points, tolerance)


def _shape(points: Sequence[SensorPoint], tolerance: float) -> list[Signature]:
    """What is not the sensor's own law: a slope or a bend of its curve."""
    low, high, rest = _line(points)
    if abs(high - low) >= 0.5 * tolerance and rest < 0.5 * abs(high - low):
        return [
            Signature(
                "curve",
                f"The error runs from {low:+.2f} °C to {high:+.2f} °C: its curve is not the standard one.",
                "Check that type and class are what the register says; replace it if they are.",
                _confidence(abs(high - low), rest),
                (f"The points stay within {rest:.2f} °C of that line.",),
            )
        ]
    return [
        Signature(
            "unsteady",
            "The errors follow no law of a sensor: contact, moisture, or not settled.",
            "Check contacts and insulation, soak longer, then repeat.",
            0.5,
            (f"They stay {rest:.2f} °C away from any line.",),
        )
    ]


def _plain(points: Sequence[SensorPoint]) -> list[Signature]:
    low, high, rest = _line(points)
    return [
        Signature(
            "zero-shift" if abs(high - low) < abs(low + high) / 2 else "span-error",
            f"The error runs from {low:+.2f} °C to {high:+.2f} °C.",
            "Find out which part of the chain is off: sensor, leads or conversion.",
            _confidence(max(abs(low), abs(high)), rest),
            (f"The points stay within {rest:.2f} °C of that line.",),
        )
    ]
