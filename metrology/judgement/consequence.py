"""What the jobs on an instrument leave behind: whether it may be relied on until its next calibration, or is due at once, and why."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from metrology.judgement.decision import FAIL

REPLACE = "replace"


@dataclass(frozen=True)
class Ended:
    """A job that has ended. sets: it is the instrument's calibration, or a check that became one; adjusted: something was set in it.

    left: the verdict it was left with, empty where it has none; decision: the last one taken.
    """

    label: str
    on: date
    is_voided: bool
    sets: bool
    adjusted: bool
    left: str
    decision: str


@dataclass(frozen=True)
class Doubt:
    """Why an instrument can't be relied on, since when. of_check: a check found it, and a check that passes takes it away."""

    says: str
    on: date
    of_check: bool


def open_doubt(ended: Sequence[Ended]) -> Doubt | None:
    """The doubt that the jobs on an instrument leave, oldest first; None where the last word is good.

    A calibration left inside its limits takes every doubt away; a check that passes takes away what a check found. A voided job takes none away, and
    one in which something was set leaves it unknown how the instrument stands.
    """
    doubt: Doubt | None = None
    for job in ended:
        when = f"{job.label} on {job.on:%-d %b %Y}"
        if job.is_voided:
            if job.adjusted:
                doubt = Doubt(f"it was adjusted in {when}, which was voided: how it stands was not proved", job.on, False)
        elif job.decision == REPLACE:
            doubt = Doubt(f"marked for replacement in {when}", job.on, False)
        elif job.left == FAIL:
            what = "left outside its limits" if job.sets else "it failed its check and was left so"
            doubt = Doubt(f"{what} in {when}", job.on, doubt.of_check if doubt and not job.sets else not job.sets)
        elif job.sets or (doubt is not None and doubt.of_check):
            doubt = None
    return doubt
