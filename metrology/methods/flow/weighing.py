"""What scales share: their cautions, weights, and what is proposed after a set of loads."""

from __future__ import annotations

from dataclasses import dataclass

from metrology.judgement.decision import FAIL
from metrology.judgement.reference import ReferenceStandard
from metrology.methods.fragments import SCHEMES, STAGES, ScaleSettings
from metrology.methods.method import Trial
from metrology.methods.outcome import Outcome, Proposal
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Slot
from metrology.methods.standards.base import Need

NEAR_LOADS = (
    "A hung load falls: nobody under it, lifting gear in date, weights secured, feet and fingers clear.",
    "Filling, agitators and conveyors locked out, so that nothing moves or fills while somebody is at it.",
)
HANDS = ("more", "less", "off")  # keys of the bench: what is put on and taken off
CLEAR = ("binding", "dead-cell", "overloaded-cell", "rope-or-hose", "build-up")  # causes that are put right, not adjusted away


@dataclass(frozen=True)
class ScaleAdvice:
    """Leave, put right what is found, adjust, or take it again."""

    def propose(self, setup: RunSetup, outcome: Outcome, *, is_as_left: bool) -> Proposal:
        """The proposed decision after a set."""
        cause = next((s for s in outcome.signatures if s.confidence >= 0.5), None)
        off = outcome.verdict == FAIL
        if cause and cause.code in (*CLEAR, "wrong-capacity", "wrong-gravity"):
            return Proposal("repair", "A cause is found that adjusting would only hide: put it right first.")
        if cause and cause.code == "wind":
            return Proposal("repeat", "It does not stand still enough to be judged.")
        broken = next((c for c in outcome.criteria if c.verdict == FAIL), None)
        if broken:
            told = broken.says or f"{broken.label}: {broken.value:.2f} {broken.unit}."
            return Proposal("repair", f"{told} That is a fault to find, not one to adjust.")
        if off:
            return Proposal(
                "adjust", f"{cause.says if cause else 'It is outside its limits.'} Everything that binds a scale was looked at before."
            )
        if 100 * outcome.share > setup.policy.adjust_limit_percent and not is_as_left:
            return Proposal("adjust", f"{100 * outcome.share:.0f} % of what is allowed is used: near the limit.")
        return Proposal("leave", f"{100 * outcome.share:.0f} % of what is allowed is used: inside the limits.")

    def refuse(self, setup: RunSetup, outcome: Outcome, choice: str) -> str:
        """What binds a scale, or a number typed wrong, is not adjusted away."""
        cause = next((s for s in outcome.signatures if s.code in CLEAR and s.confidence >= 0.75), None)
        if choice == "adjust" and cause:
            return f"{cause.says} Adjusted now it is wrong as soon as that is gone. {cause.first_action}"
        return ""


def weights_need(load: float) -> Need:
    """Weights that make a load."""
    return Need("weights", "Weights", unit="kg", low=load, high=load, is_informative=True)


def tur_of_weights(setup: RunSetup, trial: Trial, reference: ReferenceStandard, load: float) -> float:
    """What is allowed at a load over the uncertainty of the weights that make it."""
    top = setup.instrument.urv
    u = reference.expanded(load, unit="kg")
    slot = Slot(0, 1, "up", 100 * load / top, load, load, "", extra={"kind": "load"})
    return trial.tolerance_at(setup, slot) / 100 * top / u if u else float("inf")


def scale_words(setup: RunSetup) -> tuple[str, str]:
    """Output and tolerance as the record tells them."""
    d, i = setup.instrument.details, setup.instrument
    if not isinstance(d, ScaleSettings) or not d.scheme:
        return "its display", i.tolerance_text
    return f"its display, division {d.division or i.urv / 3000:g} kg", f"{dict(SCHEMES)[d.scheme]}, {dict(STAGES)[d.stage]}"
