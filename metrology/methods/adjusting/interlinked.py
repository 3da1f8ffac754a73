"""Components that disturb one another: set in the order that disturbs least, those before read again after each, until all stand inside their aim."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from metrology.methods.adjusting.base import ZERO, AdjustProgress, AdjustTarget, Passes
from metrology.methods.adjusting.in_order import Admitted
from metrology.methods.setup import RunSetup


@dataclass(frozen=True)
class Interlinked:
    """Zeros first, each by itself; then the spans. why: the reason of their order, in words."""

    targets_of: Callable[[RunSetup, str], tuple[AdjustTarget, ...]]
    admitted: Admitted
    why: Callable[[RunSetup], str]
    act: str = "accept"
    in_pairs: bool = False

    def targets(self, setup: RunSetup, variant: str) -> tuple[AdjustTarget, ...]:
        """What is set, in its order."""
        return self.targets_of(setup, variant)

    def progress(self, setup: RunSetup, passes: Passes, variant: str) -> AdjustProgress:
        """What is set or read again next."""
        return interlinked(setup, self.targets(setup, variant), passes, why=self.why(setup))

    def admit(self, setup: RunSetup, target: AdjustTarget, before: float, payload: Mapping[str, Any]) -> Mapping[str, Any]:
        """What the record keeps beside before and after."""
        return self.admitted(setup, target, before, payload)


@dataclass
class _Standing:
    """How the targets stand after the passes so far. last: what each read last; moved: read before another was set; tries: times it was set."""

    last: dict[str, float] = field(default_factory=dict)
    moved: list[str] = field(default_factory=list)
    tries: dict[str, int] = field(default_factory=dict)
    gas: str = ""
    screw: str = ""
    setter: str = ""  # the component that was set last


def _follow(targets: Sequence[AdjustTarget], passes: Passes) -> _Standing:
    by_screw, now = {t.screw: t for t in targets}, _Standing()
    for screw, before, after in passes:
        t = by_screw[screw]
        now.last[screw] = float(after or before)
        now.gas, now.screw = t.role, screw
        now.moved = [s for s in now.moved if s != screw]
        if after:
            now.tries[screw] = now.tries.get(screw, 0) + 1
            now.setter = t.channel
            if t.kind != ZERO:
                now.moved = [o.screw for o in targets if o.kind != ZERO and o.screw in now.last and o.screw != screw]
    return now


def interlinked(setup: RunSetup, targets: tuple[AdjustTarget, ...], passes: Passes, *, why: str = "") -> AdjustProgress:
    """What comes next: the one just set until it is inside its aim; those set before it on the same gas, read again; the next in order; those on
    another gas, read again; stuck when one has been set as often as the policy lets and is not inside."""
    by_screw, now = {t.screw: t for t in targets}, _follow(targets, passes)
    errors = tuple((s, _error(by_screw[s], b), _error(by_screw[s], a) if a else None) for s, b, a in passes)
    open_ones = [t for t in targets if not t.barred]
    tail = " ".join(t.barred for t in targets if t.barred)

    def inside(t: AdjustTarget) -> bool:
        return t.screw in now.last and abs(now.last[t.screw] - t.ideal) <= t.aim * (1 + 1e-9)

    def told(t: AdjustTarget, says: str) -> AdjustProgress:
        return AdjustProgress(t.screw, now.tries.get(t.screw, 0) + 1, False, False, f"{says} {tail}".strip(), errors)

    for t in open_ones:
        if not inside(t) and now.tries.get(t.screw, 0) >= setup.policy.max_passes:
            says = f"{_name(t)} has been set {now.tries[t.screw]} times and is not inside its aim."
            says = f"{says} The others keep moving it, or it does not take what is set: say what you found."
            return AdjustProgress("", now.tries[t.screw], False, True, says, errors)
    if now.screw and not inside(by_screw[now.screw]):
        return told(by_screw[now.screw], f"{_name(by_screw[now.screw])} once more: it is not inside its aim.")
    again = [t for t in open_ones if t.screw in now.moved]
    same_gas = [t for t in again if t.role == now.gas]
    if same_gas:
        return told(same_gas[0], f"{_name(same_gas[0])} again: setting {now.setter} may have moved it. Set it anew only if it has.")
    fresh = next((t for t in open_ones if t.screw not in now.last), None)
    if fresh:
        first_span = fresh.kind != ZERO and not any(by_screw[s].kind != ZERO for s in now.last)
        return told(fresh, f"{_name(fresh)}. {f'The order: {why}' if first_span and why else 'Wait until it stands before you accept.'}")
    if again:
        return told(again[0], f"{_name(again[0])} again, back on its own gas: what was set after it may have moved it.")
    left = next((t for t in open_ones if not inside(t)), None)
    if left:
        return told(left, f"{_name(left)} goes round again.")
    return AdjustProgress("", 1, True, False, f"All are inside their aims, read again after the last was set. {tail}".strip(), errors)


def _error(t: AdjustTarget, text: str) -> float:
    return 100 * (float(text) - t.ideal) / t.span


def _name(t: AdjustTarget) -> str:
    return f"{t.words[:1].upper()}{t.words[1:]}"
