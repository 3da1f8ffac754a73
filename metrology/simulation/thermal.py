"""Simulated temperature: a block with a controller, a reference probe, and sensors with their faults."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field

from metrology.faults import Fault
from metrology.quantities.temperature import sensor_signal


@dataclass
class Block:
    """A dry block. lag_s: time constant of the well, ramp: C a second at most, display_error: what its display adds.

    reaches: highest temperature it gets to, whatever it is told. warm_up: what its display shows too much at first.
    """

    ambient_c: float = 22.0
    lag_s: float = 6.0
    ramp: float = 4.0
    stability: float = 0.004
    display_error: float = 0.12
    reaches: float = 500.0
    warm_up: float = 0.0
    warm_up_s: float = 300.0
    seed: int = 0
    set_point: float = 22.0
    well_c: float = field(init=False)
    _age_s: float = field(default=0.0, init=False)
    _heater_c: float = field(init=False)
    _random: random.Random = field(init=False)

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)
        self.well_c = self._heater_c = self.ambient_c

    def step(self, dt_s: float) -> None:
        """Let dt_s seconds pass: the heater ramps, the well follows."""
        self._age_s += dt_s
        goal = min(self.set_point, self.reaches)
        most = self.ramp * dt_s
        self._heater_c += max(-most, min(most, goal - self._heater_c))
        self.well_c += (self._heater_c - self.well_c) * (1.0 - math.exp(-dt_s / self.lag_s))

    def display(self) -> float:
        """What the block's own display shows."""
        return (
            self.well_c
            + self.display_error
            + self.warm_up * math.exp(-self._age_s / self.warm_up_s)
            + self._random.gauss(0.0, self.stability)
        )


@dataclass
class Probe:
    """A reference probe in a block: it lags a little, and may be unplugged."""

    lag_s: float = 1.5
    noise: float = 0.002
    is_plugged: bool = True
    seed: int = 0
    t90_c: float = field(default=22.0, init=False)
    _random: random.Random = field(init=False)

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)

    def step(self, dt_s: float, well_c: float) -> None:
        """Let dt_s seconds pass in a well at well_c."""
        self.t90_c += (well_c - self.t90_c) * (1.0 - math.exp(-dt_s / self.lag_s))

    def read(self) -> float:
        """Its temperature; an open circuit reads infinite."""
        return self.t90_c + self._random.gauss(0.0, self.noise) if self.is_plugged else math.inf


@dataclass(frozen=True)
class SensorFaults:
    """What is wrong with a sensor: R0 in percent, lead resistance in ohm, cold junction in C, and a change along the gradient.

    inhomogeneity: C at the ends; plus at low_c, minus at high_c. gain: percent of the temperature.
    """

    r0_percent: float = 0.0
    lead_ohm: float = 0.0
    cold_junction_c: float = 0.0
    inhomogeneity: float = 0.0
    gain_percent: float = 0.0
    low_c: float = 0.0
    high_c: float = 100.0


@dataclass
class SimulatedSensor:
    """A resistance thermometer ("pt") or thermocouple ("tc-k") in a block; it reads ohm or mV."""

    sensor: str
    r0: float = 100.0
    faults: SensorFaults = field(default_factory=SensorFaults)
    lag_s: float = 2.5
    noise: float = 0.0005
    terminal_c: float = 0.0
    is_plugged: bool = True
    seed: int = 0
    t90_c: float = field(default=22.0, init=False)
    _random: random.Random = field(init=False)

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)

    def step(self, dt_s: float, well_c: float) -> None:
        """Let dt_s seconds pass in a well at well_c."""
        self.t90_c += (well_c - self.t90_c) * (1.0 - math.exp(-dt_s / self.lag_s))

    def signal_at(self, t90_c: float) -> float:
        """Its signal at a temperature, faults included, noise left out; ohm or mV."""
        f = self.faults
        share = (t90_c - f.low_c) / (f.high_c - f.low_c) if f.high_c != f.low_c else 0.0
        t = t90_c * (1 + f.gain_percent / 100) + f.inhomogeneity * (1 - 2 * share)
        if self.sensor == "pt":
            return sensor_signal("pt", t, r0=self.r0 * (1 + f.r0_percent / 100)) + f.lead_ohm
        return sensor_signal(self.sensor, t, cold_junction_c=self.terminal_c - f.cold_junction_c)

    def read(self) -> float:
        """Its signal now; an open circuit reads infinite."""
        if not self.is_plugged:
            return math.inf
        try:
            return self.signal_at(self.t90_c) + self._random.gauss(0.0, self.noise)
        except Fault:
            return math.inf
