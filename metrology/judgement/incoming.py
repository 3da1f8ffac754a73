"""Portable kit that is new or back from service: accepted, or quarantined with every reason.

Limits are arguments: they are the plant's.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from metrology.faults import Fault
from metrology.quantities.typed import parse_typed

ACCEPTED, QUARANTINED = "in service", "quarantined"
YES, NO, NONE = "yes", "no", "does not apply"


@dataclass(frozen=True)
class Check:
    """One thing looked at. number: typed, in `unit`; else answered yes, no or that it does not apply."""

    name: str
    label: str
    bad: str
    number: bool = False
    unit: str = ""
    may_not_apply: bool = True


CHECKS: tuple[Check, ...] = (
    Check(
        "certificate",
        "Certificate is there and is of this serial",
        "Its certificate is missing or is of another serial.",
        may_not_apply=False,
    ),
    Check("accessories", "Accessories complete, nothing damaged", "Accessories are missing or damaged.", may_not_apply=False),
    Check("self_test", "Self-test clean after its settling time", "Its self-test is not clean."),
    Check("alarm_s", "Inlet blocked: flow alarm came after", "", number=True, unit="s"),
    Check(
        "fail_point",
        "Flow lowered step by step: the flow-fail point came",
        "Its flow-fail alarm never came: it draws in false air or does not watch its flow.",
    ),
    Check("zero_source", "Zero by nitrogen or scrubbed air, within its tolerance", "It does not zero on clean gas."),
    Check("span", "Span in outdoor air or gas, within its tolerance", "Its span is outside its tolerance."),
    Check("memory", "Memory cleared of the last user's readings", "Its memory still holds somebody else's readings."),
    Check("samples", "Battery run-time test: samples in its log", "", number=True),
    Check("interval_s", "Battery run-time test: seconds between samples", "", number=True, unit="s"),
)


# By check: which of the plant's limits it is judged by, and how that is told.
LIMITS = {"alarm_s": ("alarm_within_s", "at most {:g} s"), "samples": ("least_hours", "{:g} h at least, with the seconds between them")}


def limit_words(limits: Mapping[str, float]) -> dict[str, str]:
    """The limits by the check that they belong to, as they are told beside it."""
    return {check: words.format(limits[name]) for check, (name, words) in LIMITS.items()}


@dataclass(frozen=True)
class Incoming:
    """What an incoming check came to."""

    state: str
    reasons: tuple[str, ...]
    hours: float | None = None


def run_time_hours(samples: float, interval_s: float) -> float:
    """Hours a battery lasted, from its log: samples times the seconds between them. Both above zero."""
    if samples <= 0 or interval_s <= 0:
        raise Fault("out_of_range", "Samples and the seconds between them must be above zero.", field="samples")
    return samples * interval_s / 3600.0


def judge_incoming(values: Mapping[str, str], *, alarm_within_s: float, least_hours: float) -> Incoming:
    """Accepted when nothing speaks against it. values by name of CHECKS; raises a Fault for what is missing or no number."""
    reasons: list[str] = []
    numbers: dict[str, float] = {}
    for check in CHECKS:
        told = str(values.get(check.name) or "").strip()
        if check.number:
            if told:
                numbers[check.name] = parse_typed(told, name=check.label, unit=check.unit, field=check.name).value
            continue
        accepted = (YES, NO, NONE) if check.may_not_apply else (YES, NO)
        if told not in accepted:
            raise Fault("missing", f"Answer '{check.label}' with {', '.join(accepted)}.", field=check.name)
        if told == NO:
            reasons.append(check.bad)
    alarm = numbers.get("alarm_s")
    if alarm is not None and not 0 <= alarm <= alarm_within_s:
        reasons.append(f"Its flow alarm came after {alarm:g} s; at most {alarm_within_s:g} s are right.")
    hours = None
    if ("samples" in numbers) != ("interval_s" in numbers):
        raise Fault("missing", "The run-time takes both the samples and the seconds between them.", field="samples")
    if "samples" in numbers:
        hours = run_time_hours(numbers["samples"], numbers["interval_s"])
        if hours < least_hours:
            reasons.append(f"Its battery lasted {hours:.1f} h; {least_hours:g} h are needed.")
    return Incoming(QUARANTINED if reasons else ACCEPTED, tuple(reasons), hours)
