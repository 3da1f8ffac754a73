"""Checks of an instrument whose true error is known here: how often is it within the U that is stated?

A reference errs by what its certificate says (b, not corrected) and by what the certificate leaves open (u); each reading scatters anew. Drawn without
the simulated devices, judged by the product's own budget: pooled scatter over the cycles, or the scatter stated beforehand for a single one.
"""

from __future__ import annotations

import math
import random

from metrology.judgement.uncertainty import IN_FULL, Component, combine
from metrology.methods.budget import COVERAGE, repeatability_of
from metrology.methods.slots import Slot

LEVELS = (0.0, 50.0, 100.0)


def one_check(rng: random.Random, *, bias: float, scatter: float, cycles: int, levels: int) -> list[bool]:
    """Whether the true error of each point is within U of the one that was read; all in multiples of the reference's u."""
    reference = bias + rng.gauss(0, 1.0)
    slots = [
        Slot(n, cycle, "up", LEVELS[k], 0.0, 0.0, "") for n, (cycle, k) in enumerate((c, k) for c in range(cycles) for k in range(levels))
    ]
    read = [reference + rng.gauss(0, scatter) for _ in slots]
    spread = repeatability_of(slots, read).get("")
    stated = (spread.sd, spread.dof) if spread else (scatter, math.inf)
    parts = [
        Component("reference", 2.0, divisor=2.0),
        Component("own error", bias, IN_FULL),
        Component("scatter", stated[0], dof=stated[1]),
    ]
    u = combine([p for p in parts if p.value > 0], coverage=COVERAGE)
    return [abs(r) <= u.expanded for r in read]


def run_trials(cases: int, seed: int = 3401) -> dict[str, float]:
    """Coverage by kind of check, b from 0 to 4 u, scatter from 0 to 3 u, from 2 degrees of freedom on."""
    rng = random.Random(seed)
    told = {}
    for name, cycles, levels in (
        ("one cycle", 1, 3),
        ("three cycles of one point", 3, 1),
        ("three cycles of three points", 3, 3),
        ("five of three", 5, 3),
    ):
        hits: list[bool] = []
        for _ in range(cases):
            hits += one_check(rng, bias=rng.uniform(0, 4), scatter=rng.uniform(0, 3), cycles=cycles, levels=levels)
        told[name] = sum(hits) / len(hits)
    return told
