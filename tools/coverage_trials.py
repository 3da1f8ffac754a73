"""Checks of an instrument whose true error is known here: how often is it within the U that is stated?

A reference errs by what its certificate says (b, not corrected) and by what the certificate leaves open (u); each reading scatters anew. Drawn without
the simulated devices, judged by the product's own budget: pooled scatter over the cycles, or the scatter stated beforehand for a single one. What a
check of several cycles comes to is the mean at each point. A single reading of it is within its U more often than stated: the scatter that U is made of
holds its own deviation, so that a far one widens U with it.
"""

from __future__ import annotations

import math
import random
from collections.abc import Sequence
from dataclasses import dataclass

from metrology.judgement.uncertainty import IN_FULL, Component, combine, in_mean
from metrology.methods.budget import COVERAGE, repeatability_of
from metrology.methods.slots import Slot

LEVELS = (0.0, 50.0, 100.0)


@dataclass(frozen=True)
class Check:
    """Of one check, whether the true error is within U: of each reading, and of the mean of the readings at each point."""

    readings: list[bool]
    means: list[bool]


def one_check(rng: random.Random, *, bias: float, scatter: float, cycles: int, levels: int) -> Check:
    """One check of an instrument without error; bias and scatter in multiples of the reference's u."""
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
        Component("scatter", stated[0], dof=stated[1], is_random=True),
    ]
    known = [p for p in parts if p.value > 0]
    single, mean = (combine(p, coverage=COVERAGE).expanded for p in (known, in_mean(known, cycles)))
    return Check([abs(r) <= single for r in read], [abs(math.fsum(read[k::levels])) / cycles <= mean for k in range(levels)])


def run_trials(cases: int, seed: int = 3401) -> dict[str, tuple[float, float]]:
    """Coverage of single readings and of their means by kind of check, b from 0 to 4 u, scatter from 0 to 3 u, from 2 degrees of freedom on."""
    rng = random.Random(seed)
    told = {}
    for name, cycles, levels in (
        ("one cycle", 1, 3),
        ("three cycles of one point", 3, 1),
        ("three cycles of three points", 3, 3),
        ("five of three", 5, 3),
    ):
        checks = [one_check(rng, bias=rng.uniform(0, 4), scatter=rng.uniform(0, 3), cycles=cycles, levels=levels) for _ in range(cases)]
        told[name] = _share([hit for c in checks for hit in c.readings]), _share([hit for c in checks for hit in c.means])
    return told


def _share(hits: Sequence[bool]) -> float:
    return sum(hits) / len(hits)
