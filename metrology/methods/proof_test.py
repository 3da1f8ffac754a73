"""The proof test of a safety function, asked by every run on an instrument that belongs to one: where it trips as found and as left, which part of the
path was proved, and how long it was bypassed (IEC 61511-1:2016, 16.3.1 and 16.3.3).

The trip is proved before anything is adjusted, so it is asked before the first judgement; as left before the instrument is put back.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from metrology.judgement.decision import FAIL, PASS
from metrology.methods.setup import RISING, RunSetup, TripPoint
from metrology.methods.steps import Field, Step

FOUND, LEFT = "proof_found", "proof_left"
WHOLE, PART, WHOLE_NOT, PART_NOT, NONE = "whole", "part", "whole-no-trip", "part-no-trip", "none"
PROVED = (
    (WHOLE, "Whole path to the final element: it tripped"),
    (PART, "Sensor and logic, final element held: it tripped"),
    (WHOLE_NOT, "Whole path: it did NOT trip"),
    (PART_NOT, "Sensor and logic: it did NOT trip"),
    (NONE, "No proof test in this run"),
)
PATHS = {WHOLE: "whole path", WHOLE_NOT: "whole path", PART: "sensor and logic", PART_NOT: "sensor and logic"}
TRIPPED = (WHOLE, PART)
BYPASS = "bypass_min"
MOST_BYPASS_MIN = 7 * 24 * 60.0
CAUTION = (
    "A proof test may trip the plant. Agree with operations what is held and what moves, and follow the procedure of the function; "
    "this screen does not replace it."
)


def proof_key(code: str) -> str:
    """Under which what was proved of a function is entered."""
    return f"proof:{code}"


def trip_key(code: str) -> str:
    """Under which the value is entered at which it tripped."""
    return f"trip:{code}"


def why_key(code: str) -> str:
    """Under which is entered why it is left as it is."""
    return f"why:{code}"


@dataclass(frozen=True)
class Trip:
    """Where something tripped; None where it did not. share is the deviation in parts of what is allowed, positive where it comes late."""

    point: TripPoint
    at: float | None

    @property
    def late_by(self) -> float:
        """How far behind the required value it tripped, in its unit; negative where it tripped early."""
        at = self.at if self.at is not None else 0.0
        return at - self.point.trip if self.point.direction == RISING else self.point.trip - at

    @property
    def verdict(self) -> str:
        """pass where it tripped within what is allowed, else fail."""
        return PASS if self.at is not None and abs(self.late_by) <= self.point.within * (1 + 1e-9) + 1e-12 else FAIL

    @property
    def is_dangerous(self) -> bool:
        """Whether the function would not have acted in time: no trip, or a late one."""
        return self.verdict == FAIL and (self.at is None or self.late_by > 0)

    @property
    def says(self) -> str:
        """What that means, in words."""
        if self.at is None:
            return "it did not trip: it would not have acted"
        if self.verdict == PASS:
            return "as required"
        size = f"{abs(self.late_by):.4g} {self.point.unit}"
        return f"{size} late: on the dangerous side" if self.late_by > 0 else f"{size} early: on the safe side, it trips without need"


@dataclass(frozen=True)
class Proof:
    """The proof test of one function in one run. left is None where nothing was left to be proved yet; bypass_min where its hold tells."""

    point: TripPoint
    path: str
    found: Trip
    left: Trip | None
    why: str
    bypass_min: float | None


def with_proof_test(steps: Sequence[Step], setup: RunSetup) -> tuple[Step, ...]:
    """The steps of a run with those of its proof test among them, where the instrument belongs to a safety function."""
    if not setup.functions:
        return tuple(steps)
    out = list(steps)
    back = next((n for n, s in enumerate(out) if s.phase in ("restore", "sign")), len(out))
    out.insert(back, _left(setup, out))
    first = next((n for n, s in enumerate(out[:back]) if s.kind == "judge"), back)
    out.insert(first, _found(setup))
    return tuple(out)


def _found(setup: RunSetup) -> Step:
    return Step(
        FOUND,
        "confirm",
        "as found",
        "Proof test, as found",
        "Before anything is adjusted: take the signal to the trip and read where it really comes.",
        cautions=(CAUTION,),
        fields=tuple(f for p in setup.functions for f in _asked(setup, p)),
        confirm_label="Keep what was found",
        enters=True,
        is_told_with_set=True,
    )


def _asked(setup: RunSetup, p: TripPoint) -> tuple[Field, Field]:
    i = setup.instrument
    room = 0.25 * abs(i.urv - i.lrv)
    return (
        Field(proof_key(p.code), f"{p.code} {p.name}, SIL {p.level}: what is proved", "choice", options=PROVED),
        Field(
            trip_key(p.code), f"{p.code}: tripped at", "number", p.unit, low=min(i.lrv, i.urv) - room, high=max(i.lrv, i.urv) + room,
            unless=(proof_key(p.code), f"{WHOLE_NOT}|{PART_NOT}|{NONE}"), hint=f"Required: {p.required}",
        ),
    )  # fmt: skip


def _left(setup: RunSetup, steps: Sequence[Step]) -> Step:
    told = dict(setup.entered)
    proved = [p for p in setup.functions if told.get(proof_key(p.code), "") not in ("", NONE)]
    is_known = all(told.get(proof_key(p.code)) for p in setup.functions)
    changed = any(s.phase == "adjust" and not s.left_out and not s.if_needed for s in steps)
    fields: list[Field] = []
    for p in proved:
        if changed or _trip(p, told).verdict == FAIL:
            fields += _asked_left(p)
    fields.append(
        Field(
            BYPASS, "Time in bypass", "number", "min", required=False, low=0, high=MOST_BYPASS_MIN, hint="Empty: as long as its hold",
        )
    )  # fmt: skip
    return Step(
        LEFT,
        "confirm",
        "as left",
        "Proof test, as left",
        "Prove the trip once more as it is left."
        if len(fields) > 1
        else "Nothing that was proved has changed: as found stands as as left.",
        cautions=(CAUTION,) if len(fields) > 1 else (),
        fields=tuple(fields),
        confirm_label="Keep what is left",
        left_out="No proof test in this run." if is_known and not proved else "",
        is_told_with_set=True,
    )


def _asked_left(p: TripPoint) -> tuple[Field, Field]:
    return (
        Field(
            trip_key(p.code), f"{p.code}: trips now at", "number", p.unit, low=p.trip - p.within, high=p.trip + p.within,
            why=f"{p.code} requires {p.required}. Put it right, or say why it is left so: it goes on the record as failed.",
            excused_by=why_key(p.code), unless=(why_key(p.code), "*"),
        ),
        Field(why_key(p.code), f"{p.code}: why it is left outside", required=False, hint="Only where it can't be put right now"),
    )  # fmt: skip


def _trip(p: TripPoint, told: Mapping[str, Any]) -> Trip:
    text = str(told.get(trip_key(p.code)) or "")
    return Trip(p, float(text) if told.get(proof_key(p.code), TRIPPED[0]) in TRIPPED and text else None)


def proofs_of(setup: RunSetup, found: Mapping[str, Any] | None, left: Mapping[str, Any] | None) -> tuple[Proof, ...]:
    """What the proof tests of a run came to, from what was confirmed as found and as left; of functions that were proved."""
    if found is None:
        return ()
    out = []
    for p in setup.functions:
        proved = str(found.get(proof_key(p.code)) or NONE)
        if proved == NONE:
            continue
        first, last = _trip(p, found), None
        if left is not None:
            last = _trip(p, {trip_key(p.code): left[trip_key(p.code)]}) if trip_key(p.code) in left else first
        minutes = str((left or {}).get(BYPASS) or "")
        out.append(Proof(p, PATHS[proved], first, last, str((left or {}).get(why_key(p.code)) or ""), float(minutes) if minutes else None))
    return tuple(out)
