"""What is proposed after exposures: leave, prove the gas, calibrate, or replace."""

from __future__ import annotations

from dataclasses import dataclass

from metrology.judgement.decision import FAIL
from metrology.methods.alarms import late_alarms
from metrology.methods.condition import DAMAGED, needs_cleaning, needs_exchange
from metrology.methods.exposing import AIR, BUMP, SPAN
from metrology.methods.outcome import Outcome, Proposal
from metrology.methods.setup import RunSetup
from metrology.methods.trials.exposure import GasKind


@dataclass(frozen=True)
class GasAdvice:
    """The advice of a gas method."""

    kind: GasKind

    @property
    def renewing(self) -> str:
        """What a spent sensor takes: exchanged here and set again, or, where nothing is set here, marked for replacement."""
        return "exchange" if self.kind.screws else "replace"

    def propose(self, setup: RunSetup, outcome: Outcome, *, is_as_left: bool) -> Proposal:
        """Leave, prove the gas, calibrate, or replace."""
        p, worst = setup.policy, outcome.worst
        if worst is None:
            return Proposal("repeat", "There are no readings to judge.")
        share = abs(worst.point.error_percent) / worst.tolerance
        where = f"The largest error is {worst.point.error_percent:+.1f} % of range, {100 * share:.0f} % of the tolerance."
        first = outcome.signatures[0] if outcome.signatures else None
        is_proof = (
            all(j.slot.extra["exposure"] in (BUMP, AIR) for j in outcome.judged)
            and not self.kind.is_check
            and SPAN in self.kind.found_kinds
        )
        late = late_alarms(outcome)
        renew = "" if is_as_left else needs_exchange(setup)
        if outcome.verdict != FAIL and not late:
            if not is_as_left and not is_proof and p.decides == "always" and self.kind.can_adjust(setup):
                return Proposal(self.kind.adjust_choice, f"{where} Inside, but the policy here is to calibrate always.")
            past = p.adjust_when == "past-limit" and 100 * share > p.adjust_limit_percent
            if (
                not is_as_left
                and not is_proof
                and p.decides == "as-found"
                and past
                and self.kind.can_adjust(setup)
                and not self.kind.is_check
            ):
                return Proposal(self.kind.adjust_choice, f"{where} Past the adjust limit of {p.adjust_limit_percent:g} %: calibrate.")
            if renew and not is_proof and dict(setup.entered).get("condition") == DAMAGED:
                return Proposal(self.renewing, f"{where} {renew}")
            plan = f" {renew.rstrip('.').replace(': replace it', '')}: plan its exchange." if renew else ""
            return Proposal("leave", f"{where} It answers as it should.{plan}")
        if late:
            return Proposal("repair", f"{where} {late} Correct the set point or the alarm path, then prove it.")
        if is_proof or is_as_left:
            told = "The proof failed" if is_proof else "It is still outside"
            return Proposal("repair" if is_proof else "replace", f"{where} {told}. {first.first_action if first else ''}".strip())
        if first and first.code in ("no-response", "same-bottle", "wrong-balance"):
            return Proposal("repeat", f"{where} {first.says} {first.first_action}")
        if renew:
            return Proposal(self.renewing, f"{where} {renew}")
        if needs_cleaning(setup):
            return Proposal("repair", f"{where} {needs_cleaning(setup)}")
        if abs(worst.point.error_percent) > p.acceptance_percent:
            more = f"More than {p.acceptance_percent:g} % of span off: prove bottle, regulator and setting before anything is forced."
            return Proposal("repeat", f"{where} {more}")
        if not self.kind.can_adjust(setup):
            return Proposal("replace", f"{where} It can't be adjusted: replace it.")
        return Proposal(self.kind.adjust_choice, f"{where} {first.says if first else ''} Calibrate it.".replace("  ", " "))

    def refuse(self, setup: RunSetup, outcome: Outcome, choice: str) -> str:
        """What can't be adjusted isn't."""
        if choice in ("adjust", "calibrate") and not self.kind.can_adjust(setup):
            return "This detector has nothing to adjust. Choose another decision."
        if choice == "leave" and late_alarms(outcome):
            return f"{late_alarms(outcome)} A detector whose alarm does not come can't be left as it is."
        return ""
