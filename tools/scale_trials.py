"""Simulated vessels, mass flow meters and magnetic meters, each with one fault or none, judged blind: how often is the cause named right?"""

from __future__ import annotations

import random
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass

from metrology.judgement.mag_signature import MagSeen, find_mag_signatures
from metrology.judgement.scale_signature import Loaded, ScaleSeen, find_scale_signatures
from metrology.judgement.zero_signature import ZeroSeen, find_zero_signatures
from metrology.quantities.loading import corner_spread
from metrology.simulation.mass_flow import SimulatedMassFlow
from metrology.simulation.scale import SimulatedScale
from tools.electrode_trials import HEALTHY, Trial, shares

LIMIT = 80.0
SCALES = ("binding", "dead-cell", "overloaded-cell", "rope-or-hose", "build-up", "wind", "span-error", "wrong-capacity")
ZEROS = ("leaking-valve", "zero-shift", "gas-in-liquid", "not-at-rest")
METERS = ("moisture", "coated-electrode", "coil", "not-full", "converter-gain", "output-stage", "wires-exchanged")


def scale(truth: str, rng: random.Random) -> ScaleSeen:
    """A three-legged silo under its weights, with a support test."""
    made = SimulatedScale(seed=rng.randrange(10**6), span=1 + rng.uniform(-0.0015, 0.0015), build_up_kg=rng.uniform(-10, 10))
    sign = rng.choice((-1, 1))
    faults: dict[str, Callable[[], None]] = {
        "binding": lambda: setattr(made, "bound", rng.uniform(0.2, 0.6)),
        "dead-cell": lambda: setattr(made, "dead", rng.choice((1, 2, 3))),
        "overloaded-cell": lambda: setattr(made, "strained_mv_v", rng.uniform(0.25, 0.8)),
        "rope-or-hose": lambda: setattr(made, "hose_kg", rng.uniform(70, 200)),
        "build-up": lambda: setattr(made, "build_up_kg", rng.uniform(110, 500)),
        "wind": lambda: setattr(made, "wind_kg", rng.uniform(15, 40)),
        "span-error": lambda: setattr(made, "span", 1 + sign * rng.uniform(0.012, 0.05)),
        "wrong-capacity": lambda: setattr(made, "span", rng.choice((0.5, 2.0, 2 / 3, 1.5))),
    }
    if truth in faults:
        faults[truth]()
    if truth == "overloaded-cell":
        made.zero_kg = made._aim / made.span + rng.uniform(-10, 10)
    empty = full = made.cells
    rows, moving = [], []
    for load, down in (
        (0.0, False),
        (2500.0, False),
        (5000.0, False),
        (7500.0, False),
        (10_000.0, False),
        (7500.0, True),
        (5000.0, True),
        (2500.0, True),
    ):
        made.put(load)
        for _ in range(20):
            made.step(0.5)
        seen = [made.raw for _ in range(20)]
        mean = sum(seen) / len(seen)
        moving.append((sum((s - mean) ** 2 for s in seen) / 19) ** 0.5)
        rows.append(Loaded(load, round(mean / 20) * 20 - load, down))
        full = made.cells if load == 10_000 else full
    made.put(0.0)
    for _ in range(20):
        made.step(0.5)
    back = made.shown - (rows[0].error + rows[0].load)
    signals = [b - a for a, b in zip(empty, full, strict=True)]
    carried = corner_spread(signals)[0]
    return ScaleSeen(tuple(rows), 20.0, LIMIT, LIMIT, back, carried, empty, moving=max(moving))


def zero(truth: str, rng: random.Random) -> ZeroSeen:
    """A meter shut in, taken twice, a second valve shut in between."""
    made = SimulatedMassFlow(seed=rng.randrange(10**6), zero=0.2 + rng.uniform(-0.6, 0.6))
    if truth == "leaking-valve":
        made.leak = rng.uniform(4, 60)
    if truth == "zero-shift":
        made.zero = 0.2 + rng.choice((-1, 1)) * rng.uniform(2.5, 20)
    if truth == "gas-in-liquid":
        made.gas = rng.uniform(0.06, 0.3)
    if truth == "not-at-rest":
        made.cooling_c = rng.choice((-1, 1)) * rng.uniform(4, 15)
    made.has_cutoff, made.is_down_open, made.is_up_open = False, False, False
    before = None
    for take in range(2):
        flows, densities, drives, temps = [], [], [], []
        for _ in range(60):
            made.step(1.0)
        for n in range(6):
            flows.append(made.shown)
            if n in (0, 5):
                densities.append(made.shown_density)
                drives.append(made.drive)
                temps.append(made.temperature)
            for _ in range(60):
                made.step(1.0)
        if take == 0:
            before = sum(flows) / 6
            first = find_zero_signatures(_window(flows, densities, drives, temps, None))
            if not first or first[0].code in ("gas-in-liquid", "not-at-rest"):
                break
            made.turn("second", is_open=False)
    told = before if made.is_second_shut else None
    return _window(flows, densities, drives, temps, told)


def _window(flows: list[float], densities: list[float], drives: list[float], temps: list[float], before: float | None) -> ZeroSeen:
    """A window of six readings a minute apart, as the method sees it."""
    minutes = tuple(float(n) for n in range(len(flows)))
    return ZeroSeen(minutes, tuple(flows), 1.2, tuple(densities), tuple(drives), tuple(temps), 2.0, 50.0, 1.0, before)


def magnetic(truth: str, rng: random.Random) -> MagSeen:
    """The rows of a verification beside a baseline."""
    based = {"coil": rng.uniform(40, 200), "electrode_a": rng.uniform(3, 60)}
    based["electrode_b"] = based["electrode_a"] * rng.uniform(0.9, 1.1)
    now = {k: v * (1 + rng.gauss(0, 0.04 if k != "coil" else 0.01)) for k, v in based.items()} | {"insulation": rng.uniform(50, 1000)}
    gain, currents = rng.uniform(-0.3, 0.3), tuple(rng.uniform(-0.01, 0.01) for _ in range(3))
    if truth == "moisture":
        now["insulation"] = rng.uniform(0.05, 15)
    if truth == "coated-electrode":
        now[rng.choice(("electrode_a", "electrode_b"))] *= rng.uniform(2.6, 20)
    if truth == "coil":
        now["coil"] *= rng.choice((rng.uniform(0.3, 0.7), rng.uniform(1.4, 4)))
    if truth == "not-full":
        now |= {k: now[k] * rng.uniform(80, 500) for k in ("electrode_a", "electrode_b")}
    if truth == "converter-gain":
        gain = rng.choice((-1, 1)) * rng.uniform(0.7, 4)
    if truth == "output-stage":
        currents = tuple(c + rng.choice((-1, 1)) * 0.06 for c in currents)
    if truth == "wires-exchanged":
        now["coil"], now["electrode_a"] = 1000 * now["electrode_a"], now["coil"] / 1000
    return MagSeen(now, based, 20.0, gain, 0.5, currents, 0.02)


@dataclass(frozen=True)
class Kind:
    """What is tried: its faults, and how one is made and named."""

    faults: tuple[str, ...]
    name: Callable[[str, random.Random], str]


def _first(found: tuple[object, ...]) -> str:
    return str(getattr(found[0], "code", "none")) if found else "none"


KINDS = {
    "scale": Kind(SCALES, lambda t, rng: _first(find_scale_signatures(scale(t, rng)))),
    "zero of a mass flow meter": Kind(ZEROS, lambda t, rng: _first(find_zero_signatures(zero(t, rng)))),
    "magnetic meter": Kind(METERS, lambda t, rng: _first(find_mag_signatures(magnetic(t, rng)))),
}


def run_trials(count: int, seed: int) -> dict[str, list[Trial]]:
    """So many of each kind, a fifth of them healthy."""
    rng = random.Random(seed)
    out = {}
    for kind, made in KINDS.items():
        truths = [HEALTHY if n % 5 == 0 else made.faults[n % len(made.faults)] for n in range(count)]
        out[kind] = [Trial(t, made.name(t, rng)) for t in truths]
    return out


def main() -> None:
    """Print the shares and what was taken for what."""
    for kind, trials in run_trials(500, 2901).items():
        right, false = shares(trials)
        print(f"{kind}: {100 * right:.1f} % named right, {100 * false:.1f} % of healthy ones given a name")
        for (truth, name), n in sorted(Counter((t.truth, t.named) for t in trials if t.truth != t.named).items()):
            print(f"   {truth:<28} named {name:<28} {n}")


if __name__ == "__main__":
    main()
