"""Reference standards: what their certificate claims, and whether one is good enough for a job."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields
from datetime import date
from itertools import pairwise
from typing import Any

from metrology.faults import Fault
from metrology.quantities.units import convert, convert_width, quantity_of
from metrology.quantities.words import day_words


@dataclass(frozen=True)
class ReferenceStandard:
    """A reference as its register and certificate describe it.

    Expanded uncertainty at x: u_absolute + u_percent_reading/100 |x| + u_percent_span/100 (high - low),
    in `unit`, with coverage factor k. Dates are ISO texts, resolution is the step of its display.
    drift_per_year: how far it may move in a year. Of a block or bath: gradient between probe and unit, axial along the sensing part of a well,
    loading by what else stands in it. Half-widths in `unit`.
    points: of its certificate, rising: applied, indicated, expanded uncertainty, in `unit`. Between two of them the uncertainty is
    interpolated; beyond them the formula counts.
    """

    code: str
    name: str
    serial: str
    unit: str
    low: float
    high: float
    u_absolute: float
    u_percent_reading: float
    u_percent_span: float
    k: float
    resolution: float
    certificate: str
    laboratory: str
    traceability: str
    calibrated_on: str
    due_on: str
    state: str = "in service"
    drift_per_year: float = 0.0
    gradient: float = 0.0
    axial: float = 0.0
    loading: float = 0.0
    points: tuple[tuple[float, float, float], ...] = ()

    def drifted(self, on: date | None, *, unit: str) -> float:
        """How far it may have moved from its certificate to the day of use, a half-width in `unit`."""
        if on is None or not self.drift_per_year:
            return 0.0
        years = max(0.0, (on - date.fromisoformat(self.calibrated_on)).days / 365.25)
        return abs(convert_width(self.drift_per_year * years, self.unit, to_unit=unit))

    def width_in(self, width: float, unit: str) -> float:
        """A half-width of its own, such as the gradient of a block, in another unit."""
        return abs(convert_width(width, self.unit, to_unit=unit)) if width else 0.0

    def expanded(self, value: float, *, unit: str) -> float:
        """Expanded uncertainty (with this reference's k) at a value given in `unit`, in that unit."""
        own = convert(value, unit, to_unit=self.unit)
        at_points = self._at_points(own)
        if at_points is not None:
            return abs(convert_width(at_points, self.unit, to_unit=unit))
        u = self.u_absolute + self.u_percent_reading / 100.0 * abs(own) + self.u_percent_span / 100.0 * abs(self.high - self.low)
        return abs(convert_width(u, self.unit, to_unit=unit))

    def own_error(self, value: float, *, unit: str) -> float:
        """What it shows too much at a value in `unit`, by the points of its certificate, in that unit; 0 beyond them."""
        own = convert(value, unit, to_unit=self.unit)
        found = self._between(own, [(a, i - a) for a, i, _ in self.points])
        return convert_width(found, self.unit, to_unit=unit) if found else 0.0

    def deviation(self, value: float, *, unit: str) -> float:
        """Size of its own error, as it is carried in the budget where readings are taken as the reference shows them."""
        return abs(self.own_error(value, unit=unit))

    def _at_points(self, own: float) -> float | None:
        """The certificate's uncertainty at a value between its points; None beyond them."""
        return self._between(own, [(a, u) for a, _, u in self.points])

    @staticmethod
    def _between(own: float, rows: Sequence[tuple[float, float]]) -> float | None:
        """On the line between the two rows around a value; None beyond them."""
        for (low, at_low), (high, at_high) in pairwise(rows):
            if low <= own <= high:
                return at_low if high == low else at_low + (at_high - at_low) * (own - low) / (high - low)
        return None

    def step_in(self, unit: str) -> float:
        """The step of its display in another unit."""
        return abs(convert_width(self.resolution, self.unit, to_unit=unit)) if self.resolution else 0.0


def ratio_together(ratios: Sequence[float]) -> float:
    """Test uncertainty ratio of several references together: their uncertainties add as squares (GUM 5.1.2), and so do the inverses of their ratios.

    >>> round(ratio_together([4.44, 4.44]), 2)
    3.14
    """
    return 1 / math.sqrt(math.fsum(1 / r**2 for r in ratios))


def reference_from(payload: Mapping[str, Any]) -> ReferenceStandard:
    """The reference frozen in an event or read from the register; other keys are passed over."""
    given = {f.name: payload[f.name] for f in fields(ReferenceStandard) if f.name in payload}
    if "points" in given:
        given["points"] = tuple((float(a), float(i), float(u)) for a, i, u in given["points"])
    return ReferenceStandard(**given)


def find_reference_faults(reference: ReferenceStandard, *, low: float, high: float, unit: str, today: date) -> list[Fault]:
    """Why this reference can't be used for low..high in `unit` today; empty when it can.

    Codes: wrong_quantity, out_of_service, expired, not_covering.
    """
    own, wanted = quantity_of(reference.unit), quantity_of(unit)
    if own != wanted or (own is None and reference.unit != unit):
        return [
            Fault(
                "wrong_quantity",
                f"{reference.code} measures in {reference.unit}; this job needs {unit}. Choose another reference.",
                field="reference",
            )
        ]
    faults = []
    if reference.state != "in service":
        faults.append(
            Fault("out_of_service", f"{reference.code} is {reference.state}. Choose a reference that is in service.", field="reference")
        )
    if date.fromisoformat(reference.due_on) < today:
        faults.append(
            Fault(
                "expired",
                f"The certificate of {reference.code} ran out on {day_words(reference.due_on)}. Choose another, "
                "or have a reviewer override it with a reason, which is printed.",
                field="reference",
            )
        )
    a, b = sorted((low, high))
    ra, rb = sorted((convert(reference.low, reference.unit, to_unit=unit), convert(reference.high, reference.unit, to_unit=unit)))
    slack = 1e-9 * max(1.0, abs(rb - ra))
    if a < ra - slack or b > rb + slack:
        faults.append(
            Fault(
                "not_covering",
                f"{reference.code} covers {ra:g} to {rb:g} {unit}; the points need {a:g} to {b:g} {unit}. Choose one with a wider range.",
                field="reference",
            )
        )
    return faults
