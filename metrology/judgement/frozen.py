"""A signal that stopped: the very same number over and over, where the source was never still before. A quiet source is something else."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

from metrology.judgement.settling import Sample

LEAST = 20  # samples of the very same number
BEFORE, FEWEST = 60, 30  # samples before it that tell how the source is, and how many of them it takes
RESTLESS, CHANGES = (
    0.5,
    15,
)  # share of its changes at which the course turns (noise at two of three, a rise or a ringing hardly ever), of so many
VALUES = 6  # so many numbers at least: a display that steps between a few comes to rest by itself
CHANCE = 1e-6  # that a source as restless as before shows one number so often


def frozen_s(samples: Sequence[Sample]) -> float:
    """How long a signal has shown the very same number though it was never still before, s; 0 where it is not so, or where too little was seen.

    It can't be told of a source without noise, nor of a display too coarse to show its noise.
    """
    n = len(samples)
    first = n
    while first and samples[first - 1][1] == samples[-1][1]:
        first -= 1
    still, seen = n - first, [v for _, v in samples[max(0, first - BEFORE) : first]]
    if still < LEAST or len(seen) < FEWEST or len(set(seen)) < VALUES:
        return 0.0
    ups = [b > a for a, b in pairwise(seen) if a != b]
    if len(ups) < CHANGES or sum(a != b for a, b in pairwise(ups)) < RESTLESS * (len(ups) - 1):
        return 0.0
    same = (sum(a == b for a, b in pairwise(seen)) + 1) / (len(seen) + 1)  # never quite nothing, whatever was seen
    return samples[-1][0] - samples[first][0] if (still - 1) * math.log(same) <= math.log(CHANCE) else 0.0


def frozen_words(seconds: float, text: str) -> str:
    """What to do about it."""
    return (
        f"It has shown {text} to the last digit for {seconds:.0f} s, and was never still before: it may have stopped measuring. "
        "Disturb what is applied and see that it follows; if it really reads so, type it."
    )
