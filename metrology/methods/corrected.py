"""Readings corrected by the certificates of what they were taken with, where the plant's policy says so (GUM 3.2.4)."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from metrology.judgement.policy import CORRECTED
from metrology.judgement.reference import ReferenceStandard
from metrology.methods.setup import RunSetup
from metrology.methods.slots import RawReading
from metrology.quantities.words import number

Off = tuple[ReferenceStandard, float, str]  # whose error it is, how much it shows too much, in which unit


def corrects(setup: RunSetup) -> bool:
    """Whether readings are corrected by the points of the certificates instead of the error being added to U."""
    return setup.policy.own_error == CORRECTED


def off_by(reference: ReferenceStandard | None, value: float, unit: str) -> float:
    """What a reference shows too much at a value; 0 without one, and beyond the points of its certificate."""
    return reference.own_error(value, unit=unit) if reference else 0.0


def corrected_words(
    setup: RunSetup, readings: Sequence[RawReading], off: Callable[[RawReading], Sequence[Off]]
) -> tuple[tuple[str, str], ...]:
    """By how much readings were corrected at most, by reference; nothing where they are not."""
    if not corrects(setup):
        return ()
    most: dict[str, tuple[float, str]] = {}
    for reading in readings:
        for reference, error, unit in off(reading):
            if abs(error) > abs(most.get(reference.code, (0.0, ""))[0]):
                most[reference.code] = error, unit
    told = "; ".join(f"{code} by up to {number(-error, 4)} {unit}" for code, (error, unit) in sorted(most.items()))
    return (("Corrected by certificate", told or "nothing to correct: the certificates show no error at these points"),)
