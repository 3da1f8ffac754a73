"""an-conductivity: a conductivity analyzer with its cell, in the line or hanging in a vessel.

Sources: ISO 7888:1985 (measurement, compensation), IUPAC Technical Report 2001 (standard solutions).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from metrology.faults import Fault
from metrology.judgement.decision import FAIL
from metrology.methods.adjusting.base import SPAN, ZERO, AdjustTarget
from metrology.methods.adjusting.in_order import InOrder
from metrology.methods.flow import analyzer, common
from metrology.methods.flow.common import Wording, found_to_left
from metrology.methods.method import Method, Traits, Use
from metrology.methods.outcome import Outcome, Proposal
from metrology.methods.settings import Settings, asked
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Slot
from metrology.methods.standards.base import SOLUTION, Need, Standards
from metrology.methods.standards.solution import SolutionNeed
from metrology.methods.steps import Check, Field, Pair, Step
from metrology.methods.trials.conductance import BASE, Cell, Conductance
from metrology.methods.trials.curve import tolerance_of
from metrology.methods.trials.points import role_at
from metrology.methods.watching import Still
from metrology.quantities.units import convert, quantity_of
from metrology.quantities.words import number

MODES = (("linear", "linear, by a coefficient"), ("natural", "natural water, not linear"), ("none", "none"))
CAUTIONS = (
    "The line may be under pressure or hot, or hold the product: stop the sample, vent and drain it before the cell comes out.",
    "Cleaning acid: wear goggles and gloves; never mix it with chlorine or its residues.",
)
FOLLOWS = (
    "A loop or a diverting valve that follows this signal would answer to air and solution: put it in manual, or hold the signal, before the cell "
    "leaves the sample. The hold stays in sight on every page until it is released."
)
PAIRS = (Pair("sample", "Sample to the cell", "open", "shut"), Pair("cell", "Cell", "in", "out"))
PLACES_OF_CELL = ("cable", "air", "solution", "process")  # where a bench puts the cell


@dataclass(frozen=True)
class ConductivitySettings(Settings):
    """A conductivity analyzer with its cell. Cell constants in 1/cm, shares in %, coefficients in %/°C, temperatures in C, times in min."""

    cell_constant: float = asked("Cell constant on its label", default=1.0, unit="/cm", low=0.001, high=100.0)
    compensation: str = asked("Temperature compensation set in it", "choice", default="linear", options=MODES)
    coefficient: float = asked("Coefficient set in it", default=2.0, unit="%/°C", low=0.0, high=10.0)
    tells_raw: bool = asked("Its compensation can be switched off", "flag", default=True)
    place: str = asked("Cell is", "choice", default="in-line", options=analyzer.PLACES)
    sensor_serial: str = asked("Sensor serial", "text", default="")
    checks_cable: bool = asked("Its cable is checked with a resistor", "flag", default=True, is_policy=True)
    resistor_percent: float = asked("The resistor is known to", default=0.1, unit="%", low=0.0, high=5.0, is_policy=True)
    dry_air_percent: float = asked(
        "In dry air it may read", default=0.5, unit="% of span", low=0.01, high=10.0, is_policy=True, was="air_percent"
    )
    constant_good: float = asked("Cell constant is good within", default=10.0, unit="%", low=0.5, high=50.0, is_policy=True)
    constant_bad: float = asked("Cell is replaced beyond", default=20.0, unit="%", low=1.0, high=90.0, is_policy=True)
    compensation_limit: float = asked("Compensation is good within", default=1.0, unit="%", low=0.1, high=10.0, is_policy=True)
    temperature_limit: float = asked("Its temperature is good within", default=0.5, unit="°C", low=0.1, high=5.0, is_policy=True)
    solution_percent: float = asked("A standard is known to", default=1.0, unit="% or better", low=0.1, high=10.0, is_policy=True)
    soak_min: float = asked("The cell stands in the solution for", default=2.0, unit="min", low=0.0, high=60.0, is_policy=True)

    def check(self) -> None:
        """Limits in their order."""
        if self.constant_good > self.constant_bad:
            raise Fault("bad_limits", "The change that is good lies beyond the one at which the cell is replaced.", field="constant_good")


def settings_of(setup: RunSetup) -> ConductivitySettings:
    """The analyzer's own settings."""
    s = setup.instrument.details
    return s if isinstance(s, ConductivitySettings) else ConductivitySettings()


def cell(setup: RunSetup) -> Cell:
    """What the trial must know of it: the constant and the coefficient it shows, else those of the register."""
    d = settings_of(setup)
    return Cell(
        setup.value("cell_now", d.cell_constant), d.cell_constant, d.compensation, setup.value("coefficient_now", d.coefficient),
        d.dry_air_percent, d.constant_good, d.constant_bad, d.compensation_limit, d.temperature_limit, d.checks_cable, d.resistor_percent,
        d.tells_raw,
    )  # fmt: skip


def needs(setup: RunSetup) -> tuple[Need, ...]:
    """One standard inside the range, not at its very bottom, a fresh portion for each reading."""
    i = setup.instrument
    top = convert(i.urv, i.unit, to_unit=BASE)
    bottom = convert(i.lrv, i.unit, to_unit=BASE)
    detail = SolutionNeed(bottom + 0.1 * (top - bottom), top, 2, settings_of(setup).solution_percent)
    return (Need("solution", "Conductivity standard", SOLUTION, BASE, detail=detail, amount=2),)


def targets(setup: RunSetup, _variant: str) -> tuple[AdjustTarget, ...]:
    """Zero in dry air, then the cell constant in the solution."""
    i = setup.instrument
    span = i.urv - i.lrv
    wanted = TRIAL.wanted(setup)
    code = dict(setup.entered).get("solution.code", "the solution")
    how = "compensation off" if settings_of(setup).tells_raw else "referred to 25 °C"
    aims = []
    for at, percent in ((0.0, settings_of(setup).dry_air_percent), (wanted, 100.0)):
        room = min(tolerance_of(setup, at), percent) / 100 * span
        aims.append(max(room * setup.policy.aim_percent / 100, 1e-6 * span))
    return (
        AdjustTarget(
            "zero", 0.0, "dry air", 0.0, aims[0], i.unit, span, -0.05 * span, 0.05 * span, kind=ZERO, keys=("air", "zero"), label="Zero"
        ),
        AdjustTarget(
            "constant", wanted, f"{number(wanted, 2)} {i.unit} ({code}, {how}), fresh", wanted, aims[1], i.unit, span, 0.5 * wanted, 1.5 * wanted,
            kind=SPAN, keys=("solution", "constant"), role="solution", label="Cell constant",
        ),
    )  # fmt: skip


MIXED = ("wrong-bottle", "wrong-unit", "wrong-cell-constant")
NOT_BY_CONSTANT = ("cable", "damp", "temperature-sensor", "wrong-compensation")


@dataclass(frozen=True)
class ConductivityAdvice:
    """Leave, clean, adjust, repair, take again or replace; the constant is not set to what something else did."""

    def propose(self, setup: RunSetup, outcome: Outcome, *, is_as_left: bool) -> Proposal:
        """The proposed decision."""
        worst = outcome.worst
        if worst is None:
            return Proposal("repeat", "There are no readings to judge.")
        i = setup.instrument
        off = worst.point.indicated - worst.point.applied
        where = f"The largest error is {off:+.3g} {i.unit} ({worst.slot.channel.lower()}), {100 * outcome.share:.0f} % of what is allowed."
        first = outcome.signatures[0] if outcome.signatures else None
        codes = {s.code for s in outcome.signatures}
        if first and first.code == "wrong-bottle":
            return Proposal("repeat", f"{first.says} {first.first_action}")
        cause = next((s for s in outcome.signatures if s.code in (*MIXED, *NOT_BY_CONSTANT)), None)
        if cause is not None:
            return Proposal("repair", f"{where} {cause.says} {cause.first_action}")
        if any(c.name == "cell_constant" and c.verdict == FAIL for c in outcome.criteria):
            if "dirty-cell" in codes and not is_as_left:
                return Proposal("clean", f"{where} The cell constant is beyond its limit; clean the cell before it is given up.")
            return Proposal("replace", "The cell constant is beyond its limit: setting it would hide what became of the cell.")
        if any(c.verdict == FAIL for c in outcome.criteria):
            bad = "; ".join(f"{c.label.lower()} {number(c.value, c.decimals)} {c.unit}" for c in outcome.criteria if c.verdict == FAIL)
            return Proposal("repair", f"Beyond its limit: {bad}.")
        share = max((abs(j.point.error_percent) / j.tolerance for j in outcome.judged), default=0.0)
        if share > 1 or (not is_as_left and 100 * share > setup.policy.adjust_limit_percent):
            choice = "clean" if "dirty-cell" in codes and not is_as_left else "adjust"
            then = (
                "Clean it and read again before the constant is set." if choice == "clean" else "Set zero in air, then the cell constant."
            )
            return Proposal(choice, f"{where} {then}")
        return Proposal("leave", f"{where} Cell and analyzer are inside their limits.")

    def refuse(self, setup: RunSetup, outcome: Outcome, choice: str) -> str:
        """What another bottle, unit, cable or temperature did is not adjusted away."""
        cause = next((s for s in outcome.signatures if s.code in (*MIXED, *NOT_BY_CONSTANT) and s.confidence >= 0.7), None)
        if choice == "adjust" and cause is not None:
            return f"{cause.says} Setting the constant to that would hide it. {cause.first_action}"
        return ""


OPTIONS = (
    ("leave", "Leave as it is"),
    ("adjust", "Set zero and cell constant"),
    ("clean", "Clean, then read again"),
    ("repair", "Put right what is wrong, then read again"),
    ("repeat", "Read again"),
    ("replace", "Replace the cell, then adjust"),
)


def steps(setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
    """The steps, as the choices so far shape them."""
    return _steps(setup, tuple(sorted(choices.items())))


@lru_cache(maxsize=256)
def _steps(setup: RunSetup, chosen: tuple[tuple[str, str], ...]) -> tuple[Step, ...]:
    told = "Nothing is cleaned or set before cable, air and solution are read. Each portion is fresh and is not poured back."
    follow = {
        "adjust": _adjusting,
        "clean": lambda n: _clean(f"_{n}"),
        "repair": common.repair,
        "replace": lambda n: (*_exchange(n), *_adjusting(n)),
    }
    found = Wording("as_found", "judge", "as found", "judge", "As found", "Judge as found", told, OPTIONS, follow, keys=PLACES_OF_CELL)
    left = Wording(
        "as_left", "judge_left", "as left", "as left", "As left", "Judge as left",
        "Cable, air and solution once more, a fresh portion.", OPTIONS, follow, keys=PLACES_OF_CELL,
    )  # fmt: skip
    spare = Step("adjust", "confirm", "adjust", "Clean and adjust", "Clean, then zero in air and the cell constant in the solution.")
    return (
        common.identity(setup),
        _solution(setup),
        _shown(setup),
        common.warm_up(setup),
        common.operator(setup),
        analyzer.hold(setup, FOLLOWS, "While the loop is in manual, somebody must watch the water by other means."),
        common.cautions(setup, *CAUTIONS, checks=CHECKS),
        *_moved(setup),
        *found_to_left(found, left, dict(chosen), spare),
        *_back(setup),
        *common.restore(setup, checks=PUT_BACK, caution="Open the sample slowly, and look for leaks and for air in the cell."),
    )


CHECKS = (
    Check("reach", "Pure water, clean beakers, paper and a thermometer at hand"),
    Check("safe", "The cautions above are met"),
    Check("untouched", "Nothing cleaned or set yet: as found comes first"),
)
PUT_BACK = (
    Check("off", "Compensation back on, as the register says"),
    Check("tight", "Cell in at its depth, seal whole, no leak, no air in it"),
    Check("flow", "Sample flow restored and as usual"),
    Check("plug", "Plug dry and tight"),
    Check("tidy", "Used solution away by the rules of the site, tools cleared away"),
)


def _solution(setup: RunSetup) -> Step:
    return Step(
        "solution",
        "confirm",
        "prepare",
        "Standard solution",
        "Choose the bottle that is at hand, one near to where the analyzer works. Close it at once: air and drying change it.",
        fields=(
            *(Field(n.role, n.label, "item") for n in needs(setup)),
            Field(
                "solution_c", "Temperature of the solution", "number", "°C", low=0, high=50,
                hint="Measured in the beaker; near 25 °C it is surest, away from it compensation shows",
                why="The tables of the solutions go from 0 to 50 °C.",
            ),
        ),
        enters=True,
        confirm_label="Use this",
    )  # fmt: skip


def _shown(setup: RunSetup) -> Step:
    """The constant and the coefficient that are set in the analyzer; they stand beside those of the register."""
    d = settings_of(setup)
    has_coefficient = d.compensation == "linear"
    return Step(
        "shown",
        "confirm",
        "prepare",
        "Set in it now",
        f"Note what is set in the analyzer. The register has {d.cell_constant:g} /cm"
        + (f" and {d.coefficient:g} %/°C." if has_coefficient else "."),
        fields=(
            Field("cell_now", "Cell constant set in it", "number", "/cm", low=0.0005, high=200, hint=f"Label: {d.cell_constant:g} /cm"),
            *(
                (Field("coefficient_now", "Coefficient set in it", "number", "%/°C", required=False, low=0, high=10),)
                if has_coefficient
                else ()
            ),
        ),
        enters=True,
    )


def _moved(setup: RunSetup) -> tuple[Step, ...]:
    told = "Shut the sample, vent and drain, then take the cell out. What was moved stays marked until it is back."
    pairs = PAIRS if settings_of(setup).place == "in-line" else PAIRS[1:]
    title = "Stop the sample, cell out" if settings_of(setup).place == "in-line" else "Cell out"
    return (analyzer.taken_out(pairs, title, told if len(pairs) == 2 else "Take the cell out of the water.", "It is out"),)


def _back(setup: RunSetup) -> tuple[Step, ...]:
    pairs = PAIRS if settings_of(setup).place == "in-line" else PAIRS[1:]
    told = "Seal whole and clean; cell in as it was, flow through it and not past it." if len(pairs) == 2 else "Cell back at its depth."
    return (analyzer.put_back(pairs, "Cell in" + (", sample open" if len(pairs) == 2 else ""), told),)


def _clean(at: str) -> tuple[Step, ...]:
    return (
        Step(
            f"cleaned{at}",
            "confirm",
            "adjust",
            "Clean the cell",
            "Soak it in dilute acid or a mild detergent, as the site says; a soft brush between plates, never on blackened ones. Rinse in pure "
            "water until the reading in it stands still.",
            cautions=CAUTIONS[1:],
            checks=(
                Check("rinsed", "Rinsed with plenty of pure water"),
                Check("whole", "Electrodes whole, black where they are to be black"),
            ),
            confirm_label="It is clean",
        ),
    )


def _adjusting(n: int) -> tuple[Step, ...]:
    return common.adjust(
        n,
        title="Set zero and cell constant",
        instruction="Zero in dry air first, then the cell constant in a fresh portion; accept when it stands.",
        caution="",
    ) + (
        Step(
            common.numbered("constant", n),
            "confirm",
            "adjust",
            "Cell constant set in it now",
            "Note the constant it shows now that it is set; as left is reckoned with it.",
            fields=(Field("cell_now", "Cell constant set in it", "number", "/cm", low=0.0005, high=200),),
            enters=True,
        ),
    )


def _exchange(n: int) -> tuple[Step, ...]:
    return (
        Step(
            common.numbered("new_cell", n),
            "confirm",
            "adjust",
            "Replace the cell",
            "Note serial and constant of the new one; the constant is followed from here on as a new life.",
            fields=(
                Field("new_serial", "Serial of the new cell"),
                Field("cell_now", "Cell constant on its label", "number", "/cm", low=0.0005, high=200),
                Field("work", "Why it was replaced", "long"),
            ),
            enters=True,
            confirm_label="The new one is in",
        ),
    )


def check(_details: Any, register: Mapping[str, Any]) -> None:
    """What is read in a standard solution is a conductivity."""
    unit = str(register["unit"])
    if quantity_of(unit) != "conductivity":
        told = f"'{unit}' is not a unit of conductivity; uS/cm, mS/cm, mS/m and S/m are known here."
        raise Fault("wrong_unit", told, field="unit")


def uses(_setup: RunSetup, _kind: str, _captured: Mapping[str, Any] | None) -> Use | None:
    """A fresh portion each time."""
    return Use("", SOLUTION, 1.0, "portions")


def words(setup: RunSetup) -> tuple[str, str]:
    """It is read on its display."""
    return f"read in {setup.instrument.unit}", setup.instrument.tolerance_text


def minutes(setup: RunSetup, slot: Slot) -> float:
    """The cell dries in air, and stands in the solution."""
    return 2.0 + (settings_of(setup).soak_min if slot.extra.get("role") else 1.0)


TRIAL = Conductance(cell)
SHOWN_BY_IT = ("indicated", "referred", "analyzer_c", "ohm")
METHOD = Method(
    key="an-conductivity",
    title="Conductivity, standard solution",
    revision="2",
    traits=Traits(
        "analyzer",
        measures=("conductivity",),
        default_points=(),
        has_points=False,
        unguarded="Nobody watches this water, and what follows it stands still.",
        wears=("Goggles and acid gloves",),
    ),
    settings=ConductivitySettings,
    flow=steps,
    trial=TRIAL,
    standards=Standards(needs, role_at=role_at),
    advice=ConductivityAdvice(),
    watching=Still(TRIAL, patience=2.0, shares=SHOWN_BY_IT),
    adjusting=InOrder(targets, hint="Wait until it stands before you accept.", proof="Prove it in air and in a fresh portion."),
    words=words,
    check=check,
    minutes=minutes,
    uses=uses,
)
