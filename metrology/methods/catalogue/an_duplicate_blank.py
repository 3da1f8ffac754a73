"""an-duplicate-blank: an injected-sample analyzer, set on a standard whose injections agree, proved by a blank, and good for the day.

Sources: ISO 6974-1:2012 and -2:2012 (gas chromatography of gas mixtures), European Pharmacopoeia 2.2.46 (system suitability), ISO 6141:2015.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

from metrology.methods.advice.gas import GasAdvice
from metrology.methods.analytes import InjectionSettings, agree_within, analytes_of, check_analytes, injection_settings
from metrology.methods.components import applied_of, tolerance_of
from metrology.methods.exposing import PURGE_MIN, ZERO
from metrology.methods.flow import analyzer, common
from metrology.methods.flow.common import Wording, found_to_left, numbered, set_of
from metrology.methods.flow.gas import TOXIC, GasFlow, gases
from metrology.methods.gas_method import gas_analyzer
from metrology.methods.method import Chromatography, Method, Use, Vouched
from metrology.methods.outcome import Outcome, Proposal
from metrology.methods.setup import RunSetup
from metrology.methods.slots import RawReading, Slot
from metrology.methods.standards.base import GAS, SYRINGE, TRAP, Need, Standards
from metrology.methods.steps import Check, Field, Step
from metrology.methods.trials.exposure import GasKind, role_at
from metrology.methods.trials.injected import STANDARD, Injections, by_injection, injection_of, new_factors
from metrology.methods.trials.mixture import MixtureWatching, mixture_needs

STIFLING = "Carrier gas and standards can stifle or burn: ventilate, no flame where hydrogen is the carrier, lead the vent outside."
NEEDLE = "Needles and hot inlets: a cap on the needle between injections, hands away from the oven."
OPTIONS = (
    ("leave", "Leave the factors as they are"),
    ("adjust", "Accept new response factors"),
    ("repeat", "Find the cause, inject anew"),
    ("recondition", "Recondition the column, then inject"),
    ("repair", "Correct the cause, then inject"),
    ("replace", "Mark for replacement"),
)
BLANK_OPTIONS = (("keep", "Keep this blank"), ("again", "Inject another blank"), ("repair", "Correct the cause, then another blank"))
NOT_FACTOR = ("leak-at-injection", "column-ageing", "carrier-flow", "air-in-line", "wrong-bottle")
FIRST = {"column-ageing": "recondition", "carrier-flow": "repair"}


def needs(setup: RunSetup) -> tuple[Need, ...]:
    """The standard, with every component."""
    made = next(n for n in mixture_needs(setup) if n.role == STANDARD)
    air = any(a.air_limit for a in analytes_of(setup))
    trap = (Need(TRAP, "Trap for the blank", TRAP, is_required=False),) if air else ()
    d = injection_settings(setup)
    times = round(2 * d.most_injections)  # as found and as left, each as often as may be
    litres = d.gas_l * times + d.flow_l_min * PURGE_MIN
    detail = replace(made.detail, label="Standard", exposures=times, litres=litres)
    return (replace(made, label="Standard", detail=detail, amount=litres), Need(SYRINGE, "Syringe", SYRINGE, is_required=False), *trap)


def standard_need(setup: RunSetup) -> tuple[Need, ...]:
    """The gas among them."""
    return needs(setup)[:1]


KIND = GasKind(proves_alarms=False, has_output=False, own_needs=standard_need)
TRIAL = Injections(KIND)
FLOW = GasFlow(KIND)


def _is_blank(outcome: Outcome) -> bool:
    return bool(outcome.judged) and outcome.judged[0].slot.extra["exposure"] == ZERO


@dataclass(frozen=True)
class InjectionAdvice(GasAdvice):
    """Injections that don't agree, or come out elsewhere, set no factor; a blank is kept where nothing is in it."""

    def propose(self, setup: RunSetup, outcome: Outcome, *, is_as_left: bool) -> Proposal:
        """The injection first, then the column, then the factors."""
        first = outcome.signatures[0] if outcome.signatures else None
        if _is_blank(outcome):
            if outcome.verdict != "fail":
                return Proposal("keep", "Nothing is in it that may not be.")
            return Proposal("again", f"{first.says} {first.first_action}" if first else "It shows more than a blank may.")
        apart = [c for c in outcome.criteria if c.name.startswith("agree ") and c.verdict == "fail"]
        if apart:
            n = len({j.slot.extra["injection"] for j in outcome.judged})
            told = "; ".join(f"{c.label} by {c.value:.2f} %, {c.high:.3g} % may be" for c in apart)
            why = f"{first.says} {first.first_action}" if first else "Syringe, septum and leak test first."
            return Proposal("repair" if is_as_left else "repeat", f"After {n} injections the last two do not agree: {told}. {why}")
        if first and first.code in NOT_FACTOR and outcome.verdict == "fail":
            choice = FIRST.get(first.code, "repair" if is_as_left else "repeat")
            return Proposal(choice, f"{first.says} {first.first_action}")
        if outcome.verdict == "fail" and is_as_left:
            return Proposal("repair", "It is still outside.")
        soon = [c for c in outcome.criteria if c.name.startswith(("window ", "pair")) and c.verdict == "marginal"]
        plain = super().propose(setup, replace(outcome, criteria=()), is_as_left=is_as_left)
        if soon:
            more = f"{soon[0].label}: {soon[0].value:.3g} {soon[0].unit}, near its limit. Plan to recondition the column.".replace(
                " ,", ","
            )
            return Proposal(plain.choice, f"{plain.reason} {more}")
        return plain

    def refuse(self, setup: RunSetup, outcome: Outcome, choice: str) -> str:
        """No factor on injections that don't agree or stand elsewhere; no blank with something in it."""
        if choice.startswith("keep"):
            over = [j for j in outcome.judged if abs(j.point.error_percent) > j.tolerance * (1 + 1e-9)]
            if over:
                told = ", ".join(f"{j.slot.channel} {j.point.indicated:g}" for j in over)
                return f"{told}: more than a blank may show. Inject another, or find the cause."
            return ""
        if choice not in ("leave", "adjust"):
            return super().refuse(setup, outcome, choice)
        apart = [c.label for c in outcome.criteria if c.name.startswith("agree ") and c.verdict == "fail"]
        if apart:
            return f"{apart[0]}: injections that do not agree prove nothing. Find the cause and inject anew."
        off = [c for c in outcome.criteria if c.name.startswith(("window ", "pair")) and c.verdict == "fail"]
        if off:
            told = off[0].says or off[0].label
            return f"{told} Outside its limits a peak may be taken for another: recondition the column first."
        first = outcome.signatures[0] if outcome.signatures else None
        if choice == "adjust" and first and first.code in NOT_FACTOR and outcome.verdict == "fail":
            return f"{first.says} New factors would make it wrong once the cause is gone. {first.first_action}"
        return super().refuse(setup, outcome, choice)


def steps(setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
    """The steps, as the choices so far shape them."""
    return _steps(setup, tuple(sorted(choices.items())))


@lru_cache(maxsize=256)
def _steps(setup: RunSetup, chosen: tuple[tuple[str, str], ...]) -> tuple[Step, ...]:
    d, choices = injection_settings(setup), dict(chosen)
    wait = f" Between injections {d.wait_min:g} min pass, so that nothing of the last one is left." if d.wait_min else ""
    told = (
        "Standard at least twice, until the last two agree in every component. Before each: syringe purged three times with the standard, leak test."
        f"{wait} Each injection can be read from its chromatogram, live or as a file."
    )
    follow = {"adjust": lambda n: _accept(setup, n), "recondition": _recondition, "repair": common.repair}
    found = Wording("as_found", "judge", "as found", "judge", "As found", "Judge as found", told, OPTIONS, follow, keys=KEYS)
    left_options = tuple(o for o in OPTIONS if o[0] != "repeat")
    left = Wording(
        "as_left",
        "judge_left",
        "as left",
        "as left",
        "As left",
        "Judge as left",
        "The standard once more, until two agree.",
        left_options,
        follow,
        keys=KEYS,
    )
    spare = Step("accept", "confirm", "adjust", "Accept new response factors", "By the mean of the two injections that agree.")
    return (
        common.identity(setup),
        gases(FLOW, setup, key="gas"),
        _tools(setup),
        _ready(setup),
        common.warm_up(setup),
        common.operator(setup),
        analyzer.hold(setup, "What it says in the meantime is not the plant.", "While it is calibrated nobody watches this."),
        common.cautions(setup, TOXIC, STIFLING, NEEDLE, checks=CHECKS),
        *found_to_left(found, left, choices, spare),
        *_blanks(setup, choices),
        _valid(setup, choices),
        *common.restore(setup, checks=PUT_BACK, caution="Leave the carrier gas on: a column without it takes up moisture and air."),
    )


KEYS = ("standard", "blank_gas", "inject")
CHECKS = (
    Check("vent", "Room ventilated, vent led to a safe place"),
    Check("cylinder", "Cylinders secured, fittings tight"),
    Check("syringe", "Syringe clean, its plunger tight, needle straight"),
    Check("safe", "The cautions above are met"),
)
PUT_BACK = (
    Check("gas_off", "Standard shut, its port capped"),
    Check("trap", "Trap capped at both ends: open it is spent in days"),
    Check("carrier", "Carrier gas stays on, oven as it was"),
    Check("tidy", "Syringe purged with clean air, needle capped; tags and tools cleared away"),
)


def _tools(setup: RunSetup) -> Step:
    """Syringe and trap out of the kit, each within its own life."""
    return Step(
        "tools",
        "confirm",
        "prepare",
        "Syringe and trap",
        "Choose what is used. A syringe whose plunger is worn leaks; a trap that stood open is spent. One that is not in the kit is left out here.",
        fields=tuple(Field(n.role, n.label, "item", required=False) for n in needs(setup)[1:]),
        confirm_label="Use these",
    )


def _ready(setup: RunSetup) -> Step:
    """Carrier gas, temperatures and baseline, looked at before a standard is spent."""
    d = injection_settings(setup)
    serial = (Field("column", "Serial of the column", "identity", expected=d.sensor_serial),) if d.sensor_serial else ()
    return Step(
        "ready",
        "confirm",
        "prepare",
        "Column and baseline",
        "Look at the analyzer before a standard is spent on it.",
        fields=serial,
        checks=(
            Check("carrier", "Carrier gas flows at its set pressure, its bottle lasts the day"),
            Check("oven", "Oven and detector at their temperatures"),
            Check("baseline", "Baseline quiet and level"),
        ),
        confirm_label="It is ready",
    )


def _accept(setup: RunSetup, n: int) -> tuple[Step, ...]:
    """The new factors, as the analyzer holds them now."""
    return (
        Step(
            numbered("accept", n),
            "confirm",
            "adjust",
            "Accept new response factors",
            "Let the analyzer take the mean of the two injections that agree, and see that it holds these factors.",
            fields=tuple(
                Field(f"factor:{a.name}", f"Response factor of {a.name}", "number", required=False, low=1e-12, high=1e12)
                for a in analytes_of(setup)
            ),
            checks=(Check("taken", "The analyzer has taken them"),),
            keys=("accept",),
            set_name=numbered("as_left", n - 1) if n > 1 else "",
            enters=True,
            confirm_label="They are accepted",
        ),
    )


def _recondition(n: int) -> tuple[Step, ...]:
    """The column baked out or exchanged, before anything is set."""
    return (
        Step(
            numbered("recondition", n),
            "confirm",
            "adjust",
            "Recondition the column",
            "Bake it out with carrier gas on as its maker says, off the detector. Exchanged instead: note the serial of the new one.",
            cautions=("Carrier gas first, heat after it: a hot column without gas is ruined.", "Hot oven: let it cool before it is opened."),
            fields=(
                Field("work", "What was done, at what temperature, how long", "long"),
                Field("new_serial", "Serial of a new column", required=False),
            ),
            checks=(Check("cool", "Back at its working temperature, baseline quiet"),),
            keys=("recondition",),
            confirm_label="The column is ready",
        ),
    )  # fmt: skip


def _blanks(setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
    """Blanks until one is kept; an earlier one may be kept with a reason."""
    d = injection_settings(setup)
    air = next((a for a in analytes_of(setup) if a.air_limit), None)
    trap = f" Air through the trap that takes {air.name} out; cap the trap at once again." if air else " Clean gas without any of them."
    wait = f" At least {d.wait_min:g} min after the last injection." if d.wait_min else ""
    instruction = f"All components must be at zero.{trap}{wait}"
    words = Wording(
        "blank", "judge_blank", "restore", "restore", "Blank", "Judge the blank", instruction, BLANK_OPTIONS,
        {"again": lambda _: (), "repair": lambda n: common.repair(n, prefix="blank_repair")}, keys=KEYS,
    )  # fmt: skip
    gone = "It is marked for replacement." if "replace" in choices.values() else ""
    out, n = [], 0
    for step in set_of(words, choices):
        if step.kind == "judge":
            n += 1
            earlier = tuple((f"keep_{k}", f"Keep blank {k} instead") for k in range(1, n))
            sets = tuple((f"keep_{k}", numbered("blank", k)) for k in range(1, n))
            step = replace(step, options=(*step.options[:1], *earlier, *step.options[1:]), choice_sets=sets)
        out.append(replace(step, left_out=gone))
    return tuple(out)


def _valid(setup: RunSetup, choices: Mapping[str, str]) -> Step:
    """What the calibration is good for."""
    return Step(
        "valid",
        "confirm",
        "restore",
        "Good for the day",
        "Once it is signed this calibration is good for samples until the day ends or its power is lost, whichever comes first. Samples are entered on "
        "its page; after that they are refused.",
        checks=(Check("told", "Those who take samples know it"),),
        left_out="It is marked for replacement." if "replace" in choices.values() else "",
        vouches=True,
        confirm_label="So it is",
    )


def uses(setup: RunSetup, _kind: str, _captured: Mapping[str, object] | None) -> Use:
    """What an injection takes of its bottle, shared by the components that are read of it."""
    return Use("", GAS, injection_settings(setup).gas_l / max(1, len(analytes_of(setup))), "l")


def minutes(setup: RunSetup, slot: Slot) -> float:
    """The wait before an injection and its run, shared by its components."""
    of = analytes_of(setup)
    last = max((a.at_s for a in of), default=60.0)
    return (injection_settings(setup).wait_min + last / 60 + 2.0) / max(1, len(of))


def vouch(setup: RunSetup, standard: Sequence[RawReading], blank: Sequence[RawReading]) -> tuple[Vouched, ...]:
    """What a sample's result rests on, component by component: its U in % of it (k = 2) and in its unit.

    Relative: the certificate, the scatter of the two injections once for their mean and once for the sample; absolute: half of what the blank showed.
    """
    out = []
    factors = new_factors(setup, standard)
    for a in analytes_of(setup):
        last = [v for _, v in sorted(by_injection(standard, a).items())][-2:]
        apart = 100 * abs(last[0] - last[1]) / (sum(last) / 2) if len(last) == 2 and sum(last) > 0 else agree_within(setup, a)
        s = apart / math.sqrt(2)
        certificate = setup.value(f"{STANDARD}.u:{a.name}", 0.0) / 2
        relative = 2 * math.sqrt(certificate**2 + s**2 / 2 + s**2)
        left = next((abs(float(r.indicated)) for r in blank if r.slot.channel == a.name), 0.0)
        out.append(Vouched(a.name, a.unit, a.top, relative, 2 * left / math.sqrt(12) if left else 0.0, factors.get(a.name, 0.0)))
    return tuple(out)


def windows(setup: RunSetup) -> tuple[tuple[str, float, float], ...]:
    """Where each component should come out."""
    return tuple((a.name, a.at_s - a.within_s, a.at_s + a.within_s) for a in analytes_of(setup))


def words(setup: RunSetup) -> tuple[str, str]:
    """Its components with the tolerance of each."""
    of = analytes_of(setup)
    told = (f"{a.name} {tolerance_of(setup, a, applied_of(setup, STANDARD, a)) / 100 * a.top:.3g} {a.unit}" for a in of)
    return f"{len(of)} components", "±" + ", ±".join(told)


METHOD = Method(
    key="an-duplicate-blank",
    title="Injected-sample analyzer",
    revision="2",
    traits=gas_analyzer(unguarded="Samples wait for their result.", wears="Personal gas monitor"),
    settings=InjectionSettings,
    flow=steps,
    trial=TRIAL,
    standards=Standards(needs, role_at=role_at),
    advice=InjectionAdvice(KIND),
    watching=MixtureWatching(TRIAL),
    words=words,
    check=check_analytes,
    minutes=minutes,
    uses=uses,
    chromatography=Chromatography(injection_of, windows),
    vouch=vouch,
    names={"keep": "Blank kept", **{f"keep_{k}": f"Blank {k} kept" for k in range(1, 20)}},
)
