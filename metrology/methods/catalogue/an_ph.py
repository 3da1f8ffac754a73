"""an-ph: a pH analyzer in two buffers, in the line or hanging in a vessel.

Sources: DIN 19266:2015 (buffers), DIN 19268:2007 (practice), IUPAC Recommendations 2002 (measurement of pH).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from functools import lru_cache
from typing import Any

from metrology.faults import Fault
from metrology.judgement.decision import FAIL
from metrology.judgement.ph_signature import GlassLimits
from metrology.methods.adjusting.base import SPAN, ZERO, AdjustTarget
from metrology.methods.adjusting.in_order import InOrder
from metrology.methods.flow import analyzer as analyzer_flow
from metrology.methods.flow import common
from metrology.methods.flow.common import Wording, found_to_left
from metrology.methods.method import Method, Traits, Use
from metrology.methods.outcome import Outcome, Proposal
from metrology.methods.settings import Settings, asked
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Slot
from metrology.methods.standards.base import BUFFER, Need, Standards
from metrology.methods.standards.buffer import BufferNeed
from metrology.methods.steps import Check, Field, Pair, Step
from metrology.methods.trials.curve import tolerance_of
from metrology.methods.trials.points import role_at
from metrology.methods.trials.two_buffers import FIRST, SECOND, Analyzer, TwoBuffers
from metrology.methods.watching import Still
from metrology.quantities.words import number

TABLES = (("", "as the bottles are"), ("nist", "NIST / DIN 19266"), ("technical", "technical, rounded"), ("own", "of its own"))
SECONDS = (("bracket", "the one that brackets the process"), ("acid", "acid"), ("alkaline", "alkaline"))
CLEANED = (("after", "after the as-found readings"), ("before", "before the as-found readings"))
CHEMICALS = (
    "Acid and buffers: wear goggles and gloves, know where the eye wash is. Never mix cleaning acid with chlorine or cyanide residues.",
    "A glass electrode breaks: no force on it, and pick up splinters with a tool.",
)
IN_LINE = "The vessel may be under pressure or hold the product: stop the sample, vent and drain it before it is opened."


@dataclass(frozen=True)
class PhSettings(Settings):
    """A pH analyzer with its electrode. Times in min, s and days; slopes in % of theory, offsets in mV, impedances in Mohm and kohm."""

    buffer_set: str = asked("Buffer table set in it", "choice", default="", options=TABLES)
    place: str = asked("Electrode is", "choice", default="immersed", options=analyzer_flow.PLACES)
    process_ph: float = asked("Usual pH of the process", default=7.0, low=0.0, high=14.0)
    shows_mv: bool = asked("It shows the electrode's signal in mV", "flag", default=True)
    shows_impedance: bool = asked("It shows the impedance of glass and reference", "flag", default=False)
    has_grab: bool = asked("A grab sample can be taken", "flag", default=False)
    grab_tolerance: float = asked("It may differ from a grab sample by", default=0.2, unit="pH", low=0.02, high=2.0)
    sensor_serial: str = asked("Sensor serial", "text", default="")
    sensor_since: str = asked("Sensor fitted on", "text", default="", hint="Like 2026-03-01")
    second_buffer: str = asked("Second buffer", "choice", default="bracket", options=SECONDS, is_policy=True)
    cleaned: str = asked("It is cleaned", "choice", default="after", options=CLEANED, is_policy=True)
    clean_min: float = asked("Cleaning takes", default=5.0, unit="min", low=0.0, high=240.0, is_policy=True)
    slope_good: float = asked("Slope is good from", default=92.0, unit="%", low=50.0, high=100.0, is_policy=True)
    slope_replace: float = asked("Electrode is replaced below", default=85.0, unit="%", low=30.0, high=100.0, is_policy=True)
    offset_good: float = asked("Offset is good up to", default=30.0, unit="mV", low=1.0, high=200.0, is_policy=True)
    offset_replace: float = asked("Electrode is replaced beyond an offset of", default=60.0, unit="mV", low=1.0, high=400.0, is_policy=True)
    response_good: float = asked("95 % is reached within", default=120.0, unit="s", low=1.0, high=3600.0, is_policy=True)
    often_days: float = asked("Calibrated too often below", default=30.0, unit="days", low=1.0, high=365.0, is_policy=True)

    def check(self) -> None:
        """Limits in their order, a date that is one."""
        if self.slope_replace > self.slope_good:
            raise Fault("bad_limits", "The slope at which it is replaced lies above the slope that is good.", field="slope_replace")
        if self.offset_good > self.offset_replace:
            raise Fault("bad_limits", "The offset that is good lies beyond the one at which it is replaced.", field="offset_good")
        if self.sensor_since:
            try:
                date.fromisoformat(self.sensor_since)
            except ValueError:
                raise Fault("bad_date", f"'{self.sensor_since}' is not a date like 2026-03-01.", field="sensor_since") from None


def settings_of(setup: RunSetup) -> PhSettings:
    """The analyzer's own settings."""
    s = setup.instrument.details
    return s if isinstance(s, PhSettings) else PhSettings()


def analyzer(setup: RunSetup) -> Analyzer:
    """What the trial must know of it."""
    d = settings_of(setup)
    limits = GlassLimits(
        good_low=d.slope_good, replace=d.slope_replace, offset_mv=d.offset_good, response_s=d.response_good, often_days=d.often_days
    )
    return Analyzer(limits, d.offset_replace, d.shows_mv, d.shows_impedance, d.grab_tolerance)


def is_acid(setup: RunSetup) -> bool:
    """Whether the second buffer is an acid one; where either brackets the process, acid."""
    d = settings_of(setup)
    return d.second_buffer == "acid" or (d.second_buffer == "bracket" and d.process_ph <= 7.0)


def needs(setup: RunSetup) -> tuple[Need, ...]:
    """A buffer near 7 and one on the side of the process, of the table that is set in the analyzer; a fresh portion each time."""
    table = settings_of(setup).buffer_set
    low, high, side = (1.0, 5.5, "acid") if is_acid(setup) else (8.5, 13.0, "alkaline")
    return (
        Need(FIRST, "First buffer, near pH 7", BUFFER, "pH", detail=BufferNeed(6.5, 7.5, 3, SECOND, table=table), amount=3),
        Need(SECOND, f"Second buffer, {side}", BUFFER, "pH", detail=BufferNeed(low, high, 3, FIRST, table=table), amount=3),
    )


def targets(setup: RunSetup, _variant: str) -> tuple[AdjustTarget, ...]:
    """Offset in the first buffer, then slope in the second."""
    i, known = setup.instrument, dict(setup.entered)
    span = i.urv - i.lrv
    out = []
    for role, screw, kind in ((FIRST, "offset", ZERO), (SECOND, "slope", SPAN)):
        ph = TRIAL.table_ph(setup, role)
        aim = max(0.005, tolerance_of(setup, ph) / 100 * span * setup.policy.aim_percent / 100)
        apply = f"pH {number(ph, 2)} ({known.get(f'{role}.code', 'the buffer')}), fresh"
        out.append(
            AdjustTarget(screw, ph, apply, ph, aim, "pH", span, ph - 3.0, ph + 3.0, kind=kind, keys=(role, screw), role=role, label=screw.capitalize())
        )  # fmt: skip
    return tuple(out)


@dataclass(frozen=True)
class PhAdvice:
    """Leave, adjust, clean, take again or replace, from readings, electrode and causes."""

    def propose(self, setup: RunSetup, outcome: Outcome, *, is_as_left: bool) -> Proposal:
        """The proposed decision."""
        worst = outcome.worst
        if worst is None:
            return Proposal("repeat", "There are no readings to judge.")
        first = outcome.signatures[0] if outcome.signatures else None
        off = worst.point.indicated - worst.point.applied
        where = f"The largest error is {off:+.2f} pH in pH {worst.point.applied:.2f}, {100 * outcome.share:.0f} % of what is allowed."
        if first and first.code in MIXED:
            return Proposal("repeat", f"{first.says} {first.first_action}")
        if any(c.verdict == FAIL for c in outcome.criteria) or (first and first.code == "cracked-glass"):
            bad = "; ".join(f"{c.label.lower()} {number(c.value, c.decimals)} {c.unit}" for c in outcome.criteria if c.verdict == FAIL)
            return Proposal(
                "replace", f"The electrode is beyond its limits: {bad or (first.says if first else '')}. Adjusting would hide it."
            )
        if first and first.code == "temperature-not-compensated":
            return Proposal("repair", f"{where} {first.says} {first.first_action}")
        share = max((abs(j.point.error_percent) / j.tolerance for j in outcome.judged), default=0.0)
        if share > 1 or (not is_as_left and 100 * share > setup.policy.adjust_limit_percent):
            return Proposal("adjust", f"{where} Clean it, then set offset and slope.")
        return Proposal("leave", f"{where} The electrode is inside its limits.")

    def refuse(self, setup: RunSetup, outcome: Outcome, choice: str) -> str:
        """What the buffers can't have said is not adjusted to."""
        first = outcome.signatures[0] if outcome.signatures else None
        if choice == "adjust" and first and first.code in MIXED and first.confidence >= 0.5:
            return f"{first.says} Adjusting to that would set the analyzer wrong. {first.first_action}"
        return ""


MIXED = ("buffers-swapped", "same-buffer", "wrong-table", "contaminated-buffer")


def steps(setup: RunSetup, choices: Mapping[str, str]) -> tuple[Step, ...]:
    """The steps, as the choices so far shape them."""
    return _steps(setup, tuple(sorted(choices.items())))


FOLLOWS = (
    "A dosing loop that follows this signal would answer to the buffers: put it in manual at a safe output, or hold the signal, before the electrode "
    "leaves the sample. The hold stays in sight on every page until it is released."
)
WATCHED = "While the loop is in manual, somebody must watch the pH by other means."
BEAKERS = ("first", "second", "process")  # where a bench puts the electrode
OPTIONS = (
    ("leave", "Leave as it is"),
    ("adjust", "Clean, then adjust"),
    ("clean", "Clean only, then read again"),
    ("repair", "Put right what is wrong, then read again"),
    ("repeat", "Read the buffers again"),
    ("replace", "Replace the electrode, then adjust"),
)


@lru_cache(maxsize=256)
def _steps(setup: RunSetup, chosen: tuple[tuple[str, str], ...]) -> tuple[Step, ...]:
    d = settings_of(setup)
    told = "Nothing is adjusted before both buffers are read. Wait until the drift stops; a slow electrode says something by it."
    follow = {
        "adjust": lambda n: (*_clean(setup, f"_{n}"), *_adjusting(n, needs_shown=not d.shows_mv)),
        "clean": lambda n: _clean(setup, f"_{n}"),
        "repair": common.repair,
        "replace": lambda n: (*_exchange(n), *_adjusting(n, needs_shown=not d.shows_mv)),
    }
    found = Wording("as_found", "judge", "as found", "judge", "As found", "Judge as found", told, OPTIONS, follow, keys=BEAKERS)
    left = Wording(
        "as_left", "judge_left", "as left", "as left", "As left", "Judge as left",
        "Both buffers once more, each a fresh portion.", OPTIONS[:1] + OPTIONS[1:4] + OPTIONS[5:], follow, keys=BEAKERS,
    )  # fmt: skip
    spare = Step("adjust", "confirm", "adjust", "Clean and adjust", "Clean, then offset in the first buffer and slope in the second.")
    return (
        common.identity(setup),
        _buffers(setup),
        _shown("", "prepare", is_needed=not d.shows_mv),
        common.warm_up(setup),
        common.operator(setup),
        analyzer_flow.hold(setup, FOLLOWS, WATCHED),
        common.cautions(setup, *CHEMICALS, *((IN_LINE,) if d.place == "in-line" else ()), checks=CHECKS),
        *_grab(setup),
        *_opening(setup),
        *(_clean(setup, "") if d.cleaned == "before" else ()),
        *found_to_left(found, left, dict(chosen), spare),
        *_closing(setup),
        *common.restore(setup, checks=_back(setup), caution="Let the sample in slowly; a cold shock or a knock breaks the glass."),
    )


CHECKS = (
    Check("reach", "Rinse water, paper, fresh beakers and a thermometer at hand"),
    Check("safe", "The cautions above are met"),
    Check("untouched", "Nothing adjusted or cleaned yet: as found comes first"),
)


def _buffers(setup: RunSetup) -> Step:
    return Step(
        "buffers",
        "confirm",
        "prepare",
        "Buffers",
        "Choose what is really in the beakers. Each reading and each adjustment takes a fresh portion; none is poured back.",
        fields=(
            *(Field(n.role, n.label, "item") for n in needs(setup)),
            Field(
                "buffer_c", "Temperature of the buffers", "number", "°C", low=5, high=50, hint="Measured in the beaker; the table is read there",
                why="The tables of the buffers go from 5 to 50 °C.",
            ),
        ),
        enters=True,
        confirm_label="Use these",
    )  # fmt: skip


def _shown(at: str, phase: str, *, is_needed: bool) -> Step:
    """What the analyzer shows of its calibration, before and after it is set."""
    told = (
        "Note what the analyzer shows of its calibration" + (" now that it is set." if at else "; it stands beside the new one."),
        "Its signal in mV is worked out from that." if is_needed else "",
    )
    return Step(
        f"shown{at}",
        "confirm",
        phase,
        "Calibration it shows" + (" now" if at else ""),
        " ".join(t for t in told if t),
        fields=(
            Field("slope_now", "Slope it shows", "number", "%", required=is_needed, low=20, high=120, hint="% of theory"),
            Field("offset_now", "Offset it shows", "number", "mV", required=is_needed, low=-400, high=400),
        ),
        enters=True,
    )


def _grab(setup: RunSetup) -> tuple[Step, ...]:
    if not settings_of(setup).has_grab:
        return ()
    return (
        Step(
            "grab",
            "confirm",
            "as found",
            "Grab sample",
            "Before the electrode leaves the process: take a sample at it, note what the analyzer reads at that moment, and read the sample by the "
            "meter at once; pH moves with temperature and air. Left empty where no sample can be had today.",
            fields=(
                Field("grab_read", "The analyzer reads", "number", "pH", required=False, low=-2, high=16),
                Field("grab_ph", "The sample reads", "number", "pH", required=False, low=-2, high=16),
            ),
            enters=True,
        ),
    )


PAIRS = (
    Pair("sample", "Sample to the vessel", "open", "shut"),
    Pair("vessel", "Vessel of the electrode", "on", "off"),
)


def _opening(setup: RunSetup) -> tuple[Step, ...]:
    if settings_of(setup).place != "in-line":
        return ()
    told = "Shut the sample, vent and drain, then take the vessel off. What was moved stays marked until it is back."
    return (analyzer_flow.taken_out(PAIRS, "Stop the sample, vessel off", told, "Sample stopped, vessel off"),)


def _closing(setup: RunSetup) -> tuple[Step, ...]:
    if settings_of(setup).place != "in-line":
        return ()
    told = "Seal in its groove, clean and whole; vessel back on hand-tight; then open the sample slowly and look for leaks."
    return (analyzer_flow.put_back(PAIRS, "Vessel on, sample open", told),)


def _back(setup: RunSetup) -> tuple[Check, ...]:
    flow = (Check("seal", "The seal is in place, no leak"), Check("flow", "Sample flow restored and as usual"))
    return (
        Check("rinsed", "Electrode rinsed; never left in pure water"),
        *(flow if settings_of(setup).place == "in-line" else (Check("depth", "Electrode and temperature sensor at their depth"),)),
        Check("cap", "No wetting cap left on, electrolyte and pressure as they should be"),
        Check("acid", "Acid and used buffers away by the rules of the site"),
        Check("tidy", "Tags and tools cleared away"),
    )


def _clean(setup: RunSetup, at: str) -> tuple[Step, ...]:
    """The acid soak with its timer, then rinse and pat dry."""
    d = settings_of(setup)
    phase = "make safe" if not at else "adjust"
    return (
        Step(
            f"cleaning{at}",
            "timer",
            phase,
            "Clean the electrode",
            f"Soak the glass in dilute acid for {d.clean_min:g} min; wipe nothing dry. Site procedure says which acid.",
            cautions=CHEMICALS[:1],
            minutes=d.clean_min,
        ),
        Step(
            f"rinsed{at}",
            "confirm",
            phase,
            "Rinse",
            "Rinse well and pat dry. No long soak in pure water: it draws the salt out of glass and junction.",
            checks=(
                Check("rinse", "Rinsed with plenty of water"),
                Check("pat", "Patted dry, not rubbed"),
                Check("soak", "Not left standing in pure water"),
            ),
            confirm_label="It is clean",
            needs_timer=f"cleaning{at}",
        ),
    )


def _adjusting(n: int, *, needs_shown: bool) -> tuple[Step, ...]:
    return common.adjust(
        n,
        title="Set offset and slope",
        instruction="The first buffer sets the offset, the second the slope. Each a fresh portion; accept when it stands.",
        caution="",
    ) + (_shown(f"_{n}", "adjust", is_needed=needs_shown),)


def _exchange(n: int) -> tuple[Step, ...]:
    return (
        Step(
            common.numbered("electrode", n),
            "confirm",
            "adjust",
            "Replace the electrode",
            "Note the serial of the new one; slope and offset are followed from here on as a new life.",
            fields=(Field("new_serial", "Serial of the new electrode"), Field("work", "Why it was replaced", "long")),
            checks=(Check("wet", "Wetting cap off, no air in the tip"),),
            enters=True,
            confirm_label="The new one is in",
        ),
    )


def check(_details: Any, register: Mapping[str, Any]) -> None:
    """What is read in two buffers tells pH."""
    if str(register["unit"]) != "pH":
        raise Fault("wrong_unit", f"'{register['unit']}' is not pH; an analyzer that is read in buffers has its range in pH.", field="unit")


def uses(_setup: RunSetup, _kind: str, _captured: Mapping[str, Any] | None) -> Use | None:
    """A fresh portion each time."""
    return Use("", BUFFER, 1.0, "portions")


def words(setup: RunSetup) -> tuple[str, str]:
    """It is read on its display, in pH."""
    return "read in pH", setup.instrument.tolerance_text


def minutes(_setup: RunSetup, _slot: Slot) -> float:
    """A buffer takes its rinse, its portion and its settling."""
    return 4.0


TRIAL = TwoBuffers(analyzer)
SHOWN_BY_IT = ("indicated", "mv", "buffer_c", "response_s", "analyzer_c", "glass_mohm", "ref_kohm")
METHOD = Method(
    key="an-ph",
    title="pH, two buffers",
    revision="2",
    traits=Traits(
        "analyzer",
        measures=("",),
        default_points=(),
        has_points=False,
        unguarded="Nobody watches this pH, and its dosing stands still.",
        wears=("Goggles and acid gloves",),
    ),
    settings=PhSettings,
    flow=steps,
    trial=TRIAL,
    standards=Standards(needs, role_at=role_at),
    advice=PhAdvice(),
    watching=Still(TRIAL, patience=4.0, shares=SHOWN_BY_IT),
    adjusting=InOrder(
        targets, hint="Wait until it stands in a fresh portion before you accept.", proof="Prove it in both buffers, fresh portions."
    ),
    words=words,
    check=check,
    minutes=minutes,
    uses=uses,
)
