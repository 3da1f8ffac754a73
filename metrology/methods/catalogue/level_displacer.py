"""level-displacer: dry test with hung weights, adjusting in two full passes or more, then a wet proof in the column.

Buoyancy after Archimedes; statistics after IEC 61298-2:2008. Gravity acts on displacer and weights alike and is not counted (since revision 2;
the first one did).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from functools import lru_cache, partial

from metrology.methods.adjusting.alternate import Alternate
from metrology.methods.advice.transmitter import CurveAdvice
from metrology.methods.flow import common
from metrology.methods.flow.common import Wording, found_to_left, set_of
from metrology.methods.hookup import displacer_hookup
from metrology.methods.method import Method, Traits
from metrology.methods.setup import RunSetup
from metrology.methods.standards.base import Standards
from metrology.methods.steps import Check, Field, Step
from metrology.methods.trials.curve import curve_tur
from metrology.methods.trials.hung import (
    DENSITIES,
    TRIAL,
    DisplacerSettings,
    check,
    gravity_of,
    hung_weight,
    is_first,
    needs,
    settings_of,
    targets,
    upper_density,
    width,
)
from metrology.methods.watching import Still

DRY = "Hang the weights instead of the displacer, let the swing die out, read the output, type it."
WET = "Fill the column to each point from one side, read the gauge glass, let the output stand still, type both."
_MARK = (("repair", "Correct the cause, then prove"), ("replace", "Mark for replacement"))
_CAUSE = (_MARK[0], common.EXCHANGE, _MARK[1])
_OWN = (
    "A column may hold hot liquid or gas under pressure: isolate, drain and vent it before it is opened.",
    "Hung weights fall: keep hands and feet from under them, lift heavy ones with a second person.",
)


def steps(setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
    """Weights, dry test, adjusting, wet proof."""
    return _steps(setup, tuple(sorted(choices.items())))


@lru_cache(maxsize=256)
def _steps(setup: RunSetup, chosen: tuple[tuple[str, str], ...]) -> tuple[Step, ...]:
    choices = dict(chosen)
    follow: dict[str, Callable[[int], tuple[Step, ...]]] = {
        "adjust": lambda n: common.adjust(
            n,
            title="Adjust",
            instruction="Zero with the first load, span with the last, in turn, two full passes at least. Type before and after.",
            caution="The screws disturb each other; one pass is never enough.",
        ),
        "repair": common.repair,
        "exchange": partial(common.exchange, setup),
    }
    found = Wording(
        "as_found",
        "judge",
        "as found",
        "judge",
        "As found, dry",
        "Judge as found",
        DRY,
        (("leave", "Leave as it is"), ("adjust", "Adjust zero and span"), ("repeat", "Take the points again"), *_CAUSE),
        follow,
    )
    left = Wording(
        "as_left",
        "judge_left",
        "as left",
        "as left",
        "As left, dry",
        "Judge as left",
        DRY,
        (("leave", "Accept as left"), ("adjust", "Adjust zero and span again"), *_CAUSE),
        follow,
    )
    spare = Step("adjust", "adjust", "adjust", "Adjust", "Zero, then span, two full passes at least.")
    return (
        common.identity(setup),
        common.references(
            Field("applied", "Weights", "reference", hint="The set that is hung."),
            Field("indicated", "Output meter", "reference", hint="It reads the transmitter's output."),
        ),
        common.environment(),
        _weights(setup),
        common.warm_up(setup),
        common.operator(setup),
        common.hold(may_be_out=True),
        common.cautions(
            setup,
            *_OWN,
            checks=(
                Check("isolated", "Column isolated, drained and vented"),
                Check("off", "Displacer off its hook and laid down safely"),
                Check("safe", "The cautions above are met"),
                Check("untouched", "Nothing adjusted yet: as found comes first"),
            ),
        ),
        *found_to_left(found, left, choices, spare),
        *_wet(setup, choices),
        *common.restore(
            setup,
            checks=(
                Check("weights", "Weights off the hook, counted and stored"),
                Check("displacer", "Displacer back on its hook, hanging free in the column"),
                Check("valves", "Column back in service: valves open, vent and drain closed"),
                Check("covers", "Covers on, seals and locks back"),
                Check("tidy", "No leaks, tags and tools cleared away"),
            ),
            caution="Fill the column slowly: a shock can throw the displacer off its hook.",
        ),
    )


def _weights(setup: RunSetup) -> Step:
    d = settings_of(setup)
    u, v = d.weight_unit, d.volume_unit
    tray = f", the tray of {d.tray_weight:g} {u} taken off" if d.tray_weight and not is_first(setup) else ""
    return Step(
        "weights",
        "compute",
        "prepare",
        "Weights for each level",
        f"Displacer {d.displacer_weight:g} {u} in air{tray}, {d.displacer_volume:.6g} {v}, density {d.density:g} {u}/{v}"
        + (f" below and {d.upper_density:g} {u}/{v} above" if d.interface else "")
        + ". Type the pieces you have; each level is made as near as they allow, and the level the load really stands for is what counts.",
        fields=(Field("weights_on_hand", "Weights on hand", "text", u, required=False, hint="Every piece, like 1 0.5 0.2 0.2 0.1"),),
        calculator="displacer-weights",
        given=(
            ("weight", hung_weight(setup)),
            ("volume", d.displacer_volume),
            ("density", d.density),
            ("upper_density", upper_density(setup)),
            ("gravity", gravity_of(setup)),
            ("percents", list(setup.points_percent)),
            ("weights_on_hand", " ".join(f"{w:g}" for w in d.weights_on_hand)),
        ),
        enters=True,
        confirm_label="Use these loads",
    )


def _wet(setup: RunSetup, choices: Mapping[str, str]) -> list[Step]:
    why = "" if settings_of(setup).has_column else "The column can't be filled here: the dry test stands alone."
    words = Wording(
        "wet_proof",
        "judge_wet",
        "as left",
        "as left",
        "Wet proof",
        "Judge the wet proof",
        WET,
        (("leave", "Accept"), *_MARK),
        {"repair": lambda n: common.repair(n, prefix="repair_wet")},
    )
    if why:
        return [replace(s, left_out=why) for s in common.take(words, 1)]
    return [
        Step(
            "mount",
            "confirm",
            "as left",
            "Mount the displacer",
            "Take the weights off, hang the displacer, close the column and make it ready to fill.",
            checks=(Check("hung", "Displacer on its hook, hanging free"), Check("closed", "Column closed, vent open, ready to fill")),
            fields=() if is_first(setup) else (_filling_field(setup),),
            enters=not is_first(setup),
            confirm_label="Ready to fill",
        ),
        *set_of(words, choices),
    ]


def _filling_field(setup: RunSetup) -> Field:
    d = settings_of(setup)
    low, high = DENSITIES[d.weight_unit]
    return Field(
        "filling_density", "Density of what it is filled with", "number", f"{d.weight_unit}/{d.volume_unit}", required=False, low=low, high=high,
        hint=f"Empty: the liquid it measures, {d.density:g}. The points are filled to what lifts as much.", likely=(0.3 * d.density, 3 * d.density),
    )  # fmt: skip


METHOD = Method(
    key="level-displacer",
    title="Displacer level transmitter",
    revision="4",
    traits=Traits("transmitter", also=("tx-multipoint", "tx-configure", "loop-check")),
    settings=DisplacerSettings,
    flow=steps,
    trial=TRIAL,
    standards=Standards(needs, curve_tur(TRIAL, width)),
    advice=CurveAdvice(),
    watching=Still(TRIAL),
    adjusting=Alternate(targets, min_passes=2),
    hookup=displacer_hookup,
    check=check,
)
