"""A simulated injected-sample analyzer: a detector that draws a chromatogram, a column that takes up moisture, leaks, carry-over, power cuts."""

from __future__ import annotations

import math
import random
from collections import deque
from dataclasses import dataclass, field

SAMPLE_S = 0.05
KEPT = 16  # samples that it keeps for whoever asks late
WIDEN = 1 / 60.0  # of its width a second of retention: later peaks are broader
TAIL_S = 3.0  # after the last peak a run is over


@dataclass
class SimulatedAnalyte:
    """One component: when it comes out (s), how broad (standard deviation, s), its response (area a unit), how moisture moves it (share)."""

    name: str
    at_s: float
    width_s: float = 0.35
    response: float = 1.0
    moisture: float = 0.0
    factor: float = 0.0  # set in the analyzer; its response where none is

    def __post_init__(self) -> None:
        self.factor = self.factor or self.response


@dataclass
class SimulatedInjector:
    """An analyzer. sources: what can be drawn into the syringe, values by component; wet: how much moisture the column holds, 0 to 1.

    leak: share of an injection that is lost; kept: share of the last injection that comes with the next; lost_kpa: of a leak test. noise in uV.
    """

    analytes: list[SimulatedAnalyte]
    sources: dict[str, dict[str, float]]
    wet: float = 0.0
    leak: float = 0.0
    kept: float = 0.0
    lost_kpa: float = 0.02
    baseline: float = 120.0
    drift: float = 0.05
    noise: float = 0.3
    scatter: float = 0.002
    loaded: str = "standard"
    seed: int = 0
    uptime_s: float = field(default=86_400.0, init=False)
    run_s: float = field(default=-1.0, init=False)
    clock_s: float = field(default=0.0, init=False)
    latest: deque[tuple[float, float]] = field(default_factory=lambda: deque(maxlen=KEPT), init=False)  # its clock, its signal
    amounts: dict[str, float] = field(default_factory=dict, init=False)
    shown: dict[str, float] = field(default_factory=dict, init=False)

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)
        self.shown = {a.name: 0.0 for a in self.analytes}

    def load(self, source: str) -> bool:
        """Draw a gas into the syringe; False where there is no such."""
        if source not in self.sources:
            return False
        self.loaded = source
        return True

    def inject(self) -> bool:
        """What is in the syringe goes in; refused while a run goes on."""
        if self.run_s >= 0:
            return False
        went_in = 1 - self.leak
        before = self.amounts
        gas = self.sources[self.loaded]
        same = 1 + self._random.gauss(0, self.scatter)
        self.amounts = {a.name: gas.get(a.name, 0.0) * went_in * same + self.kept * before.get(a.name, 0.0) for a in self.analytes}
        self.run_s = 0.0
        return True

    def cut_power(self) -> bool:
        """Its power goes and comes back: a run is lost."""
        self.uptime_s, self.run_s = 0.0, -1.0
        self.amounts = {}
        return True

    def accept(self) -> bool:
        """The response of the last standard becomes its factors; refused without one."""
        if self.loaded != "standard" or not self.amounts or self.run_s >= 0:
            return False
        told = self.sources["standard"]
        for a in self.analytes:
            if told.get(a.name) and self.amounts.get(a.name):
                a.factor = a.response * self.amounts[a.name] / told[a.name]
        return True

    def recondition(self) -> bool:
        """The column is baked out."""
        self.wet = 0.0
        return True

    def comes_at(self, a: SimulatedAnalyte) -> float:
        """When a component comes out of the column as it is."""
        return a.at_s * (1 - a.moisture * self.wet)

    def step(self, dt_s: float) -> None:
        """Let dt_s seconds pass."""
        self.uptime_s += dt_s
        parts = max(1, math.ceil(dt_s / SAMPLE_S - 1e-9))
        for _ in range(parts):  # its detector samples evenly, however late the bench comes round
            self.clock_s += dt_s / parts
            self._run(dt_s / parts)
            self.latest.append((self.clock_s, self.signal))

    def _run(self, dt_s: float) -> None:
        if self.run_s < 0:
            return
        self.run_s += dt_s
        if self.run_s > max(a.at_s for a in self.analytes) * 1.15 + TAIL_S:
            self.run_s = -1.0
            self.shown = {a.name: self.amounts.get(a.name, 0.0) * a.response / a.factor for a in self.analytes}

    @property
    def signal(self) -> float:
        """What the detector gives, uV."""
        value = self.baseline + self._random.gauss(0, self.noise)
        if self.run_s < 0:
            return value
        value += self.drift * self.run_s
        for a in self.analytes:
            s = a.width_s * (1 + WIDEN * a.at_s)
            off = (self.run_s - self.comes_at(a)) / s
            if abs(off) < 8:
                value += self.amounts.get(a.name, 0.0) * a.response / (s * math.sqrt(2 * math.pi)) * math.exp(-0.5 * off * off)
        return value
