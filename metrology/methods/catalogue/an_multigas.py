"""an-multigas: an extractive analyzer of several components, read on zero gas and mixtures, set in the order that disturbs least.

Sources: IEC 60079-29-2:2015 clause 11 (gas, lines, flow), EN 15267-3:2007 (cross-sensitivity), ISO 6141:2015 (certificates of mixtures).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

from metrology.judgement.falling import end_of_three, fall_words
from metrology.methods.adjusting.base import SPAN, ZERO, AdjustTarget
from metrology.methods.adjusting.in_order import admit_force
from metrology.methods.adjusting.interlinked import Interlinked
from metrology.methods.advice.gas import GasAdvice
from metrology.methods.components import (
    ZERO_ROLE,
    Component,
    MixtureSettings,
    barred,
    check_components,
    component_named,
    components_of,
    mixture_settings,
    order_of,
    tolerance_of,
)
from metrology.methods.exposing import exposure_minutes
from metrology.methods.flow import analyzer, common
from metrology.methods.flow.common import Wording, found_to_left
from metrology.methods.flow.gas import PROVE, TOXIC, GasFlow, gases
from metrology.methods.gas_method import gas_analyzer
from metrology.methods.method import Method
from metrology.methods.outcome import Outcome, Proposal
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Slot
from metrology.methods.standards.base import Standards
from metrology.methods.steps import Check, Duty, Field, Step
from metrology.methods.trials.exposure import GasKind, role_at
from metrology.methods.trials.mixture import (
    MixtureExposed,
    MixtureWatching,
    allowed_above_zero,
    component_slot,
    flow_limits,
    gas_words,
    mixture_needs,
    mixture_result,
    mixture_uses,
)
from metrology.quantities.words import number

KIND = GasKind(proves_alarms=False, has_output=False, own_needs=mixture_needs)
TRIAL = MixtureExposed(KIND)
FLOW = GasFlow(KIND)
NOT_GAIN = ("swapped", "air-in-line", "wrong-bottle", "zero-gas", "cross-effect")
MODES = (("continuous", "Continuous"), ("single", "Single shot"))
TOXIC_VENT = "The mixtures are poisonous or stifling and leave through the open T: lead its vent to a safe place, carry a monitor."
OPTIONS = (
    ("leave", "Leave as it is"),
    ("adjust", "Set zero and gains"),
    ("repeat", "Prove gas and line, read again"),
    ("repair", "Correct the cause, then prove"),
    ("replace", "Mark for replacement"),
)


def targets(setup: RunSetup, variant: str) -> tuple[AdjustTarget, ...]:
    """The zero of each component, then their gains in the order that disturbs least; a gain that may not be set here says why."""
    ordered = [component_named(setup, name) for name in order_of(setup).names]
    zeros = [_target(setup, ZERO, ZERO_ROLE, c) for c in components_of(setup)]
    return (*zeros, *(_target(setup, SPAN, c.role, c, barred(setup, c)) for c in ordered))


def _target(setup: RunSetup, kind: str, role: str, c: Component, why_not: str = "") -> AdjustTarget:
    slot = component_slot(setup, 0, role, c)
    aim = tolerance_of(setup, c, slot.nominal) * setup.policy.aim_percent / 100.0 * c.top / 100.0
    apply = f"{number(slot.nominal, 2)} {c.unit} of {c.name}, {gas_words(setup, role)}"
    words = f"{'zero' if kind == ZERO else 'gain'} of {c.name}".strip()
    return AdjustTarget(
        f"{c.name} {kind}".strip(), slot.nominal, apply, slot.ideal, aim, c.unit, c.top, -c.top, 2 * c.top,
        kind=kind, keys=(f"gas:{role}", kind, f"{kind}:{c.name}"), role=role, channel=c.name, label=words, barred=why_not,
    )  # fmt: skip


@dataclass(frozen=True)
class MixtureAdvice(GasAdvice):
    """What gas, line and cross-effects did is not set away, and a gain is not set where it may not be."""

    def propose(self, setup: RunSetup, outcome: Outcome, *, is_as_left: bool) -> Proposal:
        """The cause first, then what exposures say."""
        first = outcome.signatures[0] if outcome.signatures else None
        if first and first.code in NOT_GAIN and outcome.verdict == "fail":
            return Proposal("repair" if is_as_left or first.code == "cross-effect" else "repeat", f"{first.says} {first.first_action}")
        held = self._all_barred(setup, outcome)
        if held:
            return Proposal("replace" if is_as_left else "repeat", held)
        return super().propose(setup, outcome, is_as_left=is_as_left)

    def refuse(self, setup: RunSetup, outcome: Outcome, choice: str) -> str:
        """Gains are not set on a wrong gas, nor where all that is off may not be set."""
        first = outcome.signatures[0] if outcome.signatures else None
        if choice == "adjust" and first and first.code in NOT_GAIN and first.confidence >= 0.85 and outcome.verdict == "fail":
            return f"{first.says} Setting it away would make it wrong once the cause is gone. {first.first_action}"
        if choice == "adjust" and self._all_barred(setup, outcome):
            return self._all_barred(setup, outcome)
        return super().refuse(setup, outcome, choice)

    def _all_barred(self, setup: RunSetup, outcome: Outcome) -> str:
        """Why nothing that is off can be set, where that is so."""
        off = [j for j in outcome.judged if abs(j.point.error_percent) > j.tolerance]
        whys = [barred(setup, component_named(setup, j.slot.channel)) if j.slot.extra["exposure"] == SPAN else "" for j in off]
        return " ".join(dict.fromkeys(whys)) if off and all(whys) else ""


def steps(setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
    """The steps, as the choices so far shape them."""
    return _steps(setup, tuple(sorted(choices.items())))


@lru_cache(maxsize=256)
def _steps(setup: RunSetup, chosen: tuple[tuple[str, str], ...]) -> tuple[Step, ...]:
    told = (
        "Each gas is put on once and read of every component; what it does not hold of one is a zero for that one. "
        f"Wait until it stands. {PROVE}"
    )
    follow = {"adjust": _adjusting, "repair": common.repair}
    found = Wording("as_found", "judge", "as found", "judge", "As found", "Judge as found", told, OPTIONS, follow, keys=GASES)
    left_options = tuple(o for o in OPTIONS if o[0] != "repeat")
    again = "Zero gas and the mixtures once more."
    left = Wording("as_left", "judge_left", "as left", "as left", "As left", "Judge as left", again, left_options, follow, keys=GASES)
    spare = Step("adjust", "confirm", "adjust", "Set zero and gains", "Zero first, then the gains in the order that disturbs least.")
    return (
        common.identity(setup),
        common.warm_up(setup),
        _warm(setup),
        gases(FLOW, setup),
        _order(setup),
        common.operator(setup),
        analyzer.hold(setup, "The control system must not act on calibration gas.", NOBODY_WATCHES),
        common.cautions(setup, TOXIC, TOXIC_VENT, checks=CHECKS),
        _mode(setup),
        _sample_flow(setup),
        *found_to_left(found, left, dict(chosen), spare),
        *_falling(setup),
        _back(setup),
        *common.restore(setup, checks=PUT_BACK, caution="Sample back on slowly: a slug of condensate spoils optics and cells."),
    )


NOBODY_WATCHES = "While the hold is on, nobody watches this gas. Keep it short."
GASES = ("gas:zero", "gas:mix", "gas:mix:A", "gas:mix:B", "gas:mix:C", "mode", "flow")
CHECKS = (
    Check("tee", "Overflow T open: more gas flows than the analyzer draws, and the rest blows off freely"),
    Check("vent", "Vent led to a safe place, room ventilated, personal monitor on"),
    Check("cylinder", "Cylinders secured, fittings tight"),
    Check("safe", "The cautions above are met"),
)
PUT_BACK = (
    Check("gas_off", "Bottles shut, calibration and zero ports closed"),
    Check("sample", "Sample back on at its flow, T and vent as they were"),
    Check("covers", "Covers on, seals and locks back"),
    Check("tidy", "Tags and tools cleared away"),
)


def _warm(setup: RunSetup) -> Step:
    """The temperature of optics and cells, where the analyzer tells it."""
    d = mixture_settings(setup)
    return Step(
        "warm",
        "condition",
        "prepare",
        "Temperature",
        f"Optics and cells work at {d.cell_c:g} °C. Read it from the analyzer; before they are there everything drifts.",
        fields=(
            Field(
                "cell_c", "It reads", "number", "°C", low=round(d.cell_c - d.cell_within_c, 3), high=round(d.cell_c + d.cell_within_c, 3),
                why="It is not warm yet: what it reads now moves on its own.",
            ),
        ),
        left_out="" if d.cell_c else "This analyzer does not tell its temperature; its warm-up time counts.",
        confirm_label="It is warm",
        variant="cell",
    )  # fmt: skip


def _order(setup: RunSetup) -> Step:
    """In which order they are set, with the reason, before any gas is spent."""
    order = order_of(setup)
    spoken = "It has one component: there is no order." if len(components_of(setup)) == 1 else ""
    bars = tuple(why for c in components_of(setup) if (why := barred(setup, c)))
    return Step(
        "order",
        "confirm",
        "prepare",
        "What disturbs what",
        f"If they have to be set: {order.says} After each, those set before it on the same gas are read again.",
        cautions=bars,
        left_out=spoken,
        confirm_label="Seen",
    )


def _mode(setup: RunSetup) -> Step:
    """Adjusting keys work in continuous mode only."""
    shows = mixture_settings(setup).mode_shows
    how = f"It shows continuous mode so: {shows}." if shows else "See in its manual how it shows its mode."
    return Step(
        "mode",
        "confirm",
        "make safe",
        "Measuring mode",
        f"Its keys for zero and gain only work while it measures continuously; in single-shot mode they are refused. {how}",
        fields=(
            Field(
                "mode", "It is in", "choice", options=MODES, expected="continuous",
                why="Its keys are refused in this mode. Switch it to continuous measuring, then go on. Nothing was stored.",
            ),
        ),
        keys=("mode",),
        confirm_label="It measures continuously",
    )  # fmt: skip


def _sample_flow(setup: RunSetup) -> Step:
    flow, low, high = flow_limits(setup)
    return Step(
        "sample_flow",
        "condition",
        "make safe",
        "Sample flow",
        f"With zero gas on, its own flow meter reads {flow:g} l/min, and gas blows off at the open T.",
        fields=(
            Field(
                "flow", "Sample flow", "number", "l/min", low=low, high=high,
                why="Too little answers slowly and lets air in, too much presses on the cell: set the flow first.",
            ),
        ),
        confirm_label="Flow is right",
        variant="flow",
        keys=GASES,
    )  # fmt: skip


def _falling(setup: RunSetup) -> tuple[Step, ...]:
    """Each component that comes down slowly, looked at before the analyzer goes back: at zero, or left above it with a reason."""
    out: list[Step] = []
    for c in components_of(setup):
        if not c.is_slow:
            continue
        allowed = allowed_above_zero(setup, c)
        labels = ("Reads now", "One minute later", "Two minutes later")
        out.append(
            Step(
                f"fall:{c.name}",
                "confirm",
                "restore",
                f"Come-down of {c.name}",
                f"Zero gas on. {c.name} falls slowly after gas. Type three readings a minute apart, and the next step says where it will end; "
                "leave them empty where it is read live, or stands already.",
                fields=tuple(Field(f"fall_{n}:{c.name}", label, "number", c.unit, required=False) for n, label in enumerate(labels, 1)),
                enters=True,
                confirm_label="Go on",
                keys=("gas:zero",),
            )
        )
        out.append(
            Step(
                f"falling:{c.name}",
                "condition",
                "restore",
                f"{c.name} back at zero",
                f"On zero gas it is left within {allowed:g} {c.unit} of zero. {_end_told(setup, c, allowed)}".strip(),
                fields=(
                    Field(
                        f"left:{c.name}", "It reads", "number", c.unit, low=-allowed, high=allowed, excused_by=f"why:{c.name}",
                        why="It is still falling, or it does not come down: wait, or write why it is left like that.",
                    ),
                    Field(f"why:{c.name}", "Why it is left above zero", "long", required=False, hint="Only where it is not at zero"),
                ),
                confirm_label="Leave it so",
                variant="falling",
                keys=("gas:zero",),
            )
        )  # fmt: skip
    return tuple(out)


def _end_told(setup: RunSetup, c: Component, allowed: float) -> str:
    """Where the three readings that were typed will end."""
    texts = [dict(setup.entered).get(f"fall_{n}:{c.name}", "") for n in (1, 2, 3)]
    if not all(texts):
        return ""
    found = end_of_three(*(float(t) for t in texts), apart=1.0, margin=0.1 * allowed)
    return fall_words(found, margin=0.1 * allowed, unit=c.unit, allowed=allowed) if found else "By the three readings no end can be told."


def _back(setup: RunSetup) -> Step:
    """Back to its measuring mode, and the zero that is due again soon."""
    minutes = mixture_settings(setup).rezero_min
    fields = tuple(
        Field(
            f"zero:{c.name}", f"{c.name} on zero gas", "number", c.unit, low=-allowed_above_zero(setup, c), high=allowed_above_zero(setup, c),
            why="It is not at zero: zero it again and read it.",
        )
        for c in components_of(setup)
    )  # fmt: skip
    return Step(
        "back",
        "confirm",
        "restore",
        "Back to measuring",
        f"Set its usual mode again. Its temperatures settle anew after that: it is zeroed again within {minutes:g} min, which stays on Today "
        "until it is done.",
        checks=(Check("mode", "It is in its usual measuring mode"),),
        duty=Duty(
            "re-zero",
            "Zero again",
            "Zero gas on at the zero port, wait until it stands, zero it, then note what each component reads.",
            minutes,
            fields,
        ),
        keys=("mode",),
        confirm_label="It measures",
    )


def _adjusting(n: int) -> tuple[Step, ...]:
    return common.adjust(
        n,
        title="Set zero and gains",
        instruction="Zero gas first and all zeros, then the mixtures. Type what it read before and after. If it refuses, the old calibration stands.",
        caution="A cross-effect or thinned gas is not a gain: never set it away.",
    )


def minutes(setup: RunSetup, slot: Slot) -> float:
    """A gas is put on for all components: each takes its share, and the line's."""
    return exposure_minutes(setup, str(slot.extra["exposure"])) / len(components_of(setup)) + 0.3


def order_says(setup: RunSetup) -> str:
    """The order with its reason."""
    return order_of(setup).says


def words(setup: RunSetup) -> tuple[str, str]:
    """Its components with the tolerance of each."""
    of = components_of(setup)
    told = (f"{c.name} {tolerance_of(setup, c, 0.5 * c.top) / 100 * c.top:.3g} {c.unit}" for c in of)
    return f"{len(of)} components" if len(of) > 1 else f"0 to {of[0].top:g} {of[0].unit}", "±" + ", ±".join(told)


METHOD = Method(
    key="an-multigas",
    title="Extractive multi-component analyzer",
    revision="1",
    traits=gas_analyzer(unguarded="Nobody watches this gas.", wears="Personal gas monitor"),
    settings=MixtureSettings,
    flow=steps,
    trial=TRIAL,
    standards=Standards(mixture_needs, role_at=role_at),
    advice=MixtureAdvice(KIND),
    watching=MixtureWatching(TRIAL),
    adjusting=Interlinked(targets, admit_force, order_says),
    words=words,
    check=check_components,
    minutes=minutes,
    uses=mixture_uses,
    exposed=mixture_result,
)
