"""What is proposed after a set of readings, and why: leave, adjust, repeat, repair or replace."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from metrology.judgement.decision import FAIL, MARGINAL
from metrology.judgement.policy import Policy
from metrology.judgement.signature import UNDECIDED
from metrology.methods.outcome import Outcome, Proposal
from metrology.methods.setup import RunSetup

Sided = Callable[[RunSetup], bool]
CAUSE_FIRST = ("reversed", "transfer-mismatch", "saturation", "range-mismatch", "unit-mismatch")
AGAIN, AGAIN_ON_FAIL = ("outlier", "time-drift"), ("scatter", UNDECIDED)


def no_digital(_setup: RunSetup) -> bool:
    """No digital value is read."""
    return False


@dataclass(frozen=True)
class CurveAdvice:
    """Leave, adjust, repeat, repair or replace, from verdict, signature and policy. has_digital: whether sides can be told apart."""

    has_digital: Sided = no_digital

    def propose(self, setup: RunSetup, outcome: Outcome, *, is_as_left: bool) -> Proposal:
        """The proposed decision with its reason."""
        return propose(setup, outcome, is_as_left=is_as_left, has_digital=self.has_digital)

    def refuse(self, setup: RunSetup, outcome: Outcome, choice: str) -> str:
        """An instrument that can't be adjusted is not; one side is not trimmed to hide the other."""
        if choice in ("adjust", "trim_sensor", "trim_output") and not setup.instrument.is_adjustable:
            return "This instrument cannot be adjusted. Choose another decision."
        return refuse_trim(setup, outcome, choice)


def propose(setup: RunSetup, result: Outcome, *, is_as_left: bool, has_digital: Sided = no_digital) -> Proposal:
    """The proposed decision with its reason; see the methods document for the order of the rules."""
    policy = setup.policy
    first = result.signatures[0] if result.signatures else None
    worst = result.worst
    if worst is None:
        return Proposal("repeat", "There are no readings to judge.")
    where = (
        f"The largest error is {worst.point.error_percent:+.2f} % of span at {worst.slot.percent:g} % "
        f"{worst.slot.direction}, {100 * result.share:.0f} % of the tolerance."
    )
    if first and (first.code in AGAIN or (first.code in AGAIN_ON_FAIL and result.verdict == FAIL)) and not is_as_left:
        return Proposal("repeat", f"{first.says} {first.first_action}")
    if result.verdict == FAIL:
        return _propose_on_fail(setup, result, where, has_digital)
    if result.verdict == MARGINAL and setup.instrument.is_adjustable:
        return Proposal(_turn(setup, result, has_digital), f"{where} That is inside the tolerance but outside the acceptance limit.")
    inside = _propose_inside(policy, result, where, is_as_left=is_as_left, can_adjust=setup.instrument.is_adjustable)
    return Proposal(_turn(setup, result, has_digital), inside.reason) if inside.choice == "adjust" else inside


def _turn(setup: RunSetup, result: Outcome, has_digital: Sided) -> str:
    sided = _side(setup, result, has_digital)
    return sided.choice if sided else "adjust"


def _propose_on_fail(setup: RunSetup, result: Outcome, where: str, has_digital: Sided) -> Proposal:
    first = result.signatures[0] if result.signatures else None
    stats = result.statistics
    tolerance = min(j.tolerance for j in result.judged)
    sided = _side(setup, result, has_digital)
    if first and first.code in CAUSE_FIRST and not (sided and first.code == "range-mismatch"):
        return Proposal("repair", f"{first.says} {first.first_action}")
    if stats and stats.hysteresis and stats.hysteresis > tolerance:
        # Centred, half of the gap lies on either side, and what bows beside it stays.
        if (
            setup.policy.gap == "centre"
            and setup.instrument.is_adjustable
            and stats.hysteresis / 2 + stats.linearity_independent <= tolerance
        ):
            fits = f"centred, that fits the tolerance of ±{tolerance:.2f} %, as the policy has it"
            told = f"Up and down differ by {stats.hysteresis:.2f} %; {fits}. It wears: look at it soon."
            return Proposal(sided.choice if sided else "adjust", f"{where} {told}")
        return Proposal("repair", f"{where} Up and down differ by {stats.hysteresis:.2f} %: clean and free it, no screw cures that.")
    # A square root bows whatever shifts its sensor; only a bow that is named as such can't be adjusted away.
    is_bowed = setup.instrument.transfer.kind != "sqrt" or any(s.code == "linearity" for s in result.signatures)
    if stats and stats.linearity_independent > tolerance and is_bowed:
        return Proposal(
            "replace",
            f"{where} It bows {stats.linearity_independent:.2f} % away from the best straight line, which zero and span cannot cure.",
        )
    if not setup.instrument.is_adjustable:
        return Proposal("replace", f"{where} It is outside the tolerance and cannot be adjusted.")
    if sided:
        return Proposal(sided.choice, f"{where} {sided.reason}")
    return Proposal("adjust", f"{where} It is outside the tolerance; zero and span can bring it in.")


def _side(setup: RunSetup, result: Outcome, has_digital: Sided) -> Proposal | None:
    """With the digital value beside the output: which side is to be trimmed, and why."""
    split = [(j.sensor_percent, j.output_percent) for j in result.judged if j.sensor_percent is not None and j.output_percent is not None]
    if not has_digital(setup):
        return None
    if not split:
        return Proposal("trim_sensor", "The digital value was not read, so it is not known which side is off; start at the sensor.")
    sensor, output = max(abs(s) for s, _ in split), max(abs(o) for _, o in split)
    told = f"Applied to digital value is off by up to {sensor:.2f} %, digital value to output by up to {output:.2f} %:"
    if output > sensor:
        return Proposal("trim_output", f"{told} trim the output.")
    return Proposal("trim_sensor", f"{told} trim the sensor, not the output.")


def refuse_trim(setup: RunSetup, result: Outcome, choice: str) -> str:
    """Why one side may not be trimmed: it is good, and the trim would only hide the error of the other."""
    split = [(j.sensor_percent, j.output_percent) for j in result.judged if j.sensor_percent is not None and j.output_percent is not None]
    if choice not in ("trim_sensor", "trim_output") or not split:
        return ""
    aim = min(j.tolerance for j in result.judged) * setup.policy.aim_percent / 100
    sensor, output = max(abs(s) for s, _ in split), max(abs(o) for _, o in split)
    mine, other, words = (output, sensor, ("output", "sensor")) if choice == "trim_output" else (sensor, output, ("sensor", "output"))
    if mine <= aim < other:
        return (
            f"The {words[0]} side is within {mine:.2f} %, inside the aim of {aim:.2f} %; the {words[1]} side is off by {other:.2f} %. "
            f"Trimming the {words[0]} would only hide the {words[1]}'s error. Trim the {words[1]}."
        )
    return ""


def _propose_inside(policy: Policy, result: Outcome, where: str, *, is_as_left: bool, can_adjust: bool) -> Proposal:
    limit = policy.adjust_limit_percent
    if not can_adjust:
        return Proposal("leave", f"{where} It is inside the tolerance and cannot be adjusted.")
    if policy.adjust_when == "never":
        return Proposal("leave", f"{where} The policy is never to adjust inside the tolerance.")
    if policy.adjust_when == "always":
        if is_as_left or 100 * result.share <= policy.aim_percent:
            return Proposal("leave", f"{where} There is nothing more to gain by adjusting.")
        return Proposal("adjust", f"{where} The policy is always to adjust to nominal.")
    if 100 * result.share > limit:
        return Proposal("adjust", f"{where} That is past the adjust limit of {limit:g} %.")
    return Proposal("leave", f"{where} That is inside the adjust limit of {limit:g} %.")
