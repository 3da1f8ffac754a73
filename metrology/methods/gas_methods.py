"""The six gas methods: what each exposes, sets and asks beyond what all share."""

from __future__ import annotations

from dataclasses import replace

from metrology.judgement.gas_kit import GasNeed
from metrology.methods import common_steps as common
from metrology.methods import gas_steps
from metrology.methods.details import Alarm
from metrology.methods.gas import GasMethod
from metrology.methods.gas_details import GasChannel
from metrology.methods.gas_plan import AIR, BACKGROUND, BUMP, SPAN, ZERO, channels_of, gas_need
from metrology.methods.setup import RunSetup
from metrology.methods.steps import Check, Field, Step


class ZeroSpan(GasMethod):
    """gas-zero-span: a single-channel detector, zero gas then span gas."""

    key = "gas-zero-span"
    title = "Gas detector, zero and span"


class Bump(GasMethod):
    """gas-bump: a function check; failing, it goes on as a calibration with its as found on record."""

    key = "gas-bump"
    title = "Gas detector, function check"
    found_kinds = (BUMP,)
    exposures_each = 1
    adjust_choice = "calibrate"
    found_options = ("leave", "calibrate", "repeat", "exchange", "repair", "replace")
    option_words = {"calibrate": "Calibrate it now: zero, then span"}
    exposing = "Put span gas on and watch it answer."

    def exposures(self, setup: RunSetup, set_key: str) -> list[tuple[str, GasChannel]]:
        """One bump; after a calibration zero and span like any other."""
        kinds = (ZERO, SPAN) if set_key == "left" else (BUMP,)
        return [(kind, c) for c in channels_of(setup) for kind in kinds]

    def calibration(self, n: int) -> tuple[Step, ...]:
        """Zero gas is brought and the detector set; the bump stays as its as found."""
        return (
            Step(
                common.numbered("zero_gas", n),
                "confirm",
                "adjust",
                "Bring zero gas",
                "A calibration needs zero gas too. It is judged like any other bottle before it is used.",
                fields=(Field(ZERO, "Zero gas", "gas"),),
                confirm_label="It is here",
            ),
            *gas_steps.adjust(n),
        )

    def gas_needs(self, setup: RunSetup) -> tuple[GasNeed, ...]:
        """Span gas, with the litres it takes when it becomes a calibration; and the zero gas that is asked for then."""
        c = channels_of(setup)[0]
        set_too = gas_need(setup, BUMP, c, exposures=GasMethod.exposures_each).litres
        spans = tuple(replace(n, litres_if_set=set_too) for n in super().gas_needs(setup))
        return (*spans, gas_need(setup, ZERO, c, exposures=2))

    def first_gases(self, setup: RunSetup) -> tuple[GasNeed, ...]:
        """A function check brings span gas only."""
        return tuple(n for n in self.gas_needs(setup) if n.role != ZERO)


class Multichannel(GasMethod):
    """gas-multichannel: several sensors on one head, each set by its reference voltage, with what was moved moved back."""

    key = "gas-multichannel"
    title = "Gas detector head with several channels"
    proves_alarms = False

    def settings(self, setup: RunSetup) -> tuple[Step, ...]:
        """The stored reference voltages compared with what the bottles need."""
        return tuple(s for s in gas_steps.reference_settings(setup) if s.phase == "prepare")

    def opening(self, setup: RunSetup) -> tuple[Step, ...]:
        """Moved to test, voltages set."""
        return (gas_steps.pairs_out(), *(s for s in gas_steps.reference_settings(setup) if s.phase != "prepare"))

    def back(self, setup: RunSetup) -> tuple[Step, ...]:
        """Moved back before anything is released."""
        return (gas_steps.pairs_back(),)


class OpticalZero(GasMethod):
    """gas-ir-zero: an optical point detector; only its zero is set, its span is proved."""

    key = "gas-ir-zero"
    title = "Optical gas detector, zero"
    screws = (ZERO,)
    option_words = {"adjust": "Zero it"}
    waits_for = "path_purge"
    exposing = "Zero gas through the whole path, then span gas to prove the fixed span."

    def incoming(self, setup: RunSetup) -> tuple[Step, ...]:
        """Windows and path looked at."""
        return (
            Step(
                "optics",
                "confirm",
                "prepare",
                "Optics",
                "Look at the windows and read the obscuration signal. Dirt takes signal away and can look like drift.",
                fields=(
                    Field("windows", "Windows", "choice", options=(("clean", "Clean"), ("cleaned", "Were dirty, cleaned now"))),
                    Field("obscuration", "Obscuration signal", "number", "%", required=False, low=0, high=100),
                ),
                confirm_label="Looked at",
            ),
        )

    def opening(self, setup: RunSetup) -> tuple[Step, ...]:
        """Guard off, adapter on, three path volumes through."""
        d = setup.instrument.details.detector
        minutes = 3 * d.path_l / d.flow_l_min
        return (
            Step(
                "path_purge",
                "timer",
                "make safe",
                "Purge the path",
                f"Guard off, adapter on. Let dry zero gas through for three path volumes: 3 x {d.path_l:g} l at {d.flow_l_min:g} l/min.",
                minutes=minutes,
            ),
        )


class Oxygen(GasMethod):
    """gas-oxygen: one point in clean air, no zero to set; zero proved with nitrogen where the register asks for it."""

    key = "gas-oxygen"
    revision = "2"
    title = "Oxygen depletion detector"
    screws = (AIR,)
    found_kinds = (AIR,)
    exposures_each = 3
    proves_alarms = False
    needs_proof = False
    purges = False
    option_words = {"adjust": "Set it in air"}
    exposing = "Clean air at the sensor until it stands."

    def exposures(self, setup: RunSetup, set_key: str) -> list[tuple[str, GasChannel]]:
        """Air; and nitrogen where zero is proved."""
        c = channels_of(setup)[0]
        return [(AIR, c), (ZERO, c)] if setup.instrument.details.detector.proves_zero else [(AIR, c)]

    def gas_needs(self, setup: RunSetup) -> tuple[GasNeed, ...]:
        """Air, and nitrogen where zero is proved."""
        c = channels_of(setup)[0]
        kinds = (AIR, ZERO) if setup.instrument.details.detector.proves_zero else (AIR,)
        return tuple(gas_need(setup, k, c, exposures=self.exposures_each) for k in kinds)

    def proved_alarms(self, setup: RunSetup) -> tuple[Alarm, ...]:
        """Nitrogen takes oxygen through the falling alarms; more oxygen than air has is never brought."""
        falling = tuple(a for a in setup.instrument.details.alarms if not a.rising)
        return falling if setup.instrument.details.detector.proves_zero else ()

    def normal_band(self, setup: RunSetup) -> tuple[float, float]:
        """Normal air."""
        return 19.5, 23.0


class Portable(GasMethod):
    """gas-portable: an aspirated instrument with several ranges; between gases it sees air again."""

    key = "gas-portable"
    title = "Portable gas instrument"
    has_output = False
    proves_alarms = False
    exposing = "Each range its own gas, in this order; after each gas back to air until the background is normal."

    def exposures(self, setup: RunSetup, set_key: str) -> list[tuple[str, GasChannel]]:
        """Zero of all ranges in clean air (oxygen by nitrogen), then each range's gas with air after it."""
        found = channels_of(setup)
        if set_key == "proof":
            return [(AIR if c.gas == "oxygen" else BUMP, c) for c in found]
        out: list[tuple[str, GasChannel]] = []
        for c in found:
            out += [(ZERO, c), (AIR if c.gas == "oxygen" else SPAN, c)]
            if c.gas != "oxygen":
                out.append((BACKGROUND, c))
        return out

    def gas_needs(self, setup: RunSetup) -> tuple[GasNeed, ...]:
        """Clean air for zero, nitrogen for oxygen, span gas a range."""
        needs: dict[str, GasNeed] = {}
        for kind, c in self.exposures(setup, "found"):
            if kind == BACKGROUND:
                continue
            need = gas_need(setup, kind, c, exposures=self.exposures_each)
            needs.setdefault(need.role, need)
        return tuple(needs.values())

    def incoming(self, setup: RunSetup) -> tuple[Step, ...]:
        """What must be sound before any gas: battery, probe, filters, hoses, and no leak."""
        return (
            Step(
                "incoming",
                "confirm",
                "prepare",
                "Incoming checks",
                "Block the inlet with a finger: the flow alarm must come, or it draws false air through a leak.",
                fields=(
                    Field(
                        "flow_alarm", "Inlet blocked: seconds until the flow alarm", "number", "s", low=0, high=30,
                        why="It leaks or its pump is weak: repair it before it is calibrated.",
                    ),
                    Field("battery", "Battery", "choice", options=(("full", "Full"), ("charged", "Charged now"))),
                ),
                checks=(
                    Check("probe", "Probe and hoses whole, couplings tight"),
                    Check("filters", "Filters clean and dry, water stop in"),
                ),
                confirm_label="It is sound",
            ),
        )  # fmt: skip


GAS_METHODS = (ZeroSpan(), Bump(), Multichannel(), OpticalZero(), Oxygen(), Portable())
