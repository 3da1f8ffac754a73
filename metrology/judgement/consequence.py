"""What the jobs on an instrument leave behind: whether it may be relied on until its next calibration, or is due at once, and why."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from metrology.judgement.decision import FAIL

REPLACE = "replace"
STANDS_IN = "it stands in"  # how a doubt tells that something watches meanwhile


@dataclass(frozen=True)
class Ended:
    """A job that has ended. sets: it is the instrument's calibration, or a check that became one; method: by which it was done; adjusted: something
    was set in it.

    left: the verdict it was left with, empty where it has none; decision: the last one taken; stand_in: what watches meanwhile. trims: it is no
    calibration, and yet a trim was made in it.
    """

    label: str
    on: date
    is_voided: bool
    sets: bool
    method: str
    adjusted: bool
    left: str
    decision: str
    stand_in: str = ""
    trims: bool = False


@dataclass(frozen=True)
class Doubt:
    """Why an instrument can't be relied on, since when. check: the kind of check that found it, which takes it away when it passes; else empty."""

    says: str
    on: date
    check: str


def open_doubt(ended: Sequence[Ended]) -> Doubt | None:
    """The doubt that the jobs on an instrument leave, oldest first; None where the last word is good.

    A calibration left inside its limits takes every doubt away; a check that passes takes away what a check of its kind found, and nothing that was in
    doubt before. A voided job takes none away, and one in which something was set leaves it unknown how the instrument stands.
    """
    doubt: Doubt | None = None
    for job in ended:
        when = f"{job.label} on {job.on:%-d %b %Y}"
        meanwhile = f"; {STANDS_IN}: {job.stand_in}" if job.stand_in else ""
        if job.is_voided:
            if job.adjusted:
                doubt = Doubt(f"it was adjusted in {when}, which was voided: how it stands was not proved", job.on, "")
        elif job.decision == REPLACE:
            doubt = Doubt(f"marked for replacement in {when}{meanwhile}", job.on, "")
        elif job.left == FAIL:
            what = "left outside its limits" if job.sets else "it failed its check and was left so"
            clears = job.method if not job.sets and (doubt is None or doubt.check == job.method) else ""
            doubt = Doubt(f"{what} in {when}{meanwhile}", job.on, clears)
        elif job.trims:
            doubt = Doubt(f"trimmed in {when}, and not calibrated since: what it reads now was not proved", job.on, "")
        elif job.sets or (doubt is not None and doubt.check == job.method):
            doubt = None
    return doubt
