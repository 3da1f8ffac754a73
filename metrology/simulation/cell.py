"""A simulated conductivity analyzer: a cell that fouls, a cable that leaks, a sensor of temperature that may be off."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field

from metrology.quantities.conductivity import to_reference


@dataclass
class SimulatedCell:
    """A cell with its analyzer. constant: of the cell as it is, in 1/cm; cell_now: set in the analyzer; zero_us: set in it, uS/cm.

    places: conductivity in uS/cm and temperature in C of what the cell may stand in. damp_us: leaks across cell or plug; cable: gain of cable and
    input; mode, coefficient: of the compensation that works in it; sensor_off_c: error of its temperature sensor. ohm: the resistor for the cable.
    """

    constant: float = 1.02
    cell_now: float = 1.0
    zero_us: float = 0.0
    damp_us: float = 0.0
    cable: float = 1.0
    mode: str = "linear"
    coefficient: float = 2.0
    sensor_off_c: float = 0.0
    ohm: float = 1000.0
    lag_s: float = 2.0
    noise: float = 0.0003
    places: dict[str, tuple[float, float]] = field(default_factory=dict)
    at: str = "process"
    seed: int = 0
    raw: float = field(default=0.0, init=False)
    temp_c: float = field(default=25.0, init=False)
    _random: random.Random = field(init=False)

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)
        self.places = {"air": (0.0, 21.0), "solution": (1304.5, 21.0), "process": (420.0, 18.0), **self.places}
        self.temp_c = self.places[self.at][1]
        self.raw = self._signal

    @property
    def _signal(self) -> float:
        """Conductivity it makes of the conductance at the end of the cable, before its zero."""
        if self.at == "cable":
            return self.cell_now * 1e6 / self.ohm * self.cable
        kappa = self.places[self.at][0]
        return self.cell_now * (kappa / self.constant * self.cable + self.damp_us)

    def move(self, place: str) -> bool:
        """Put the cell there, or the resistor in its place; False where there is no such."""
        if place != "cable" and place not in self.places:
            return False
        self.at = place
        return True

    def step(self, dt_s: float) -> None:
        """Let dt_s seconds pass."""
        share = 1.0 - math.exp(-dt_s / self.lag_s)
        self.raw += (self._signal - self.raw) * share
        wanted = self.places.get(self.at, (0.0, 21.0))[1]
        self.temp_c += (wanted - self.temp_c) * (1.0 - math.exp(-dt_s / (3 * self.lag_s)))

    @property
    def shown_raw(self) -> float:
        """What it shows with compensation off."""
        return (self.raw - self.zero_us) * (1.0 + self._random.gauss(0.0, self.noise)) + self._random.gauss(0.0, 50.0 * self.noise)

    @property
    def shown_c(self) -> float:
        """The temperature it shows."""
        return self.temp_c + self.sensor_off_c

    @property
    def shown(self) -> float:
        """What it shows referred to 25 °C."""
        return self.shown_raw * to_reference(min(35.9, max(0.1, self.shown_c)), self.mode, percent_per_c=self.coefficient)

    def accept_zero(self) -> bool:
        """Set zero; refused unless it stands in air, near to nothing."""
        if self.at != "air" or abs(self.raw) > 50.0 * self.cell_now:
            return False
        self.zero_us = self.raw
        return True

    def accept_constant(self) -> bool:
        """Set the cell constant by the solution; refused elsewhere, and beyond what it takes for a cell."""
        if self.at != "solution":
            return False
        wanted = self.cell_now * self.places["solution"][0] / (self.raw - self.zero_us)
        if not 0.5 <= wanted / self.cell_now <= 2.0:
            return False
        self.cell_now = wanted
        self.raw = self._signal
        return True
