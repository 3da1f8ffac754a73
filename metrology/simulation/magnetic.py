"""A simulated magnetic flow meter on its test card: electronics that drifted, a coil that is wet, electrodes that are coated."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field

CURRENT_FROM, PULSE_FROM = (
    1000.0,
    100_000.0,
)  # a set point written to it: below a velocity, then a current less 1000, then a frequency less 100 000


@dataclass
class SimulatedMagnetic:
    """Resistances in ohm, Mohm and kohm. gain: of the converter, 1 as new; offset_ma: of its output; pulse_gain: of its pulses.

    card: velocity that the test card stands for, m/s; out_ma, out_hz: what its outputs are set to.
    """

    coil: float = 82.0
    insulation: float = 450.0
    electrode_a: float = 11.5
    electrode_b: float = 11.5
    gain: float = 1.0
    offset_ma: float = 0.0
    pulse_gain: float = 1.0
    lag_s: float = 1.0
    seed: int = 0
    card: float = 0.0
    out_ma: float = 4.0
    out_hz: float = 0.0
    _shown: float = field(default=0.0, init=False)
    _random: random.Random = field(init=False)

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)

    def set(self, raw: float) -> bool:
        """Take a set point, told apart by its size; refused where none of the three goes."""
        if raw >= PULSE_FROM:
            self.out_hz = raw - PULSE_FROM
        elif raw >= CURRENT_FROM:
            ma = raw - CURRENT_FROM
            if not 3.5 <= ma <= 23:
                return False
            self.out_ma = ma
        elif 0 <= raw <= 20:
            self.card = raw
        else:
            return False
        return True

    def step(self, dt_s: float) -> None:
        """Let dt_s seconds pass."""
        self._shown += (self.card * self.gain - self._shown) * -math.expm1(-dt_s / self.lag_s)

    @property
    def velocity(self) -> float:
        """What the converter shows, m/s."""
        return self._shown + self._random.gauss(0, 2e-5 * max(1.0, self.card))

    @property
    def ma(self) -> float:
        """What a milliammeter reads in its loop."""
        return self.out_ma + self.offset_ma + self._random.gauss(0, 2e-4)

    @property
    def hz(self) -> float:
        """What a counter reads on its pulses."""
        return self.out_hz * self.pulse_gain
