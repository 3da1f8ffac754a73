"""A method that exists in tests only: a pressure read again and again until two readings agree. It is made of parts like any other."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from metrology.judgement.errors import UP
from metrology.methods.adjusting.base import AdjustTarget
from metrology.methods.adjusting.in_order import InOrder
from metrology.methods.flow import common
from metrology.methods.flow.common import Wording, found_to_left
from metrology.methods.method import Columns, Method, Traits
from metrology.methods.outcome import Criterion, Outcome, OutcomeTable, Proposal, SeriesPoint
from metrology.methods.settings import Settings, asked
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Plan, Quantity, RawReading, Slot
from metrology.methods.standards.base import Need, Standards
from metrology.methods.steps import Field, Step
from metrology.methods.trials.curve import Curve
from metrology.methods.watching import Still


@dataclass(frozen=True)
class ToySettings(Settings):
    """at_percent: where it is read, % of the range; agree: how near two readings must be, in the unit of the output."""

    at_percent: float = asked("Read again at", default=50.0, unit="%", low=0.0, high=100.0)
    agree: float = asked("Two readings agree within", default=0.05, low=0.001, high=1.0, is_policy=True)


def settings_of(setup: RunSetup) -> ToySettings:
    s = setup.instrument.details
    return s if isinstance(s, ToySettings) else ToySettings()


@dataclass(frozen=True)
class Again(Curve):
    """One point, until two readings agree, four times at most."""

    has_statistics = False
    least_for_signature = 99

    def plan(self, setup: RunSetup, set_key: str, taken: Sequence[RawReading] = ()) -> Plan:
        values = [float(r.indicated) for r in sorted(taken, key=lambda r: r.slot.index)]
        n = 2
        while len(values) >= n < 4 and abs(values[n - 1] - values[n - 2]) > settings_of(setup).agree + 1e-9:
            n += 1
        i, percent = setup.instrument, settings_of(setup).at_percent
        at = i.lrv + percent / 100 * (i.urv - i.lrv)
        ideal = i.output_lo + percent / 100 * (i.output_hi - i.output_lo)
        slots = tuple(Slot(k, 1, UP, percent, at, ideal, "Bring it there anew.", f"Look {k + 1}") for k in range(n))
        return Plan(slots, is_closed=len(values) >= n)

    def asks(self, setup: RunSetup, slot: Slot) -> tuple[Quantity, ...]:
        mood = Quantity("mood", "Mood of the gauge", "", 0, 5, 0, 10, 1, required=False)
        return (*super().asks(setup, slot), mood)

    def finish(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome, set_key: str) -> Outcome:
        if len(readings) < 2:
            return outcome
        apart = abs(float(readings[-1].indicated) - float(readings[-2].indicated))
        mood = str(readings[-1].extra.get("mood", "none"))
        return replace(
            outcome,
            criteria=(Criterion("agree", "Two looks apart", apart, "mA", None, settings_of(setup).agree, decimals=3),),
            tables=(OutcomeTable("Moods", ("Look", "Mood"), ((str(len(readings)), mood),)),),
            series=(SeriesPoint("apart", "Looks apart", apart, "mA", None, settings_of(setup).agree),),
        )

    def columns(self, setup: RunSetup, set_key: str = "") -> Columns:
        return Columns(
            place="Look", applied="Pushed", applied_unit="kPa", ideal="Hoped for", read="Seen", error="Wrong by, mA", unit="mA", per_percent=0.16,
            decimals=3, has_direction=False, by_percent=False, x="looks", y="wrong by, mA", csv_error="wrong by (mA)",
        )  # fmt: skip


@dataclass(frozen=True)
class ToyAdvice:
    def propose(self, setup: RunSetup, outcome: Outcome, *, is_as_left: bool) -> Proposal:
        return Proposal("leave" if outcome.verdict == "pass" else "adjust", f"It looks {outcome.verdict}.")

    def refuse(self, setup: RunSetup, outcome: Outcome, choice: str) -> str:
        return ""


def targets(setup: RunSetup, _variant: str) -> tuple[AdjustTarget, ...]:
    slot = TRIAL.plan(setup, "as_found").slots[0]
    return (AdjustTarget("mood screw", slot.nominal, "the same push", slot.ideal, 0.02, "mA", 16.0, 3.0, 22.0, label="Mood screw"),)


def flow(setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
    options = (("leave", "Leave it be"), ("adjust", "Cheer it up"))
    follow = {"adjust": lambda n: common.adjust(n, title="Cheer up", instruction="Turn the mood screw.", caution="")}
    found = Wording("as_found", "judge", "as found", "judge", "First looks", "Judge the looks", "Look until two agree.", options, follow)
    left = replace(
        found, found="as_left", judge="judge_left", phase="as left", judge_phase="as left", title="Last looks", judge_title="Judge again"
    )
    spare = Step("adjust", "confirm", "adjust", "Cheer up", "")
    song = Step("song", "confirm", "prepare", "Sing to it", "", fields=(Field("song", "Song"),))
    return (
        common.identity(setup),
        common.references(Field("applied", "Pushing reference", "reference"), Field("indicated", "Seeing meter", "reference")),
        song,
        common.hold(),
        *found_to_left(found, left, choices, spare),
        *common.restore(setup, checks=()),
    )


def needs(_setup: RunSetup) -> tuple[Need, ...]:
    return (
        Need("applied", "Pushing reference", unit="kPa", low=100, high=300, is_informative=True),
        Need("indicated", "Seeing meter", unit="mA", low=4, high=20, is_informative=True),
    )


TRIAL = Again()
TOY = Method(
    key="toy-looks",
    title="Looks until two agree",
    revision="1",
    traits=Traits("transmitter", default_points=(), has_points=False, in_batches=True),
    settings=ToySettings,
    flow=flow,
    trial=TRIAL,
    standards=Standards(needs),
    advice=ToyAdvice(),
    watching=Still(TRIAL, shares=("applied", "indicated", "mood")),
    adjusting=InOrder(targets),
)
