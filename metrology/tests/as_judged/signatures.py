"""Causes told from readings: signatures of analyzers, scales, meters, sensors, detectors and transmitters."""

from __future__ import annotations

import random
from dataclasses import replace
from datetime import date
from typing import Any

from metrology.judgement import (
    gas_signature,
    suspicion,
)
from metrology.judgement.belt_signature import find_belt_signatures
from metrology.judgement.causes.explain import explain
from metrology.judgement.causes.naming import find_signatures, side_of, with_sides, would_tell
from metrology.judgement.conductivity_signature import find_conductivity_signatures
from metrology.judgement.errors import is_falling, statistics
from metrology.judgement.injection_signature import AnalyteSeen, find_blank_signatures, find_injection_signatures
from metrology.judgement.mag_signature import find_mag_signatures
from metrology.judgement.mixture_signature import find_mixture_signatures
from metrology.judgement.ph_signature import find_ph_signatures
from metrology.judgement.scale_signature import find_scale_signatures
from metrology.judgement.temperature_signature import SensorPoint, find_sensor_signatures
from metrology.judgement.zero_signature import find_zero_signatures
from metrology.tests.as_judged.asked import Asked, Judged, drawn, each, turned
from tools import cause_trials, cell_trials, electrode_trials, mixture_trials, scale_trials

TODAY = date(2026, 6, 1)


PEERS = (
    suspicion.Peer("AE-1", 0.8, 0.03),
    suspicion.Peer("AE-2", 0.81, 0.03),
    suspicion.Peer("AE-3", 0.79, 0.03),
    suspicion.Peer("AE-4", 1.0, 0.03),
)


def _electrodes() -> Asked:
    made = electrode_trials.electrode("healthy", random.Random(4007))
    often = [replace(made, offsets=(1.0, 4.0, 7.0, 12.0), days=d) for d in ((9.0, 3.0, 2.0, 4.0), (9.0, 30.0, 2.0, 40.0), (1.0, 2.0))]
    return (
        *drawn(electrode_trials.electrode, ("healthy", *electrode_trials.ELECTRODE_FAULTS), "e", tolerance=0.1),
        *((f"often {how}", given) for how, given in turned([{"e": e, "tolerance": 0.1} for e in often])),
    )


def _mixtures() -> Asked:
    effects = (("CO2", "CO", 2.0), ("O2", "NO", 1.5))
    return drawn(mixture_trials.analyzer, ("healthy", *mixture_trials.FAULTS), "seen", effects=effects)


def _sensors() -> Asked:
    errors = (
        (0.0, 0.0, 0.0, 0.0, 0.0),
        (0.3, 0.28, 0.26, 0.24, 0.22),
        (0.5, 0.72, 0.95, 1.2, 1.4),
        (0.0, -0.2, -0.4, -0.6, -0.8),
        (0.1, 0.5, 0.9, 0.4, 0.0),
        (0.0, 0.0, 0.9, 0.0, 0.1),
        (0.4, -0.5, 0.6, -0.3, 0.5),
        (0.12, 0.4, 0.31),
        (-0.7, -0.69, -0.72),
    )
    out = []
    for row in errors:
        at = [200.0 * n / (len(row) - 1) for n in range(len(row))]
        points = tuple(SensorPoint(t, e, 0.39 - 0.0001 * t) for t, e in zip(at, row, strict=True))
        out += [
            {"points": points, "tolerance": 0.35, "sensor": "pt", "wires": 2, "air_c": 22.0},
            {"points": points, "tolerance": 1.1, "sensor": "tc-k"},
        ]
    return turned(out)


def _injections() -> Asked:
    def seen(*shares: float, late: float = 0.0) -> tuple[AnalyteSeen, ...]:
        at = (60.0, 90.0, 130.0, 210.0)
        rows = zip(("H2", "CO", "C2H4", "C2H6"), (50.0, 120.0, 40.0, 60.0), at, shares, strict=True)
        return tuple(AnalyteSeen(n, "ppm", v, 0.05 * v, (v * s, v * s * 1.01), t, 4.0, (t + late, t + late + 0.3)) for n, v, t, s in rows)

    rows = [
        seen(1, 1, 1, 1),
        seen(0.8, 0.8, 0.8, 0.8),
        seen(1.2, 1.2, 1.2, 1.2),
        seen(1, 1.2, 1, 1),
        seen(1, 1, 0.6, 1, late=3.0),
        seen(1, 0, 1, 1),
    ]
    return turned([{"seen": r, "pair_resolution": p, "pair": "C2H4 and C2H6"} for r in rows for p in (None, 1.2, 2.0)])


def _blanks() -> Asked:
    def blank(*shown: float) -> tuple[AnalyteSeen, ...]:
        rows = zip(("H2", "CO", "CO2"), (50.0, 120.0, 400.0), shown, strict=True)
        return tuple(AnalyteSeen(n, "ppm", v, 0.05 * v, (), 60.0, 4.0, (), s, 6.0, n == "CO2") for n, v, s in rows)

    return turned([{"seen": blank(*s)} for s in ((0, 0, 0), (7, 0, 0), (3, 9, 100), (0, 0, 100), (0.1, 0.2, 6.0))])


def _detectors() -> Asked:
    base = gas_signature.ChannelSeen("LEL", "catalytic", 5.0, 0.5, -12.0, 0.76, 25.0, 20.0, 20.9, PEERS, "AE-1", 0.03, 0.02, 1.0, "ok")
    others = (
        {"technology": "electrochemical", "zero": 8.0, "span": 1.0, "ratio": 1.02, "peers": ()},
        {"technology": "optical", "balance_oxygen": 0.0, "t90_s": 60.0, "peers": ()},
        {"balance_oxygen": 4.0, "peers": ()},
        {"response": "no response"},
        {"setting_ratio": 1.4, "peers": ()},
        {"span": 15.0, "ratio": 1.3, "peers": PEERS[3:]},
        {"zero": -6.0, "span": -6.0, "ratio": 0.95, "peers": ()},
    )
    return turned([{"seen": (replace(base, **o),)} for o in ({}, *others)])


def _suspects() -> Asked:
    sets = (
        PEERS,
        PEERS[:3],
        PEERS[:2],
        PEERS[3:],
        tuple(suspicion.Peer(f"AE-{n}", r, 0.02, n == 2) for n, r in enumerate((1.2, 1.21, 1.19, 1.2))),
    )
    return turned([{"peers": p, "u_bottle": u} for p in sets for u in (0.0, 0.02, 0.1)])


def _curves(count: int) -> list[Any]:
    rng = random.Random(4003)
    singles = [(c,) for c in (*cause_trials.SIZED, *cause_trials.UNSIZED)]
    pairs = [("zero-shift", "span-error"), ("zero-shift", "linearity"), ("span-error", "hysteresis")]
    made = [cause_trials.draw(rng, codes, size) for codes in (*singles, *pairs) for size in (1.2, 2.5)][:count]
    healthy = [cause_trials.Made(kind, 0.25, rng) for kind in cause_trials.KINDS]
    three = [cause_trials.draw(rng, c, 2.0, points=(0.0, 0.5, 1.0)) for c in singles[:8]]
    return [m.curve() for m in (*made, *healthy, *three)]


def _sided(curve: Any) -> Any:
    """With the digital value read beside each reading."""
    return replace(
        curve, pv_errors=tuple(0.6 * p.error_percent for p in curve.points), times_s=tuple(60.0 * n for n in range(len(curve.points)))
    )


def _all_of_curve(curve: Any) -> Any:
    return find_signatures(curve), with_sides(curve, explain(curve)), would_tell(curve), side_of(curve)


JUDGED: Judged = {
    "belt": (find_belt_signatures, lambda: drawn(electrode_trials.belt, ("healthy", "zero-build-up", "zero-step"), "r", 3)),
    "blank": (find_blank_signatures, _blanks),
    "bottle": (suspicion.judge_bottle, _suspects),
    "causes": (_all_of_curve, lambda: each({"curve": c} for c in _curves(40))),
    "causes-turned": (_all_of_curve, lambda: turned({"curve": _sided(c)} for c in _curves(10)[3:9:3])),
    "cell": (find_conductivity_signatures, lambda: drawn(cell_trials.cell, ("healthy", *cell_trials.CELL_FAULTS), "c")),
    "detector": (gas_signature.find_gas_signatures, _detectors),
    "injection": (find_injection_signatures, _injections),
    "magnetic": (find_mag_signatures, lambda: drawn(scale_trials.magnetic, ("healthy", *scale_trials.METERS), "m", 2)),
    "mixture": (find_mixture_signatures, _mixtures),
    "ph": (find_ph_signatures, _electrodes),
    "scale": (find_scale_signatures, lambda: drawn(scale_trials.scale, ("healthy", *scale_trials.SCALES), "s")),
    "sensor": (find_sensor_signatures, _sensors),
    "statistics": (lambda curve: (statistics(curve.points), is_falling(curve.points)), lambda: each({"curve": c} for c in _curves(40))),
    "zero": (find_zero_signatures, lambda: drawn(scale_trials.zero, ("healthy", *scale_trials.ZEROS), "z")),
}
