"""Displacer level: buoyancy and the apparent weight that hangs on the transmitter."""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass

from metrology.faults import Fault, require_finite, require_positive, require_range


def cylinder_volume(diameter: float, length: float) -> float:
    """Volume of a cylinder, in the cube of the unit given: pi d^2 / 4 x length."""
    return math.pi * require_positive(diameter, "diameter") ** 2 / 4.0 * require_positive(length, "length")


def displacer_load(weight: float, volume: float, *, density: float, upper_density: float = 0.0, percent: float) -> tuple[float, float]:
    """(buoyancy, apparent weight) of a displacer covered to `percent` by the heavier liquid.

    buoyancy = V (rho_lower p + rho_upper (1 - p)); apparent = weight - buoyancy. Density in the unit
    that matches weight and volume (kg and kg/cm3, lb and lb/in3). Raises a Fault when the displacer would float.

    >>> displacer_load(2.0, 1000.0, density=0.001, percent=50.0)
    (0.5, 1.5)
    """
    require_positive(weight, "weight")
    require_positive(volume, "volume")
    require_positive(density, "density")
    if require_finite(upper_density, "upper_density") < 0 or upper_density >= density:
        raise Fault(
            "bad_density",
            f"upper_density is {upper_density:g}; it must be 0 or more and below the lower density {density:g}.",
            field="upper_density",
        )
    p = require_range(percent, 0.0, 100.0, field="percent", unit="%") / 100.0
    buoyancy = volume * (density * p + upper_density * (1.0 - p))
    if buoyancy > weight:
        raise Fault(
            "floats",
            f"weight is {weight:g} and the buoyancy at {percent:g} % is {buoyancy:g}: the displacer would float. "
            "Check weight, volume and density for the same units.",
            field="weight",
        )
    return buoyancy, weight - buoyancy


@dataclass(frozen=True)
class HungLoad:
    """Weights that stand for a level: the exact load, the nearest that the weights on hand make, and the level that is then shown."""

    percent: float
    exact: float
    load: float
    weights: tuple[float, ...]
    true_percent: float

    @property
    def off_percent(self) -> float:
        """How far the level made is from the level wanted."""
        return self.true_percent - self.percent


def hung_loads(
    weight: float,
    volume: float,
    *,
    density: float,
    upper_density: float = 0.0,
    gravity: float = 1.0,
    percents: Sequence[float],
    on_hand: Sequence[float],
) -> tuple[HungLoad, ...]:
    """Loads to hang instead of a displacer for the levels given, each the nearest sum of the weights on hand.

    exact = W - g V (rho_lower p + rho_upper (1 - p)); the true percent is that equation solved for the load made.
    on_hand: every piece once, at most 20, in the unit of the weight; empty: any load can be made. gravity: local over
    standard gravity. Raises a Fault when the displacer would float.
    """
    if len(on_hand) > 20:
        raise Fault(
            "too_many", f"{len(on_hand)} weights are on hand; at most 20 are looked through. Leave the smallest out.", field="weights"
        )
    full = volume * gravity * (density - upper_density)
    sums = _sums(on_hand)
    out = []
    for percent in percents:
        _, exact = displacer_load(weight, volume * gravity, density=density, upper_density=upper_density, percent=percent)
        load, used = _nearest(sums, exact) if on_hand else (exact, ())
        empty = weight - volume * gravity * upper_density
        out.append(HungLoad(percent, exact, load, used, 100.0 * (empty - load) / full))
    return tuple(out)


Sums = tuple[list[tuple[float, tuple[float, ...]]], list[tuple[float, tuple[float, ...]]]]


def _sums(on_hand: Sequence[float]) -> Sums:
    """Every sum of each half of the weights, ordered; of equal sums the one with fewest pieces."""
    ordered = sorted(on_hand, reverse=True)
    halves = ordered[::2], ordered[1::2]
    out = []
    for half in halves:
        best: dict[float, tuple[float, ...]] = {0.0: ()}
        for w in half:
            for total, used in list(best.items()):
                key = round(total + w, 9)
                if key not in best or len(best[key]) > len(used) + 1:
                    best[key] = (*used, w)
        out.append(sorted(best.items()))
    return out[0], out[1]


def _nearest(sums: Sums, wanted: float) -> tuple[float, tuple[float, ...]]:
    """The sum nearest to what is wanted, and its pieces; of equally near ones that with fewest pieces."""
    left, right = sums
    totals = [t for t, _ in right]
    best: tuple[float, int, float, tuple[float, ...]] | None = None
    for total, used in left:
        at = bisect_left(totals, wanted - total)
        for k in (at - 1, at):
            if 0 <= k < len(right):
                found = total + right[k][0]
                pieces = (*used, *right[k][1])
                candidate = (round(abs(found - wanted), 9), len(pieces), found, pieces)
                if best is None or candidate[:2] < best[:2]:
                    best = candidate
    if best is None:
        return 0.0, ()
    return best[2], tuple(sorted(best[3], reverse=True))
