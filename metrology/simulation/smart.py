"""A simulated smart transmitter: sensor with trims, its own range and damping, an output stage with trims, a loop test."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field

LOW_MA, HIGH_MA = 4.0, 20.0
SATURATED_LOW, SATURATED_HIGH = 3.8, 20.5


class Refused(Exception):
    """The device keeps its values; code is the response code it answers with."""

    def __init__(self, code: int) -> None:
        super().__init__(f"response code {code}")
        self.code = code


# Response codes of the protocol's common tables.
INVALID, TOO_LARGE, TOO_SMALL, TOO_FEW, WRITE_PROTECTED = 2, 3, 4, 5, 7
LRV_HIGH, LRV_LOW, URV_HIGH, URV_LOW, SPAN_SMALL, NOT_FIXED, BUSY = 9, 10, 11, 12, 14, 9, 32


@dataclass
class SmartTransmitter:
    """What a smart transmitter holds and does. zero_error and gain_error: its sensor side, percent of its sensor span.

    output_offset, output_gain: its output stage, percent of 16 mA. warm_up: percent of span that fades with warm_up_s.
    """

    lrl: float
    url: float
    lrv: float
    urv: float
    unit: str = "kPa"
    tag: str = "TX"
    descriptor: str = ""
    message: str = ""
    device_id: int = 1
    damping: float = 0.4
    transfer: str = "linear"
    write_protect: bool = False
    zero_error: float = 0.0
    gain_error: float = 0.0
    bow: float = 0.0
    hysteresis: float = 0.0
    output_offset: float = 0.0
    output_gain: float = 0.0
    noise: float = 0.003
    warm_up: float = 0.0
    warm_up_s: float = 120.0
    seed: int = 0
    fixed_ma: float | None = None
    trim_zero: float = field(default=0.0, init=False)
    trim_gain: float = field(default=1.0, init=False)
    _lower_point: tuple[float, float] | None = field(default=None, init=False)
    _dac_zero: float = field(default=0.0, init=False)
    _dac_gain: float = field(default=1.0, init=False)
    _sensed: float = field(default=0.0, init=False)
    _way: int = field(default=1, init=False)
    _raw: float = field(default=0.0, init=False)
    _age_s: float = field(default=0.0, init=False)
    _random: random.Random = field(init=False)

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)

    @property
    def span(self) -> float:
        """Span of the configured range."""
        return self.urv - self.lrv

    @property
    def min_span(self) -> float:
        """The smallest span it takes: a hundredth of its sensor's."""
        return (self.url - self.lrl) / 100.0

    def step(self, dt_s: float, applied: float) -> None:
        """Let dt_s seconds pass with `applied` at the sensor."""
        self._age_s += dt_s
        if abs(applied - self._sensed) > 1e-6 * abs(self.url - self.lrl):
            self._way = 1 if applied > self._sensed else -1
        lag = max(self.damping, 0.05)
        self._sensed += (applied - self._sensed) * (1.0 - math.exp(-dt_s / lag))
        x = (self._sensed - self.lrv) / self.span
        inside = min(1.0, max(0.0, x))
        wrong = self.zero_error + self.gain_error * x + 4 * self.bow * inside * (1 - inside)
        wrong -= self._way * 2 * self.hysteresis * inside * (1 - inside)
        wrong += self.warm_up * math.exp(-self._age_s / self.warm_up_s)
        self._raw = self._sensed + wrong / 100.0 * abs(self.span) + self._random.gauss(0.0, self.noise / 100.0) * abs(self.span)

    @property
    def pv(self) -> float:
        """The digital value in its unit."""
        return self._raw * self.trim_gain + self.trim_zero

    @property
    def percent(self) -> float:
        """The digital value in percent of the configured range, through the transfer function."""
        x = (self.pv - self.lrv) / self.span
        if self.transfer == "sqrt":
            x = math.sqrt(x) if x > 0 else 0.0
        return 100.0 * x

    @property
    def commanded_ma(self) -> float:
        """The current it means to give."""
        if self.fixed_ma is not None:
            return self.fixed_ma
        return min(SATURATED_HIGH, max(SATURATED_LOW, LOW_MA + 0.16 * self.percent))

    @property
    def ma(self) -> float:
        """The current it gives, with the faults of its output stage and its output trims."""
        y = (self.commanded_ma - LOW_MA) / (HIGH_MA - LOW_MA) * self._dac_gain + self._dac_zero
        y = y * (1 + self.output_gain / 100.0) + self.output_offset / 100.0
        return LOW_MA + y * (HIGH_MA - LOW_MA) + self._random.gauss(0.0, self.noise / 100.0 * 4)

    def _require_open(self) -> None:
        if self.write_protect:
            raise Refused(WRITE_PROTECTED)

    def set_range(self, lrv: float, urv: float) -> None:
        """Take a range inside the sensor limits."""
        self._require_open()
        for value, high, low in ((lrv, LRV_HIGH, LRV_LOW), (urv, URV_HIGH, URV_LOW)):
            if value > self.url:
                raise Refused(high)
            if value < self.lrl:
                raise Refused(low)
        if abs(urv - lrv) < self.min_span:
            raise Refused(SPAN_SMALL)
        self.lrv, self.urv = lrv, urv

    def set_damping(self, seconds: float) -> None:
        """Take a damping of 0 to 60 s."""
        self._require_open()
        if seconds > 60:
            raise Refused(TOO_LARGE)
        if seconds < 0:
            raise Refused(TOO_SMALL)
        self.damping = seconds

    def zero_trim(self) -> None:
        """What is at the sensor now is zero."""
        self._require_open()
        if abs(self.pv) > 0.05 * abs(self.url - self.lrl):
            raise Refused(TOO_LARGE)
        self.trim_zero -= self.pv

    def lower_trim(self, value: float) -> None:
        """What is at the sensor now is `value`: the low end of the trim."""
        self._require_open()
        if abs(self.pv - value) > 0.1 * abs(self.url - self.lrl):
            raise Refused(TOO_LARGE)
        self._lower_point = (self._raw, value)
        self.trim_zero += value - self.pv

    def upper_trim(self, value: float) -> None:
        """What is at the sensor now is `value`: the high end of the trim; the low end stays where it was set."""
        self._require_open()
        raw_low, low = self._lower_point or (0.0, self.trim_zero)
        if abs(self.pv - value) > 0.1 * abs(self.url - self.lrl) or abs(self._raw - raw_low) < self.min_span:
            raise Refused(TOO_LARGE)
        self.trim_gain = (value - low) / (self._raw - raw_low)
        self.trim_zero = low - raw_low * self.trim_gain

    def fix_output(self, ma: float | None) -> None:
        """Hold the output at a current; None or 0 lets it follow the process again."""
        if ma and not 3.5 <= ma <= 23.0:
            raise Refused(TOO_LARGE if ma > 23 else TOO_SMALL)
        self.fixed_ma = ma or None

    def trim_output_low(self, measured: float) -> None:
        """The output held at 4 mA was measured as `measured`."""
        self._require_open()
        if self.fixed_ma != LOW_MA:
            raise Refused(NOT_FIXED)
        self._dac_zero -= (measured - LOW_MA) / (HIGH_MA - LOW_MA)

    def trim_output_high(self, measured: float) -> None:
        """The output held at 20 mA was measured as `measured`."""
        self._require_open()
        if self.fixed_ma != HIGH_MA:
            raise Refused(NOT_FIXED)
        self._dac_gain -= (measured - HIGH_MA) / (HIGH_MA - LOW_MA)
