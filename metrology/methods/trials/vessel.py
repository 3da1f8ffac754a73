"""A vessel on load cells: how it can be loaded, and its loads with what the indicator holds in the file, as found and as left.

Sources: OIML R 76-1:2006 (loads, substitution), EURAMET cg-18 v4.0 (uncertainty), WELMEC 2 (gravity).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from metrology.faults import Fault
from metrology.methods.fragments import ScaleSettings
from metrology.methods.outcome import Outcome, OutcomeTable, SeriesPoint
from metrology.methods.settings import asked
from metrology.methods.setup import RunSetup
from metrology.methods.slots import RawReading
from metrology.methods.trials.loads import Loads, Scale
from metrology.quantities.loading import COMPUTED, STANDARD_GRAVITY, SUBSTITUTION, WEIGHTS, Cells, least_load, suffices_for
from metrology.quantities.masses import STEEL, gravity
from metrology.quantities.typed import parse_typed

PARAMETERS = (
    ("p_zero", "Signal empty", "mV/V"),
    ("p_span", "Signal at Max", "mV/V"),
    ("p_max", "Max", "kg"),
    ("p_division", "Division", "kg"),
)
FILE_OF = 1e-5  # of a value: what a parameter may differ from that of the file by rounding
MV_V_STEP = 0.0005  # mV/V: what a signal read back may lie off what was sent, twice: digits of an indicator that shows four


def _read_each(text: str) -> str:
    """The sensitivities, each a number; kept as they were typed."""
    for part in text.replace(";", " ").split():
        parse_typed(part, name="A sensitivity", unit="mV/V", field="sensitivities")
    return text


@dataclass(frozen=True)
class VesselSettings(ScaleSettings):
    """A vessel on load cells. Masses in kg; sensitivities in mV/V, one a cell or one for all; latitude in degrees, 0 with height 0: not known."""

    supports: float = asked("Supports", default=3.0, low=1.0, high=24.0)
    cell_capacity: float = asked("Capacity of a cell", default=10_000.0, unit="kg", low=1.0, high=1e6)
    sensitivities: str = asked(
        "Sensitivity of each cell",
        "text",
        default="2",
        read=_read_each,
        hint="mV/V by their certificates: 2.0012 1.9996 2.0003, or one for all",
    )
    excitation: float = asked("Excitation", default=10.0, unit="V", low=0.1, high=50.0)
    dead_load: float = asked("Dead load", default=0.0, unit="kg", low=0.0, high=1e6)
    least_uv: float = asked("Indicator wants a division of", default=0.5, unit="uV", low=0.01, high=100.0)
    latitude: float = asked("Latitude", default=0.0, unit="deg", hint="With 0 gravity is not counted", low=-90.0, high=90.0)
    height: float = asked("Height above the sea", default=0.0, unit="m", low=-500.0, high=9000.0)
    can_fill: bool = asked("Product can be filled in steps", "flag", default=True)
    least_share: float = asked("Least test load, of all cells", default=10.0, unit="%", low=0.1, high=100.0, is_policy=True)
    corner_percent: float = asked("A support may differ by", default=30.0, unit="% of the mean", low=1.0, high=100.0, is_policy=True)
    creep_min: float = asked("A load stays for the creep test", default=30.0, unit="min", low=1.0, high=240.0, is_policy=True)

    def check(self) -> None:
        """One sensitivity a cell, or one for all; a dead load that the cells can carry."""
        if self.supports != int(self.supports):
            raise Fault("not_whole", f"Supports is {self.supports:g}; it must be a whole number.", field="supports")
        n = len(self.each)
        if n not in (1, int(self.supports)):
            told = (
                f"There are {n} sensitivities for {self.supports:g} supports: give one for each cell, from its certificate, or one for all."
            )
            raise Fault("cell_missing", told, field="sensitivities")
        self.cells()

    @property
    def each(self) -> tuple[float, ...]:
        """The sensitivities as numbers."""
        return tuple(float(p.replace(",", ".")) for p in self.sensitivities.replace(";", " ").split())

    def cells(self) -> Cells:
        """The cells with the gravity of the place."""
        each = self.each if len(self.each) > 1 else self.each * int(self.supports)
        return Cells(each, self.cell_capacity, self.excitation, self.dead_load, self.gravity)

    @property
    def gravity(self) -> float:
        """Of the place, m/s2; the standard one where the place is not known."""
        return gravity(self.latitude, self.height) if self.latitude else STANDARD_GRAVITY


def settings_of(setup: RunSetup) -> VesselSettings:
    """The vessel's own settings."""
    d = setup.instrument.details
    return d if isinstance(d, VesselSettings) else VesselSettings()


def division_of(setup: RunSetup) -> float:
    """Its division, kg."""
    return settings_of(setup).division or setup.instrument.urv / 3000


def way_of(setup: RunSetup) -> str:
    """How it is loaded, as chosen; weights until that is done."""
    return dict(setup.entered).get("way", WEIGHTS)


def ways(setup: RunSetup) -> tuple[str, ...]:
    """How it can be loaded with the weights to hand; the cells are believed only where some weight proves them."""
    s, weights = settings_of(setup), setup.value("weights_kg", 0.0)
    can_fill = dict(setup.entered).get("can_fill", "yes") == "yes"
    found = suffices_for(weights, top=setup.instrument.urv, least=least_load(s.cells(), s.least_share), can_fill=can_fill)
    return (*found, *((COMPUTED,) if weights > 0 else ()))


def scale(setup: RunSetup, set_key: str) -> Scale:
    """What the trial must know: loads by the way that was chosen; after a computed span one known load proves it."""
    s, top, way = settings_of(setup), setup.instrument.urv, way_of(setup)
    hand = min(setup.value("weights_kg", top), top)
    quarters = tuple(round(hand * n / 4, 6) for n in (1, 2, 3, 4))
    loads = {WEIGHTS: quarters, SUBSTITUTION: (top,), COMPUTED: (hand,)}[way]
    weights = hand if way == SUBSTITUTION else 0.0
    return Scale(
        division_of(setup), loads, s.cells().live_kg, s.scheme, s.stage, way == WEIGHTS, weights, setup.value("density", STEEL), uncounted(setup),
        s.back_divisions, s.corner_percent,
    )  # fmt: skip


def uncounted(setup: RunSetup) -> float:
    """How much more everything weighs here than the span it holds counts with, %: where that is what its cells give under standard gravity."""
    s = settings_of(setup)
    cells, held = s.cells(), setup.value("p_span", 0.0)
    plain_span = replace(cells, gravity=STANDARD_GRAVITY).mv_v(setup.instrument.urv)
    return 100 * (s.gravity / STANDARD_GRAVITY - 1) if held and abs(held - plain_span) <= MV_V_STEP / 2 else 0.0


@dataclass(frozen=True)
class Vessel(Loads):
    """The loads, with what the indicator holds: in the file, as found, as left."""

    def finish(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome, set_key: str) -> Outcome:
        """Its parameters beside those of the file; they are kept for the next time."""
        made = super().finish(setup, readings, outcome, set_key)
        table = _parameters(setup, is_left=not set_key.startswith("as_found"))
        kept = _kept(setup, is_left=not set_key.startswith("as_found"))
        return replace(made, tables=(*made.tables, table), series=(*made.series, *kept)) if table.rows else made


def _kept(setup: RunSetup, *, is_left: bool) -> tuple[SeriesPoint, ...]:
    """What it held as found, or as it was left: the file of the next time."""
    known = dict(setup.entered)
    return tuple(
        SeriesPoint(name, label, float((is_left and known.get(f"{name}_now")) or known[name]), unit, is_shown=False)
        for name, label, unit in PARAMETERS
        if known.get(name)
    )


def filed(setup: RunSetup, name: str) -> float | None:
    """What the file has of a parameter: as the last run left it; as it found it, where nothing was set."""
    past = setup.past(name)
    last = [p for p in past if p.on == past[-1].on]
    return next((p.value for p in reversed(last) if p.phase == "as left"), last[-1].value) if past else None


def told_of(name: str, value: float) -> str:
    """A parameter as the indicator shows it: a signal to four decimals."""
    return f"{value:.4f}" if name in ("p_zero", "p_span") else f"{value:.7g}"


def room_of(unit: str, meant: float) -> float:
    """How far a parameter read back may lie off what was meant."""
    return MV_V_STEP / 2 if unit == "mV/V" else FILE_OF * abs(meant)


def changed_in_it(setup: RunSetup) -> tuple[str, ...]:
    """Names of the parameters that the indicator holds otherwise than the file of the last time."""
    known = dict(setup.entered)
    pairs = ((name, filed(setup, name), known.get(name, "")) for name, _, _ in PARAMETERS)
    return tuple(
        name for name, file, held in pairs if file is not None and held and abs(float(held) - file) > FILE_OF * max(abs(file), 1.0)
    )


def _parameters(setup: RunSetup, *, is_left: bool) -> OutcomeTable:
    """File, device and what was sent, side by side; what changed in the device only is pointed out."""
    known, changed, rows = dict(setup.entered), changed_in_it(setup), []
    for name, label, unit in PARAMETERS:
        if not known.get(name):
            continue
        file, now = filed(setup, name), known.get(f"{name}_now", "")
        told = "changed in the device, not in the file" if name in changed else ""
        rows.append((f"{label}, {unit}", "none" if file is None else told_of(name, file), known[name], now if is_left else "", told))
    return OutcomeTable("Parameters", ("Parameter", "File", "Found in it", "Read back after", ""), tuple(rows))
