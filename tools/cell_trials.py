"""Simulated conductivity cells and trace oxygen lines, each with one fault or none, judged blind: how often is the cause named right?"""

from __future__ import annotations

import random
from collections import Counter
from dataclasses import replace

from metrology.judgement.conductivity_signature import CellReading, find_conductivity_signatures
from metrology.methods.trials.trace import AIR_BELOW
from metrology.quantities.conductivity import solution_conductivity, to_reference
from metrology.simulation.cell import SimulatedCell
from metrology.simulation.trace import SimulatedTrace
from tools.electrode_trials import HEALTHY, Trial, shares

TOLERANCE = 3.0  # % of the solution
AIR_US_CM = 5.0
RAW = "kcl-0.01"
CELL_FAULTS = (
    "dirty-cell", "reads-high", "damp", "cable", "wrong-compensation", "temperature-sensor", "wrong-bottle", "wrong-cell-constant", "wrong-unit",
)  # fmt: skip
TRACE_TOLERANCE = 0.03  # share of the range


def _stand(made: SimulatedCell, place: str) -> None:
    made.move(place)
    for _ in range(60):
        made.step(2.0)


def cell(truth: str, rng: random.Random) -> CellReading:
    """One analyzer with a fault, read at its resistor, in air and in the solution."""
    temp = rng.choice((15.0, 18.0, 20.0, 29.0))
    true = solution_conductivity(RAW, temp)
    shown = rng.uniform(0.95, 1.05)
    coefficient = rng.choice((1.9, 2.0, 2.1))
    made = SimulatedCell(
        constant=shown * (1 + rng.uniform(-0.012, 0.012)), cell_now=shown, damp_us=rng.uniform(0, 1), coefficient=coefficient,
        sensor_off_c=rng.uniform(-0.15, 0.15), seed=rng.randrange(10**6), places={"air": (0.0, temp), "solution": (true, temp)},
    )  # fmt: skip
    past = tuple(shown * (1 + rng.uniform(-0.004, 0.004)) for _ in range(3)) if truth != "wrong-cell-constant" else ()
    if truth == "dirty-cell":
        made.constant *= rng.uniform(1.05, 1.25)
    elif truth == "reads-high":
        made.places["solution"] = (true * rng.uniform(1.05, 1.15), temp)
    elif truth == "damp":
        made.damp_us = rng.uniform(8, 40)
    elif truth == "cable":
        made.cable = 1 + rng.choice((-1, 1)) * rng.uniform(0.05, 0.12)
    elif truth == "wrong-compensation":
        made.mode = rng.choice(("none", "natural")) if temp < 19 else "none"
    elif truth == "temperature-sensor":
        made.sensor_off_c = rng.choice((-1, 1)) * rng.uniform(1.5, 5.0)
    elif truth == "wrong-bottle":
        made.places["solution"] = (solution_conductivity("kcl-0.1", temp) if rng.random() < 0.5 else 84 / 1413 * true, temp)
    elif truth == "wrong-cell-constant":
        made.constant, made.cell_now = shown * 0.1, shown
    _stand(made, "cable")
    at_resistor = 100 * (made.shown_raw / (1e6 * made.cell_now / made.ohm) - 1)
    _stand(made, "air")
    air = made.shown_raw
    _stand(made, "solution")
    raw, referred = made.shown_raw, made.shown
    factor = to_reference(temp, "linear", percent_per_c=coefficient)
    told = CellReading(
        true, temp, TOLERANCE, air, AIR_US_CM, made.cell_now, "linear", coefficient, raw, referred, true * factor, made.shown_c, at_resistor,
        constants=past,
    )  # fmt: skip
    return replace(told, raw=raw / 1000, referred=referred / 1000, air=air / 1000) if truth == "wrong-unit" else told


def line(truth: str, rng: random.Random) -> str:
    """A trace analyzer on its span gas, at its flow and at twice that; what its excess says, by the rule of the trial."""
    made = SimulatedTrace(leak_ppm=0.0, dead_ppm=rng.uniform(5, 40), seed=rng.randrange(10**6))
    if truth == "air-in-line":
        made.leak_ppm = rng.uniform(4, 15)
    elif truth == "gain-high":
        made.own_gain = rng.uniform(1.06, 1.2)
    made.switch("span")
    read = []
    for flow in (made.set_flow, 2 * made.set_flow):
        made.set_rate(flow)
        for _ in range(300):
            made.step(1.0)
        read.append(made.shown)
    excess = read[0] - 80.0
    if excess <= 100 * TRACE_TOLERANCE:
        return "none"
    return "air-in-line" if (read[1] - 80.0) / excess < AIR_BELOW else "gain-high"


def run_trials(count: int, seed: int) -> tuple[list[Trial], list[Trial]]:
    """Cells and lines, so many of each, a fifth of them healthy."""
    rng = random.Random(seed)

    def truths(faults: tuple[str, ...]) -> list[str]:
        return [HEALTHY if n % 5 == 0 else faults[n % len(faults)] for n in range(count)]

    def named(truth: str) -> str:
        found = find_conductivity_signatures(cell(truth, rng))
        return found[0].code if found else "none"

    cells = [Trial(t, named(t)) for t in truths(CELL_FAULTS)]
    return cells, [Trial(t, line(t, rng)) for t in truths(("air-in-line", "gain-high"))]


def main() -> None:
    """Print the shares and what was taken for what."""
    for what, trials in zip(("cells", "trace lines"), run_trials(500, 2401), strict=True):
        right, false = shares(trials)
        print(f"{what}: {100 * right:.1f} % named right, {100 * false:.1f} % of healthy ones given a name")
        for (truth, name), n in sorted(Counter((t.truth, t.named) for t in trials if t.truth != t.named).items()):
            print(f"   {truth:<28} named {name:<28} {n}")


if __name__ == "__main__":
    main()
