"""Simulated gas detectors: how they answer to gas, age, are poisoned, refuse to be adjusted, and alarm.

Technologies: catalytic, electrochemical, optical, oxygen, semiconductor. Concentrations are in the detector's own unit.
"""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field

WARMING, FAULT, INHIBITED, FIRST_ALARM = 1, 2, 4, 8
NEEDS_OXYGEN = {"catalytic": 10.0, "semiconductor": 10.0, "electrochemical": 1.0}


@dataclass
class Stream:
    """The gas at a detector's face. value: of what it watches for; oxygen in % vol; forced: pushed in, not diffusing."""

    value: float = 0.0
    oxygen: float = 20.9
    is_humid: bool = True
    others: float = 0.0  # what cross-sensitivity sees, in the detector's unit
    is_forced: bool = False


@dataclass
class SimulatedDetector:
    """One sensor with its electronics. sensitivity: share of new; zero in its unit; alarms: (set point, is latching, is rising)."""

    technology: str
    top: float
    t90_s: float = 15.0
    sensitivity: float = 1.0
    gain: float = 1.0
    zero: float = 0.0
    noise: float = 0.0
    needs_humid: bool = False
    cross_sensitivity: float = 0.0
    new_signal: float = 1.0
    warm_up_s: float = 0.0
    alarms: tuple[tuple[float, bool, bool], ...] = ()
    inhibit_ma: float = 3.0
    resolution: float = 0.0
    is_frozen: bool = False
    slowness: float = 1.0
    drops_inhibit_after_s: float = 0.0
    seed: int = 0
    stream: Stream = field(default_factory=Stream)
    is_inhibited: bool = False
    _seen: float = field(default=0.0, init=False)
    _forced_s: float = field(default=0.0, init=False)
    _age_s: float = field(default=0.0, init=False)
    _held_s: float = field(default=0.0, init=False)
    _latched: int = field(default=0, init=False)
    _shown: float = field(default=0.0, init=False)

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)
        if self.technology == "oxygen":
            self._seen = self.stream.value = 20.9
        self._shown = self._seen

    @property
    def effective(self) -> float:
        """What of the stream reaches the sensor's chemistry."""
        s = self.stream
        value = s.value + self.cross_sensitivity * s.others
        needed = NEEDS_OXYGEN.get(self.technology, 0.0)
        if needed and s.oxygen < needed:
            value *= 0.15 + 0.85 * max(0.0, s.oxygen) / needed
        if self.needs_humid and not s.is_humid:
            value *= 0.7
        return value

    def step(self, dt_s: float) -> None:
        """Let dt_s seconds pass."""
        self._age_s += dt_s
        lag = self.t90_s * self.slowness / math.log(10)
        self._forced_s = self._forced_s + dt_s if self.stream.is_forced and self.stream.value > 0 else 0.0
        # Gas pushed in presses on the sensor for a while: it reads more than diffusion would give, then comes back.
        gust = 0.6 * math.exp(-self._forced_s / (1.5 * lag)) if self._forced_s else 0.0
        self._seen += (self.effective * (1.0 + gust) - self._seen) * (1 - math.exp(-dt_s / lag))
        if self.is_inhibited:
            self._held_s += dt_s
            if self.drops_inhibit_after_s and self._held_s > self.drops_inhibit_after_s:
                self.is_inhibited = False
        if not self.is_frozen:
            value = self.gain * self.sensitivity * self._seen + self.zero + self._warming_error
            self._shown = value + self._random.gauss(0.0, self.noise)
            if self.resolution:
                self._shown = round(self._shown / self.resolution) * self.resolution
        for n, (set_point, latching, rising) in enumerate(self.alarms):
            if self._is_beyond(set_point, rising):
                self._latched |= 1 << n
            elif not latching:
                self._latched &= ~(1 << n)

    def _is_beyond(self, set_point: float, rising: bool) -> bool:
        return self._shown >= set_point if rising else self._shown <= set_point

    @property
    def _warming_error(self) -> float:
        if not self.warm_up_s:
            return 0.0
        return 0.2 * self.top * math.exp(-3.0 * self._age_s / self.warm_up_s)

    @property
    def is_warming(self) -> bool:
        """Whether it says that it is still warming up."""
        return self._age_s < self.warm_up_s

    @property
    def shown(self) -> float:
        """What its display shows."""
        return self._shown

    @property
    def signal(self) -> float:
        """The raw signal of the sensor."""
        return self.new_signal * self.sensitivity * self._seen

    @property
    def ma(self) -> float:
        """What the control system gets."""
        if self.is_inhibited:
            return self.inhibit_ma
        return 4.0 + 16.0 * max(-0.1, min(1.2, self._shown / self.top))

    @property
    def status(self) -> int:
        """Its status word: warming up, fault, inhibited, then one bit an alarm."""
        word = (WARMING if self.is_warming else 0) | (INHIBITED if self.is_inhibited else 0)
        return word | (FAULT if self._shown < -0.1 * self.top else 0) | self._latched * FIRST_ALARM

    def inhibit(self, on: bool) -> None:
        """Hold the output."""
        self.is_inhibited, self._held_s = on, 0.0

    def reset_alarms(self) -> None:
        """Reset what has latched; what is still above its set point stays."""
        self._latched = sum(1 << n for n, (set_point, _, rising) in enumerate(self.alarms) if self._is_beyond(set_point, rising))

    def accept_zero(self) -> bool:
        """Zero it on what it sees; refused when the background is not clean or it is warming up."""
        if self.is_warming or self.technology == "oxygen" or abs(self._shown) > 0.1 * self.top:
            return False
        self.zero -= self._shown
        return True

    def accept_span(self, applied: float) -> bool:
        """Set its gain; refused when the sensor would need more than twice, or less than half, of its gain."""
        seen = self._shown - self.zero
        if self.is_warming or seen <= 0:
            return False
        wanted = self.gain * (applied - self.zero) / seen
        if not 0.5 <= wanted * 1.0 <= 2.5:
            return False
        self.gain = wanted
        return True

    def age(self, days: float, *, loss_per_year: float, drift_per_year: float = 0.0, poison: float = 0.0) -> None:
        """Let days of service pass: sensitivity lost a year, zero drifted, and what a poison took at once."""
        self.sensitivity *= math.exp(-loss_per_year * days / 365.25) * (1.0 - poison)
        self.zero += drift_per_year * days / 365.25


@dataclass
class Charge:
    """What a bottle holds: of the gas watched for, in the detector's unit; oxygen in % vol; litres at one bar; others: interfering gas."""

    value: float
    oxygen: float
    litres: float
    is_humid: bool = False
    others: float = 0.0


@dataclass
class Manifold:
    """Bottles on a manifold with a valve, feeding one detector."""

    flow_l_min: float = 0.5
    bottles: dict[str, Charge] = field(default_factory=dict)
    open_bottle: str = ""
    is_line_off: bool = False
    ambient: Stream = field(default_factory=Stream)

    def step(self, dt_s: float) -> Stream:
        """What comes out of the line after dt_s seconds; an empty bottle gives nothing any more."""
        if not self.open_bottle or self.is_line_off:
            return self.ambient
        bottle = self.bottles[self.open_bottle]
        if bottle.litres <= 0:
            return self.ambient
        bottle.litres -= self.flow_l_min * dt_s / 60.0
        return Stream(bottle.value, bottle.oxygen, bottle.is_humid, bottle.others, is_forced=True)
