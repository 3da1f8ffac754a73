"""How what is read live is watched, where a method has nothing of its own to say."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from metrology.judgement.exposure import Exposure
from metrology.judgement.settling import Sample, SettleRule
from metrology.methods.method import Trial
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Quantity, Slot, Watched
from metrology.methods.steps import Step


def no_dwell(_setup: RunSetup) -> float:
    """Points don't soak."""
    return 0.0


def by_policy(setup: RunSetup) -> float:
    """How slow an approach is looked for, s: as the policy says."""
    return setup.policy.settle_horizon_s


@dataclass(frozen=True)
class Still:
    """A reading counts when it stands still.

    patience: how many times longer than the policy's limit a signal may take to settle. shares: quantities of which all channels share one
    source. dwell: how long a point soaks after it has settled, s. horizon: how slow an approach is looked for, s; 0 looks at the window alone.
    """

    trial: Trial
    patience: float = 1.0
    shares: tuple[str, ...] = ("applied",)
    dwell: Callable[[RunSetup], float] = no_dwell
    horizon: Callable[[RunSetup], float] = by_policy

    def settle_rule(self, setup: RunSetup, slot: Slot, quantity: Quantity) -> SettleRule:
        """The policy's window, horizon and time limit, the limit a share of the tolerance."""
        p = setup.policy
        limit = p.settle_percent / 100 * self.trial.tolerance_at(setup, slot) / 100 * quantity.span
        return SettleRule(p.settle_window_s, limit, p.settle_limit_s * self.patience, self.horizon(setup))

    def watch(self, setup: RunSetup, slot: Slot, watched: Watched) -> Exposure | None:
        """Nothing is exposed."""
        return None

    def source_channel(self, quantity: str, channel: str) -> str:
        """Each display has its own; what is applied is the same for all of them."""
        return "" if quantity in self.shares else channel

    def watched(self, setup: RunSetup, step: Step) -> tuple[Slot, tuple[Quantity, ...]] | None:
        """Conditions are typed."""
        return None

    def is_step(self, slot: Slot) -> bool:
        """Nothing is exposed."""
        return False

    def course(self, setup: RunSetup, step: Step, slot: Slot, samples: Sequence[Sample]) -> str:
        """Nothing is forecast."""
        return ""

    def interrupted(self, setup: RunSetup, slot: Slot, samples: Mapping[str, Sequence[Sample]]) -> tuple[tuple[float, str], ...]:
        """Nothing interrupts it."""
        return ()

    def dwell_s(self, setup: RunSetup) -> float:
        """How long a point soaks, s."""
        return self.dwell(setup)
