"""A simulated pressure source: ramps to its set point, settles, breathes a little, and may leak."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field


@dataclass
class PressureSource:
    """A controller that brings its output to a set point. lag_s: time constant, noise: standard deviation, leak: units a second.

    warm_up: what its reference sensor reads too much when switched on, fading with warm_up_s.
    """

    full_scale: float
    lag_s: float = 0.6
    noise: float = 0.0
    leak: float = 0.0
    warm_up: float = 0.0
    warm_up_s: float = 300.0
    seed: int = 0
    set_point: float = 0.0
    applied: float = field(default=0.0, init=False)
    _age_s: float = field(default=0.0, init=False)
    _held_s: float = field(default=0.0, init=False)
    _random: random.Random = field(init=False)

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)
        self.applied = self.set_point

    def go_to(self, set_point: float) -> None:
        """Take a new set point."""
        self.set_point = set_point
        self._held_s = 0.0

    def step(self, dt_s: float) -> None:
        """Let dt_s seconds pass."""
        self._held_s += dt_s
        self._age_s += dt_s
        target = self.set_point - self.leak * self._held_s
        self.applied += (target - self.applied) * (1.0 - math.exp(-dt_s / self.lag_s))

    def read(self) -> float:
        """What its own reference sensor tells."""
        return self.applied + self.warm_up * math.exp(-self._age_s / self.warm_up_s) + self._random.gauss(0.0, self.noise)
