"""A simulated belt weigher: an integrator that counts over whole revolutions, with dead load, build-up and test weights."""

from __future__ import annotations

import random
from dataclasses import dataclass, field


@dataclass
class SimulatedBelt:
    """A belt with its integrator. dead_kg_m: what the empty belt weighs; counts_per_kg: of the integrator; hurry: seconds of belt a second.

    build_up_kg_m: material stuck to it; weights_kg_m: what the test weights stand for; gain: of the weighbridge, 1 as new. scatter: counts.
    """

    length_m: float = 60.0
    speed_m_s: float = 1.5
    dead_kg_m: float = 25.0
    counts_per_kg: float = 2.0
    weights_kg_m: float = 50.0
    build_up_kg_m: float = 0.0
    gain: float = 1.0
    scatter: float = 3.0
    hurry: float = 1.0
    zero_stored: float = 0.0
    span_stored: float = 0.0
    seed: int = 0
    are_weights_on: bool = False
    is_running: bool = True
    wanted: int = field(default=0, init=False)
    turned: float = field(default=0.0, init=False)  # revolutions of the test under way, or of the last one
    count: float = field(default=0.0, init=False)
    _rate: float = field(default=0.0, init=False)  # counts a revolution of this test
    _random: random.Random = field(init=False)

    def __post_init__(self) -> None:
        self._random = random.Random(self.seed)

    @property
    def counts_a_turn(self) -> float:
        """What one revolution counts without scatter."""
        load = self.dead_kg_m + self.build_up_kg_m + (self.weights_kg_m if self.are_weights_on else 0.0)
        return load * self.length_m * self.counts_per_kg * self.gain

    def start(self, revolutions: int) -> bool:
        """Start a test; refused while the belt stands."""
        if not self.is_running or revolutions < 1:
            return False
        self.wanted, self.turned, self.count = revolutions, 0.0, 0.0
        self._rate = self.counts_a_turn + self._random.gauss(0.0, self.scatter) / revolutions
        return True

    @property
    def is_testing(self) -> bool:
        """Whether a test is under way."""
        return self.turned < self.wanted

    def step(self, dt_s: float) -> None:
        """Let dt_s seconds pass; the counter stops at the last whole revolution."""
        if not (self.is_running and self.is_testing):
            return
        self.turned = min(float(self.wanted), self.turned + dt_s * self.hurry * self.speed_m_s / self.length_m)
        self.count = self._rate * self.turned

    @property
    def revolutions(self) -> float:
        """Whole revolutions so far, as its counter shows."""
        return float(int(self.turned + 1e-9))

    @property
    def shown_count(self) -> float:
        """The count it shows."""
        return float(round(self.count))

    @property
    def total_kg(self) -> float:
        """What it totals: the count less the stored zero, by its stored span."""
        if not self.span_stored or not self.wanted:
            return 0.0
        share = self.turned / self.wanted
        held = self.span_stored - self.zero_stored
        return (self.count - self.zero_stored * share) * self.weights_kg_m * self.length_m * self.wanted / held if held else 0.0

    @property
    def speed(self) -> float:
        """Belt speed as its pick-up tells it."""
        return self.speed_m_s if self.is_running else 0.0

    def hang(self, on: bool) -> bool:
        """Weights on or off; done by hand, whatever the integrator does."""
        self.are_weights_on = on
        return True

    def accept_zero(self) -> bool:
        """Its own zero calibration over the revolutions of the last test; refused while a test runs, before one, or under weights."""
        if self.is_testing or not self.wanted or self.are_weights_on:
            return False
        self.zero_stored = float(round(self.counts_a_turn * self.wanted))
        return True

    def accept_span(self) -> bool:
        """Its own span calibration; refused while a test runs, before one, or without weights."""
        if self.is_testing or not self.wanted or not self.are_weights_on:
            return False
        self.span_stored = float(round(self.counts_a_turn * self.wanted))
        return True
