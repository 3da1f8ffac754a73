"""Tolerances: one or two terms on any of four bases, combined as greater-of or sum; all turned into % of output span."""

from __future__ import annotations

from dataclasses import dataclass

from metrology.faults import Fault, require_finite
from metrology.quantities.transfer import Transfer, output_fraction, require_span

BASES = {
    "span": "% of span",
    "reading": "% of reading",
    "unit": "engineering units",
    "division": "scale divisions",
}
COMBINATIONS = {"single": "one term", "greater": "the greater of two", "sum": "the sum of two"}


@dataclass(frozen=True)
class Term:
    """One tolerance term: a value above zero on a basis (span, reading, unit, division)."""

    value: float
    basis: str


@dataclass(frozen=True)
class Tolerance:
    """A tolerance of one term, or the greater of, or the sum of, two terms."""

    terms: tuple[Term, ...]
    combine: str = "single"
    division: float = 0.0  # size of a scale division in engineering units, for basis "division"

    def __post_init__(self) -> None:
        if self.combine not in COMBINATIONS:
            raise Fault(
                "unknown_combination",
                f"The tolerance is combined as {self.combine!r}; known are {', '.join(COMBINATIONS)}.",
                field="tolerance",
            )
        wanted = 1 if self.combine == "single" else 2
        if len(self.terms) != wanted:
            raise Fault(
                "bad_tolerance",
                f"A {self.combine} tolerance has {wanted} term{'s' if wanted > 1 else ''}; {len(self.terms)} given.",
                field="tolerance",
            )
        for term in self.terms:
            self._check_term(term)

    def _check_term(self, term: Term) -> None:
        if term.basis not in BASES:
            raise Fault("unknown_basis", f"tolerance basis is {term.basis!r}; known are {', '.join(BASES)}.", field="tolerance")
        require_finite(term.value, "tolerance")
        if term.value <= 0:
            raise Fault(
                "tolerance_not_positive",
                f"The tolerance is {term.value:g} {BASES[term.basis]}; it must be above 0. Without a tolerance nothing can be judged.",
                field="tolerance",
            )
        if term.basis == "division" and self.division <= 0:
            raise Fault("no_division", "A tolerance in scale divisions needs the size of a division.", field="division")


def describe(tolerance: Tolerance, unit: str) -> str:
    """The tolerance in words, for example '+-0.5 % of span'."""

    def word(t: Term) -> str:
        return f"{t.value:g} {unit}" if t.basis == "unit" else f"{t.value:g} {BASES[t.basis]}"

    words = [word(t) for t in tolerance.terms]
    if tolerance.combine == "greater":
        return f"±the greater of {words[0]} and {words[1]}"
    if tolerance.combine == "sum":
        return f"±({words[0]} + {words[1]})"
    return f"±{words[0]}"


def tolerance_percent(tolerance: Tolerance, applied: float, *, lrv: float, urv: float, transfer: Transfer) -> float:
    """Tolerance at `applied` (engineering units), plus or minus, in percent of output span.

    A term in % of span counts in output span as it stands; the others are widths in engineering units
    and are carried through the transfer function: 50 |f(x + w) - f(x - w)| with w in fractions of input span.
    """
    span = require_span(lrv, urv)
    x = (applied - lrv) / span
    parts = []
    for term in tolerance.terms:
        if term.basis == "span":
            parts.append(term.value)
            continue
        width = {
            "reading": term.value / 100.0 * abs(applied),
            "unit": term.value,
            "division": term.value * tolerance.division,
        }[term.basis] / abs(span)
        parts.append(50.0 * abs(output_fraction(transfer, x + width) - output_fraction(transfer, x - width)))
    return sum(parts) if tolerance.combine == "sum" else max(parts)
