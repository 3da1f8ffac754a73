"""Policies: where practitioners disagree, the plant chooses; a method or an instrument may choose otherwise."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, fields, replace
from typing import Any

from metrology.faults import Fault, require_range
from metrology.judgement.decision import RULES

ADJUST_WHEN = {
    "never": "never adjust inside the tolerance",
    "past-limit": "adjust only past the adjust limit",
    "always": "always adjust to nominal",
}


@dataclass(frozen=True)
class Policy:
    """The policies in force for a run; every one is printed on its record.

    adjust_limit_percent: percent of the tolerance from which adjusting is proposed.
    aim_percent: percent of the tolerance within which zero and span must end. max_passes: adjust passes.
    max_risk: for the rule of conformance probability. settle_*: window in s, limit in percent of the tolerance, and
    the time after which a live signal that has not settled is called unstable.
    """

    adjust_when: str = "past-limit"
    adjust_limit_percent: float = 70.0
    pass_rule: str = "simple"
    max_risk: float = 0.05
    aim_percent: float = 25.0
    max_passes: int = 4
    minimum_tur: float = 4.0
    settle_window_s: float = 5.0
    settle_percent: float = 10.0
    settle_limit_s: float = 180.0


def resolve_policy(*layers: Mapping[str, Any]) -> Policy:
    """The policy that results when later layers (plant, method, instrument) override earlier ones, checked."""
    policy = Policy()
    known = {f.name: f.type for f in fields(Policy)}
    for layer in layers:
        for name, value in layer.items():
            if name not in known:
                raise Fault("unknown_policy", f"Policy '{name}' is not known; known are {', '.join(known)}.", field=name)
            if name in ("adjust_when", "pass_rule"):
                value = str(value)
            else:
                try:
                    value = int(value) if name == "max_passes" else float(value)
                except (TypeError, ValueError):
                    raise Fault("not_a_number", f"Policy {name} is {value!r}; it must be a number.", field=name) from None
            policy = replace(policy, **{name: value})
    return check_policy(policy)


def check_policy(policy: Policy) -> Policy:
    """The policy, or a Fault naming the value outside its range."""
    if policy.adjust_when not in ADJUST_WHEN:
        raise Fault("unknown_policy", f"adjust_when is '{policy.adjust_when}'; known are {', '.join(ADJUST_WHEN)}.", field="adjust_when")
    if policy.pass_rule not in RULES:
        raise Fault("unknown_rule", f"pass_rule is '{policy.pass_rule}'; known are {', '.join(RULES)}.", field="pass_rule")
    require_range(policy.adjust_limit_percent, 1, 100, field="adjust_limit_percent", unit="%")
    require_range(policy.max_risk, 0.0001, 0.5, field="max_risk")
    require_range(policy.aim_percent, 1, 100, field="aim_percent", unit="%")
    require_range(policy.max_passes, 1, 20, field="max_passes")
    require_range(policy.minimum_tur, 1, 20, field="minimum_tur")
    require_range(policy.settle_window_s, 1, 600, field="settle_window_s", unit="s")
    require_range(policy.settle_percent, 1, 100, field="settle_percent", unit="%")
    require_range(policy.settle_limit_s, policy.settle_window_s + 1, 86400, field="settle_limit_s", unit="s")
    return policy


def describe_policy(policy: Policy) -> tuple[str, ...]:
    """The policies as sentences for the record."""
    limit = f" of {policy.adjust_limit_percent:g} % of tolerance" if policy.adjust_when == "past-limit" else ""
    rule = RULES[policy.pass_rule] + (f", risk at most {100 * policy.max_risk:g} %" if policy.pass_rule == "probability" else "")
    return (
        f"Pass rule: {rule}.",
        f"Adjusting: {ADJUST_WHEN[policy.adjust_when]}{limit}.",
        f"Adjust aim: within {policy.aim_percent:g} % of tolerance, at most {policy.max_passes} passes.",
        f"Reference wanted at a test uncertainty ratio (TUR) of {policy.minimum_tur:g} or more.",
        f"Settled: slope and spread within {policy.settle_percent:g} % of tolerance over {policy.settle_window_s:g} s, "
        f"unstable after {policy.settle_limit_s:g} s.",
    )
