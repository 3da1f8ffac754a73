"""A simulated transmitter: zero, span, linearity, hysteresis, output stage, lag, noise, drift, and screws that interact."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field, replace

from metrology.quantities.transfer import Transfer, output_fraction


@dataclass(frozen=True)
class Faults:
    """What is wrong with it; all in percent of span unless said otherwise."""

    zero: float = 0.0
    span: float = 0.0
    bow: float = 0.0  # largest departure from the straight line, at mid range
    hysteresis: float = 0.0  # full gap between up and down at mid range
    output_offset: float = 0.0
    output_gain: float = 0.0
    clip_high_percent: float = 200.0
    drift_per_day: float = 0.0


@dataclass
class SimulatedTransmitter:
    """A transmitter stepped by time. Its sensor side gives the digital value, its output stage the current.

    lag_s: first-order time constant. noise: standard deviation in percent of span. interaction: how far a turn of
    the span screw moves the zero, and the reverse, as a fraction.
    """

    lrv: float
    urv: float
    output_lo: float = 4.0
    output_hi: float = 20.0
    transfer: Transfer = field(default_factory=Transfer)
    faults: Faults = field(default_factory=Faults)
    lag_s: float = 0.5
    noise: float = 0.005
    interaction: float = 0.15
    seed: int = 0
    _sensed: float = field(default=0.0, init=False)
    _direction: int = field(default=1, init=False)
    _zero_trim: float = field(default=0.0, init=False)
    _span_trim: float = field(default=0.0, init=False)
    _days: float = field(default=0.0, init=False)
    _random: random.Random = field(init=False)

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)

    def step(self, dt_s: float, applied: float) -> None:
        """Let dt_s seconds pass with `applied` (engineering units) at the input."""
        target = (applied - self.lrv) / (self.urv - self.lrv)
        if abs(target - self._sensed) > 1e-9:
            self._direction = 1 if target > self._sensed else -1
        share = 1.0 if self.lag_s <= 0 else 1.0 - math.exp(-dt_s / self.lag_s)
        self._sensed += (target - self._sensed) * share

    def pass_days(self, days: float) -> None:
        """Let it age: zero and, at a third of the rate, span drift, with a random wander on top."""
        self._days += days
        f = self.faults
        wander = self._random.gauss(0.0, 0.25 * abs(f.drift_per_day) * math.sqrt(max(days, 0.0)) * 5)
        self.faults = replace(f, zero=f.zero + f.drift_per_day * days + wander, span=f.span + f.drift_per_day * days / 3.0)

    @property
    def pv_fraction(self) -> float:
        """The digital value as a fraction of span: the sensor side with its faults."""
        f, x = self.faults, self._sensed
        y = x + (f.zero + self._zero_trim) / 100.0 + (f.span + self._span_trim) / 100.0 * x
        y += 4.0 * f.bow / 100.0 * x * (1.0 - x)
        y -= self._direction * 2.0 * f.hysteresis / 100.0 * x * (1.0 - x)
        return y

    def output(self) -> float:
        """The output now, noise included, in output units."""
        f = self.faults
        y = output_fraction(self.transfer, self.pv_fraction)
        y = y * (1.0 + f.output_gain / 100.0) + f.output_offset / 100.0
        y = min(y, f.clip_high_percent / 100.0) + self._random.gauss(0.0, self.noise / 100.0)
        return self.output_lo + y * (self.output_hi - self.output_lo)

    def settle_at(self, applied: float, *, overshoot: float = 0.0) -> float:
        """Apply a value until it stands still (coming back from `overshoot` beyond it first) and read the output."""
        if overshoot:
            self._settle(applied + overshoot)
        self._settle(applied)
        return self.output()

    def _settle(self, applied: float) -> None:
        for _ in range(12):
            self.step(max(self.lag_s, 0.1), applied)

    def turn_zero(self, percent: float) -> None:
        """Turn the zero screw; the span moves a little with it."""
        self._zero_trim += percent
        self._span_trim += percent * self.interaction

    def turn_span(self, percent: float) -> None:
        """Turn the span screw; the zero moves a little with it."""
        self._span_trim += percent
        self._zero_trim += percent * self.interaction
