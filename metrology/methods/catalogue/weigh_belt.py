"""weigh-belt: a belt weigher by zero and span counts over whole revolutions, its weights put on and off under lock-out.

Sources: OIML R 50-1:2014 and NIST HB 44 2.21 (whole revolutions, tolerances), IEC 60204-1 and site procedure (isolation and lock-out).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

from metrology.faults import Fault
from metrology.judgement.reference import ReferenceStandard
from metrology.methods.flow import common
from metrology.methods.flow.common import numbered
from metrology.methods.method import Method, Traits
from metrology.methods.outcome import Outcome, Proposal
from metrology.methods.settings import Settings, asked
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Slot
from metrology.methods.standards.base import Need, Standards
from metrology.methods.steps import Check, Field, Pair, Step
from metrology.methods.trials.counts import MATERIAL, ZERO_CHANGE, Belt, Counts
from metrology.methods.watching import Still
from metrology.quantities.belt import BELT_CLASSES, belt_load, belt_revolutions, belt_total

LOCK_OUT = "lock-out"
CLASSES = (
    ("", "as the tolerance says"), ("r50-0.2", "OIML R 50, class 0.2"), ("r50-0.5", "OIML R 50, class 0.5"), ("r50-1", "OIML R 50, class 1"),
    ("r50-2", "OIML R 50, class 2"), ("hb44", "HB 44, class 0.25"), ("hb44-0.1", "HB 44, class 0.1"),
)  # fmt: skip
CAUSES = (
    ("belt", "Belt changed or repaired, new splice"), ("build-up", "Material built up, now cleaned"), ("tension", "Tension or take-up changed"),
    ("idler", "Idler replaced or aligned"), ("other", "Something else, as written"),
)  # fmt: skip
MOVING = (
    "A moving belt draws in hands, sleeves and tools: nobody reaches in, nothing is cleaned or hung while it can move.",
    "Weights go on and off only while the drive is isolated, locked by everyone at the belt, and proved dead by a try to start.",
)
OWN_OFF = "own"


@dataclass(frozen=True)
class BeltSettings(Settings):
    """A belt weigher. Lengths in m, speed in m/s, masses in kg; limits in %; full_counts: counts of a test at full capacity, 0: not known."""

    belt_length_m: float = asked("Belt length", default=60.0, unit="m", low=1.0, high=10_000.0)
    belt_speed: float = asked("Belt speed", default=1.5, unit="m/s", low=0.05, high=12.0)
    idler_pitch: float = asked("Idler pitch at the weighbridge", default=1.0, unit="m", low=0.1, high=10.0)
    test_weight: float = asked("Test weights together", default=50.0, unit="kg", low=0.1, high=10_000.0)
    weight_count: float = asked("Number of test weights", default=2.0, low=1.0, high=50.0)
    belt_class: str = asked("Accuracy class", "choice", default="", options=CLASSES)
    full_counts: float = asked(
        "Counts of a test at full load", default=0.0, hint="0: a change of zero is told of the zero count itself", low=0.0, high=1e9
    )
    tests_material: bool = asked("Material of a known mass can be run over it", "flag", default=False)
    test_min: float = asked("A test lasts at least", default=10.0, unit="min", low=0.5, high=120.0, is_policy=True)
    zero_agree: float = asked("Two zero tests agree within", default=0.06, unit="%", low=0.001, high=5.0, is_policy=True)
    span_agree: float = asked("Two span tests agree within", default=0.1, unit="%", low=0.001, high=5.0, is_policy=True)
    cause_percent: float = asked("A change wants its cause beyond", default=0.5, unit="%", low=0.01, high=20.0, is_policy=True)
    most_tests: float = asked("Zero tests at most", default=6.0, low=2.0, high=20.0, is_policy=True)
    warm_run_min: float = asked("Belt runs warm for", default=30.0, unit="min", low=0.0, high=240.0, is_policy=True)


def settings_of(setup: RunSetup) -> BeltSettings:
    """The weigher's own settings."""
    s = setup.instrument.details
    return s if isinstance(s, BeltSettings) else BeltSettings()


def limits_of(setup: RunSetup) -> tuple[float, float]:
    """Largest change of span and of zero, %: those of its class, or its tolerance and a tenth of it."""
    d = settings_of(setup)
    if d.belt_class:
        return BELT_CLASSES[d.belt_class]
    i = setup.instrument
    term = i.tolerance.terms[0]
    own = term.value if term.basis in ("span", "reading") else 100 * term.value / (i.urv - i.lrv)
    return own, own / 10


def belt(setup: RunSetup) -> Belt:
    """What the trial must know: the register, and what was entered in the run."""
    d, (span_limit, zero_limit) = settings_of(setup), limits_of(setup)
    turns, seconds = belt_revolutions(d.belt_length_m, d.belt_speed, minutes=d.test_min)
    turns, seconds = int(setup.value("revolutions", turns)), setup.value("duration_s", seconds)
    per_m = setup.value("kg_per_m", belt_load(d.test_weight, d.idler_pitch, speed_m_s=d.belt_speed)[0])
    length = setup.value("belt_length_m", d.belt_length_m)
    return Belt(
        turns, seconds, setup.value("zero_now", 0.0), setup.value("span_now", 0.0), d.full_counts,
        belt_total(per_m, length, revolutions=turns), zero_limit, span_limit, d.zero_agree, d.span_agree, d.cause_percent, int(d.most_tests),
        is_first=is_first(setup),
    )  # fmt: skip


def is_first(setup: RunSetup) -> bool:
    """Whether there is nothing stored to compare with: the first time, until a count was accepted."""
    known = dict(setup.entered)
    return known.get("first") == "yes" and not known.get("rounds")


def spans_done(setup: RunSetup) -> int:
    """How often zero and span were accepted in this run."""
    return int(setup.value("rounds", 0.0))


@dataclass(frozen=True)
class BeltAdvice:
    """Leave, accept new counts, find the cause first, or test again."""

    def propose(self, setup: RunSetup, outcome: Outcome, *, is_as_left: bool) -> Proposal:
        """The proposed decision."""
        material = next((j for j in outcome.judged if j.slot.extra.get("test") == MATERIAL), None)
        if material is not None:
            off = material.point.error_percent
            good = outcome.verdict != "fail"
            told = "inside the limits." if good else "outside: the simulated load and the material differ."
            return Proposal("leave" if good else "repair", f"The material test is {off:+.2f} %: {told}")
        b = belt(setup)
        changes = {s.name: s.value for s in outcome.series if s.name != "zero_count"}
        told = ", ".join(f"{'zero' if n == ZERO_CHANGE else 'span'} {v:+.3f} %" for n, v in changes.items())
        restless = [c for c in outcome.criteria if c.name.endswith("_agree") and c.verdict == "fail"]
        if restless:
            return Proposal(
                "repeat",
                f"{restless[0].label}: {restless[0].value:.3f} %, more than {restless[0].high:g} %. A count that does not repeat is not accepted.",
            )
        if dict(setup.entered).get("first") == "yes" and spans_done(setup) < 2:
            return Proposal("adjust", "The first time, zero and span are set twice: the second time proves the first.")
        if any(abs(v) > b.cause for v in changes.values()) and not is_as_left:
            return Proposal("cause", f"Changed by {told}: more than {b.cause:g} % has a cause. Find it before the counts are accepted.")
        if outcome.verdict == "fail":
            return Proposal("adjust", f"Changed by {told}; accepted are {b.zero_limit:g} % of zero and {b.span_limit:g} % of span.")
        if 100 * outcome.share > setup.policy.adjust_limit_percent and not is_as_left:
            return Proposal("adjust", f"Changed by {told}: near the limit.")
        return Proposal("leave", f"Changed by {told or 'nothing'}: inside the limits.")

    def refuse(self, setup: RunSetup, outcome: Outcome, choice: str) -> str:
        """A large change is not accepted without its cause, the first time not left after one round."""
        b = belt(setup)
        large = [s for s in outcome.series if s.name != "zero_count" and abs(s.value) > b.cause]
        if choice == "adjust" and large:
            return f"{large[0].label} {large[0].value:+.2f} % is more than {b.cause:g} %: choose 'Find the cause, then accept', and note what it was."
        if choice == "leave" and dict(setup.entered).get("first") == "yes" and spans_done(setup) < 2:
            return "The first time, zero and span are set twice before it is left."
        return ""


def needs(setup: RunSetup) -> tuple[Need, ...]:
    """The test weights, as a standard with a certificate."""
    d = settings_of(setup)
    each = d.test_weight / d.weight_count
    return (Need("weights", "Test weights", unit="kg", low=each, high=each, is_informative=True),)


def tur(setup: RunSetup, _role: str, reference: ReferenceStandard) -> float:
    """Tolerance of the span over the uncertainty of the weights."""
    d = settings_of(setup)
    u = 100 * reference.expanded(d.test_weight / d.weight_count, unit="kg") / (d.test_weight / d.weight_count)
    return limits_of(setup)[0] / u if u else float("inf")


def steps(setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
    """The steps, as the choices so far shape them."""
    return _steps(setup, tuple(sorted(choices.items())))


OPTIONS = (
    ("leave", "Leave as it is"), ("adjust", "Accept new zero and span"), ("cause", "Find the cause, then accept"),
    ("repeat", "Test zero and span again"), ("repair", "Put it right, then test again"),
)  # fmt: skip


@lru_cache(maxsize=256)
def _steps(setup: RunSetup, chosen: tuple[tuple[str, str], ...]) -> tuple[Step, ...]:
    tests = _repeated(setup, dict(chosen))
    return (
        common.identity(setup),
        *_numbers(setup),
        common.references(Field("weights", "Test weights", "reference", hint="The weights that are kept at this belt.")),
        _stored(),
        common.warm_up(setup),
        common.operator(setup),
        common.hold(),
        common.cautions(setup, *MOVING, checks=CHECKS),
        _empty(setup),
        *tests,
        *_weights(setup, "end", on=False),
        *_material(setup, tuple(s.key for s in tests if s.kind == "readings" and not s.if_needed)[-2:]),
        *_restore(setup),
    )


CHECKS = (
    Check("route", "Feed to the belt stopped and secured; nothing will be put on it"),
    Check("safe", "The cautions above are met"),
    Check("untouched", "Nothing adjusted or cleaned yet: as found comes first"),
)


def _numbers(setup: RunSetup) -> tuple[Step, ...]:
    d = settings_of(setup)
    return (
        Step(
            "revolutions", "compute", "prepare", "Revolutions",
            "A test runs over whole revolutions for at least the time asked, so that the splice and every thick place count once each round.",
            fields=(
                Field("belt_length_m", "Belt length", "number", "m", low=1, high=10_000),
                Field("speed_m_s", "Belt speed", "number", "m/s", low=0.05, high=12),
                Field("minutes", "At least", "number", "min", low=0.5, high=120),
            ),
            calculator="belt-revolutions",
            given=(("belt_length_m", f"{d.belt_length_m:g}"), ("speed_m_s", f"{d.belt_speed:g}"), ("minutes", f"{d.test_min:g}")),
            enters=True, enters_result=("revolutions", "duration_s"), confirm_label="Test over these",
        ),
        Step(
            "load", "compute", "prepare", "Simulated load",
            "What the test weights stand for: load per metre, rate, and from it the total of a test.",
            fields=(
                Field("test_weight_kg", "Test weights together", "number", "kg", low=0.1, high=10_000),
                Field("idler_pitch_m", "Idler pitch", "number", "m", low=0.1, high=10),
                Field("speed_m_s", "Belt speed", "number", "m/s", low=0.05, high=12),
            ),
            calculator="belt-load",
            given=(("test_weight_kg", f"{d.test_weight:g}"), ("idler_pitch_m", f"{d.idler_pitch:g}"), ("speed_m_s", f"{d.belt_speed:g}")),
            enters=True, enters_result=("kg_per_m", "t_per_h"), confirm_label="Keep the result",
        ),
    )  # fmt: skip


def _stored() -> Step:
    return Step(
        "stored", "confirm", "prepare", "Counts it holds",
        "Note the zero count and the span count that the integrator holds for a test over these revolutions, before anything is run.",
        fields=(
            Field("first", "First calibration of this weigher or belt", "choice", options=(("no", "No"), ("yes", "Yes, it is set twice"))),
            Field("zero_now", "Zero count stored", "number", "counts", low=-1e9, high=1e9, hint="Empty the first time", unless=("first", "yes")),
            Field("span_now", "Span count stored", "number", "counts", low=1, high=1e9, hint="Empty the first time", unless=("first", "yes")),
        ),
        enters=True,
    )  # fmt: skip


def _empty(setup: RunSetup) -> Step:
    d = settings_of(setup)
    return Step(
        "empty", "confirm", "as found", "Empty belt, running",
        f"Run the belt empty for {d.warm_run_min:g} min, so that it is warm and has thrown off what lay on it.",
        cautions=MOVING[:1],
        checks=(
            Check("empty", "Belt empty, no material on belt or weighbridge"),
            Check("warm", f"Running at speed for {d.warm_run_min:g} min or more"),
            Check("off", f"All {d.weight_count:g} test weights off and in their store"),
            Check("clear", "Scraper and skirts free of the belt at the weighbridge"),
        ),
        confirm_label="Empty and running",
    )  # fmt: skip


def _tests(setup: RunSetup, n: int, phase: str, *, if_needed: bool = False, left_out: str = "", accepts: bool = False) -> tuple[Step, ...]:
    """Zero, weights on under lock-out, span, and both judged together, for the nth time of a phase."""
    found = phase == "as found"
    zero, span = numbered("as_found_zero" if found else "as_left_zero", n), numbered("as_found_span" if found else "as_left_span", n)
    at = f"{'found' if found else 'left'}_{n}"
    again = f", take {n}" if n > 1 else ""
    title = "As found" if found else "As left"
    before = _accept(setup, "zero", n) if accepts else ()
    between = _accept(setup, "span", n) if accepts else ()
    made = (
        Step(zero, "readings", phase, f"{title}: zero{again}", "Empty belt. Whole revolutions, until two tests agree.", set_name=zero),
        Step(span, "readings", phase, f"{title}: span{again}", "Weights on, everyone clear. Whole revolutions.", set_name=span, cautions=MOVING[:1]),
        Step(
            numbered("judge" if found else "judge_left", n), "judge", "judge" if found else "as left", f"Judge {title.lower()}",
            "Zero and span are judged together. A choice against the proposal needs a reason.", set_name=span, joins=(zero,), options=OPTIONS,
        ),
    )  # fmt: skip
    if if_needed:
        return tuple(replace(s, if_needed=True, left_out=left_out) for s in made)
    return (*before, made[0], *_weights(setup, at, on=True), *between, *made[1:])


def _repeated(setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
    """As found until it is decided; then as often as counts are accepted, each with its as left."""
    out: list[Step] = []
    choice, n = "repeat", 0
    while choice == "repeat" and n < common.MAX_REPEATS:
        n += 1
        out += _weights(setup, f"again_{n}", on=False) if n > 1 else ()
        out += _tests(setup, n, "as found")
        choice = choices.get(numbered("judge", n), "")
    n = 0
    while choice in ("adjust", "cause", "repair", "repeat") and n < common.MAX_REPEATS:
        n += 1
        out += _weights(setup, f"round_{n}", on=False)
        out += common.repair(n) if choice == "repair" else _cause(n) if choice == "cause" else ()
        out += _tests(setup, n, "as left", accepts=choice in ("adjust", "cause"))
        choice = choices.get(numbered("judge_left", n), "")
    if n == 0:
        why = "" if not choice else "Not adjusted: as found stands as as left."
        out.append(Step("adjust", "confirm", "adjust", "New zero and span", "", if_needed=True, left_out=why))
        out += _tests(setup, 1, "as left", if_needed=True, left_out=why)
    return tuple(out)


def _cause(n: int) -> tuple[Step, ...]:
    return (
        Step(
            numbered("cause", n), "confirm", "adjust", "Cause of the change",
            "A change this large has a cause. Find it and put it right before new counts are accepted.",
            fields=(Field("cause", "Cause", "choice", options=CAUSES), Field("work", "What was found and done", "long")),
            confirm_label="Cause found",
        ),
    )  # fmt: skip


def _accept(setup: RunSetup, what: str, n: int) -> tuple[Step, ...]:
    """A new count accepted in the integrator: zero with the belt empty, span under the weights."""
    under = "empty and running" if what == "zero" else "running under the weights"
    last = {"zero": "as_found_zero", "span": "as_found_span"}[what] if n == 1 else numbered(f"as_left_{what}", n - 1)
    return (
        Step(
            numbered(f"accept_{what}", n), "confirm", "adjust", f"Accept new {what}",
            f"With the belt {under}, let the integrator run its {what} calibration over the same revolutions and accept it. Type the count it holds now.",
            fields=(Field(f"{what}_now", f"{what.capitalize()} count it holds now", "number", "counts", low=-1e9, high=1e9),),
            set_name=last, enters=True, given=(("rounds", str(n)),) if what == "span" else (), keys=(what,), confirm_label="Accepted",
        ),
    )  # fmt: skip


def _weights(setup: RunSetup, at: str, *, on: bool) -> tuple[Step, ...]:
    """Stop and lock out; weights on or off; restart with everyone clear. The lock-out is a hold of its own."""
    d = settings_of(setup)
    word, phase = ("on", "as found") if on else ("off", "as left" if at != "end" else "restore")
    phase = "as left" if at.startswith("left") else phase
    lock = f"lock_{word}_{at}"
    pair = Pair("weights", f"{d.weight_count:g} test weights, {d.test_weight:g} kg together", "in their store", "on the weighbridge")
    return (
        Step(
            lock, "hold", phase, f"Lock out, weights {word}",
            "Stop the belt, isolate the drive, everyone at the belt puts on a lock, then try to start it: it must stay still.",
            cautions=MOVING,
            fields=(Field("reason", "Isolated at, locks of", hint="Isolator and whose locks are on it"),),
            options=(("lock-out", "Lock-out of the drive"),), of=lock, confirm_label="Locked out and proved dead",
        ),
        Step(
            f"weights_{word}_{at}", "checkpairs", phase, f"Weights {word}",
            "Hang every weight at its place, level and free." if on else "Take every weight off and put it into its store.",
            pairs=(pair,), variant="all" if on else "back", needs_hold=lock, keys=("hang",) if on else ("store",), confirm_label=f"Weights are {word}",
        ),
        Step(
            f"restart_{word}_{at}", "release", phase, "Restart",
            "Everyone clear and told, each takes off the own lock; only then the belt starts.",
            cautions=MOVING[:1],
            fields=(
                Field("clear", "Everyone clear, seen by (name)"),
                Field("locks", "Locks taken off by their owners (names)"),
            ),
            of=lock, confirm_label="Lock-out off, belt running",
        ),
    )  # fmt: skip


def _material(setup: RunSetup, last: tuple[str, ...]) -> tuple[Step, ...]:
    if not settings_of(setup).tests_material:
        return ()
    none = "No material test today." if dict(setup.entered).get("material") == "no" else ""
    return (
        Step(
            "material_today", "confirm", "as left", "Material test",
            "The proof that counts is material of a known mass. Can it be run over the belt today?",
            fields=(Field("material", "Material test", "choice", options=(("yes", "Yes"), ("no", "Not today"))),),
            enters=True,
        ),
        Step("material", "readings", "as left", "Material over the belt", "", set_name="material", left_out=none),
        Step(
            "judge_material", "judge", "as left", "Judge the material test",
            "The factor is true mass over totalled mass; zero and span as they are left are judged with it.",
            set_name="material", joins=last,
            options=(("leave", "Accept"), ("repair", "Report it: the simulated load and the material differ")), left_out=none,
        ),
    )  # fmt: skip


def _restore(setup: RunSetup) -> tuple[Step, ...]:
    d = settings_of(setup)
    restore, release, sign = common.restore(
        setup,
        checks=(
            Check("guards", "Guards back on, isolator on, all locks and tags away"),
            Check("skirts", "Skirts, scraper and chutes as they were"),
            Check("lock", "Integrator back to totalising, its access locked"),
            Check("tidy", "Tools and leads cleared away"),
        ),
        caution="Stay clear of the belt: it may be started from the control room at any time now.",
    )
    counted = Field(
        "weights_stored", "Test weights counted in their store", "number", low=d.weight_count, high=d.weight_count,
        why=f"{d.weight_count:g} were put on: look for the one that is missing before material goes over the belt.",
    )  # fmt: skip
    return restore, _with_field(release, counted), sign


def _with_field(step: Step, field: Field) -> Step:
    return replace(step, fields=(*step.fields, field))


def words(setup: RunSetup) -> tuple[str, str]:
    """Counts of an integrator; its class as the tolerance."""
    span, zero = limits_of(setup)
    name = dict(CLASSES)[settings_of(setup).belt_class] if settings_of(setup).belt_class else "own tolerance"
    return "counts of the integrator", f"{name}: {span:g} % of the load, zero {zero:g} %"


def check(details: Any, register: Mapping[str, Any]) -> None:
    """A belt weigher tells a rate."""
    if details.test_weight <= 0:
        raise Fault("missing", "Say what the test weights weigh together.", field="test_weight")


def minutes(setup: RunSetup, slot: Slot) -> float:
    """A test lasts its whole revolutions, and a little to read it."""
    return belt(setup).duration_s / 60 + 1.0


TRIAL = Counts(belt)
METHOD = Method(
    key="weigh-belt",
    title="Belt weigher",
    revision="1",
    traits=Traits(
        "weighing",
        measures=("mass flow",),
        default_points=(),
        has_points=False,
        skills=frozenset({LOCK_OUT}),
        unguarded="Nobody weighs what goes over this belt, and what follows its rate stands still.",
        wears=("Padlock and tag for the isolator", "Test weights, lifting gear in date"),
    ),
    settings=BeltSettings,
    flow=steps,
    trial=TRIAL,
    standards=Standards(needs, tur),
    advice=BeltAdvice(),
    watching=Still(TRIAL, patience=40.0, shares=("applied", "indicated", "total", "seconds", "speed")),
    words=words,
    check=check,
    minutes=minutes,
)
