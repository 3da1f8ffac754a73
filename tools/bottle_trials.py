"""How often detectors on one bottle are told apart from the bottle: healthy, bad bottles, worn sensors, and both together."""

from __future__ import annotations

import random
from collections import Counter

from metrology.judgement.suspicion import Peer, judge_bottle

TRUTHS = ("healthy", "bad bottle", "two bad bottles", "worn", "worn and bad bottle")
U_BOTTLE = 0.02


def _peers(rng: random.Random, factor: float, count: int, *, worn: int = 0, name: str = "AE") -> list[Peer]:
    """Detectors that read a bottle of that factor, within their repeatability; the last of them worn."""
    out = []
    for n in range(count):
        ratio = factor * (1 + rng.gauss(0, 0.012)) * (rng.uniform(0.45, 0.75) if n >= count - worn else 1.0)
        out.append(Peer(f"{name}-{n}", ratio, 0.03, was_set_on_it=False))
    return out


def one_trial(rng: random.Random, truth: str) -> str:
    """One plant with that truth; what it is told to be."""
    factor = rng.choice((rng.uniform(0.6, 0.86), rng.uniform(1.14, 1.3)))
    count = rng.randint(3, 5)
    if truth == "healthy":
        return "bad bottle" if judge_bottle(_peers(rng, 1.0, count), u_bottle=U_BOTTLE) else "healthy"
    if truth == "bad bottle":
        told = judge_bottle(_peers(rng, factor, count), u_bottle=U_BOTTLE)
        return "healthy" if not told else "worn and bad bottle" if "further" in told else "bad bottle"
    if truth == "two bad bottles":
        other = rng.choice((rng.uniform(0.6, 0.86), rng.uniform(1.14, 1.3)))
        both = [judge_bottle(_peers(rng, f, count, name=f"B{n}"), u_bottle=U_BOTTLE) for n, f in enumerate((factor, other))]
        return "two bad bottles" if all(both) else "bad bottle" if any(both) else "healthy"
    if truth == "worn":
        told = judge_bottle(_peers(rng, 1.0, count, worn=1), u_bottle=U_BOTTLE)
        return "bad bottle" if told else "worn"
    low = rng.uniform(0.6, 0.86)
    told = judge_bottle(_peers(rng, low, count, worn=1), u_bottle=U_BOTTLE)
    return "worn and bad bottle" if "further" in told else "bad bottle" if told else "worn"


def run_trials(count: int, seed: int) -> tuple[Counter[tuple[str, str]], float]:
    """(truth, told) counts over seeded plants, and the share told right."""
    rng = random.Random(seed)
    table: Counter[tuple[str, str]] = Counter()
    for _ in range(count):
        truth = rng.choice(TRUTHS)
        table[(truth, one_trial(rng, truth))] += 1
    return table, sum(v for (a, b), v in table.items() if a == b) / count
