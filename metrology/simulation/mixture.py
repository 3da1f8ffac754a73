"""A simulated extractive analyzer of several components: modes, automatic zero, cross-effects, gains that are barred, drift after a change of mode."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field

WARMING, AUTO_ZERO, SINGLE = 1, 8, 16  # bits of its status word, as it tells them


@dataclass
class SimulatedComponent:
    """One component; values in its unit. gain, zero: of the optics; own_gain, own_zero: set in it; slow_s, memory: how it comes down after gas."""

    name: str
    top: float
    gain: float = 1.0
    zero: float = 0.0
    own_gain: float = 1.0
    own_zero: float = 0.0
    lag_s: float = 3.0
    slow_s: float = 0.0
    memory: float = 0.03
    floor: float = 0.0
    gain_from: float = 0.0
    drift: float = 0.0  # what a change of mode moves its zero by, until temperatures stand again
    level: float = field(default=0.0, init=False)
    held: float = field(default=0.0, init=False)


@dataclass
class SimulatedMixture:
    """An analyzer; flow in l/min, times in s. gases: what the bottles hold by name, told: what their certificates say; sample: of the plant's gas.

    effects: (set, moved, units a unit) of the optics; compensated: which share of them it takes off. leak: share of air in the line.
    auto_zero_every_s, auto_zero_s: how often it draws zero gas of its own, and how long. drift_s: how long a change of mode lasts.
    """

    components: list[SimulatedComponent]
    gases: dict[str, dict[str, float]]
    told: dict[str, dict[str, float]] = field(default_factory=dict)
    sample: dict[str, float] = field(default_factory=dict)
    effects: list[tuple[str, str, float]] = field(default_factory=list)
    compensated: float = 1.0
    leak: float = 0.0
    air_oxygen: float = 20.9
    oxygen: str = "O2"
    set_flow: float = 1.0
    auto_zero_every_s: float = 0.0
    auto_zero_s: float = 6.0
    cell_c: float = 60.0
    warm_s: float = 1.0
    drift_s: float = 120.0
    noise: float = 0.0003
    mode: str = "continuous"
    on: str = "sample"
    seed: int = 0
    flow: float = field(default=1.0, init=False)
    age_s: float = field(default=1e9, init=False)
    _zeroing_s: float = field(default=0.0, init=False)
    _since_zero_s: float = field(default=0.0, init=False)
    _since_mode_s: float = field(default=1e9, init=False)

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)
        self.flow = self.set_flow
        for c in self.components:
            c.level = self.reaches(c)

    def reaches(self, c: SimulatedComponent) -> float:
        """What of a component reaches the optics, disturbed by the others as far as that is not taken off."""
        if self.is_zeroing:
            return 0.0
        gas = self.sample if self.on == "sample" else self.gases.get(self.on, {})
        leak = self.leak if self.on != "sample" else 0.0
        air = {self.oxygen: self.air_oxygen}
        there = {n.name: gas.get(n.name, 0.0) * (1 - leak) + leak * air.get(n.name, 0.0) for n in self.components}
        moved = sum(v * there.get(a, 0.0) for a, b, v in self.effects if b == c.name)
        return there[c.name] + (1 - self.compensated) * moved

    @property
    def is_zeroing(self) -> bool:
        """Whether it draws zero gas of its own."""
        return self._zeroing_s > 0

    def switch(self, name: str) -> bool:
        """Sample, zero gas or a mixture to the analyzer; False where there is no such."""
        if name not in ("sample", "zero") and name not in self.gases:
            return False
        self.on = name
        return True

    def set_mode(self, mode: str) -> bool:
        """Continuous or single shot; its temperatures move after a change."""
        if mode != self.mode:
            self.mode, self._since_mode_s = mode, 0.0
        return True

    def set_rate(self, flow: float) -> bool:
        """The sample flow; False for none."""
        if not 0.05 <= flow <= 10.0:
            return False
        self.flow = flow
        return True

    def auto_zero(self) -> bool:
        """It draws zero gas of its own now."""
        self._zeroing_s, self._since_zero_s = self.auto_zero_s, 0.0
        return True

    def accept_zero(self, n: int) -> bool:
        """Zero a component on what it sees; refused in single-shot mode, without zero gas, and far from zero."""
        c = self._component(n)
        if c is None or self.mode != "continuous" or self.on != "zero" or abs(self._raw(c)) > 0.1 * c.top:
            return False
        c.own_zero = -(c.gain * (c.level + c.held) + c.zero + self._drift(c))
        return True

    def accept_span(self, n: int) -> bool:
        """Set the gain of a component to what the certificate of the gas that is on says; what it disturbs moves with it."""
        c = self._component(n)
        wanted = self.told.get(self.on, self.gases.get(self.on, {})).get(c.name, 0.0) if c else 0.0
        if c is None or self.mode != "continuous" or not wanted or wanted <= c.gain_from:
            return False
        seen = self._raw(c)
        new = c.own_gain * wanted / seen if seen > 0 else 0.0
        if not 0.5 <= new <= 2.0:
            return False
        turned, c.own_gain = new / c.own_gain - 1.0, new
        for a, b, v in self.effects:  # what was taken off the other by this one's reading is taken off by more or less now
            other = next((o for o in self.components if o.name == b), None)
            if a == c.name and other and other.level > 0:
                other.own_gain *= 1.0 - v * turned * wanted / other.level
        return True

    def _component(self, n: int) -> SimulatedComponent | None:
        return self.components[n] if 0 <= n < len(self.components) else None

    def _drift(self, c: SimulatedComponent) -> float:
        return c.drift * math.exp(-self._since_mode_s / self.drift_s)

    def _raw(self, c: SimulatedComponent) -> float:
        return c.own_gain * (c.gain * (c.level + c.held) + c.zero + self._drift(c) + c.own_zero)

    def step(self, dt_s: float) -> None:
        """Let dt_s seconds pass."""
        self.age_s += dt_s
        self._since_mode_s += dt_s
        self._since_zero_s += dt_s
        self._zeroing_s = max(0.0, self._zeroing_s - dt_s)
        if self.auto_zero_every_s and self._since_zero_s >= self.auto_zero_every_s:
            self.auto_zero()
        for c in self.components:
            wanted = self.reaches(c)
            lag = c.lag_s * self.set_flow / max(self.flow, 0.05)
            c.level += (wanted - c.level) * (1.0 - math.exp(-dt_s / lag))
            if c.slow_s:  # walls and filters give back slowly what they took up
                rest = c.memory * c.level if wanted > 0.02 * c.top else c.floor
                pace = lag if rest > c.held else c.slow_s
                c.held += (rest - c.held) * (1.0 - math.exp(-dt_s / pace))

    def shown(self, c: SimulatedComponent) -> float:
        """What its display shows of a component."""
        return min(1.1 * c.top, self._raw(c) + self._random.gauss(0.0, self.noise) * c.top)

    @property
    def temperature_c(self) -> float:
        """Of its cells."""
        return self.cell_c - 35.0 * math.exp(-self.age_s / self.warm_s)

    @property
    def status(self) -> int:
        """Its status word: warming up, drawing zero gas of its own, single shot."""
        warming = WARMING if self.cell_c - self.temperature_c > 1.0 else 0
        return warming | (AUTO_ZERO if self.is_zeroing else 0) | (SINGLE if self.mode != "continuous" else 0)
