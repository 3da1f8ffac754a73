"""How often an exposure is classed right: simulated detectors with seeded faults, and the confusion table."""

from __future__ import annotations

import math
import random
from collections import Counter

from metrology.judgement.exposure import Stimulus, exposure_rule, judge_exposure
from metrology.simulation.detector import SimulatedDetector, Stream

TRUTHS = (
    "ok", "no response", "out of acceptance", "unstable", "gas-lost", "overshoot", "slow", "frozen", "background", "negative-zero",
    "exposed-already", "falling", "falling dead",
)  # fmt: skip
DANGEROUS = ("no response", "frozen", "negative-zero", "falling dead", "gas-lost")  # dead or blinded: never to be called good
STEP_S = 0.5


def one_trial(rng: random.Random, truth: str) -> str:
    """One exposure of a detector with that fault; what it is told to be."""
    technology = rng.choice(("catalytic", "electrochemical", "optical", "semiconductor"))
    top = rng.choice((100.0, 5.0, 50.0))
    t90 = rng.uniform(6.0, 40.0)
    applied = top * rng.uniform(0.3, 0.85)
    noise = top * rng.uniform(0.0004, 0.0015)
    gain, zero, seed = rng.uniform(0.9, 1.1), top * rng.uniform(-0.01, 0.01), rng.randint(0, 10**9)
    d = SimulatedDetector(technology, top, t90_s=t90, noise=noise, gain=gain, zero=zero, seed=seed)
    is_zero = truth in ("background", "negative-zero")
    if truth.startswith("falling"):
        return _falling(rng, is_dead=truth != "falling")
    stream = Stream(0.0 if is_zero else applied)
    lost_at = 0.0
    if truth == "no response":
        stream = Stream(rng.uniform(0.0, 0.04) * applied)
    elif truth == "out of acceptance":
        d.gain = 1.0 - rng.uniform(0.30, 0.45) * top / applied if applied > 0.5 * top else 1.0 + rng.uniform(0.30, 0.5) * top / applied
    elif truth == "unstable":
        d.noise = top * rng.uniform(0.03, 0.08)
    elif truth == "gas-lost":
        lost_at = t90 * rng.uniform(1.2, 2.0)
    elif truth == "overshoot":
        stream.is_forced = True
    elif truth == "slow":
        d.slowness = rng.uniform(2.6, 4.0)
    elif truth == "frozen":
        d.is_frozen = True
    elif truth == "negative-zero":
        d.zero = -top * rng.uniform(0.05, 0.2)
    elif truth == "background":
        stream = Stream(top * rng.uniform(0.05, 0.2))
    d.stream = stream if truth == "exposed-already" else Stream()
    for _ in range(600 if truth == "exposed-already" else 60):
        d.step(STEP_S)
    d.stream, before = stream, d.shown
    rule = exposure_rule(t90, window_s=20 if is_zero else 40, times_t90=1 if is_zero else 2, give_up_s=240, limit=0.005 * top)
    stimulus = Stimulus(0.0, 0.0 if is_zero else applied, top, "", t90, is_zero=is_zero, needs_rise=True)
    samples: list[tuple[float, float]] = []
    t = 0.0
    while t <= rule.time_limit_s + 8:
        if lost_at and t > lost_at:
            d.stream = Stream()
        d.step(STEP_S)
        t += STEP_S
        samples.append((t, d.shown))
        if t < 5 or int(t * 2) % 8:
            continue
        seen = judge_exposure(samples, rule, stimulus, since=0.0, before=before)
        if seen.has("gas-lost"):
            return "gas-lost"
        if seen.kind != "waiting":
            break
    for code in ("exposed-already", "negative-zero"):
        if seen.has(code):
            return code
    for code in ("frozen", "background", "overshoot", "slow"):
        if seen.has(code) and (
            code == "frozen" or code == "background" or seen.kind == "ok" or (code == "slow" and seen.kind == "unstable")
        ):
            return code
    return seen.kind


def _falling(rng: random.Random, *, is_dead: bool) -> str:
    """Nitrogen on an oxygen cell that answers, or does not; alarms fall on the way."""
    t90, top = rng.uniform(6.0, 30.0), 25.0
    noise = top * rng.uniform(0.0004, 0.0015)
    level, rule = 20.9, exposure_rule(t90, window_s=20, times_t90=1, give_up_s=240, limit=0.005 * top)
    stimulus = Stimulus(20.9, 0.0, top, "% vol", t90)
    end = 20.9 * rng.uniform(0.93, 1.0) if is_dead else 0.0
    samples: list[tuple[float, float]] = []
    t = 0.0
    seen = judge_exposure([], rule, stimulus, since=0.0)
    while t <= rule.time_limit_s + 8:
        t += STEP_S
        level += (end - level) * (1 - math.exp(-STEP_S * 2.303 / t90))
        samples.append((t, level + rng.gauss(0, noise)))
        if t < 5 or int(t * 2) % 8:
            continue
        seen = judge_exposure(samples, rule, stimulus, since=0.0)
        if seen.kind != "waiting":
            break
    return {"ok": "falling", "no response": "falling dead"}.get(seen.kind, seen.kind)


def dangers(table: Counter[tuple[str, str]]) -> int:
    """How many dead or blinded ones were called good."""
    return sum(v for (truth, told), v in table.items() if truth in DANGEROUS and told in ("ok", "falling"))


def run_trials(count: int, seed: int) -> tuple[Counter[tuple[str, str]], float]:
    """(truth, told) counts over seeded exposures, and the share told right."""
    rng = random.Random(seed)
    table: Counter[tuple[str, str]] = Counter()
    for n in range(count):
        truth = rng.choice(TRUTHS) if n % 3 else "ok"
        table[(truth, one_trial(rng, truth))] += 1
    return table, sum(v for (a, b), v in table.items() if a == b) / count


def table_text(table: Counter[tuple[str, str]]) -> str:
    """The confusion table, truths down, what was told across."""
    told = sorted({b for _, b in table})
    lines = ["truth".ljust(20) + "".join(t.rjust(19) for t in told)]
    for truth in TRUTHS:
        lines.append(truth.ljust(20) + "".join(str(table.get((truth, t), 0) or ".").rjust(19) for t in told))
    return "\n".join(lines)
