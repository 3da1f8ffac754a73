"""Simulated injected-sample analyzers, each with one fault or none, judged blind by their chromatograms: how often is the cause named right?"""

from __future__ import annotations

import random
from collections import Counter

from metrology.judgement.injection_signature import AnalyteSeen, find_blank_signatures, find_injection_signatures
from metrology.quantities.chromatography import Peak, find_peaks, resolution
from metrology.simulation.injector import SimulatedAnalyte, SimulatedInjector
from tools.electrode_trials import HEALTHY, Trial, shares

# name, retention s, response, how moisture moves it, applied, range, half of its window s
ANALYTES = (
    ("H2", 4.2, 2.1, 0.004, 1000.0, 2000.0, 0.5), ("CH4", 12.0, 4.2, 0.004, 500.0, 1000.0, 1.0), ("C2H4", 27.0, 8.1, 0.004, 250.0, 500.0, 1.0),
    ("C2H6", 30.2, 8.3, 0.07, 250.0, 500.0, 1.4), ("CO2", 43.0, 3.1, 0.004, 5000.0, 10_000.0, 2.0),
)  # fmt: skip
FAULTS = ("leak-at-injection", "column-ageing", "carrier-flow", "air-in-line", "wrong-bottle", "span-error", "carry-over", "trap-spent")
TOLERANCE = 0.05  # share of the range
BLANKS = ("carry-over", "trap-spent")


def _run(made: SimulatedInjector, source: str, *, leak: float, pace: float, wide: float) -> dict[str, Peak]:
    """One injection, its curve read: the nearest peak of each component."""
    made.leak = leak
    made.load(source)
    made.inject()
    times, signal = [], []
    for n in range(1100):
        made.step(0.05)
        times.append(0.05 * (n + 1) * pace)
        signal.append(made.signal * wide)
    peaks = find_peaks(times, signal).peaks
    return {
        a[0]: near
        for a in ANALYTES
        if (near := min(peaks, key=lambda p, at=a[1]: abs(p.apex - at), default=None)) and abs(near.apex - a[1]) < 3 * a[6]
    }


def named(truth: str, rng: random.Random) -> str:
    """What is named first of an analyzer with that fault."""
    off = rng.randrange(len(ANALYTES))
    analytes = [SimulatedAnalyte(n, at, 0.22, response=r, moisture=m) for n, at, r, m, *_ in ANALYTES]
    factors = {a.name: a.response for a in analytes}
    if truth == "span-error":
        analytes[off].response *= 1 + rng.choice((-1, 1)) * rng.uniform(0.13, 0.2)
    standard = {n: v for n, _, _, _, v, _, _ in ANALYTES}
    went_in = {n: v * (rng.uniform(1.12, 1.3) if truth == "wrong-bottle" else 1.0) for n, v in standard.items()}
    if truth == "wrong-bottle":
        share = went_in["H2"] / standard["H2"]
        went_in = {n: v * share for n, v in standard.items()}
    blank = {"CO2": rng.uniform(80, 300) if truth == "trap-spent" else rng.uniform(0, 40)}
    made = SimulatedInjector(
        analytes, {"standard": went_in, "blank": blank}, wet=rng.uniform(0.7, 0.9) if truth == "column-ageing" else rng.uniform(0, 0.1),
        kept=rng.uniform(0.02, 0.05) if truth == "carry-over" else 0.0, seed=rng.randrange(10**6),
    )  # fmt: skip
    thinned = rng.uniform(0.12, 0.3) if truth == "air-in-line" else 0.0
    leaks = [thinned, thinned + (rng.uniform(0.05, 0.3) if truth == "leak-at-injection" else 0.0)]
    pace = 1 + rng.choice((-1, 1)) * rng.uniform(0.035, 0.045) if truth == "carrier-flow" else 1.0
    runs = [_run(made, "standard", leak=leak, pace=pace, wide=1 / pace) for leak in leaks]
    if truth in BLANKS or (truth == HEALTHY and rng.random() < 0.5):
        return _blank(made, standard, factors)
    seen = []
    for n, at, _, _, value, top, within in ANALYTES:
        mine = [r[n] for r in runs if n in r]
        values = tuple(p.area / factors[n] for p in mine)
        seen.append(AnalyteSeen(n, "ppm", value, TOLERANCE * top, values, at, within, tuple(p.apex for p in mine)))
    last = runs[-1]
    parted = None
    if "C2H4" in last and "C2H6" in last and last["C2H6"].apex > last["C2H4"].apex:
        parted = resolution(last["C2H4"].apex, last["C2H6"].apex, w1=last["C2H4"].width, w2=last["C2H6"].width)
    found = find_injection_signatures(seen, pair_resolution=parted, pair="C2H4 and C2H6")
    return found[0].code if found else "none"


def _blank(made: SimulatedInjector, standard: dict[str, float], factors: dict[str, float]) -> str:
    peaks = _run(made, "blank", leak=0.0, pace=1.0, wide=1.0)
    seen = []
    for n, at, _, _, value, top, within in ANALYTES:
        shown = peaks[n].area / factors[n] if n in peaks and abs(peaks[n].apex - at) <= within else 0.0
        limit = 60.0 if n == "CO2" else 0.01 * top
        seen.append(AnalyteSeen(n, "ppm", value, TOLERANCE * top, (), at, within, (), shown, limit, n == "CO2"))
    found = find_blank_signatures(seen)
    return found[0].code if found else "none"


def run_trials(count: int, seed: int) -> list[Trial]:
    """So many analyzers, a fifth of them healthy."""
    rng = random.Random(seed)
    truths = [HEALTHY if n % 5 == 0 else FAULTS[n % len(FAULTS)] for n in range(count)]
    return [Trial(t, named(t, rng)) for t in truths]


def main() -> None:
    """Print the shares and what was taken for what."""
    trials = run_trials(400, 2601)
    right, false = shares(trials)
    print(f"{100 * right:.1f} % named right, {100 * false:.1f} % of healthy ones given a name")
    for (truth, name), n in sorted(Counter((t.truth, t.named) for t in trials if t.truth != t.named).items()):
        print(f"   {truth:<28} named {name:<28} {n}")


if __name__ == "__main__":
    main()
