"""Components that disturb one another: the order of setting them that disturbs least, and what each still moves of those set before it.

An effect is how many units component B moves for each unit that A is set by. Weighed by the tolerances it becomes: how many of its tolerances B moves
when A is set by one of its own.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from metrology.faults import Fault, require_finite, require_positive

MOST = 12  # components; the best order of more is not looked for
NOTICED = 0.25  # of a tolerance for one tolerance set: an effect below it does not bring a component round again


@dataclass(frozen=True)
class Order:
    """The order that disturbs least. left: (set, moved, tolerances moved for one tolerance set) of those that are set before and moved after.

    circular: pairs that disturb one another so that no order is free of it; they are set in turn until both stand.
    """

    names: tuple[str, ...]
    left: tuple[tuple[str, str, float], ...]
    circular: tuple[tuple[str, str], ...]

    @property
    def says(self) -> str:
        """The order with its reason."""
        way = ", then ".join(self.names)
        if not self.left:
            return f"{way}: nothing that was set is moved by what is set after it."
        worst = max(self.left, key=lambda row: row[2])
        told = f"{way}: least is moved of what was set before; at most {worst[1]} by {worst[0]}, {worst[2]:.2g} of its tolerance for one."
        pairs = ", ".join(f"{a} and {b}" for a, b in self.circular)
        return f"{told} {pairs} disturb one another: set them in turn until both stand." if pairs else told


def least_disturbing(tolerances: Mapping[str, float], effects: Sequence[tuple[str, str, float]]) -> Order:
    """The order of setting components, by their tolerances and effects (set, moved, units moved a unit), that disturbs least.

    Raises a Fault for more than 12 components, a tolerance that is not above zero, an effect of an unknown component or of one on itself.
    """
    names = tuple(tolerances)
    if not 1 <= len(names) <= MOST:
        raise Fault("out_of_range", f"{len(names)} components; 1 to {MOST} can be put in order.", field="components")
    for name, tolerance in tolerances.items():
        require_positive(tolerance, f"tolerance of {name}")
    moved = {(a, b): 0.0 for a in names for b in names if a != b}
    for a, b, effect in effects:
        if (a, b) not in moved:
            known = ", ".join(names)
            raise Fault("unknown_component", f"'{a}' on '{b}': known are {known}, and one does not move itself.", field="effects")
        moved[a, b] = abs(require_finite(effect, f"effect of {a} on {b}")) * tolerances[a] / tolerances[b]
    order = _best(names, moved)
    at = {name: n for n, name in enumerate(order)}
    left = tuple((a, b, v) for (a, b), v in moved.items() if v > NOTICED and at[a] > at[b])
    circular = tuple((a, b) for n, a in enumerate(names) for b in names[n + 1 :] if moved[a, b] > NOTICED and moved[b, a] > NOTICED)
    return Order(order, left, circular)


def _best(names: tuple[str, ...], moved: Mapping[tuple[str, str], float]) -> tuple[str, ...]:
    """The order with the smallest sum of what later ones move of earlier ones, subset by subset; of equals the one as they were given."""
    best: dict[frozenset[str], tuple[float, tuple[str, ...]]] = {frozenset(): (0.0, ())}
    for size in range(len(names)):
        for done, (cost, order) in [(k, v) for k, v in best.items() if len(k) == size]:
            for name in names:
                if name in done:
                    continue
                grown = (cost + sum(moved[name, earlier] for earlier in done), (*order, name))
                key = done | {name}
                if key not in best or (grown[0], _ranks(grown[1], names)) < (best[key][0], _ranks(best[key][1], names)):
                    best[key] = grown
    return best[frozenset(names)][1]


def _ranks(order: tuple[str, ...], names: tuple[str, ...]) -> tuple[int, ...]:
    return tuple(names.index(n) for n in order)
