"""A simulated Coriolis meter in a line with valves: a zero that moved, a valve that leaks, gas in the liquid, a liquid that still cools."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field


@dataclass
class SimulatedMassFlow:
    """Flows in kg/h. zero: its true zero; stored: what it takes off. leak: flow through shut valves, a thirtieth of it with a second one shut.

    gas: share of gas that damps and shakes it; cooling_c: how far it is from the temperature it comes to, with 10 min.
    """

    normal: float = 6000.0
    stability: float = 1.2
    zero: float = 0.2
    stored: float = 0.2
    leak: float = 0.0
    gas: float = 0.0
    cooling_c: float = 0.0
    rest_c: float = -20.0
    density: float = 1030.0
    seed: int = 0
    is_down_open: bool = True
    is_up_open: bool = True
    is_second_shut: bool = False
    has_cutoff: bool = True
    _flow: float = field(default=0.0, init=False)
    _random: random.Random = field(init=False)

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)
        self._flow = self._true

    @property
    def _true(self) -> float:
        if self.is_down_open and self.is_up_open:
            return self.normal
        return self.leak / 30 if self.is_second_shut else self.leak

    def step(self, dt_s: float) -> None:
        """Let dt_s seconds pass."""
        self._flow += (self._true - self._flow) * -math.expm1(-dt_s / 2.0)
        self.cooling_c *= math.exp(-dt_s / 600)

    @property
    def shown(self) -> float:
        """Flow it shows; nothing below half a percent of normal flow while its cut-off is on."""
        noise = self.stability * (0.08 + 60 * self.gas)
        found = self._flow + self.zero - self.stored + self._random.gauss(0, noise)
        return 0.0 if self.has_cutoff and abs(found) < 0.005 * self.normal else found

    @property
    def drive(self) -> float:
        """Drive gain, %."""
        return min(100.0, 4.0 + 900 * self.gas + self._random.gauss(0, 0.05))

    @property
    def temperature(self) -> float:
        """What it shows, C."""
        return self.rest_c + self.cooling_c

    @property
    def shown_density(self) -> float:
        """What it shows, kg/m3."""
        return self.density * (1 - self.gas) - 1.6 * self.cooling_c + self._random.gauss(0, 0.05)

    def turn(self, valve: str, *, is_open: bool) -> bool:
        """Open or shut a valve: down, up, or a second one."""
        if valve == "second":
            self.is_second_shut = not is_open
        elif valve in ("down", "up"):
            setattr(self, f"is_{valve}_open", is_open)
        else:
            return False
        return True

    def cut(self, *, is_on: bool) -> bool:
        """Switch the low-flow cut-off."""
        self.has_cutoff = is_on
        return True

    def set_zero(self) -> bool:
        """Its own zero adjustment: what it sees now becomes the zero; refused while the valves are open."""
        if self.is_down_open and self.is_up_open:
            return False
        self.stored = self.zero + self._flow
        return True
