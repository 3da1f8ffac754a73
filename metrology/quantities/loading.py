"""Test loads of a vessel: what they add up to by substitution, how sure that is, what a corner test and a load that stays say.

Sources: OIML R 76-1:2006 3.7.3 (substitution), 3.9.4 (creep, zero return); EURAMET cg-18 v4.0, 7.1 (uncertainty of substitution loads).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from metrology.faults import Fault, require_positive, require_range

# OIML R 76-1:2006 3.9.4.1: a load that stays, in divisions; and 3.9.4.2: the zero after it.
CREEP_30, CREEP_15_30, ZERO_RETURN = 0.5, 0.2, 0.5
PLUMB = 0.25  # share of the mean by which a support may carry more or less before something but the load's place is thought of
MOST_STEPS = 40
STANDARD_GRAVITY = 9.80665  # m/s2, by convention; cells are rated under it


def corner_spread(signals: Sequence[float]) -> tuple[tuple[float, ...], float, int]:
    """Signals of the cells under one load: the share of each in % of their mean, the spread of the shares in %, and which is furthest off.

    signals: what the load added on each cell, mV/V or kg, 2 to 24 of them. Raises a Fault where they add up to nothing.
    """
    if not 2 <= len(signals) <= 24:
        raise Fault("out_of_range", f"signals has {len(signals)} entries; accepted are 2 to 24.", field="signals")
    mean = math.fsum(signals) / len(signals)
    if mean <= 0:
        raise Fault("no_load", f"signals add up to {mean * len(signals):g}: no load came onto the cells.", field="signals")
    shares = tuple(100 * s / mean for s in signals)
    worst = max(range(len(shares)), key=lambda n: abs(shares[n] - 100))
    return shares, max(shares) - min(shares), worst


def substitution_steps(weights: float, target: float) -> int:
    """How many times the weights must be hung, with product filled up to them in between, to come to a load; all in kg.

    Raises a Fault where that would be more than MOST_STEPS times.
    """
    require_positive(weights, "weights_kg", "kg")
    require_positive(target, "target_kg", "kg")
    steps = math.ceil(target / weights * (1 - 1e-12))
    if steps > MOST_STEPS:
        told = f"weights_kg is {weights:g}: {target:g} kg takes {steps} exchanges, more than {MOST_STEPS}. Bring heavier weights, or go by the cells."
        raise Fault("too_light", told, field="weights_kg")
    return steps


def substitution_u(steps: int, u_weights: float, u_reading: float) -> float:
    """Standard uncertainty of a load built up by substitution, in the unit of both.

    steps: how many times the weights stand in it, 1 for the weights alone. The same weights are wrong by the same each time; each exchange adds
    the two readings that are made equal: u2 = (n u_w)2 + 2 (n - 1) u_I2. Source: EURAMET cg-18 v4.0, 7.1.2.

    >>> round(substitution_u(4, 0.5, 1.0), 3)
    3.162
    """
    require_range(steps, 1, MOST_STEPS, field="steps")
    require_range(u_weights, 0.0, 1e9, field="u_weights")
    require_range(u_reading, 0.0, 1e9, field="u_reading")
    return math.hypot(steps * u_weights, math.sqrt(2 * (steps - 1)) * u_reading)


@dataclass(frozen=True)
class Creep:
    """A load that stayed: changes in divisions, since it was put on and from 15 to 30 min, and whether both are allowed."""

    in_30: float
    from_15: float
    is_inside: bool


def judge_creep(at_0: float, at_15: float, at_30: float, *, division: float) -> Creep:
    """Readings of a load at once, after 15 and after 30 min, kg: OIML R 76-1:2006 3.9.4.1 allows 0.5 e in all and 0.2 e in the second half."""
    require_positive(division, "division_kg", "kg")
    in_30 = max((at_15 - at_0, at_30 - at_0), key=abs) / division
    late = (at_30 - at_15) / division
    return Creep(in_30, late, abs(in_30) <= CREEP_30 + 1e-9 and abs(late) <= CREEP_15_30 + 1e-9)


def least_weights(max_kg: float, *, repeat_divisions: float | None = None) -> float:
    """Least standard weights for a verification by substitution, kg: 1 t or half of Max, 35 % where it repeats within 0.3 e, 20 % within 0.2 e.

    Below 1 t of Max all of it. Source: OIML R 76-1:2006, 3.7.3.
    """
    require_positive(max_kg, "max_kg", "kg")
    if max_kg <= 1000:
        return max_kg
    share = 0.5
    if repeat_divisions is not None:
        share = 0.2 if repeat_divisions <= 0.2 + 1e-9 else 0.35 if repeat_divisions <= 0.3 + 1e-9 else 0.5
    return max(1000.0, share * max_kg)


@dataclass(frozen=True)
class Cells:
    """The load cells of a vessel: one sensitivity each, mV/V at `capacity_kg` under standard gravity. Loads in kg, excitation in V, g in m/s2."""

    sensitivities: tuple[float, ...]
    capacity_kg: float
    excitation_v: float
    dead_kg: float
    gravity: float = STANDARD_GRAVITY

    def __post_init__(self) -> None:
        if not 1 <= len(self.sensitivities) <= 24:
            raise Fault("out_of_range", f"sensitivities has {len(self.sensitivities)} entries; one a cell, 1 to 24.", field="sensitivities")
        for s in self.sensitivities:
            require_range(s, 0.1, 10.0, field="sensitivities", unit="mV/V")
        require_positive(self.capacity_kg, "cell_capacity_kg", "kg")
        require_range(self.excitation_v, 0.1, 50.0, field="excitation_v", unit="V")
        require_range(self.dead_kg, 0.0, self.total_kg * (1 - 1e-9), field="dead_load_kg", unit="kg")
        require_range(self.gravity, 9.7, 9.9, field="gravity", unit="m/s2")

    @property
    def total_kg(self) -> float:
        """What all of them may carry."""
        return len(self.sensitivities) * self.capacity_kg

    @property
    def live_kg(self) -> float:
        """What is left of that for product."""
        return self.total_kg - self.dead_kg

    @property
    def mv_v_per_kg(self) -> float:
        """Signal of one kilogram, mV/V, the cells wired in parallel: mean sensitivity over total capacity, at the gravity of the place."""
        return math.fsum(self.sensitivities) / len(self.sensitivities) / self.total_kg * self.gravity / STANDARD_GRAVITY

    def mv_v(self, load_kg: float) -> float:
        """Signal under a load beside the dead load, mV/V."""
        return (self.dead_kg + load_kg) * self.mv_v_per_kg

    def uv(self, load_kg: float) -> float:
        """Signal that a load adds, uV."""
        return 1000 * self.mv_v_per_kg * self.excitation_v * load_kg


WEIGHTS, SUBSTITUTION, COMPUTED = "weights", "substitution", "computed"  # ways to load a vessel


def least_load(cells: Cells, share_percent: float) -> float:
    """Least useful test load, kg: a share of all its cells may carry, 0.1 to 100 %."""
    require_range(share_percent, 0.1, 100.0, field="least_share_percent", unit="%")
    return share_percent / 100 * cells.total_kg


def suffices_for(weights: float, *, top: float, least: float, can_fill: bool) -> tuple[str, ...]:
    """What weights to hand suffice for beside the cells' own figures: alone from the least useful load on, with product in between below Max. All in kg."""
    alone = (WEIGHTS,) if weights > 0 and weights >= least * (1 - 1e-12) else ()
    exchanged = (SUBSTITUTION,) if 0 < weights < top and can_fill and top <= MOST_STEPS * weights * (1 + 1e-12) else ()
    return alone + exchanged


@dataclass(frozen=True)
class PlanStep:
    """One step of a substitution: what is done, the load then, and its standard uncertainty; kg."""

    do: str
    load_kg: float
    u_kg: float


def substitution_plan(weights: float, target: float, *, u_weights: float, u_reading: float) -> list[PlanStep]:
    """Load, read, exchange for product, read: until the target is reached. All in kg; u_weights: of all of them together."""
    steps = substitution_steps(weights, target)
    out = []
    for n in range(1, steps + 1):
        u = substitution_u(n, u_weights, u_reading)
        load = min(n * weights, target)
        do = "Hang the weights, read" if load == n * weights else f"Hang {load - (n - 1) * weights:g} kg of the weights, read"
        out.append(PlanStep(do, load, u))
        if n < steps:
            told = "Weights off, fill product until it reads the same, read"
            out.append(PlanStep(told, n * weights, math.hypot(u, math.sqrt(2) * u_reading)))
    return out


@dataclass(frozen=True)
class VesselPlan:
    """What a sheet of a vessel says; loads in kg, signal in uV. u_at_top: standard uncertainty at Max by each way that suffices, kg."""

    uv_per_division: float
    least_kg: float
    u_at_top: Mapping[str, float]
    steps: tuple[PlanStep, ...]

    @property
    def best(self) -> str:
        """The way with the smallest uncertainty."""
        return min(self.u_at_top, key=lambda way: self.u_at_top[way])


def plan_vessel(
    cells: Cells,
    top: float,
    *,
    division: float,
    weights: float,
    u_weights: float,
    u_cells_percent: float,
    least_share: float,
    can_fill: bool,
) -> VesselPlan:
    """What the weights to hand suffice for, how sure each way is at Max, and the exchanges of a substitution step by step.

    top: Max; u_weights: standard uncertainty of all weights together; u_cells_percent: of the cells' sensitivities together, 0.001 to 10 %. A reading
    is as sure as its division (rectangular). Raises a Fault where Max is more than the cells can still carry.
    """
    require_positive(top, "max_kg", "kg")
    require_positive(division, "division_kg", "kg")
    require_range(weights, 0.0, 1e6, field="weights_kg", unit="kg")
    require_range(u_cells_percent, 0.001, 10.0, field="u_cells_percent", unit="%")
    if top > cells.live_kg * (1 + 1e-12):
        told = f"max_kg is {top:g}: the cells have {cells.live_kg:g} kg left beside the dead load. A load beyond that breaks them."
        raise Fault("beyond_capacity", told, field="max_kg")
    least, u_reading = least_load(cells, least_share), division / math.sqrt(12)
    ways = suffices_for(weights, top=top, least=least, can_fill=can_fill)
    u: dict[str, float] = {}
    steps: tuple[PlanStep, ...] = ()
    if WEIGHTS in ways:
        load = min(weights, top)
        u[WEIGHTS] = top / load * math.hypot(u_weights * load / weights, math.sqrt(2) * u_reading)
    if SUBSTITUTION in ways:
        steps = tuple(substitution_plan(weights, top, u_weights=u_weights, u_reading=u_reading))
        u[SUBSTITUTION] = steps[-1].u_kg
    u[COMPUTED] = u_cells_percent / 100 * top
    return VesselPlan(cells.uv(division), least, u, steps)
