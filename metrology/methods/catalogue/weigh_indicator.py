"""weigh-indicator: a simple scale with zero, a known load and a factor; unlocked to be set, locked again before it is given back.

Sources: OIML R 76-1:2006 and NIST HB 44 2.20 (permissible errors), EURAMET cg-18 v4.0 (uncertainty).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from metrology.judgement.decision import FAIL
from metrology.judgement.reference import ReferenceStandard
from metrology.methods.flow import common
from metrology.methods.flow.common import Wording, found_to_left, numbered
from metrology.methods.flow.weighing import HANDS, NEAR_LOADS, ScaleAdvice, scale_words, tur_of_weights, weights_need
from metrology.methods.fragments import ScaleSettings
from metrology.methods.method import Method, Traits
from metrology.methods.outcome import Outcome, OutcomeTable, Proposal, SeriesPoint
from metrology.methods.settings import asked
from metrology.methods.setup import RunSetup
from metrology.methods.slots import RawReading
from metrology.methods.standards.base import Need, Standards
from metrology.methods.steps import Check, Field, Pair, Step
from metrology.methods.trials.loads import Loads, Scale
from metrology.methods.watching import Still
from metrology.quantities.words import signed

FACTOR = "factor"
LOCK = Pair("lock", "Access to its calibration", "locked", "open", "")


@dataclass(frozen=True)
class IndicatorSettings(ScaleSettings):
    """A simple indicator. known_load in kg: what it is set and proved with, 0: half of Max."""

    known_load: float = asked("Known load", default=0.0, unit="kg", hint="0: half of Max", low=0.0, high=1e6)


def settings_of(setup: RunSetup) -> IndicatorSettings:
    """The scale's own settings."""
    d = setup.instrument.details
    return d if isinstance(d, IndicatorSettings) else IndicatorSettings()


def scale(setup: RunSetup, set_key: str) -> Scale:
    """What the trial must know: one known load, or Max and it where there is room between."""
    s, top = settings_of(setup), setup.instrument.urv
    known = s.known_load or top / 2
    return Scale(s.division or top / 3000, (known,), top, s.scheme, s.stage, back_divisions=s.back_divisions)


@dataclass(frozen=True)
class Indicated(Loads):
    """The loads, with the factor of before and after."""

    def finish(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome, set_key: str) -> Outcome:
        """The factor is followed, and told where it was changed."""
        made = super().finish(setup, readings, outcome, set_key)
        known = dict(setup.entered)
        old, new = known.get("factor_found", ""), known.get("factor_now", "")
        if set_key.startswith("as_found") or not (old and new):
            return made
        change = 100 * (float(new) / float(old) - 1) if float(old) else 0.0
        table = OutcomeTable("Factor", ("Before", "Now", "Change"), ((old, new, f"{signed(change, 3)} %"),))
        factor = SeriesPoint(FACTOR, "Factor", float(new), "", is_followed=False)
        return replace(made, tables=(*made.tables, table), series=(*made.series, factor))


def steps(setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
    """Identity to signature."""
    s = settings_of(setup)
    known = s.known_load or setup.instrument.urv / 2
    options = (
        ("leave", "Leave as it is"), ("adjust", "Set zero and factor"), ("repair", "Put it right, then test again"), ("repeat", "Take it again"),
    )  # fmt: skip
    told = f"Empty, {known:g} kg, and empty again. Set nothing to zero yet."
    found = Wording("as_found", "judge", "as found", "judge", "As found", "Judge as found", told, options, {}, keys=HANDS)
    left = replace(
        found, found="as_left", judge="judge_left", phase="as left", judge_phase="as left", title="As left", judge_title="Judge as left",
        instruction="The same loads again.", follow={"adjust": _set, "repair": common.repair},
    )  # fmt: skip
    spare = Step("adjust", "confirm", "adjust", "Set zero and factor", "Only where it is off and nothing binds it.")
    return (
        common.identity(setup),
        common.references(Field("weights", "Weights", "reference", hint=f"{known:g} kg of them.")),
        Step(
            "stored", "confirm", "prepare", "Factor it holds",
            "Open nothing yet. Note the factor that its menu or its label tells, and whether its access was locked when you came.",
            fields=(
                Field("factor_found", "Factor it holds", "number", low=1e-9, high=1e9),
                Field("lock_found", "Its access was", "choice", options=(("locked", "Locked, seal whole"), ("open", "Open, or its seal broken"))),
            ),
            enters=True,
        ),
        common.warm_up(setup),
        common.operator(setup),
        common.hold(),
        common.cautions(setup, *NEAR_LOADS, checks=CHECKS),
        *found_to_left(found, left, choices, spare),
        *common.restore(
            setup,
            checks=(Check("load_off", "Weights off and counted"),
                Check("lock", "Access locked, seal noted"),
                Check("tidy", "Scale clean and free all round"),),
            caution="A scale with open access can be set by anybody: it is not given back like that.",
        ),
    )  # fmt: skip


CHECKS = (
    Check("free", "Nothing touches the scale: no hose, rope, pallet, wall"),
    Check("safe", "The cautions above are met"),
    Check("untouched", "Nothing zeroed or adjusted yet: as found comes first"),
)


def _set(n: int) -> tuple[Step, ...]:
    """Unlocked, zeroed empty, the known load entered, the factor noted, locked again. While it is open nothing can be released."""
    return (
        Step(
            numbered("unlock", n), "checkpairs", "adjust", "Open its access",
            "Break the seal or turn the key only now. From here the tool keeps it on its list until it is locked again.",
            pairs=(LOCK,), variant="all", confirm_label="It is open",
        ),
        Step(
            numbered("set", n), "confirm", "adjust", "Zero, known load, factor",
            "Zero it empty. Put the known load on, wait until it stands, enter its mass and accept. Note the factor that it holds now.",
            set_name=numbered("as_left", n - 1) if n > 1 else "as_found", keys=("zero", *HANDS, "span"),
            checks=(Check("zeroed", "Zeroed empty, before the load"),),
            fields=(
                Field("known_load", "Known load entered", "number", "kg", low=0.001, high=1e6),
                Field("factor_now", "Factor it holds now", "number", low=1e-9, high=1e9),
            ),
            enters=True, confirm_label="Accepted",
        ),
        Step(
            numbered("lock", n), "checkpairs", "adjust", "Lock it again", "Lock it before it is proved: what is proved must be what stays.",
            pairs=(LOCK,), variant="back", confirm_label="It is locked",
        ),
    )  # fmt: skip


def needs(setup: RunSetup) -> tuple[Need, ...]:
    """The weights for the known load."""
    return (weights_need(settings_of(setup).known_load or setup.instrument.urv / 2),)


def tur(setup: RunSetup, _role: str, reference: ReferenceStandard) -> float:
    """Tolerance at the known load over the uncertainty of the weights."""
    return tur_of_weights(setup, TRIAL, reference, settings_of(setup).known_load or setup.instrument.urv / 2)


@dataclass(frozen=True)
class IndicatorAdvice(ScaleAdvice):
    """As for a scale; one that was found open is told."""

    def propose(self, setup: RunSetup, outcome: Outcome, *, is_as_left: bool) -> Proposal:
        """The proposed decision."""
        made = super().propose(setup, outcome, is_as_left=is_as_left)
        was_open = dict(setup.entered).get("lock_found") == "open" and not is_as_left and outcome.verdict != FAIL
        return replace(made, reason=f"{made.reason} Its access was found open: whether somebody set it is not known.") if was_open else made


TRIAL = Indicated(scale)
METHOD = Method(
    key="weigh-indicator",
    title="Weighing indicator",
    revision="2",
    traits=Traits(
        "weighing",
        measures=("mass",),
        default_points=(),
        has_points=False,
        wears=("Test weights, lifting gear in date",),
        paired_adjusting=False,
    ),
    settings=IndicatorSettings,
    flow=steps,
    trial=TRIAL,
    standards=Standards(needs, tur),
    advice=IndicatorAdvice(),
    watching=Still(TRIAL),
    words=scale_words,
    names={"adjust": "zero and factor set"},
)
