"""A simulated vessel on load cells with its indicator: supports that bind, cells that are dead or were overloaded, hoses, build-up, creep, wind."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field

from metrology.quantities.loading import STANDARD_GRAVITY


@dataclass
class SimulatedScale:
    """Masses in kg, cells in mV/V. span: what the indicator was set with, shown over true.

    bound: share of its load that pipework takes from the last support; dead: a support without a signal, 0: none; strained_mv_v: how far the cell of the
    first support was overloaded; hose_kg: what a dragged hose adds upwards and takes downwards; build_up_kg: what sticks to it; wind_kg: s of the reading;
    creep: share of the load that still comes, with 10 min; gravity: of the place. number: its own, by which it is told from others.
    """

    supports: int = 3
    cell_capacity: float = 22_000.0
    sensitivity: float = 2.0
    dead_kg: float = 12_000.0
    division: float = 20.0
    piece_kg: float = 2500.0
    top_kg: float = 40_000.0
    span: float = 1.0
    bound: float = 0.0
    dead: int = 0
    strained_mv_v: float = 0.0
    hose_kg: float = 0.0
    build_up_kg: float = 0.0
    wind_kg: float = 0.0
    creep: float = 0.0
    gravity: float = STANDARD_GRAVITY
    zero_kg: float = 0.0
    lag_s: float = 0.6
    seed: int = 0
    load_kg: float = 0.0
    number: float = 0.0
    is_in_service: bool = False
    _shown: float = field(default=0.0, init=False)
    _crept: float = field(default=0.0, init=False)
    _is_down: bool = field(default=False, init=False)
    _random: random.Random = field(init=False)

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)
        self._shown = self._aim

    def put(self, kg: float) -> bool:
        """So much lies on it from now on; refused below nothing and beyond its Max."""
        if not 0 <= kg <= self.top_kg * 1.1:
            return False
        self._is_down = kg < self.load_kg
        self.load_kg = kg
        return True

    @property
    def _shares(self) -> list[float]:
        """What each support carries of what the cells get."""
        each = 1.0 / self.supports
        out = [each] * self.supports
        out[-1] *= 1 - self.bound
        if self.dead:
            out[self.dead - 1] = 0.0
        return out

    @property
    def _aim(self) -> float:
        """What it comes to show."""
        hose = (-self.hose_kg if self._is_down else self.hose_kg) if self.load_kg else 0.0
        strained = self.strained_mv_v / self._mv_v_kg / self.supports
        live = (self.load_kg + self._crept) * sum(self._shares) * self.gravity / STANDARD_GRAVITY
        return (live + self.build_up_kg + hose + strained - self.zero_kg) * self.span

    def step(self, dt_s: float) -> None:
        """Let dt_s seconds pass."""
        self._crept += (self.creep * self.load_kg - self._crept) * -math.expm1(-dt_s / 600)
        self._shown += (self._aim - self._shown) * -math.expm1(-dt_s / self.lag_s)

    @property
    def raw(self) -> float:
        """What it weighs, before it is rounded to a division."""
        return self._shown + (self._random.gauss(0, self.wind_kg) if self.wind_kg else 0.0)

    @property
    def shown(self) -> float:
        """What the display tells."""
        return round(self.raw / self.division) * self.division

    @property
    def is_stable(self) -> bool:
        """Whether the indicator says that it stands."""
        return abs(self._aim - self._shown) < self.division / 4 and self.wind_kg < self.division / 2

    @property
    def cells(self) -> tuple[float, ...]:
        """The signal of each support by itself, mV/V."""
        empty = [self.dead_kg / self.supports] * self.supports
        out = []
        for n, share in enumerate(self._shares):
            kg = 0.0 if n + 1 == self.dead else empty[n] + self.load_kg * share
            out.append(kg / self.cell_capacity * self.sensitivity + (self.strained_mv_v if n == 0 else 0.0))
        return tuple(out)

    @property
    def parameters(self) -> tuple[float, ...]:
        """What its indicator holds: the signal empty and at Max, mV/V to four decimals, Max and division, kg; and its own number."""
        empty = (self.dead_kg + self.zero_kg) * self._mv_v_kg
        return (round(empty, 4), round(empty + self.top_kg / self.span * self._mv_v_kg, 4), self.top_kg, self.division, self.number)

    @property
    def _mv_v_kg(self) -> float:
        return self.sensitivity / self.supports / self.cell_capacity

    def hold(self, which: int, value: float) -> bool:
        """A parameter set by its place; refused out of service mode, of its number, and where it makes no scale."""
        empty, top, *_ = self.parameters
        if not self.is_in_service or which > 3:
            return False
        if which == 0:
            if value >= top:
                return False
            self.zero_kg = value / self._mv_v_kg - self.dead_kg
            self.span = self.top_kg * self._mv_v_kg / (top - value)
        elif which == 1:
            if value <= empty:
                return False
            self.span = self.top_kg * self._mv_v_kg / (value - empty)
        elif value <= 0:
            return False
        elif which == 2:
            self.span *= value / self.top_kg
            self.top_kg = value
        else:
            self.division = value
        return True

    def serve(self, *, is_on: bool) -> bool:
        """Service mode on or off."""
        self.is_in_service = is_on
        return True

    def zero(self) -> bool:
        """Set to zero as it stands; refused under a load."""
        if self.load_kg:
            return False
        self.zero_kg += self._aim / self.span
        self._shown = self._aim
        return True

    def free(self) -> bool:
        """What binds it is freed, the hose taken off, what sticks cleaned away."""
        self.bound = self.hose_kg = self.build_up_kg = 0.0
        return True

    def set_span(self) -> bool:
        """The span set with the load that is on; refused without one."""
        if not self.load_kg or not self._aim:
            return False
        self.span *= self.load_kg / self._aim
        return True
