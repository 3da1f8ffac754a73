"""A simulated pH analyzer: a glass electrode that answers by its slope, offset and speed, and the analyzer that reckons pH from it."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field

from metrology.quantities.acidity import theoretical_slope


@dataclass
class Medium:
    """What an electrode may stand in: its pH at its temperature."""

    ph: float
    temp_c: float = 25.0


@dataclass
class SimulatedAnalyzer:
    """An electrode with its analyzer. slope_percent of theory, offset in mV at pH 7, lag_s: time constant; drift_mv: of the reference a minute.

    own_slope, own_offset: the calibration the analyzer reckons with. compensates: whether it reckons with the temperature of the medium.
    """

    slope_percent: float = 97.0
    offset_mv: float = 4.0
    lag_s: float = 3.0
    noise_mv: float = 0.02
    drift_mv: float = 0.0
    glass_mohm: float = 150.0
    reference_kohm: float = 5.0
    own_slope: float = 98.0
    own_offset: float = 0.0
    compensates: bool = True
    media: dict[str, Medium] = field(default_factory=dict)
    at: str = "process"
    seed: int = 0
    mv: float = field(default=0.0, init=False)
    temp_c: float = field(default=25.0, init=False)
    _wander: float = field(default=0.0, init=False)
    _random: random.Random = field(init=False)

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)
        self.media.setdefault("process", Medium(7.2, 22.0))
        self.temp_c, self.mv = self.medium.temp_c, self._signal

    @property
    def medium(self) -> Medium:
        """What it stands in."""
        return self.media[self.at]

    @property
    def _signal(self) -> float:
        slope = self.slope_percent / 100 * abs(theoretical_slope(self.medium.temp_c))
        return self.offset_mv + self._wander - slope * (self.medium.ph - 7.0)

    @property
    def settling(self) -> float:
        """How far its signal still has to go, mV."""
        return self._signal - self.mv

    def dip(self, name: str) -> bool:
        """Put it into a beaker, or back into the process; False where there is no such."""
        if name not in self.media:
            return False
        self.at = name
        return True

    def step(self, dt_s: float) -> None:
        """Let dt_s seconds pass."""
        self._wander += self.drift_mv * dt_s / 60.0
        share = 1.0 - math.exp(-dt_s / self.lag_s)
        self.mv += (self._signal - self.mv) * share
        self.temp_c += (self.medium.temp_c - self.temp_c) * share

    @property
    def shown_mv(self) -> float:
        """The signal it shows."""
        return self.mv + self._random.gauss(0.0, self.noise_mv)

    @property
    def _theory(self) -> float:
        return abs(theoretical_slope(self.temp_c if self.compensates else 25.0))

    @property
    def shown(self) -> float:
        """The pH it shows."""
        return 7.0 - (self.shown_mv - self.own_offset) / (self.own_slope / 100 * self._theory)

    def accept_offset(self) -> bool:
        """Set its offset on the buffer it stands in; refused in the process and beyond what it takes for an electrode."""
        wanted = self.mv + self.own_slope / 100 * self._theory * (self.medium.ph - 7.0)
        if self.at == "process" or abs(wanted) > 90.0:
            return False
        self.own_offset = wanted
        return True

    def accept_slope(self) -> bool:
        """Set its slope on the buffer it stands in; refused too near to pH 7 and beyond what it takes for an electrode."""
        away = self.medium.ph - 7.0
        if self.at == "process" or abs(away) < 1.0:
            return False
        wanted = 100 * (self.own_offset - self.mv) / away / self._theory
        if not 70.0 <= wanted <= 105.0:
            return False
        self.own_slope = wanted
        return True
