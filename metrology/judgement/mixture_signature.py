"""Error signatures of an analyzer of several components: what zero gas and mixtures together say of gas, line, cross-effects and gains.

A mixture tells more than a single gas: components that are off by one factor were thinned or come from another bottle; one that reads where there is
none of it is disturbed by what is there. Source of the reasoning: ISO 6145-1:2019 (dilution acts on all components alike), EN 15267-3:2007 8.13
(cross-sensitivity is the change of one reading for a known amount of another component).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from metrology.judgement.signature import Signature

ALIKE = 0.03  # ratios within so much of their mean are the same factor
SHARED = 0.35  # of what all are off: what they may differ by and still be off for one reason
OFF = 0.03  # a factor nearer to 1 says nothing
SWAPPED = 0.04  # of the other's value: how near a reading must come to it
FAR = 0.25  # off by more, each by another factor: another bottle
EXPLAINS = 0.4  # of what is seen: how well a known effect must account for it
PART = 0.5  # of the tolerance: below it an error is not worth a cause


@dataclass(frozen=True)
class OnGas:
    """What a component read of one gas, in its unit. others: what else the gas holds, by component."""

    gas: str
    applied: float
    read: float
    others: Mapping[str, float] = field(default_factory=dict)

    @property
    def off(self) -> float:
        """Read less applied."""
        return self.read - self.applied


@dataclass(frozen=True)
class ComponentSeen:
    """One component. tolerance in its unit; zero: what zero gas read, None where it was not read; span: on its own mixture; absent: on others."""

    name: str
    gas: str
    unit: str
    tolerance: float
    zero: float | None = None
    span: OnGas | None = None
    absent: tuple[OnGas, ...] = ()

    @property
    def ratio(self) -> float | None:
        """Read over applied on its mixture, what it reads at zero taken off."""
        s = self.span
        return (s.read - (self.zero or 0.0)) / s.applied if s and s.applied else None

    @property
    def is_off(self) -> bool:
        """Whether its span is outside the tolerance."""
        return self.span is not None and abs(self.span.off) > self.tolerance * (1 + 1e-9)

    @property
    def zero_off(self) -> bool:
        """Whether its zero is off by enough to ask why."""
        return self.zero is not None and abs(self.zero) > PART * self.tolerance


def find_mixture_signatures(seen: Sequence[ComponentSeen], effects: Sequence[tuple[str, str, float]]) -> tuple[Signature, ...]:
    """The signatures of a set of exposures, the surest first; what explains several components hides what would explain one of them."""
    whole = [*_swapped(seen), *_one_factor(seen), *_other_bottle(seen)]
    told = {name for _, names in whole for name in names}
    out = [s for s, _ in whole]
    dirty = _zero_gas(seen)
    out += [s for s, _ in dirty]
    dirty_names = {name for _, names in dirty for name in names}
    for c in seen:
        crossed = _cross_effect(c, effects) if c.name not in told else []
        out += crossed
        if not crossed and c.name not in told:
            out += _alone(c, is_dirty=c.name in dirty_names)
    return tuple(sorted(out, key=lambda s: -s.confidence))


Told = tuple[Signature, tuple[str, ...]]


def _swapped(seen: Sequence[ComponentSeen]) -> list[Told]:
    """Two components that read each other's value."""
    out: list[Told] = []
    for n, a in enumerate(seen):
        for b in seen[n + 1 :]:
            if not (a.span and b.span and a.is_off and b.is_off and a.unit == b.unit and a.span.gas == b.span.gas):
                continue
            one, two = a.span, b.span
            near = abs(one.read - two.applied) <= SWAPPED * two.applied and abs(two.read - one.applied) <= SWAPPED * one.applied
            if near and abs(one.applied - two.applied) > 2 * SWAPPED * max(one.applied, two.applied):
                evidence = tuple(f"{c.name} reads {s.read:g} {c.unit}, entered are {s.applied:g}." for c, s in ((a, one), (b, two)))
                says = f"{a.name} and {b.name} read each other's value: they are swapped in the bottle's entry, or the readings were."
                action = f"Read the certificate of {one.gas} again, line by line, and which reading stood beside which name."
                out.append((Signature("swapped", says, action, 0.92, evidence), (a.name, b.name)))
    return out


def _one_factor(seen: Sequence[ComponentSeen]) -> list[Told]:
    """All components of a mixture off by one factor: thinned on the way, or another bottle."""
    out: list[Told] = []
    for gas in dict.fromkeys(c.span.gas for c in seen if c.span):
        mine = [c for c in seen if c.span and c.span.gas == gas and c.gas != "oxygen" and c.ratio is not None]
        ratios = [c.ratio or 0.0 for c in mine]
        if len(mine) < 2 or not any(c.is_off for c in mine):
            continue
        mean = sum(ratios) / len(ratios)
        apart = max(abs(r - mean) for r in ratios)
        if apart > min(ALIKE, SHARED * abs(mean - 1)) or abs(mean - 1) <= OFF:
            continue
        names = tuple(c.name for c in mine)
        evidence = [f"{', '.join(names)} all read {100 * mean:.1f} % of {gas}, within {100 * ALIKE:g} % of one another."]
        if mean < 1:
            air = next((c for c in seen if c.gas == "oxygen" and c.span and c.span.gas == gas and c.span.off > c.tolerance), None) or next(
                (c for c in seen if c.gas == "oxygen" and any(o.gas == gas and o.off > c.tolerance for o in c.absent)), None
            )
            if air:
                evidence.append(f"{air.name} reads too much oxygen on the same gas: that is air.")
                evidence.append("Gains don't move together, and none of them brings oxygen.")
            says = f"Air gets into the line: everything in {gas} is thinned alike."
            action = "Leave the gains. Tighten the line, open the overflow wide enough that it always blows off, then read again."
            out.append((Signature("air-in-line", says, action, 0.92 if air else 0.75, tuple(evidence)), names))
        else:
            says = f"Everything in {gas} reads high by one factor: another bottle than was said, or too much pressure in the cell."
            action = "Read bottle and certificate again, and see that the overflow is open; leave the gains."
            out.append((Signature("wrong-bottle", says, action, 0.75, tuple(evidence)), names))
    return out


def _other_bottle(seen: Sequence[ComponentSeen]) -> list[Told]:
    """Several components far off, each by another factor, with zeros that are right."""
    out: list[Told] = []
    for gas in dict.fromkeys(c.span.gas for c in seen if c.span):
        mine = [c for c in seen if c.span and c.span.gas == gas and c.ratio is not None]
        far = [c for c in mine if abs((c.ratio or 1.0) - 1) > FAR and not c.zero_off]
        if len(far) < 2 or len(far) < len(mine) - 1:
            continue
        ratios = [c.ratio or 0.0 for c in far]
        if max(ratios) - min(ratios) <= 2 * ALIKE or _is_swap(far):
            continue
        evidence = tuple(f"{c.name} reads {100 * (c.ratio or 0):.0f} % of it." for c in far)
        says = f"Nothing fits {gas}: this is another bottle than was said."
        out.append(
            (
                Signature("wrong-bottle", says, "Read the bottle's label and its certificate again; leave the gains.", 0.85, evidence),
                tuple(c.name for c in far),
            )
        )
    return out


def _is_swap(far: Sequence[ComponentSeen]) -> bool:
    return len(far) == 2 and bool(_swapped(far))


def _zero_gas(seen: Sequence[ComponentSeen]) -> list[Told]:
    """A component above zero on zero gas that reads nothing on a mixture without it: the zero gas is not clean."""
    out: list[Told] = []
    for c in seen:
        if c.zero is None or not c.zero_off or c.zero < 0:
            continue
        clean = [o for o in c.absent if not o.applied and o.read < c.zero - PART * c.tolerance and abs(o.read) <= PART * c.tolerance]
        if clean:
            evidence = (f"{c.zero:g} {c.unit} on zero gas.", f"{clean[0].read:g} {c.unit} on {clean[0].gas}, which holds none of it.")
            says = f"{c.name}: the zero gas is not clean."
            out.append(
                (
                    Signature(
                        "zero-gas", says, "Don't zero on it: another zero gas, or a fresh scrubber, then read again.", 0.85, evidence
                    ),
                    (c.name,),
                )
            )
    return out


def _cross_effect(c: ComponentSeen, effects: Sequence[tuple[str, str, float]]) -> list[Signature]:
    """What it reads where there is none of it, set against what is there."""
    if c.zero is None or c.zero_off:
        return []
    worst = max((o for o in c.absent if not o.applied), key=lambda o: abs(o.off), default=None)
    if worst is None or abs(worst.off) <= PART * c.tolerance:
        return []
    there = {name: v for name, v in worst.others.items() if v > 0}
    known = [(a, v) for a, b, v in effects if b == c.name and there.get(a)]
    expected = sum(v * there[a] for a, v in known)
    evidence = [f"{c.zero:+g} {c.unit} on zero gas, {worst.read:+g} {c.unit} on {worst.gas}, which holds none of it."]
    if known and abs(worst.off - expected) <= EXPLAINS * abs(worst.off):
        evidence += [f"{there[a]:g} of {a} are there; uncompensated they move it by {v * there[a]:+.3g} {c.unit}." for a, v in known]
        says = f"{c.name} is disturbed by {' and '.join(a for a, _ in known)}: the cross-effect is not compensated."
        return [
            Signature(
                "cross-effect",
                says,
                "Look whether the compensation is switched on and its factor is right; leave the zero.",
                0.85,
                tuple(evidence),
            )
        ]
    by = next(iter(there)) if len(there) == 1 else "another component"
    if len(there) == 1:
        evidence.append(f"{there[by]:g} of {by} are there and nothing else: {worst.off / there[by]:+.3g} {c.unit} a unit of it.")
    says = f"{c.name} is disturbed by {by}, which its table of effects does not explain."
    return [
        Signature(
            "cross-effect", says, "Read it on a gas of one component at a time; enter the effect once it is known.", 0.6, tuple(evidence)
        )
    ]


def _alone(c: ComponentSeen, *, is_dirty: bool) -> list[Signature]:
    """What zero and span of one component say by themselves."""
    if c.zero_off and c.zero is not None and not is_dirty:
        same = c.span is not None and abs(c.span.off - c.zero) <= PART * c.tolerance
        there = next((o for o in c.absent if abs(o.read - c.zero) <= PART * c.tolerance), None)
        evidence = [f"{c.zero:+g} {c.unit} on zero gas."]
        if there:
            evidence.append(f"{there.read:+g} {c.unit} on {there.gas}, which holds none of it: it is not the zero gas.")
        if same or there:
            return [Signature("zero-shift", f"{c.name}: its zero has moved.", "Zero it.", 0.8 if there else 0.7, tuple(evidence))]
    if c.is_off and not c.zero_off and c.ratio is not None and c.span is not None:
        evidence = [
            f"Zero is right; it reads {100 * c.ratio:.1f} % of {c.span.gas}.",
            "The others on the same gas are not off by that factor.",
        ]
        return [Signature("span-error", f"{c.name}: its gain has moved.", "Set its gain.", 0.75, tuple(evidence))]
    return []
