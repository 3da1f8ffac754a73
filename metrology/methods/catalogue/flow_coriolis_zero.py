"""flow-coriolis-zero: the stored zero of a mass flow meter is verified with the flow blocked, before anybody thinks of a new one.

Sources: ISO 10790:2015 (zero adjustment, zero stability, conditions).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache

from metrology.judgement.settling import SettleRule
from metrology.methods.flow import common
from metrology.methods.flow.common import numbered
from metrology.methods.method import Method, Traits
from metrology.methods.outcome import Outcome, Proposal
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Quantity, Slot
from metrology.methods.standards.base import Standards
from metrology.methods.steps import Check, Field, Pair, Step
from metrology.methods.trials.zero_flow import AT_ONCE, NEVER, ZeroFlow, ZeroSettings, settings_of
from metrology.methods.watching import Still

SHUT_IN = (
    "Liquid shut in between two valves bursts the line when it warms: never leave it so, and never where it is liquefied gas without a relief that works.",
    "Shut and open valves slowly; the process must be able to do without this line.",
)


@dataclass(frozen=True)
class ZeroAdvice:
    """Leave it where it is; once more after the block-in was checked; a new one only by the rule of the site."""

    def propose(self, setup: RunSetup, outcome: Outcome, *, is_as_left: bool) -> Proposal:
        """The proposed decision."""
        rule, takes = settings_of(setup).new_zero, int(setup.value("takes", 0.0)) + 1
        failed = [c for c in outcome.criteria if c.verdict == "fail"]
        cause = outcome.signatures[0] if outcome.signatures else None
        unsteady = next((c for c in failed if not c.is_graded), None)
        if unsteady is not None or (cause and cause.code in ("gas-in-liquid", "not-at-rest")):
            told = cause.says if cause else f"{unsteady.label} {unsteady.value:.3g} {unsteady.unit}." if unsteady else ""
            return Proposal("again", f"{told} That is no window to judge a zero by. {cause.first_action if cause else ''}".strip())
        if cause and cause.code == "leaking-valve" and cause.confidence > 0.9:
            return Proposal("repair", f"{cause.says} {cause.first_action}")
        off = next((c for c in failed if c.name in ("zero", "at_minimum")), None)
        if off is None:
            return Proposal(
                "leave", "The stored zero holds. Leave it: a zero set at the factory is usually better than one set in the line."
            )
        if is_as_left:
            return Proposal(
                "repair", "The new zero does not hold either: something leaks through, or the meter is restless. Find that first."
            )
        if rule == NEVER:
            return Proposal(
                "repair", "It is off, and by the rule of the site no zero is set in the line: find the cause, or send it to the laboratory."
            )
        if rule == AT_ONCE or takes > 1:
            return Proposal(
                "zero",
                f"It is off {'by the rule of the site' if rule == AT_ONCE else 'for the second time'}, with the flow blocked: set a new zero.",
            )
        return Proposal("again", "It is off. Check first that the flow is blocked, best with a second valve, and take it once more.")

    def refuse(self, setup: RunSetup, outcome: Outcome, choice: str) -> str:
        """No new zero on a flow, on gas, or against the rule of the site."""
        if choice != "zero":
            return ""
        bad = next((s for s in outcome.signatures if s.code != "zero-shift" and s.confidence >= 0.7), None)
        unsteady = next((c for c in outcome.criteria if c.verdict == "fail" and not c.is_graded), None)
        if bad:
            return f"{bad.says} A zero set on that is wrong as soon as it is gone. {bad.first_action}"
        if unsteady:
            return f"{unsteady.label} {unsteady.value:.3g} {unsteady.unit}; {unsteady.high:g} is the limit. A zero is set only on a steady window."
        if settings_of(setup).new_zero == NEVER:
            return "By the rule of the site no zero is set in the line. Find the cause, or send it to the laboratory."
        return ""


OPTIONS = (
    ("leave", "Leave the stored zero"), ("again", "Check the block-in, once more"), ("zero", "Set a new zero"), ("repair", "Leave it, find the cause"),
)  # fmt: skip
DOWN = Pair("downstream", "Downstream valve", "open", "shut")
UPSTREAM = Pair("upstream", "Upstream valve", "open", "shut")
CUT = Pair("cutoff", "Low-flow cut-off", "on", "off")


def steps(setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
    """The steps, as the choices so far shape them."""
    return _steps(setup, tuple(sorted(choices.items())))


@lru_cache(maxsize=256)
def _steps(setup: RunSetup, chosen: tuple[tuple[str, str], ...]) -> tuple[Step, ...]:
    s = settings_of(setup)
    return (
        common.identity(setup),
        Step(
            "stored", "confirm", "prepare", "Zero it holds", "Read the stored zero and the alarms off the meter, before anything is touched.",
            fields=(
                Field("zero_now", "Zero stored in it", "number", "kg/h", low=-1e6, high=1e6),
                Field(
                    "severe", "A severe alarm is on", "choice", options=(("no", "No"), ("yes", "Yes")), expected="no",
                    why="With a severe alarm on its zero says nothing. Have that put right first; this run waits.",
                ),
            ),
            enters=True,
        ),
        Step(
            "warm", "timer", "prepare", "Under power", f"{s.warm_min:g} min under power before the zero. You can go on meanwhile.",
            minutes=s.warm_min, left_out="" if s.warm_min else "No time under power is asked for.",
        ),
        common.operator(setup),
        common.hold(),
        common.cautions(setup, *SHUT_IN, checks=CHECKS),
        _conditions(s),
        _move("shut_down", "Shut the downstream valve", "Downstream first, so that the meter stays full and under pressure.", DOWN, "all"),
        _move("shut_up", "Shut the upstream valve", "Then upstream. Nothing may flow through the meter from now on.", UPSTREAM, "all"),
        _full(),
        _move("cutoff_off", "Low-flow cut-off off", "With the cut-off on it shows nothing, whatever its zero is.", CUT, "all"),
        *_takes(setup, dict(chosen)),
        _move("cutoff_on", "Low-flow cut-off on again", "Before the valves are opened.", CUT, "back"),
        _move("open_up", "Open the upstream valve", "Upstream first, slowly: the meter fills from there.", UPSTREAM, "back"),
        _move("open_down", "Open the downstream valve", "Then downstream, slowly.", DOWN, "back"),
        *common.restore(
            setup,
            checks=PUT_BACK,
            caution="Opened fast, a cold or empty line is struck by what comes.",
        ),
    )  # fmt: skip


CHECKS = (
    Check("can_stop", "The process can do without this line for the time"),
    Check("safe", "The cautions above are met"),
    Check("untouched", "No zero was set yet: as found comes first"),
)


PUT_BACK = (
    Check("flow", "It shows a flow again, near what it was"),
    Check("no_alarm", "No alarm on the meter"),
    Check("tidy", "Write lock on, covers on, tools away"),
)


def _conditions(s: ZeroSettings) -> Step:
    low, high = s.process_c - s.near_c, s.process_c + s.near_c
    return Step(
        "conditions", "confirm", "as found", "Before it is shut in", "With the flow still on: the meter must be as it is at work.",
        fields=(
            Field(
                "temp_c", "Temperature it shows", "number", "°C", low=low, high=high, hint=f"At work {s.process_c:g} °C",
                why="Its zero belongs to the temperature at work. Let it flow until it is there, or say why it is judged here.",
                excused_by="temp_reason",
            ),
            Field("temp_reason", "Why at another temperature", "long", required=False),
            Field("flow_before", "Flow it shows", "number", "kg/h", low=-1e8, high=1e8),
        ),
        enters=True,
    )  # fmt: skip


def _full() -> Step:
    yes_no, no_yes = (("yes", "Yes"), ("no", "No")), (("no", "No"), ("yes", "Yes"))
    return Step(
        "full", "confirm", "as found", "Full and at rest", "Wait until what is in it has come to rest.",
        fields=(
            Field(
                "full", "It is full of liquid", "choice", options=yes_no, expected="yes",
                why="Half full it has no zero. Open, fill and vent it, shut it in again.",
            ),
            Field(
                "flashing", "It flashes, or solids settle", "choice", options=no_yes, expected="no",
                why="Raise the pressure or flush it; a zero on that is of no use.",
            ),
        ),
        enters=True,
    )  # fmt: skip


def _move(key: str, title: str, told: str, pair: Pair, variant: str) -> Step:
    phase = "as found" if variant == "all" else "restore"
    return Step(key, "checkpairs", phase, title, told, pairs=(pair,), variant=variant, keys=(key,), confirm_label="Done")


def _takes(setup: RunSetup, choices: Mapping[str, str]) -> list[Step]:
    """As found until it is decided, the block-in checked in between; a new zero is verified like the old one."""
    out: list[Step] = []
    n, choice = 0, "again"
    while choice == "again" and n < common.MAX_REPEATS:
        n += 1
        out += _recheck(n - 1, numbered("as_found", n - 1)) if n > 1 else ()
        out += _window(n, is_left=False)
        choice = choices.get(numbered("judge", n), "")
    last, n = numbered("as_found", n), 0
    while choice in ("zero", "again") and n < common.MAX_REPEATS:
        n += 1
        out += _new_zero(setup, n, last) if choice == "zero" else _recheck(50 + n, last)
        out += _window(n, is_left=True)
        last, choice = numbered("as_left", n), choices.get(numbered("judge_left", n), "")
    if n == 0:
        why = "" if not choice else "The stored zero was kept: as found stands as as left."
        spare = Step(
            "new_zero",
            "confirm",
            "adjust",
            "New zero",
            "Only by the rule of the site, with the flow proved blocked.",
            if_needed=True,
            left_out=why,
        )
        out += [spare, *(replace(w, if_needed=True, left_out=why) for w in _window(1, is_left=True))]
    return out


def _window(n: int, *, is_left: bool) -> tuple[Step, Step]:
    key = numbered("as_left" if is_left else "as_found", n)
    phase = "as left" if is_left else "as found"
    return (
        Step(
            key, "readings", phase, ("New zero verified" if is_left else "Stored zero verified") + (f", take {n}" if n > 1 else ""),
            "Readings over the window, with nothing flowing. Set nothing to zero.", set_name=key, needs_timer="warm",
        ),
        Step(
            numbered("judge_left" if is_left else "judge", n), "judge", "as left" if is_left else "judge", "Judge the zero",
            "The zero is left where it is unless it is proved wrong. A choice against the proposal needs a reason.", set_name=key, options=OPTIONS,
        ),
    )  # fmt: skip


def _recheck(n: int, last: str) -> tuple[Step, ...]:
    return (
        Step(
            numbered("recheck", n), "confirm", "as found", "Block-in checked",
            "Is nothing passing? Shut a second valve if there is one, or open a drain between two shut ones. A flow falls then, a zero stays.",
            fields=(
                Field("second_valve", "A second valve is shut, or a drain between two open", "choice", options=(("yes", "Yes"), ("no", "There is none"))),
                Field("found", "What was seen", "long", required=False),
            ),
            set_name=last, enters=True, given=(("takes", f"{n}"),), takes=("mean_before",), keys=("second",), confirm_label="Checked",
        ),
    )  # fmt: skip


def _new_zero(setup: RunSetup, n: int, last: str) -> tuple[Step, ...]:
    return (
        Step(
            numbered("new_zero", n), "confirm", "adjust", "Set a new zero",
            "Let the meter run its own zero adjustment with the flow blocked. Read the zero that it holds now; write the old one down with it.",
            cautions=("The zero of the factory is gone with it: it is on this record, and can be typed in again.",),
            fields=(
                Field("zero_was", "Zero it held", "number", "kg/h", low=-1e6, high=1e6, hint=f"As found: {setup.value('zero_now', 0.0):g}"),
                Field("zero_now", "Zero it holds now", "number", "kg/h", low=-1e6, high=1e6),
            ),
            set_name=last, enters=True, given=(("second_valve", ""),), keys=("zero",), confirm_label="It is set",
        ),
    )  # fmt: skip


def words(setup: RunSetup) -> tuple[str, str]:
    """Output and tolerance as the record tells them."""
    s = settings_of(setup)
    return "its display", f"zero ±{s.stability:g} kg/h"


@dataclass(frozen=True)
class QuietZero(Still):
    """A reading of the window counts when it stands within the zero stability; what is read beside it within what is steady."""

    def settle_rule(self, setup: RunSetup, slot: Slot, quantity: Quantity) -> SettleRule:
        """The policy's window and time limit."""
        s, p = settings_of(setup), setup.policy
        limit = {"density": s.density_band, "drive": s.drive_limit / 10, "temp": s.temp_band}.get(quantity.name, s.stability)
        return SettleRule(p.settle_window_s, limit, p.settle_limit_s)


TRIAL = ZeroFlow()
METHOD = Method(
    key="flow-coriolis-zero",
    title="Coriolis flow meter, zero",
    revision="2",
    traits=Traits(
        "flow meter",
        measures=("mass flow", "flow"),
        is_usual=True,
        default_points=(),
        has_points=False,
        paired_adjusting=False,
        document="Record of a zero verification",
    ),
    settings=ZeroSettings,
    flow=steps,
    trial=TRIAL,
    standards=Standards(lambda _setup: ()),
    advice=ZeroAdvice(),
    watching=QuietZero(TRIAL),
    words=words,
    names={"zero": "a new zero was set", "again": "block-in checked, taken once more"},
)
