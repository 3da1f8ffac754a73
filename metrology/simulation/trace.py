"""A simulated trace oxygen analyzer: a fuel cell that is flooded by air and comes down, a line that leaks, a gain that is off."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field


@dataclass
class SimulatedTrace:
    """An analyzer of a trace of oxygen; values in ppm, flows in l/min, times in s.

    gain: of the cell, own_gain: set in it. leak_ppm: what a leak adds at set_flow; less with more flow. dead_ppm: what dead legs hold back when a
    gas comes on, coming out with dead_s. sample: of the plant's gas; bottles: by name. fast_s, slow_s: the come-down of a new cell.
    hurry: how much faster than life a come-down goes.
    """

    gain: float = 1.0
    own_gain: float = 1.0
    leak_ppm: float = 0.0
    dead_ppm: float = 30.0
    dead_s: float = 20.0
    lag_s: float = 4.0
    sample: float = 0.6
    top: float = 100.0
    noise: float = 0.0006
    set_flow: float = 0.5
    uA_per_ppm: float = 0.5
    fast_s: float = 60.0
    slow_s: float = 480.0
    wet: float = 0.0
    hurry: float = 1.0
    bottles: dict[str, float] = field(default_factory=lambda: {"span": 80.0, "zero": 0.05})
    on: str = "sample"
    seed: int = 0
    flow: float = field(default=0.5, init=False)
    level: float = field(default=0.0, init=False)
    air_s: float = field(default=0.0, init=False)
    in_air: bool = field(default=False, init=False)
    _held: float = field(default=0.0, init=False)
    _fast: float = field(default=0.0, init=False)
    _slow: float = field(default=0.0, init=False)
    _random: random.Random = field(init=False)

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)
        self.flow = self.set_flow
        self.level = self.gas

    @property
    def gas(self) -> float:
        """What reaches the cell once all stands: of sample or bottle, with what the leak adds and a wet sample gives."""
        source = self.sample if self.on == "sample" else self.bottles.get(self.on, 0.0)
        return source + self.leak_ppm * self.set_flow / max(self.flow, 0.05) + self.wet

    def switch(self, name: str) -> bool:
        """Sample or a bottle to the cell; what stood in the line comes with it. False where there is no such."""
        if name != "sample" and name not in self.bottles:
            return False
        if name != self.on:
            self.on, self._held = name, self.dead_ppm if name != "sample" else 0.3 * self.dead_ppm
        return True

    def set_rate(self, flow: float) -> bool:
        """The flow through it; False for none."""
        if not 0.05 <= flow <= 10.0:
            return False
        self.flow = flow
        return True

    def open_air(self) -> bool:
        """The cell is out: a new one stands in air until it is shut in."""
        self.in_air, self.air_s = True, 0.0
        return True

    def shut(self) -> bool:
        """The new cell is in, gas flows; it comes down from what it took up."""
        if not self.in_air:
            return False
        self.in_air, self.gain = False, 1.0
        self._fast, self._slow = 40.0 * self.air_s, 1.5 * self.air_s
        return True

    def accept_span(self) -> bool:
        """Set the gain on the span gas; refused without it and beyond a third."""
        if self.on != "span" or self.level <= 0:
            return False
        wanted = self.bottles["span"] / (self.level * self.gain)
        if not 0.65 <= wanted <= 1.5:
            return False
        self.own_gain = wanted
        return True

    def step(self, dt_s: float) -> None:
        """Let dt_s seconds pass."""
        if self.in_air:
            self.air_s += dt_s
            self.level = 209_000.0
            return
        sped = dt_s * self.hurry
        self._held *= math.exp(-dt_s * self.flow / self.set_flow / self.dead_s)
        self._fast *= math.exp(-sped / self.fast_s)
        self._slow *= math.exp(-sped / self.slow_s)
        wanted = self.gas + self._held + self._fast + self._slow
        self.level += (wanted - self.level) * (1.0 - math.exp(-dt_s / self.lag_s))

    @property
    def signal(self) -> float:
        """Current of the cell, uA."""
        return self.level * self.gain * self.uA_per_ppm

    @property
    def shown(self) -> float:
        """What it shows; a tenth above its range it shows no more."""
        return min(1.1 * self.top, self.level * self.gain * self.own_gain * (1.0 + self._random.gauss(0.0, self.noise)))
