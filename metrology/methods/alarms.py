"""Alarms proved by exposures: each set keeps its own, judged only as far as the exposure went, and what has latched is known.

Source: IEC 60079-29-2:2015 clause 11 (functional tests include the alarms); how far a set point may be off is the instrument's tolerance.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from metrology.judgement.decision import FAIL
from metrology.judgement.tolerance import tolerance_percent
from metrology.methods.fragments import Alarm, alarms_of
from metrology.methods.outcome import Criterion, Outcome
from metrology.methods.setup import RunSetup
from metrology.methods.slots import RawReading
from metrology.methods.steps import Field
from metrology.quantities.transfer import Transfer
from metrology.quantities.words import plain

KEY = "alarm:"  # of what is entered, and of the criteria
CAME = "alarms_came:"  # of a set: whether they were only seen to come
ALL_CAME = (("all", "All came; at which reading was not noted"), ("as noted", "As noted above"))


def alarm_key(set_key: str, alarm: Alarm) -> str:
    """Under which an alarm of a set is entered."""
    return f"{KEY}{set_key}:{alarm.name}"


def alarm_fields(setup: RunSetup, set_key: str, alarms: Sequence[Alarm]) -> tuple[Field, ...]:
    """At which reading each alarm came; or that all were seen to come."""
    unit = setup.instrument.unit
    return (
        *(
            Field(alarm_key(set_key, a), f"'{a.name}' came at", "number", unit, False, hint=f"Set point {a.set_point:g} {unit}")
            for a in alarms
        ),
        Field(f"{CAME}{set_key}", "Or seen only", "choice", required=False, options=ALL_CAME),
    )


def watch_words(setup: RunSetup, alarms: Sequence[Alarm]) -> str:
    """What to watch for before the gas comes; empty where no alarm is proved."""
    if not alarms:
        return ""
    told = ", ".join(f"'{a.name}' at {a.set_point:g} {setup.instrument.unit}" for a in alarms)
    return f" Watch the alarms {'while it rises' if alarms[0].rising else 'while it falls'}: {told}."


def room_of(setup: RunSetup, set_point: float) -> float:
    """How far from its set point an alarm may come, in the instrument's unit."""
    i = setup.instrument
    return tolerance_percent(i.tolerance, set_point, lrv=0.0, urv=i.urv, transfer=Transfer()) / 100 * i.urv


@dataclass(frozen=True)
class AlarmSeen:
    """An alarm with what was entered of it, and how far the reading went. came: None where it did not; is_seen: it came, at which reading nobody noted."""

    alarm: Alarm
    came: float | None
    reached: float
    room: float
    unit: str
    is_seen: bool = False

    @property
    def is_reached(self) -> bool:
        """Whether the reading went beyond the set point by more than an alarm may be late."""
        a = self.alarm
        return self.reached > a.set_point + self.room if a.rising else self.reached < a.set_point - self.room

    @property
    def says(self) -> str:
        """What was seen of it."""
        at = f"{self.alarm.set_point:g} {self.unit}"
        if self.is_seen and self.is_reached:
            return f"came, at which reading was not noted; set point {at}"
        if self.came is not None:
            return f"came at {plain(self.came)} {self.unit}, set point {at}"
        if self.is_reached:
            return f"did not come, and the reading went to {plain(self.reached)} {self.unit}; set point {at}"
        return f"not reached: the reading went to {plain(self.reached)} {self.unit}, set point {at}"

    @property
    def criterion(self) -> Criterion | None:
        """What the set is judged by; None where the exposure did not reach the set point."""
        if self.came is None and not self.is_reached:
            return None
        a = self.alarm
        value = a.set_point if self.is_seen else self.reached if self.came is None else self.came
        low, high = a.set_point - self.room, a.set_point + self.room
        label = f"Alarm '{a.name}'"
        return Criterion(f"{KEY}{a.name}", label, value, self.unit, low, high, ideal=a.set_point, says=self.says, is_graded=False)


def alarms_seen_in(setup: RunSetup, alarms: Sequence[Alarm], set_key: str, readings: Sequence[RawReading]) -> tuple[AlarmSeen, ...]:
    """The alarms of a set that somebody has told of."""
    entered = dict(setup.entered)
    told = [(a, entered[alarm_key(set_key, a)]) for a in alarms if alarm_key(set_key, a) in entered]
    are_seen = entered.get(f"{CAME}{set_key}") == "all"
    if not told or not readings:
        return ()
    went = [float(r.indicated) for r in readings]
    peaks = [float(p) for r in readings if (p := r.captured.get("indicated", {}).get("peak")) is not None]
    return tuple(
        AlarmSeen(
            a, float(text) if text else None, max([*went, *peaks]) if a.rising else min(went), room_of(setup, a.set_point),
            setup.instrument.unit, are_seen and not text,
        )
        for a, text in told
    )  # fmt: skip


def late_alarms(outcome: Outcome) -> str:
    """Alarms that did not come, or came too far from their set point, as sentences."""
    return " ".join(f"{c.label.removeprefix('Alarm ')} {c.says}." for c in outcome.criteria if c.name.startswith(KEY) and c.verdict == FAIL)


def latched_words(setup: RunSetup) -> str:
    """The alarms that came in this run and stay until they are reset, with the reading at which they came; empty where there are none."""
    out = []
    are_seen = any(k.startswith(CAME) and v == "all" for k, v in setup.entered)
    for a in alarms_of(setup):
        mine = [v for k, v in setup.entered if k.startswith(KEY) and k.rpartition(":")[2] == a.name]
        came = [v for v in mine if v]
        if a.latching and (came or (mine and are_seen)):
            told = f"came at {came[-1]} {setup.instrument.unit}" if came else "came"
            out.append(f"'{a.name}' {told} and stays until it is reset")
    return "; ".join(out)
