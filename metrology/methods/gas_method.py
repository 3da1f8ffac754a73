"""What the gas methods are made of: each is a kind of exposures with a flow of steps."""

from __future__ import annotations

from metrology.methods.adjusting.exposed import targets_of
from metrology.methods.adjusting.in_order import InOrder, admit_force
from metrology.methods.advice.gas import GasAdvice
from metrology.methods.detector import DetectorSettings, check_register
from metrology.methods.exposing import ZERO, exposure_minutes
from metrology.methods.flow.gas import GasFlow
from metrology.methods.method import Method, Traits
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Slot
from metrology.methods.standards.base import Standards
from metrology.methods.trials.exposure import Exposed, ExposureWatching, GasKind, exposed, role_at, uses

GAS_WORK = "gas work"
GAS_CONTENT = ("percent", "")  # ppm, %LEL and % vol are units of no quantity that converts
STANDS = "Wait until it stands before you accept."
BY_TURNS = f"Zero comes before span. {STANDS}"


def gas_analyzer(*, unguarded: str, wears: str, follows_life: bool = False) -> Traits:
    """What is so of every analyzer that is set with gas."""
    return Traits(
        "analyzer",
        measures=GAS_CONTENT,
        default_points=(),
        has_points=False,
        skills=frozenset({GAS_WORK}),
        unguarded=unguarded,
        policies=("gas",),
        wears=(wears,),
        follows_life=follows_life,
    )


def minutes(setup: RunSetup, slot: Slot) -> float:
    """An exposure to gas takes its settle window and the way there."""
    return exposure_minutes(setup, str(slot.extra["exposure"]))


def gas_method(
    *, key: str, title: str, revision: str, kind: GasKind, flow: GasFlow, also: tuple[str, ...] = (), is_usual: bool = False
) -> Method:
    """A gas method of that kind: the bottle is the reference, the exposures are judged by how the sensor answered."""
    trial = Exposed(kind)
    return Method(
        key=key,
        title=title,
        revision=revision,
        traits=Traits(
            "gas detector",
            measures=GAS_CONTENT,
            also=also,
            is_usual=is_usual,
            is_check=kind.is_check,
            default_points=(),
            has_points=False,
            skills=frozenset({GAS_WORK}),
            excludes_group=True,
            guards=True,
            unguarded="Nobody is warned of gas here.",
            policies=("gas", "detector"),
            wears=("Personal gas monitor",),
            follows_life=True,
        ),
        settings=DetectorSettings,
        flow=flow,
        trial=trial,
        standards=Standards(kind.needs, role_at=role_at),
        advice=GasAdvice(kind),
        watching=ExposureWatching(trial),
        adjusting=InOrder(targets_of(trial), admit_force, hint=BY_TURNS if ZERO in kind.screws else STANDS),
        check=check_register,
        minutes=minutes,
        uses=uses,
        exposed=exposed,
    )
