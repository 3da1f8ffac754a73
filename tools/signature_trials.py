"""Simulated instruments with random faults, judged blind: how often is the fault named right, how often a healthy one named wrongly?"""

from __future__ import annotations

import math
import random
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass

from metrology.judgement.errors import Point, measure_point
from metrology.judgement.signature import Curve, find_signatures
from metrology.judgement.temperature_signature import SensorPoint, find_sensor_signatures
from metrology.quantities.temperature import sensor_signal, sensor_temperature, sensor_tolerance
from metrology.quantities.transfer import Transfer
from metrology.simulation.thermal import SensorFaults, SimulatedSensor
from metrology.simulation.transmitter import Faults, SimulatedTransmitter

POINTS = (0.0, 25.0, 50.0, 75.0, 100.0)
TOLERANCE = 0.5
HEALTHY = "healthy"


@dataclass(frozen=True)
class Trial:
    """One instrument: what it has, and what was named (none when nothing was)."""

    truth: str
    named: str


def _imperfect(rng: random.Random) -> dict[str, float]:
    """What every real transmitter has a little of, in % of span."""
    return {
        "zero": rng.gauss(0, 0.05),
        "span": rng.gauss(0, 0.05),
        "bow": rng.gauss(0, 0.03),
        "hysteresis": abs(rng.gauss(0, 0.04)),
    }


def _size(rng: random.Random) -> float:
    """One to four tolerances, either way."""
    return rng.choice([-1, 1]) * rng.uniform(1.0, 4.0) * TOLERANCE


def _read(
    rng: random.Random, changes: dict[str, float], transfer: Transfer, device_transfer: Transfer | None = None
) -> tuple[list[float], list[float]]:
    """Outputs and digital values over the points, up and down."""
    made = Faults(**{**_imperfect(rng), **changes})
    device = SimulatedTransmitter(
        0, 100, faults=made, seed=rng.randrange(10**6), noise=rng.uniform(0.003, 0.015), transfer=device_transfer or transfer
    )
    outputs, digital = [], []
    for n, p in enumerate((*POINTS, *reversed(POINTS))):
        outputs.append(device.settle_at(p, overshoot=2.0 if n == len(POINTS) else 0.0))
        digital.append(100 * device.pv_fraction)
    return outputs, digital


def _points(outputs: list[float], transfer: Transfer) -> tuple[Point, ...]:
    ways = [(p, "up") for p in POINTS] + [(p, "down") for p in reversed(POINTS)]
    return tuple(
        measure_point(p, out, lrv=0, urv=100, transfer=transfer, output_lo=4, output_hi=20, direction=way)
        for (p, way), out in zip(ways, outputs, strict=True)
    )


def _name(outputs: list[float], transfer: Transfer, digital: list[float] | None = None) -> str:
    """What the engine says first; which side is off, where it says so: that is what the technician does next."""
    points = _points(outputs, transfer)
    errors = tuple(d - p.fraction * 100 for d, p in zip(digital, points, strict=True)) if digital else None
    found = find_signatures(Curve(points, TOLERANCE, transfer, 0, 100, "kPa", errors))
    codes = [s.code for s in found]
    sided = [c for c in codes if c in ("output-stage", "sensor-side")]
    return (sided or codes or ["none"])[0]


LINEAR, ROOT, REVERSE = Transfer(), Transfer("sqrt"), Transfer("reverse")


def _transmitter(code: str, rng: random.Random) -> str:
    size = _size(rng)
    simple = {"zero-shift": "zero", "span-error": "span", "linearity": "bow"}
    if code in simple:
        built = rng.choice([LINEAR, LINEAR, REVERSE])
        return _name(_read(rng, {simple[code]: size}, built)[0], built)
    if code == "hysteresis":
        return _name(_read(rng, {"hysteresis": abs(size)}, LINEAR)[0], LINEAR)
    if code == "saturation":
        return _name(_read(rng, {"clip_high_percent": rng.uniform(55, 95)}, LINEAR)[0], LINEAR)
    if code == "range-mismatch":
        return _name(_read(rng, {"span": rng.choice([-1, 1]) * rng.uniform(8, 40)}, LINEAR)[0], LINEAR)
    if code == "transfer-mismatch":
        wanted, built = rng.choice([(LINEAR, ROOT), (ROOT, LINEAR)])
        return _name(_read(rng, {"zero": 0.0, "hysteresis": 0.0}, wanted, built)[0], wanted)
    if code == "reversed":
        return _name([24.0 - o for o in _read(rng, {}, LINEAR)[0]], LINEAR)
    if code == "time-drift":
        outputs = _read(rng, {}, LINEAR)[0]
        return _name([o + 0.16 * size * n / (len(outputs) - 1) for n, o in enumerate(outputs)], LINEAR)
    if code == "outlier":
        outputs = _read(rng, {}, LINEAR)[0]
        outputs[rng.randrange(1, len(outputs) - 1)] += 0.16 * size
        return _name(outputs, LINEAR)
    changes = {"output_offset": size} if code == "output-stage" else {"zero": size}
    return _name(*_reordered(_read(rng, changes, LINEAR)))


def _reordered(both: tuple[list[float], list[float]]) -> tuple[list[float], Transfer, list[float]]:
    return both[0], LINEAR, both[1]


def _sensor(code: str, rng: random.Random) -> str:
    is_platinum = code in ("lead-resistance", "r0-drift", "healthy-pt")
    sensor, label = ("pt", "pt-a") if is_platinum else ("tc-k", "tc-k-2")
    low, high = (0.0, rng.choice([150.0, 250.0])) if is_platinum else (0.0, rng.choice([400.0, 800.0]))
    tolerance = sensor_tolerance(label, low)
    size = rng.choice([-1, 1]) * rng.uniform(1.0, 4.0) * tolerance
    at_high = rng.uniform(1.0, 3.0) * sensor_tolerance(label, high)
    faults = {
        "lead-resistance": {"lead_ohm": abs(size) * 0.39 * 1.7},
        "r0-drift": {"r0_percent": size * 0.39 * 1.2},
        "cold-junction": {"cold_junction_c": size * 1.3},
        "inhomogeneity": {"inhomogeneity": at_high},
    }.get(code, {})
    little = (
        {"r0_percent": rng.gauss(0, 0.008)} if is_platinum else {"cold_junction_c": rng.gauss(0, 0.3), "gain_percent": rng.gauss(0, 0.03)}
    )
    made = SimulatedSensor(sensor, faults=SensorFaults(**{**little, **faults, "low_c": low, "high_c": high}), terminal_c=22.0)
    points = []
    for share in (0.0, 0.25, 0.5, 0.75, 1.0) if rng.random() < 0.5 else (0.0, 0.5, 1.0):
        t = low + share * (high - low) + rng.gauss(0, 0.1)
        signal = made.signal_at(t) + rng.gauss(0, 0.001)
        told = sensor_temperature(sensor, signal, cold_junction_c=0.0 if is_platinum else 22.0) + rng.gauss(0, 0.01)
        slope = sensor_signal(sensor, t + 0.5) - sensor_signal(sensor, t - 0.5)
        points.append(SensorPoint(t, told - t, slope))
    found = find_sensor_signatures(points, tolerance=min(sensor_tolerance(label, p.t90_c) for p in points), sensor=sensor)
    return found[0].code if found else "none"


TRANSMITTER_CODES = (
    "zero-shift",
    "span-error",
    "range-mismatch",
    "transfer-mismatch",
    "linearity",
    "hysteresis",
    "time-drift",
    "saturation",
    "reversed",
    "output-stage",
    "sensor-side",
    "outlier",
)
SENSOR_CODES = ("lead-resistance", "r0-drift", "cold-junction", "inhomogeneity")


def healthy(rng: random.Random) -> str:
    """What is named on an instrument that has nothing but its small imperfections."""
    if rng.random() < 0.6:
        return _name(_read(rng, {}, LINEAR)[0], LINEAR)
    return _sensor(rng.choice(["healthy-pt", "healthy-tc"]), rng)


def run_trials(cases: int, seed: int = 2101) -> list[Trial]:
    """`cases` with faults of one tolerance or more, drawn evenly, and a quarter as many healthy ones."""
    rng = random.Random(seed)
    codes = (*TRANSMITTER_CODES, *SENSOR_CODES)
    act: dict[str, Callable[[str, random.Random], str]] = dict.fromkeys(TRANSMITTER_CODES, _transmitter)
    act.update(dict.fromkeys(SENSOR_CODES, _sensor))
    trials = [Trial(code, act[code](code, rng)) for code in (codes[n % len(codes)] for n in range(cases))]
    return trials + [Trial(HEALTHY, healthy(rng)) for _ in range(math.ceil(cases / 4))]


def shares(trials: list[Trial]) -> tuple[float, float]:
    """Share of faults named right, and share of healthy ones that got a name."""
    faulty = [t for t in trials if t.truth != HEALTHY]
    sound = [t for t in trials if t.truth == HEALTHY]
    return sum(t.named == t.truth for t in faulty) / len(faulty), sum(t.named != "none" for t in sound) / len(sound)


def confusion(trials: list[Trial]) -> str:
    """A table: what it had, how often named right, and what else it was called."""
    lines = [f"  {'what it has':<20} {'cases':>5} {'right':>7}   called instead"]
    for truth in dict.fromkeys(t.truth for t in trials):
        mine = [t.named for t in trials if t.truth == truth]
        right = sum(n == ("none" if truth == HEALTHY else truth) for n in mine)
        other = Counter(n for n in mine if n != ("none" if truth == HEALTHY else truth))
        lines.append(
            f"  {truth:<20} {len(mine):>5} {100 * right / len(mine):>6.1f} %   " + ", ".join(f"{n} {c}" for n, c in other.most_common())
        )
    return "\n".join(lines)
