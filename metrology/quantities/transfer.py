"""Transfer functions: how the output of a transmitter should follow its input.

Everything works on fractions of span (0 = lower range value, 1 = upper range value); `ideal_output`
and `input_for_output` convert from and to engineering units. Fractions outside 0..1 follow the
same law (over- and under-range), because a real output does.
"""

from __future__ import annotations

import itertools
import math
from bisect import bisect_right
from dataclasses import dataclass, field

from metrology.faults import Fault, require_finite, require_range

KINDS = {"linear": "linear", "reverse": "reverse", "sqrt": "square root", "table": "table"}


@dataclass(frozen=True)
class Transfer:
    """A transfer function.

    kind: linear, reverse, sqrt or table.
    cutoff_percent: for sqrt, percent of *output* span below which the output runs linearly to zero
        (the square root has infinite slope at zero, so transmitters straighten it there).
    table: for kind table, (input percent, output percent) pairs with rising input.
    """

    kind: str = "linear"
    cutoff_percent: float = 0.0
    table: tuple[tuple[float, float], ...] = field(default=())

    def __post_init__(self) -> None:
        if self.kind not in KINDS:
            raise Fault("unknown_transfer", f"transfer is {self.kind!r}; known are {', '.join(KINDS)}.", field="transfer")
        require_range(self.cutoff_percent, 0.0, 50.0, field="cutoff_percent", unit="%")
        if self.kind == "table":
            self._check_table()

    def _check_table(self) -> None:
        if len(self.table) < 2:
            raise Fault("bad_table", "The transfer table needs at least two points.", field="table")
        xs = [x for x, _ in self.table]
        ys = [y for _, y in self.table]
        if any(b <= a for a, b in itertools.pairwise(xs)):
            raise Fault("bad_table", "The transfer table's inputs must rise from row to row.", field="table")
        rising = all(b > a for a, b in itertools.pairwise(ys))
        falling = all(b < a for a, b in itertools.pairwise(ys))
        if not (rising or falling):
            raise Fault("bad_table", "The transfer table's outputs must rise, or fall, all the way.", field="table")


LINEAR = Transfer()


def output_fraction(transfer: Transfer, x: float) -> float:
    """Output fraction for input fraction x.

    linear y = x; reverse y = 1 - x; sqrt y = sqrt(x), and y = x / c below the cut-off c (so that the
    two meet at x = c^2); negative inputs to sqrt give 0 without a cut-off.

    >>> output_fraction(Transfer("sqrt"), 0.25)
    0.5
    """
    if transfer.kind == "linear":
        return x
    if transfer.kind == "reverse":
        return 1.0 - x
    if transfer.kind == "sqrt":
        c = transfer.cutoff_percent / 100.0
        if x <= c * c:
            return x / c if c > 0 else 0.0
        return math.sqrt(x)
    return _interpolate(transfer.table, x * 100.0) / 100.0


def input_fraction(transfer: Transfer, y: float) -> float:
    """Input fraction that gives output fraction y: the inverse of `output_fraction`.

    >>> input_fraction(Transfer("sqrt"), 0.5)
    0.25
    """
    if transfer.kind == "linear":
        return y
    if transfer.kind == "reverse":
        return 1.0 - y
    if transfer.kind == "sqrt":
        c = transfer.cutoff_percent / 100.0
        if y <= c:
            return y * c
        return y * y
    rows = tuple((b, a) for a, b in transfer.table)
    if rows[0][0] > rows[-1][0]:
        rows = rows[::-1]
    return _interpolate(rows, y * 100.0) / 100.0


def require_span(lrv: float, urv: float) -> float:
    """urv - lrv, refused when it is zero or not finite. A negative span (urv < lrv) is allowed."""
    span = urv - lrv
    if span and math.isfinite(span):  # as nearly always: nothing more needs to be asked
        return span
    require_finite(lrv, "lrv")
    require_finite(urv, "urv")
    if lrv == urv:
        raise Fault(
            "no_span",
            f"LRV and URV are both {lrv:g}; the range needs two different ends. Check the range plate.",
            field="urv",
        )
    return span


def require_output(output_lo: float, output_hi: float) -> float:
    """output_hi - output_lo, refused unless the output rises."""
    span = output_hi - output_lo
    if 0 < span < math.inf:
        return span
    require_finite(output_lo, "output_lo")
    require_finite(output_hi, "output_hi")
    if output_hi <= output_lo:
        raise Fault(
            "no_output_span",
            f"The output runs from {output_lo:g} to {output_hi:g}; the upper end must be above the lower end.",
            field="output_hi",
        )
    return span


def ideal_output(value: float, transfer: Transfer, *, lrv: float, urv: float, output_lo: float = 4.0, output_hi: float = 20.0) -> float:
    """Output a perfect transmitter gives for `value` in the unit of the range.

    >>> ideal_output(5.0, LINEAR, lrv=0.0, urv=10.0)
    12.0
    """
    x = (require_finite(value, "value") - lrv) / require_span(lrv, urv)
    return output_lo + output_fraction(transfer, x) * require_output(output_lo, output_hi)


def input_for_output(
    output: float, transfer: Transfer, *, lrv: float, urv: float, output_lo: float = 4.0, output_hi: float = 20.0
) -> float:
    """Input value that a perfect transmitter would need to give `output`.

    >>> input_for_output(12.0, LINEAR, lrv=0.0, urv=10.0)
    5.0
    """
    y = (require_finite(output, "output") - output_lo) / require_output(output_lo, output_hi)
    return lrv + input_fraction(transfer, y) * require_span(lrv, urv)


def _interpolate(rows: tuple[tuple[float, float], ...], x: float) -> float:
    """Straight lines between rows, the end segments continued outward."""
    xs = [r[0] for r in rows]
    i = min(max(bisect_right(xs, x) - 1, 0), len(rows) - 2)
    (x0, y0), (x1, y1) = rows[i], rows[i + 1]
    return y0 + (y1 - y0) * (x - x0) / (x1 - x0)
