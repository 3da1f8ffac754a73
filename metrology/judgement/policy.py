"""Policies: where practitioners disagree, the plant chooses; a method or an instrument may choose otherwise."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, fields
from typing import Any

from metrology.faults import Fault, require_range
from metrology.judgement.decision import RULES

ADJUST_WHEN = {
    "never": "never adjust inside the tolerance",
    "past-limit": "adjust only past the adjust limit",
    "always": "always adjust to nominal",
}
GAP = {
    "repair": "a gap between up and down past the tolerance is repaired",
    "centre": "a gap between up and down is centred where it then fits the tolerance",
}
DECIDES = {
    "as-found": "the as-found exposure decides",
    "bump": "a bump decides",
    "always": "always calibrate",
}
ZERO_GAS = {
    "bottled": "bottled zero gas; ambient air with a recorded reason",
    "ambient": "ambient air in a clean place",
    "scrubbed": "scrubbed air",
}
PROOF = {
    "always": "always proved with gas after a calibration",
    "adjusted": "proved with gas after an adjustment",
    "never": "the as-left span is the proof",
}
LOOP_PROOF = {
    "never": "not part of the job",
    "always": "4 and 20 mA seen at the control system, and the alarm received there",
}
FORCED = {
    "forbidden": "forbidden",
    "reason": "allowed with a reason, flagged on the record",
    "second-person": "allowed with a reason and a second person, flagged on the record",
}
QUALIFIED = {
    "refused": "refused to whoever does not have it",
    "supervised": "taken with the name of a supervisor who has it",
}
ADDED, CORRECTED = "added", "corrected"
OWN_ERROR = {
    ADDED: "added to U in full",
    CORRECTED: "readings corrected by the points of the certificate",
}
CHOICES: dict[str, Mapping[str, str]] = {
    "adjust_when": ADJUST_WHEN,
    "pass_rule": RULES,
    "decides": DECIDES,
    "zero_gas": ZERO_GAS,
    "proof": PROOF,
    "forced": FORCED,
    "loop_proof": LOOP_PROOF,
    "qualified": QUALIFIED,
    "gap": GAP,
    "own_error": OWN_ERROR,
}


@dataclass(frozen=True)
class Policy:
    """The policies in force for a run; every one is printed on its record.

    adjust_limit_percent: percent of the tolerance from which adjusting is proposed.
    aim_percent: percent of the tolerance within which zero and span must end. max_passes: adjust passes.
    max_risk: for the rule of conformance probability. settle_*: shortest window in s, what may still come in percent of the tolerance, the slowest
    approach that is looked for in s, and the time after which a live signal that has not settled is called unstable.
    own_error: what becomes of the error that a reference's certificate shows at its points, where a curve or a comparison is read with it.
    scatter_percent: standard deviation of a reading that is taken once, percent of the tolerance. cold_junction_c: half-width within which the
    temperature at the terminals of a thermocouple is known, °C.

    For gas detectors: decides, zero_gas, proof, forced, loop_proof name the school. bump_percent: tolerance of a bump, % of applied.
    span_low_percent to span_high_percent: window of a span gas, % of range. balance_oxygen: least oxygen in the balance
    for a catalytic sensor, % vol. acceptance_percent: how far off may still be adjusted, % of span. force_times: how many
    times that may be forced before the gas is proved. response_percent:
    least answer to a stimulus, % of what was to come. zero_window_s, span_window_s, give_up_s: windows and limit of an
    exposure. purge_percent: of range, below which gas counts as gone; countdown_s: wait after it. air_percent: oxygen of
    air, % vol; air_water_percent: what water in ambient air may take of it, % vol (0.4 where it is half saturated at 28 °C).
    inhibit_band_ma: how near the current must be to the inhibit current. reference_v_percent: how far off a
    stored reference voltage may be. spare_percent: litres beyond need. life_end_percent: sensitivity left at which a
    sensor is replaced.

    qualified: what becomes of work that takes a qualification, where whoever starts it does not have it.

    hold_hours: how long an instrument may be on hold without an approval, h.

    For intervals: least_results before one is made longer; extend_factor and shorten_factor of the staircase; extend_below: as found, % of
    tolerance, above which a pass does not count towards a longer one; longest_factor: of the register's interval at most; reliability of the
    drift rule, a share.
    """

    hold_hours: float = 12.0
    qualified: str = "refused"
    adjust_when: str = "past-limit"
    adjust_limit_percent: float = 70.0
    pass_rule: str = "simple"
    max_risk: float = 0.05
    gap: str = "repair"
    aim_percent: float = 25.0
    max_passes: int = 4
    minimum_tur: float = 4.0
    own_error: str = ADDED
    settle_window_s: float = 5.0
    settle_percent: float = 10.0
    settle_horizon_s: float = 30.0
    settle_limit_s: float = 180.0
    scatter_percent: float = 2.0
    cold_junction_c: float = 0.3
    decides: str = "as-found"
    zero_gas: str = "bottled"
    proof: str = "never"
    loop_proof: str = "never"
    forced: str = "reason"
    bump_percent: float = 20.0
    span_low_percent: float = 25.0
    span_high_percent: float = 90.0
    balance_oxygen: float = 10.0
    acceptance_percent: float = 25.0
    force_times: float = 2.0
    response_percent: float = 10.0
    zero_window_s: float = 20.0
    span_window_s: float = 40.0
    give_up_s: float = 240.0
    purge_percent: float = 3.0
    countdown_s: float = 60.0
    air_percent: float = 20.9
    air_water_percent: float = 0.4
    inhibit_band_ma: float = 0.2
    reference_v_percent: float = 25.0
    spare_percent: float = 20.0
    life_end_percent: float = 40.0
    least_results: int = 3
    extend_factor: float = 1.25
    shorten_factor: float = 0.5
    extend_below: float = 80.0
    longest_factor: float = 2.0
    reliability: float = 0.95


@dataclass(frozen=True)
class PolicyField:
    """How one policy is asked in a form. group: of methods for which it counts, as their traits say; empty for all work."""

    name: str
    label: str
    unit: str = ""
    hint: str = ""
    group: str = ""


POLICY_FIELDS: tuple[PolicyField, ...] = (
    PolicyField("hold_hours", "A hold needs approval past", "h"),
    PolicyField("qualified", "Work that takes a qualification"),
    PolicyField("pass_rule", "Pass rule"),
    PolicyField("max_risk", "Accepted risk", hint="0.05 is one wrong pass in twenty"),
    PolicyField("adjust_when", "Adjusting"),
    PolicyField("adjust_limit_percent", "Adjust limit", "% of tolerance"),
    PolicyField("gap", "Up and down apart", group="curve"),
    PolicyField("aim_percent", "Adjust aim", "% of tolerance"),
    PolicyField("max_passes", "Adjust passes at most"),
    PolicyField("minimum_tur", "Least test uncertainty ratio", group="curve"),
    PolicyField("own_error", "A reference's own error", group="curve"),
    PolicyField("settle_window_s", "Settle window, at least", "s", group="curve"),
    PolicyField("settle_horizon_s", "Slowest approach looked for", "s", "Its time constant; 0 looks at the window alone", group="curve"),
    PolicyField("settle_percent", "Settled when at most this is to come", "% of tolerance"),
    PolicyField("settle_limit_s", "Unstable after", "s", group="curve"),
    PolicyField(
        "scatter_percent",
        "Scatter of a reading taken once",
        "% of tolerance",
        "One s.d.; several cycles tell their own",
        group="curve",
    ),
    PolicyField("cold_junction_c", "Cold junction known within", "°C", group="curve"),
    PolicyField("decides", "What decides", group="gas"),
    PolicyField("zero_gas", "Zero gas", group="gas"),
    PolicyField("proof", "Proof after a calibration", group="gas"),
    PolicyField("forced", "Forced acceptance", group="gas"),
    PolicyField("loop_proof", "Loop proof", group="detector"),
    PolicyField("bump_percent", "Tolerance of a bump", "% of applied", group="gas"),
    PolicyField("span_low_percent", "Span gas from", "% of range", group="gas"),
    PolicyField("span_high_percent", "Span gas to", "% of range", group="gas"),
    PolicyField("balance_oxygen", "Oxygen in the balance, at least", "% vol", "For catalytic sensors", group="gas"),
    PolicyField("acceptance_percent", "Adjustable within", "% of span", group="gas"),
    PolicyField("force_times", "Forced at most, times what may be adjusted", hint="Beyond it gas is proved first", group="detector"),
    PolicyField("response_percent", "No response below", "% of what was to come", group="gas"),
    PolicyField("zero_window_s", "Zero window", "s", group="gas"),
    PolicyField("span_window_s", "Span window", "s", group="gas"),
    PolicyField("give_up_s", "Given up after", "s", group="gas"),
    PolicyField("purge_percent", "Purged below", "% of range", group="gas"),
    PolicyField("countdown_s", "Countdown after purging", "s", group="gas"),
    PolicyField("air_percent", "Oxygen of air", "% vol", group="gas"),
    PolicyField("air_water_percent", "Water in ambient air takes up to", "% vol of its oxygen", group="gas"),
    PolicyField("inhibit_band_ma", "Inhibit current within", "mA", group="gas"),
    PolicyField("reference_v_percent", "Reference voltage within", "%", group="gas"),
    PolicyField("spare_percent", "Litres to spare", "%", group="gas"),
    PolicyField("least_results", "Results before an interval grows"),
    PolicyField("extend_factor", "Interval grows by", hint="1.25 is a quarter longer"),
    PolicyField("shorten_factor", "After a fail, times"),
    PolicyField("extend_below", "Interval grows only on results below", "% of tolerance"),
    PolicyField("longest_factor", "Longest interval, times the register's"),
    PolicyField("reliability", "Reliability wanted of the drift rule", hint="0.95"),
    PolicyField("life_end_percent", "Sensor replaced at", "% of new", group="gas"),
)
RANGES: tuple[tuple[str, float, float, str], ...] = (
    ("hold_hours", 0.5, 168, "h"),
    ("adjust_limit_percent", 1, 100, "%"),
    ("max_risk", 0.0001, 0.5, ""),
    ("aim_percent", 1, 100, "%"),
    ("max_passes", 1, 20, ""),
    ("minimum_tur", 1, 20, ""),
    ("settle_window_s", 1, 600, "s"),
    ("settle_percent", 1, 100, "%"),
    ("settle_horizon_s", 0, 3600, "s"),
    ("scatter_percent", 0, 50, "%"),
    ("cold_junction_c", 0, 5, "°C"),
    ("bump_percent", 1, 100, "%"),
    ("span_low_percent", 1, 100, "%"),
    ("span_high_percent", 1, 100, "%"),
    ("balance_oxygen", 0, 25, "% vol"),
    ("acceptance_percent", 1, 100, "%"),
    ("force_times", 1, 10, ""),
    ("response_percent", 1, 90, "%"),
    ("zero_window_s", 1, 600, "s"),
    ("span_window_s", 1, 600, "s"),
    ("give_up_s", 2, 7200, "s"),
    ("purge_percent", 0.1, 50, "%"),
    ("countdown_s", 0, 3600, "s"),
    ("air_percent", 20.0, 21.5, "% vol"),
    ("air_water_percent", 0, 1.5, "% vol"),
    ("inhibit_band_ma", 0.01, 1, "mA"),
    ("reference_v_percent", 1, 100, "%"),
    ("spare_percent", 0, 200, "%"),
    ("life_end_percent", 5, 95, "%"),
    ("least_results", 3, 20, ""),
    ("extend_factor", 1, 3, ""),
    ("shorten_factor", 0.1, 1, ""),
    ("extend_below", 10, 100, "%"),
    ("longest_factor", 1, 5, ""),
    ("reliability", 0.6, 0.999, ""),
)


def resolve_policy(*layers: Mapping[str, Any]) -> Policy:
    """The policy that results when later layers (plant, method, instrument) override earlier ones, checked."""
    chosen: dict[str, Any] = {}
    known = {f.name: f.type for f in fields(Policy)}
    for layer in layers:
        for name, value in layer.items():
            if name not in known:
                raise Fault("unknown_policy", f"Policy '{name}' is not known; known are {', '.join(known)}.", field=name)
            if name in CHOICES:
                value = str(value)
            else:
                try:
                    value = int(value) if name in ("max_passes", "least_results") else float(value)
                except (TypeError, ValueError):
                    raise Fault("not_a_number", f"Policy {name} is {value!r}; it must be a number.", field=name) from None
            chosen[name] = value
    return check_policy(Policy(**chosen))


def check_policy(policy: Policy) -> Policy:
    """The policy, or a Fault naming the value outside its range."""
    for name, known in CHOICES.items():
        if getattr(policy, name) not in known:
            code = "unknown_rule" if name == "pass_rule" else "unknown_policy"
            raise Fault(code, f"{name} is '{getattr(policy, name)}'; known are {', '.join(known)}.", field=name)
    for name, low, high, unit in RANGES:
        require_range(getattr(policy, name), low, high, field=name, unit=unit)
    if policy.span_low_percent >= policy.span_high_percent:
        raise Fault("bad_window", "The window of a span gas must end above where it starts.", field="span_high_percent")
    require_range(policy.settle_limit_s, policy.settle_window_s + 1, 86400, field="settle_limit_s", unit="s")
    return policy


def _settle_words(policy: Policy) -> str:
    """When a live signal has settled; runs from before there was a horizon keep the rule that they began with."""
    if not policy.settle_horizon_s:
        return (
            f"Settled: slope and spread within {policy.settle_percent:g} % of tolerance over {policy.settle_window_s:g} s, "
            f"unstable after {policy.settle_limit_s:g} s."
        )
    return (
        f"Settled: at most {policy.settle_percent:g} % of tolerance still to come, looked for approaches as slow as {policy.settle_horizon_s:g} s, "
        f"over {policy.settle_window_s:g} s at least; unstable after {policy.settle_limit_s:g} s."
    )


def describe_policy(policy: Policy, *, groups: Collection[str] = ()) -> tuple[str, ...]:
    """The policies as sentences for the record; those of a group where it counts."""
    limit = f" of {policy.adjust_limit_percent:g} % of tolerance" if policy.adjust_when == "past-limit" else ""
    rule = RULES[policy.pass_rule] + (f", risk at most {100 * policy.max_risk:g} %" if policy.pass_rule == "probability" else "")
    return (
        f"Pass rule: {rule}.",
        f"Adjusting: {ADJUST_WHEN[policy.adjust_when]}{limit}.",
        f"Adjust aim: within {policy.aim_percent:g} % of tolerance, at most {policy.max_passes} passes.",
        f"Reference wanted at a test uncertainty ratio (TUR) of {policy.minimum_tur:g} or more.",
        *((f"A reference's own error: {OWN_ERROR[policy.own_error]}.",) if policy.own_error != ADDED else ()),
        _settle_words(policy),
        f"Intervals: longer by {policy.extend_factor:g} after {policy.least_results} results, times {policy.shorten_factor:g} after a fail, "
        f"at most {policy.longest_factor:g} times the register's; drift at {100 * policy.reliability:g} % reliability.",
        *(_gas_policy(policy) if "gas" in groups else ()),
        *((FORCING.format(policy.force_times),) if "detector" in groups else ()),
        *((f"Loop proof: {LOOP_PROOF[policy.loop_proof]}.",) if "detector" in groups and policy.loop_proof != "never" else ()),
    )


FORCING = "Forcing: up to {:g} times what may be adjusted; beyond it the gas is proved first, with a second person whatever the policy."


def _gas_policy(p: Policy) -> tuple[str, ...]:
    return (
        f"Gas: {DECIDES[p.decides]}; zero gas: {ZERO_GAS[p.zero_gas]}; {PROOF[p.proof]}; forced acceptance {FORCED[p.forced]}.",
        f"Bump tolerance {p.bump_percent:g} % of applied; span gas {p.span_low_percent:g} to {p.span_high_percent:g} % of range; "
        f"adjustable within {p.acceptance_percent:g} % of span; no response below {p.response_percent:g} % of what was to come.",
        f"Exposures: zero over {p.zero_window_s:g} s, span over {p.span_window_s:g} s or longer by the sensor's T90, given up after "
        f"{p.give_up_s:g} s or 6 x T90; purged below {p.purge_percent:g} % of range, then {p.countdown_s:g} s.",
        f"Catalytic sensors: at least {p.balance_oxygen:g} % vol oxygen in the balance; oxygen of air {p.air_percent:g} % vol; "
        f"a sensor is replaced at {p.life_end_percent:g} % of its first sensitivity.",
    )
