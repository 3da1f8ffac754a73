"""Simulated analyzers of several components, each with one fault or none, judged blind: how often is the cause named right?"""

from __future__ import annotations

import random
from collections import Counter

from metrology.judgement.mixture_signature import ComponentSeen, OnGas, find_mixture_signatures
from metrology.simulation.mixture import SimulatedComponent, SimulatedMixture
from tools.electrode_trials import HEALTHY, Trial, shares

FAULTS = ("span-error", "zero-shift", "air-in-line", "zero-gas", "cross-effect", "wrong-bottle", "swapped")
TOPS = {
    "CO2": (20.0, "carbon dioxide", "% vol"),
    "CO": (500.0, "carbon monoxide", "ppm"),
    "NO": (1000.0, "nitric oxide", "ppm"),
    "O2": (25.0, "oxygen", "% vol"),
}
TOLERANCE = 0.02  # share of the range


def analyzer(truth: str, rng: random.Random) -> tuple[ComponentSeen, ...]:
    """One analyzer with a fault, read on zero gas, on a mixture of three and on oxygen."""
    certificate = {
        "mix:A": {"CO2": rng.uniform(10, 16), "CO": rng.uniform(300, 450), "NO": rng.uniform(550, 900)},
        "mix:B": {"O2": rng.uniform(15, 22)},
    }
    effects = [("CO2", "CO", rng.uniform(1.2, 3.0)), ("O2", "NO", rng.uniform(1.2, 3.0))]
    parts = [SimulatedComponent(name, top, gain=1 + rng.uniform(-0.004, 0.004), lag_s=2.0) for name, (top, _, _) in TOPS.items()]
    made = SimulatedMixture(
        parts, {k: {c: v * (1 + rng.uniform(-0.003, 0.003)) for c, v in g.items()} for k, g in certificate.items()}, effects=effects,
        seed=rng.randrange(10**6),
    )  # fmt: skip
    off = rng.choice(parts)
    if truth == "span-error":
        off.gain *= 1 + rng.choice((-1, 1)) * rng.uniform(0.05, 0.15)
    elif truth == "zero-shift":
        off.zero = rng.choice((-1, 1)) * rng.uniform(0.025, 0.06) * off.top
    elif truth == "air-in-line":
        made.leak = rng.uniform(0.05, 0.3)
    elif truth == "cross-effect":
        made.compensated = rng.uniform(-0.2, 0.2)
    elif truth == "wrong-bottle":
        made.gases["mix:A"] = {c: v * rng.choice((0.2, 0.35, 0.5, 0.65)) * rng.uniform(0.9, 1.05) for c, v in certificate["mix:A"].items()}
    elif truth == "swapped":
        a = certificate["mix:A"]
        a["CO"], a["NO"] = rng.uniform(300, 340), rng.uniform(400, 480)
        made.gases["mix:A"] = {**a, "CO": a["NO"], "NO": a["CO"]}
    return tuple(_seen(made, parts, certificate, dirty=off.name if truth == "zero-gas" else "", rng=rng))


def _stand(made: SimulatedMixture, gas: str) -> dict[str, float]:
    made.switch(gas)
    for _ in range(60):
        made.step(1.0)
    return {c.name: made.shown(c) for c in made.components}


def _seen(
    made: SimulatedMixture, parts: list[SimulatedComponent], certificate: dict[str, dict[str, float]], *, dirty: str, rng: random.Random
) -> list[ComponentSeen]:
    leak, made.leak = made.leak, 0.0  # the zero port is another way in
    zero = _stand(made, "zero")
    made.leak = leak
    if dirty:
        zero[dirty] += rng.uniform(0.025, 0.05) * TOPS[dirty][0]
    shown = {gas: _stand(made, gas) for gas in certificate}
    out = []
    for c in parts:
        top, gas_name, unit = TOPS[c.name]
        on = {
            gas: OnGas(gas, held.get(c.name, 0.0), shown[gas][c.name], {o: v for o, v in held.items() if o != c.name})
            for gas, held in certificate.items()
        }
        own = next(gas for gas, held in certificate.items() if c.name in held)
        absent = tuple(o for gas, o in on.items() if gas != own)
        out.append(ComponentSeen(c.name, gas_name, unit, TOLERANCE * top, zero[c.name], on[own], absent))
    return out


def run_trials(count: int, seed: int) -> list[Trial]:
    """So many analyzers, a fifth of them healthy. Their register knows the effects of an average one."""
    rng = random.Random(seed)
    known = (("CO2", "CO", 2.0), ("O2", "NO", 2.0))
    out = []
    for n in range(count):
        truth = HEALTHY if n % 5 == 0 else FAULTS[n % len(FAULTS)]
        found = find_mixture_signatures(analyzer(truth, rng), known)
        out.append(Trial(truth, found[0].code if found else "none"))
    return out


def main() -> None:
    """Print the shares and what was taken for what."""
    trials = run_trials(1000, 2501)
    right, false = shares(trials)
    print(f"{100 * right:.1f} % named right, {100 * false:.1f} % of healthy ones given a name")
    for (truth, name), n in sorted(Counter((t.truth, t.named) for t in trials if t.truth != t.named).items()):
        print(f"   {truth:<28} named {name:<28} {n}")


if __name__ == "__main__":
    main()
