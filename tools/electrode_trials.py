"""Simulated electrodes in buffers and belts over months, each with one fault or none, judged blind: how often is the cause named right?"""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, replace

from metrology.judgement.belt_signature import BeltResult, find_belt_signatures
from metrology.judgement.ph_signature import Electrode, InBuffer, find_ph_signatures
from metrology.quantities.acidity import buffer_ph, electrode_slope
from metrology.simulation.belt import SimulatedBelt
from metrology.simulation.electrode import Medium, SimulatedAnalyzer

HEALTHY = "healthy"
TOLERANCE = 0.1


@dataclass(frozen=True)
class Trial:
    """What it has, and what was named first."""

    truth: str
    named: str


def _dip(a: SimulatedAnalyzer, name: str, ph: float, temp_c: float) -> InBuffer:
    """An electrode in a beaker until it stands; `ph` is what the record has for it."""
    a.dip(name)
    seconds, last = 0.0, a.mv
    while seconds < 900:
        a.step(1.0)
        seconds += 1.0
        if abs(a.settling) < 0.05 * max(1.0, abs(a.mv - last)) and seconds > 3:
            break
    for _ in range(60):
        a.step(1.0)
    return InBuffer(ph, round(a.shown, 2), round(a.shown_mv, 1), temp_c, round(a.temp_c, 1), seconds)


def electrode(truth: str, rng: random.Random) -> Electrode:
    """One analyzer with a fault, read in two buffers."""
    temp = rng.choice((15.0, 20.0, 25.0, 30.0))
    first, second = buffer_ph("nist", 6.865, temp), buffer_ph("nist", 4.005, temp)
    given = {
        "slope_percent": rng.uniform(95, 100), "offset_mv": rng.uniform(-12, 12), "lag_s": rng.uniform(1.5, 5), "glass_mohm": rng.uniform(60, 400),
        "reference_kohm": rng.uniform(2, 15), "own_slope": 97.5, "own_offset": 0.0, "seed": rng.randrange(10**6),
    }  # fmt: skip
    changes: dict[str, dict[str, float]] = {
        "aged-glass": {"slope_percent": rng.uniform(70, 90), "lag_s": rng.uniform(60, 120), "glass_mohm": rng.uniform(1100, 3000)},
        "cracked-glass": {"slope_percent": rng.uniform(60, 85), "glass_mohm": rng.uniform(0.5, 8)},
        "poisoned-reference": {"offset_mv": rng.choice((-1, 1)) * rng.uniform(33, 70)},
        "coated-or-cracked": {"slope_percent": rng.uniform(0, 12), "glass_mohm": rng.choice((2.0, 4000.0))},
    }
    media = {"first": Medium(first, temp), "second": Medium(second, temp), "process": Medium(7.2, temp)}
    if truth == "wrong-table":
        media |= {"first": Medium(buffer_ph("technical", 7.0, temp), temp), "second": Medium(buffer_ph("technical", 10.01, temp), temp)}
        second = buffer_ph("nist", 9.18, temp)
        given |= {"slope_percent": 97.5 + rng.uniform(-0.5, 0.5), "offset_mv": rng.uniform(-0.5, 0.5)}
    if truth == "contaminated-buffer":
        media["second"] = Medium(second - rng.uniform(0.3, 0.6), temp)
    if truth == "temperature-not-compensated":
        temp = rng.choice((5.0, 10.0, 40.0, 45.0))
        first, second = buffer_ph("nist", 6.865, temp), buffer_ph("nist", 4.005, temp)
        media = {"first": Medium(first, temp), "second": Medium(second, temp), "process": Medium(7.2, temp)}
        given |= {"slope_percent": 97.5, "offset_mv": rng.uniform(-1, 1)}
    made = SimulatedAnalyzer(**{**given, **changes.get(truth, {})}, media=media, compensates=truth != "temperature-not-compensated")
    order = {"buffers-swapped": ("second", "first"), "same-buffer": ("first", "first")}.get(truth, ("first", "second"))
    a, b = _dip(made, order[0], first, temp), _dip(made, order[1], second, temp)
    if not made.compensates:
        a, b = replace(a, analyzer_c=25.0), replace(b, analyzer_c=25.0)
    told = electrode_slope(a.mv, a.ph, e2_mv=b.mv, ph2=b.ph, temp_c=temp)
    return Electrode(a, b, told.efficiency_percent, told.offset_mv, "nist", made.glass_mohm, made.reference_kohm)


ELECTRODE_FAULTS = (
    "buffers-swapped", "same-buffer", "coated-or-cracked", "wrong-table", "temperature-not-compensated", "contaminated-buffer", "aged-glass",
    "cracked-glass", "poisoned-reference",
)  # fmt: skip


def belt(truth: str, rng: random.Random) -> BeltResult:
    """A belt over some calibrations a month apart."""
    made = SimulatedBelt(dead_kg_m=rng.uniform(20, 35), scatter=rng.uniform(2, 8), seed=rng.randrange(10**6))
    n = rng.randrange(6, 10)
    creep, step_at = made.dead_kg_m * rng.uniform(0.0006, 0.002), rng.randrange(2, n - 1)
    days, counts = [], []
    for k in range(n):
        if truth == "zero-build-up":
            made.build_up_kg_m += creep
        if truth == "zero-step" and k == step_at:
            made.dead_kg_m *= 1 + rng.choice((-1, 1)) * rng.uniform(0.005, 0.03)
        made.start(15)
        while made.is_testing:
            made.step(5.0)
        days.append(30.0 * k + rng.uniform(-5, 5))
        counts.append(made.shown_count)
    change = 100 * (counts[-1] - counts[-2]) / counts[0]
    return BeltResult(change, None, 0.01, 2, tuple(days), tuple(counts), counts[0], 0.1, 1.0, 0.06, 0.5)


def run_trials(count: int, seed: int) -> tuple[list[Trial], list[Trial]]:
    """Electrodes and belts, so many of each, a fifth of them healthy."""
    rng = random.Random(seed)

    def many(faults: tuple[str, ...], name: Callable[[str], str]) -> list[Trial]:
        truths = [HEALTHY if n % 5 == 0 else faults[n % len(faults)] for n in range(count)]
        return [Trial(t, name(t)) for t in truths]

    def of_electrode(truth: str) -> str:
        found = find_ph_signatures(electrode(truth, rng), tolerance=TOLERANCE)
        return found[0].code if found else "none"

    def of_belt(truth: str) -> str:
        found = find_belt_signatures(belt(truth, rng))
        return found[0].code if found else "none"

    return many(ELECTRODE_FAULTS, of_electrode), many(("zero-build-up", "zero-step"), of_belt)


def shares(trials: list[Trial]) -> tuple[float, float]:
    """Shares of faults named right, and of healthy ones given a name."""
    faulty = [t for t in trials if t.truth != HEALTHY]
    healthy = [t for t in trials if t.truth == HEALTHY]
    return sum(t.truth == t.named for t in faulty) / len(faulty), sum(t.named != "none" for t in healthy) / max(1, len(healthy))


def main() -> None:
    """Print the shares and what was taken for what."""
    for what, trials in zip(("electrodes", "belts"), run_trials(500, 2201), strict=True):
        right, false = shares(trials)
        print(f"{what}: {100 * right:.1f} % named right, {100 * false:.1f} % of healthy ones given a name")
        for (truth, named), n in sorted(Counter((t.truth, t.named) for t in trials if t.truth != t.named).items()):
            print(f"   {truth:<28} named {named:<28} {n}")


if __name__ == "__main__":
    main()
