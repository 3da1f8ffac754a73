"""Error signatures of an injected-sample analyzer: what duplicate injections, retention times and a blank say of injection, column, standard and gains.

Sources of the reasoning: European Pharmacopoeia 2.2.46 (system suitability: repeatability of injections, resolution), ISO 6974-1:2012 (response,
retention, carry-over in gas chromatography).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from metrology.judgement.signature import Signature

ALIKE = 0.02  # shares within so much of their mean are the same
LEAKED = 0.03  # lower than the other injection by more: some of it was lost
COMMON = 0.35  # of a common change: what the components may differ by
SHIFTED = 0.4  # of its window: a retention that has moved by more is looked at
CARRIED = 0.0005  # share of the standard that a blank may still show
SAME_SHARE = 0.5  # of their mean: shares left in a blank that are alike


@dataclass(frozen=True)
class AnalyteSeen:
    """One component over the injections of a set, or in a blank. tolerance in its unit; values and retentions by injection, None where not told.

    at_s, within_s: its retention window; applied: of the standard; in_blank: what the blank showed, blank_limit: what it may.
    """

    name: str
    unit: str
    applied: float
    tolerance: float
    values: tuple[float, ...]
    at_s: float
    within_s: float
    retentions: tuple[float, ...] = ()
    in_blank: float | None = None
    blank_limit: float = 0.0
    is_of_air: bool = False

    @property
    def ratio(self) -> float:
        """Mean of the last two over applied."""
        last = self.values[-2:]
        return sum(last) / len(last) / self.applied if last and self.applied else 1.0

    @property
    def is_off(self) -> bool:
        """Whether the mean of the last two is outside the tolerance."""
        last = self.values[-2:]
        return bool(last) and abs(sum(last) / len(last) - self.applied) > self.tolerance * (1 + 1e-9)

    @property
    def shift(self) -> float | None:
        """How far the last two have moved from where it should come out, s."""
        last = self.retentions[-2:]
        return sum(last) / len(last) - self.at_s if last else None


def find_injection_signatures(
    seen: Sequence[AnalyteSeen], *, pair_resolution: float | None = None, pair_least: float = 1.5, pair: str = ""
) -> tuple[Signature, ...]:
    """The signatures of a set of standard injections, the surest first."""
    leak = _leak(seen)
    out = [*leak, *_column(seen, pair_resolution, pair_least, pair)]
    if not leak:
        common = _common(seen)
        out += common or _alone(seen)
    return tuple(sorted(out, key=lambda s: -s.confidence))


def find_blank_signatures(seen: Sequence[AnalyteSeen]) -> tuple[Signature, ...]:
    """The signatures of a blank: what is left of the standard, a trap that is spent, air that came in."""
    out: list[Signature] = []
    over = [a for a in seen if a.in_blank is not None and a.in_blank > a.blank_limit * (1 + 1e-9)]
    shares = {a.name: (a.in_blank or 0.0) / a.applied for a in seen if a.applied and a.in_blank is not None and not a.is_of_air}
    left = [v for v in shares.values() if v > CARRIED]
    mean = sum(left) / len(left) if left else 0.0
    if over and len(left) >= 2 and len(left) >= len(shares) - 1 and max(left) - min(left) <= SAME_SHARE * 2 * mean:
        told = tuple(f"{name}: {100 * v:.2f} % of the standard is still there." for name, v in shares.items() if v > CARRIED)
        says = "Carry-over: the blank shows the standard once more, thinned alike."
        action = "Flush syringe and inlet, wait the full time after the standard, and inject the blank again."
        out.append(Signature("carry-over", says, action, 0.85, told))
        return tuple(out)
    air = [a for a in over if a.is_of_air]
    if air and len(over) == len(air):
        a = air[0]
        says = f"{a.name} alone is too high: the trap that takes it out is spent, or air came in after it."
        action = "Fresh trap, cap it between uses, purge the syringe through it three times, then the blank again."
        out.append(
            Signature(
                "trap-spent", says, action, 0.8, (f"{a.in_blank:g} {a.unit}, {a.blank_limit:g} {a.unit} may be there; nothing else is.",)
            )
        )
    elif over:
        for a in over:
            says = f"{a.name} is in the blank."
            out.append(
                Signature(
                    "contaminated-blank",
                    says,
                    "Another source of blank gas; clean the inlet; then again.",
                    0.6,
                    (f"{a.in_blank:g} {a.unit}.",),
                )
            )
    return tuple(out)


def _leak(seen: Sequence[AnalyteSeen]) -> list[Signature]:
    """One of the last two injections is low by one share in every component."""
    pairs = [(a.values[-2], a.values[-1]) for a in seen if len(a.values) >= 2 and min(a.values[-2:]) > 0]
    if len(pairs) < 2 or len(pairs) < len(seen):
        return []
    shares = [b / a for a, b in pairs]
    mean = sum(shares) / len(shares)
    if abs(mean - 1) <= LEAKED or max(abs(s - mean) for s in shares) > min(ALIKE, COMMON * abs(mean - 1)):
        return []
    which = "last" if mean < 1 else "one before the last"
    low = mean if mean < 1 else 1 / mean
    says = f"Some of the {which} injection was lost: everything in it is lower by one share."
    action = "Septum, needle and valve: find the leak, prove it with the leak test, inject again. It is not a gain."
    return [Signature("leak-at-injection", says, action, 0.88, (f"All components of it read {100 * low:.1f} % of the other injection.",))]


def _column(seen: Sequence[AnalyteSeen], pair_resolution: float | None, pair_least: float, pair: str) -> list[Signature]:
    """Retention that has moved: all by one share is the carrier gas, otherwise the column."""
    told = [(a, a.shift) for a in seen if a.shift is not None]
    far = [(a, s) for a, s in told if abs(s) > SHIFTED * a.within_s]
    narrow = pair_resolution is not None and pair_resolution < pair_least
    if not far and not narrow:
        return []
    shares = [s / a.at_s for a, s in told]
    mean = sum(shares) / len(shares) if shares else 0.0
    evidence = [f"{a.name} comes out {s:+.2g} s from where it should, of ±{a.within_s:g} s." for a, s in far]
    if narrow:
        evidence.append(f"{pair} come apart by {pair_resolution:.2f}; {pair_least:g} is needed.")
    is_common = len(shares) >= 2 and abs(mean) > 0 and max(abs(v - mean) for v in shares) <= COMMON * abs(mean)
    if is_common and not narrow:
        way = "earlier" if mean < 0 else "later"
        says = f"Everything comes out {way} by one share: the flow or the temperature of the column has moved, not the column itself."
        return [Signature("carrier-flow", says, "Set flow and temperature of the column, then inject again.", 0.8, tuple(evidence))]
    says = "The column has taken up moisture or has aged: what it parts moves together."
    return [
        Signature("column-ageing", says, "Recondition the column as its maker says, then inject the standard again.", 0.85, tuple(evidence))
    ]


def _common(seen: Sequence[AnalyteSeen]) -> list[Signature]:
    """Every component off by one factor in all injections: the standard, the volume injected, or air in the syringe."""
    ratios = [a.ratio for a in seen if a.applied]
    if len(ratios) < 2 or not any(a.is_off for a in seen):
        return []
    mean = sum(ratios) / len(ratios)
    if abs(mean - 1) <= LEAKED:
        return []
    apart = max(abs(r - mean) for r in ratios)
    evidence = (f"All read {100 * mean:.1f} % of the standard, injection after injection.",)
    if apart <= min(ALIKE, COMMON * abs(mean - 1)):
        if mean < 1:
            says, action = (
                "Everything is low by one factor, each time alike: air in the syringe, or less of it goes in than before.",
                ("Purge the syringe with the standard three times, look at its volume and the loop's pressure; leave the factors."),
            )
            return [Signature("air-in-line", says, action, 0.75, evidence)]
        says = "Everything is high by one factor: another bottle than was said, or more goes in than before."
        return [
            Signature(
                "wrong-bottle", says, "Read bottle and certificate again, then the volume injected; leave the factors.", 0.75, evidence
            )
        ]
    far = [a for a in seen if a.applied and abs(a.ratio - 1) > 0.25]
    if len(far) >= max(2, len(ratios) - 1):
        told = tuple(f"{a.name} reads {100 * a.ratio:.0f} % of it." for a in far)
        return [
            Signature(
                "wrong-bottle", "Nothing fits this standard: another bottle than was said.", "Read label and certificate again.", 0.85, told
            )
        ]
    return []


def _alone(seen: Sequence[AnalyteSeen]) -> list[Signature]:
    out = []
    for a in seen:
        if a.is_off:
            evidence = (f"Its two injections agree and read {100 * a.ratio:.1f} % of the standard; the others are not off by that factor.",)
            out.append(Signature("span-error", f"{a.name}: its response has moved.", "Accept the new response factors.", 0.75, evidence))
    return out
