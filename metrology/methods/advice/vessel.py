"""What is proposed for a vessel on load cells."""

from __future__ import annotations

from dataclasses import dataclass

from metrology.methods.flow.weighing import ScaleAdvice
from metrology.methods.outcome import Outcome, Proposal
from metrology.methods.setup import RunSetup
from metrology.methods.trials.vessel import PARAMETERS, changed_in_it, filed, told_of

SCALES = ScaleAdvice()


@dataclass(frozen=True)
class VesselAdvice:
    """What scales are advised; where a parameter was changed in the device only, the file first."""

    scales: ScaleAdvice = SCALES

    def propose(self, setup: RunSetup, outcome: Outcome, *, is_as_left: bool) -> Proposal:
        """The proposed decision after a set."""
        made = self.scales.propose(setup, outcome, is_as_left=is_as_left)
        changed = changed_in_it(setup)
        if made.choice != "adjust" or is_as_left or not changed or any(filed(setup, name) is None for name, _, _ in PARAMETERS):
            return made
        labels = {name: label for name, label, _ in PARAMETERS}
        told = "; ".join(f"{labels[n]}: {told_of(n, filed(setup, n) or 0.0)} in the file, {dict(setup.entered)[n]} in it" for n in changed)
        return Proposal(
            "restore", f"{told}. Changed in the device only: send it the file, then prove it, before anything is set by a load."
        )

    def refuse(self, setup: RunSetup, outcome: Outcome, choice: str) -> str:
        """As for every scale; a file is sent over what binds it as little as a span is set."""
        return self.scales.refuse(setup, outcome, "adjust" if choice == "restore" else choice)
