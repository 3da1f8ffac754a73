"""tx-multipoint: an analogue or smart transmitter checked at several points, adjusted and proved.

Sources: IEC 61298-2:2008 (test procedure, terms), JCGM 100:2008 (uncertainty), ILAC-G8:09/2019 (decision).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from functools import lru_cache

from metrology.judgement.decision import FAIL, MARGINAL, decide
from metrology.judgement.errors import DOWN, UP, error_in_bases, measure_point, statistics
from metrology.judgement.policy import Policy
from metrology.judgement.reference import ReferenceStandard
from metrology.judgement.signature import Curve, find_signatures
from metrology.judgement.tolerance import tolerance_percent
from metrology.judgement.uncertainty import Component, combine
from metrology.methods import tx_steps
from metrology.methods.base import AdjustProgress, AdjustTarget, Judged, Proposal, RawReading, SetResult, Slot
from metrology.methods.setup import RunSetup
from metrology.methods.steps import Step
from metrology.quantities.transfer import ideal_output
from metrology.quantities.typed import parse_typed

CAUSE_FIRST = ("reversed", "transfer-mismatch", "saturation", "range-mismatch")
COVERAGE = 0.9545


def ideal_for(setup: RunSetup, applied: float) -> float:
    """Ideal output for an applied value, in output units."""
    i = setup.instrument
    return ideal_output(applied, i.transfer, lrv=i.lrv, urv=i.urv, output_lo=i.output_lo, output_hi=i.output_hi)


class TxMultipoint:
    """The method; it holds no state."""

    key = "tx-multipoint"
    title = "Transmitter, multi-point check"
    revision = "1"
    reference_roles: tuple[tuple[str, str], ...] = (("applied", "Input reference"), ("indicated", "Output meter"))

    def steps(self, setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
        """The steps, with repeated and left-out ones as the choices demand."""
        return tx_steps.steps(setup, tuple(sorted(choices.items())))

    def plan(self, setup: RunSetup) -> tuple[Slot, ...]:
        """Each cycle rises through the points and falls back through them, the top taken both ways."""
        return _plan(setup)

    def evaluate(self, setup: RunSetup, readings: Sequence[RawReading], references: Mapping[str, ReferenceStandard]) -> SetResult:
        """Judge readings against the tolerance with the uncertainty of the references in view."""
        plan = self.plan(setup)
        judged = tuple(self._judge_one(setup, plan[r.slot], r, references) for r in sorted(readings, key=lambda r: r.slot))
        points = tuple(j.point for j in judged)
        has_span = len({round(p.ideal_percent, 1) for p in points}) >= 2
        i = setup.instrument
        signatures = (
            find_signatures(
                Curve(
                    points,
                    min((j.tolerance for j in judged), default=1.0),
                    i.transfer,
                    i.lrv,
                    i.urv,
                    i.unit,
                )
            )
            if len(points) >= 3
            else ()
        )
        return SetResult(judged, statistics(points) if has_span else None, signatures, len(judged) == len(plan))

    def _judge_one(self, setup: RunSetup, slot: Slot, reading: RawReading, references: Mapping[str, ReferenceStandard]) -> Judged:
        i, policy = setup.instrument, setup.policy
        applied = parse_typed(reading.applied, name="The applied value", unit=i.unit)
        indicated = parse_typed(reading.indicated, name="The reading", unit=i.output_unit)
        point = measure_point(
            applied.value,
            indicated.value,
            lrv=i.lrv,
            urv=i.urv,
            transfer=i.transfer,
            output_lo=i.output_lo,
            output_hi=i.output_hi,
            direction=slot.direction,
            cycle=slot.cycle,
        )
        tolerance = tolerance_percent(i.tolerance, applied.value, lrv=i.lrv, urv=i.urv, transfer=i.transfer)
        components = budget(setup, applied.value, references, indicated_step=indicated.resolution)
        u = combine(components, coverage=COVERAGE) if components else None
        decision = decide(
            point.error_percent,
            tolerance,
            expanded=u.expanded if u else 0.0,
            k=u.k if u else 2.0,
            rule=policy.pass_rule,
            max_risk=policy.max_risk,
        )
        return Judged(
            slot,
            point,
            error_in_bases(
                point,
                lrv=i.lrv,
                urv=i.urv,
                transfer=i.transfer,
                output_lo=i.output_lo,
                output_hi=i.output_hi,
                division=i.tolerance.division,
            ),
            tolerance,
            u,
            components,
            decision,
        )

    def propose(self, setup: RunSetup, result: SetResult, *, is_as_left: bool) -> Proposal:
        """Leave, adjust, repeat, repair or replace, from verdict, signature and policy."""
        return propose(setup, result, is_as_left=is_as_left)

    def adjust_targets(self, setup: RunSetup) -> tuple[AdjustTarget, ...]:
        """Zero at the lowest test point, span at the highest."""
        i = setup.instrument
        out_span = i.output_hi - i.output_lo
        targets = []
        for screw, percent in (("zero", setup.points_percent[0]), ("span", setup.points_percent[-1])):
            nominal = i.lrv + percent / 100.0 * (i.urv - i.lrv)
            tol = tolerance_percent(i.tolerance, nominal, lrv=i.lrv, urv=i.urv, transfer=i.transfer)
            targets.append(
                AdjustTarget(screw, nominal, ideal_for(setup, nominal), tol * setup.policy.aim_percent / 100.0 * out_span / 100.0)
            )
        return tuple(targets)

    def adjust_progress(self, setup: RunSetup, passes: Sequence[tuple[str, str, str]]) -> AdjustProgress:
        """Zero and span in turn until both are inside the aim undisturbed, or the passes are used up."""
        return adjust_progress(setup, self.adjust_targets(setup), passes)

    def required_range(self, setup: RunSetup, role: str) -> tuple[float, float, str]:
        """The span of the test points for the input, the output's range for the meter."""
        i = setup.instrument
        if role == "applied":
            ends = [i.lrv + p / 100.0 * (i.urv - i.lrv) for p in (setup.points_percent[0], setup.points_percent[-1])]
            return min(ends), max(ends), i.unit
        return i.output_lo, i.output_hi, i.output_unit

    def reference_tur(self, setup: RunSetup, role: str, reference: ReferenceStandard) -> float:
        """Smallest tolerance / U of this reference alone over the points, both in % of output span."""
        i = setup.instrument
        ratios = []
        for slot in self.plan(setup):
            tol = tolerance_percent(i.tolerance, slot.nominal, lrv=i.lrv, urv=i.urv, transfer=i.transfer)
            u = _reference_percent(setup, role, reference, slot.nominal)
            ratios.append(tol / u if u > 0 else math.inf)
        return min(ratios)


@lru_cache(maxsize=256)
def _plan(setup: RunSetup) -> tuple[Slot, ...]:
    i = setup.instrument
    slots: list[Slot] = []
    for cycle in range(1, setup.cycles + 1):
        ways = [(p, UP) for p in setup.points_percent] + [(p, DOWN) for p in reversed(setup.points_percent)]
        for n, (percent, direction) in enumerate(ways):
            nominal = i.lrv + percent / 100.0 * (i.urv - i.lrv)
            slots.append(
                Slot(
                    len(slots),
                    cycle,
                    direction,
                    percent,
                    nominal,
                    ideal_for(setup, nominal),
                    _how(n, len(setup.points_percent), direction),
                )
            )
    return tuple(slots)


def _how(n: int, count: int, direction: str) -> str:
    if n == 0:
        return "Start below the point and come up to it."
    if n == count:
        return "Go a little above the top, then come back down to it."
    return "Come up to it; do not pass it." if direction == UP else "Come down to it; do not pass it."


def _reference_percent(setup: RunSetup, role: str, reference: ReferenceStandard, nominal: float) -> float:
    """Expanded uncertainty of a reference at a point, carried to % of output span."""
    i = setup.instrument
    out_span = i.output_hi - i.output_lo
    if role == "indicated":
        return 100.0 * reference.expanded(ideal_for(setup, nominal), unit=i.output_unit) / out_span
    width = reference.expanded(nominal, unit=i.unit)
    return _through(setup, nominal, width)


def _through(setup: RunSetup, value: float, width: float) -> float:
    """A width at the input in % of output span: half the change of output over value +- width."""
    out_span = setup.instrument.output_hi - setup.instrument.output_lo
    return 50.0 * abs(ideal_for(setup, value + width) - ideal_for(setup, value - width)) / out_span


def budget(setup: RunSetup, applied: float, references: Mapping[str, ReferenceStandard], *, indicated_step: float) -> tuple[Component, ...]:
    """Uncertainty components of one error, in % of output span."""
    i = setup.instrument
    out_span = i.output_hi - i.output_lo
    parts: list[Component] = []
    source = references.get("applied")
    if source:
        parts.append(Component(f"Input reference {source.code}", _reference_percent(setup, "applied", source, applied), divisor=source.k))
        if source.resolution:
            parts.append(
                Component("Resolution of the input reference", _through(setup, applied, source.step_in(i.unit) / 2), "rectangular")
            )
    meter = references.get("indicated")
    if meter:
        parts.append(Component(f"Output meter {meter.code}", _reference_percent(setup, "indicated", meter, applied), divisor=meter.k))
    parts.append(Component("Resolution of the reading", 50.0 * indicated_step / out_span, "rectangular"))
    return tuple(p for p in parts if p.value > 0) if references else ()


def propose(setup: RunSetup, result: SetResult, *, is_as_left: bool) -> Proposal:
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
    if first and first.code in ("outlier", "time-drift") and not is_as_left:
        return Proposal("repeat", f"{first.says} {first.first_action}")
    if result.verdict == FAIL:
        return _propose_on_fail(setup, result, where)
    if result.verdict == MARGINAL and setup.instrument.is_adjustable:
        return Proposal("adjust", f"{where} That is inside the tolerance but outside the acceptance limit.")
    return _propose_inside(policy, result, where, is_as_left=is_as_left, can_adjust=setup.instrument.is_adjustable)


def _propose_on_fail(setup: RunSetup, result: SetResult, where: str) -> Proposal:
    first = result.signatures[0] if result.signatures else None
    stats = result.statistics
    tolerance = min(j.tolerance for j in result.judged)
    if first and first.code in CAUSE_FIRST:
        return Proposal("repair", f"{first.says} {first.first_action}")
    if stats and stats.hysteresis and stats.hysteresis > tolerance:
        return Proposal("repair", f"{where} Up and down differ by {stats.hysteresis:.2f} %: clean and free it, no screw cures that.")
    if stats and stats.linearity_independent > tolerance:
        return Proposal(
            "replace",
            f"{where} It bows {stats.linearity_independent:.2f} % away from the best straight line, which zero and span cannot cure.",
        )
    if not setup.instrument.is_adjustable:
        return Proposal("replace", f"{where} It is outside the tolerance and cannot be adjusted.")
    return Proposal("adjust", f"{where} It is outside the tolerance; zero and span can bring it in.")


def _propose_inside(policy: Policy, result: SetResult, where: str, *, is_as_left: bool, can_adjust: bool) -> Proposal:
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


def adjust_progress(setup: RunSetup, targets: tuple[AdjustTarget, ...], passes: Sequence[tuple[str, str, str]]) -> AdjustProgress:
    """Follow (screw, before, after) and say what comes next."""
    unit, policy = setup.instrument.output_unit, setup.policy
    out_span = setup.instrument.output_hi - setup.instrument.output_lo
    by_screw = {t.screw: t for t in targets}

    def miss(screw: str, text: str) -> float:
        return parse_typed(text, name="The reading", unit=unit).value - by_screw[screw].ideal

    errors = tuple((s, 100 * miss(s, b) / out_span, 100 * miss(s, a) / out_span if a else None) for s, b, a in passes)
    done = len(passes)
    pass_number = done // 2 + 1
    next_screw = targets[done % 2].screw
    if done >= 2:
        (s1, b1, a1), (s2, b2, a2) = passes[-2], passes[-1]
        settled = abs(miss(s1, a1 or b1)) <= by_screw[s1].aim * (1 + 1e-9)
        if settled and not a2 and abs(miss(s2, b2)) <= by_screw[s2].aim * (1 + 1e-9):
            return AdjustProgress(
                "",
                (done + 1) // 2,
                True,
                False,
                "Both ends are inside the aim and neither disturbed the other. Prove it with the as-left points.",
                errors,
            )
    stuck = _stuck(errors)
    if stuck or done >= 2 * policy.max_passes:
        why = (
            f"The {stuck} error does not shrink from pass to pass"
            if stuck
            else f"{policy.max_passes} passes are used and the ends are not both inside the aim"
        )
        return AdjustProgress(
            "",
            min(pass_number, policy.max_passes),
            False,
            True,
            f"{why}. Suspect a mechanical fault; don't go on turning. Say what you found.",
            errors,
        )
    says = f"Pass {pass_number}: {next_screw}. Turning one end moves the other, so each end is looked at again until both stay."
    return AdjustProgress(next_screw, pass_number, False, False, says, errors)


def _stuck(errors: Sequence[tuple[str, float, float | None]]) -> str:
    """The screw whose error, as found at each pass, has not shrunk by a tenth over two passes; empty when none."""
    for screw in ("zero", "span"):
        found = [abs(before) for s, before, after in errors if s == screw and after is not None]
        if len(found) >= 3 and found[-1] > 0.9 * found[-2] > 0.81 * found[-3]:
            return screw
    return ""
