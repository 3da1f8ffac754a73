"""What the page of each calculation shows: title, fields with units, formula, source, inverse, plot."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from metrology.judgement.decision import RULES
from metrology.quantities.acidity import BUFFERS
from metrology.quantities.gas import BASES, GASES
from metrology.quantities.temperature import SENSOR_CLASSES
from metrology.quantities.thermocouple_tables import REFERENCE_FUNCTIONS
from metrology.quantities.weighing import SCALE_SCHEMES


@dataclass(frozen=True)
class SheetField:
    """A field of a calculation. kind: number, text, choice, list (numbers), rows (one row a line, `columns` name its parts)."""

    name: str
    label: str
    unit: str = ""
    kind: str = "number"
    start: str = ""
    options: tuple[str, ...] = ()
    columns: tuple[str, ...] = ()
    required: bool = True


@dataclass(frozen=True)
class Plot:
    """A curve worth seeing: output over a field that runs from low to high; band: the output is a tolerance, plus and minus."""

    over: str
    output: str
    low: float
    high: float
    band: bool = False


@dataclass(frozen=True)
class Sheet:
    """The page of one calculation."""

    name: str
    title: str
    group: str
    fields: tuple[SheetField, ...]
    outputs: tuple[tuple[str, str, str], ...]  # name, label, unit
    formula: str
    source: str
    inverse: str = ""
    plot: Plot | None = None


def _f(name: str, label: str, unit: str = "", start: str = "", **more: Any) -> SheetField:
    return SheetField(name, label, unit, start=start, **more)


def _choice(name: str, label: str, options: tuple[str, ...], start: str = "", **more: Any) -> SheetField:
    return SheetField(name, label, kind="choice", options=options, start=start or options[0], **more)


_RANGE = (_f("lrv", "LRV", start="0"), _f("urv", "URV", start="100"))
_OUT = (_f("output_lo", "Output at LRV", "mA", "4"), _f("output_hi", "Output at URV", "mA", "20"))
_TRANSFER = (_choice("transfer", "Transfer", ("linear", "sqrt", "reverse")), _f("cutoff_percent", "Cut-off", "% of output", "0"))
_TYPES = tuple(sorted(REFERENCE_FUNCTIONS))
_TC = _choice("type", "Type", _TYPES, "K")
_COLD = _f("cold_junction_c", "Cold junction", "C", "0")
_DISPLACER = (
    _f("weight", "Weight in air", "kg or lb", "2"),
    _f("volume", "Volume", "cm3 or in3", "1500"),
    _f("density", "Density", "kg/cm3 or lb/in3", "0.001"),
    _f("upper_density", "Upper density", "kg/cm3 or lb/in3", "0"),
)

SHEETS: tuple[Sheet, ...] = (
    Sheet(
        "signal",
        "Output for a value",
        "Signal and loop",
        (*_RANGE, _f("value", "Value", start="50"), *_OUT, *_TRANSFER),
        (("percent", "Input", "%"), ("output", "Output", "mA"), ("output_percent", "Output", "%")),
        "output = lo + f((value - LRV) / (URV - LRV)) x (hi - lo); f(x) = x, square root of x, or 1 - x",
        "definition of the range; IEC 61298-2:2008",
        "signal-inverse",
        Plot("value", "output", 0, 100),
    ),
    Sheet(
        "signal-inverse",
        "Value for an output",
        "Signal and loop",
        (*_RANGE, _f("output", "Output", "mA", "12"), *_OUT, *_TRANSFER),
        (("percent", "Input", "%"), ("value", "Value", ""), ("output_percent", "Output", "%")),
        "value = LRV + f inverse of ((output - lo) / (hi - lo)) x (URV - LRV)",
        "definition of the range; IEC 61298-2:2008",
        "signal",
        Plot("output", "value", 4, 20),
    ),
    Sheet(
        "loop",
        "Loop budget",
        "Signal and loop",
        (
            _f("supply_v", "Supply", "V", "24"),
            _f("lift_off_v", "Lift-off voltage", "V", "10.5"),
            _f("ohms", "Resistance in the loop", "ohm", "250"),
            _f("max_ma", "Highest current", "mA", "20"),
        ),
        (
            ("available_v", "Left for the transmitter", "V"),
            ("margin_v", "Margin", "V"),
            ("communicates", "A communicator can talk", ""),
            ("reason", "Why", ""),
        ),
        "left = supply - I max x R; a communicator needs 230 ohm or more in the loop",
        "Ohm's law; IEC 61158 type 20 physical layer",
        plot=Plot("ohms", "available_v", 0, 1000),
    ),
    Sheet(
        "thermocouple-emf",
        "Thermocouple: voltage at a temperature",
        "Temperature",
        (_TC, _f("t90_c", "Temperature", "C", "100"), _COLD),
        (("emf_mv", "Voltage", "mV"),),
        "E = Eref(t90) - Eref(cold junction)",
        "ITS-90 reference functions, NIST Monograph 175; IEC 60584-1:2013",
        "thermocouple-temperature",
        Plot("t90_c", "emf_mv", -200, 1300),
    ),
    Sheet(
        "thermocouple-temperature",
        "Thermocouple: temperature of a voltage",
        "Temperature",
        (_TC, _f("emf_mv", "Voltage", "mV", "4.096"), _COLD),
        (("t90_c", "Temperature", "C"),),
        "t90 from Eref(t90) = E + Eref(cold junction), the reference function inverted",
        "ITS-90 reference functions, NIST Monograph 175",
        "thermocouple-emf",
        Plot("emf_mv", "t90_c", -5, 50),
    ),
    Sheet(
        "pt-resistance",
        "Platinum: resistance at a temperature",
        "Temperature",
        (_f("t90_c", "Temperature", "C", "100"), _f("r0", "Resistance at 0 C", "ohm", "100")),
        (("ohm", "Resistance", "ohm"),),
        "R = R0 (1 + A t + B t2), below 0 C also + C (t - 100) t3",
        "IEC 60751:2008, clause 4",
        "pt-temperature",
        Plot("t90_c", "ohm", -200, 850),
    ),
    Sheet(
        "pt-temperature",
        "Platinum: temperature of a resistance",
        "Temperature",
        (_f("ohm", "Resistance", "ohm", "138.505"), _f("r0", "Resistance at 0 C", "ohm", "100")),
        (("t90_c", "Temperature", "C"),),
        "t from R(t) = R, solved above 0 C, bisected below",
        "IEC 60751:2008, clause 4",
        "pt-resistance",
        Plot("ohm", "t90_c", 20, 390),
    ),
    Sheet(
        "sensor-tolerance",
        "Sensor class: tolerance at a temperature",
        "Temperature",
        (_choice("sensor", "Class", tuple(SENSOR_CLASSES), "pt-a"), _f("t90_c", "Temperature", "C", "100")),
        (("tolerance_c", "Tolerance, plus or minus", "C"),),
        "platinum: a + b |t|; thermocouple: the greater of a and b |t|",
        "IEC 60751:2008 table 3; IEC 60584-1:2013 table 12",
        plot=Plot("t90_c", "tolerance_c", -200, 1600, band=True),
    ),
    Sheet(
        "ph-buffer",
        "pH of a buffer",
        "Analysis",
        (
            _choice("set", "Buffer set", tuple(BUFFERS)),
            _f("nominal", "Nominal pH", start="6.865"),
            _f("temp_c", "Temperature", "C", "25"),
        ),
        (("ph", "pH", ""),),
        "the set's table, straight lines between its temperatures",
        "DIN 19266 / NIST primary buffers; technical buffers as tabulated",
        plot=Plot("temp_c", "ph", 0, 60),
    ),
    Sheet(
        "ph-slope",
        "pH electrode: slope and offset",
        "Analysis",
        (
            _f("e1_mv", "First buffer reads", "mV", "0"),
            _f("ph1", "First buffer", "pH", "7"),
            _f("e2_mv", "Second buffer reads", "mV", "175"),
            _f("ph2", "Second buffer", "pH", "4.01"),
            _f("temp_c", "Temperature", "C", "25"),
        ),
        (
            ("slope_mv_per_ph", "Slope", "mV/pH"),
            ("theoretical_mv_per_ph", "Theoretical slope", "mV/pH"),
            ("efficiency_percent", "Efficiency", "%"),
            ("offset_mv", "Offset at pH 7", "mV"),
            ("verdict", "Verdict", ""),
        ),
        "slope = (E1 - E2) / (pH1 - pH2); theoretical = -2.302585 R T / F",
        "Nernst equation, CODATA constants",
    ),
    Sheet(
        "gas-convert",
        "Gas: concentration converted",
        "Gas",
        (
            _choice("gas", "Gas", tuple(GASES)),
            _f("value", "Value", start="50"),
            _choice("from", "From", ("lel", "vol", "ppm")),
            _choice("to", "To", ("vol", "ppm", "lel")),
            _choice("basis", "LEL basis", tuple(BASES)),
        ),
        (("value", "Value", ""), ("lel_percent_vol", "LEL", "% vol"), ("basis", "Basis", "")),
        "1 % vol = 10 000 ppm; %LEL = 100 x % vol / LEL",
        "IEC 60079-20-1 or NFPA 497, as chosen",
    ),
    Sheet(
        "gas-reference-voltage",
        "Gas: reference voltage of a channel",
        "Gas",
        (
            _f("concentration", "Concentration", start="50"),
            _f("range", "Channel range", start="100"),
            _f("full_scale_v", "Full scale", "V", "5"),
        ),
        (("volts", "Reference voltage", "V"),),
        "volts = concentration / range x full scale",
        "proportion",
    ),
    Sheet(
        "gas-volume",
        "Gas: litres needed",
        "Gas",
        (
            _f("flow_l_min", "Flow", "l/min", "0.5"),
            _f("minutes", "Minutes of each exposure", "min", "3"),
            _f("exposures", "Exposures", start="2"),
        ),
        (("litres", "Gas needed", "l"),),
        "litres = flow x minutes x exposures",
        "volume flow",
    ),
    Sheet(
        "purge-cycles",
        "Regulator purge: cycles",
        "Gas",
        (
            _f("gauge_kpa", "Filling pressure, gauge", "kPa", "500"),
            _f("start_ppm", "Residual at the start", "ppm", "209000"),
            _f("target_ppm", "Target", "ppm", "1"),
            _f("atmosphere_kpa", "Atmosphere", "kPa", "101.325"),
        ),
        (("cycles", "Cycles", ""), ("residual_ppm", "Residual after them", "ppm")),
        "residual = start x (Patm / (Patm + Pgauge))^n",
        "dilution by filling and venting",
    ),
    Sheet(
        "displacer",
        "Displacer: apparent weight",
        "Level",
        (*_DISPLACER, _f("percent", "Level", "%", "50")),
        (("buoyancy", "Buoyancy", "kg or lb"), ("apparent_weight", "Apparent weight", "kg or lb"), ("volume", "Volume", "cm3 or in3")),
        "apparent = W - V (lower density x p + upper density x (1 - p))",
        "Archimedes' principle",
        plot=Plot("percent", "apparent_weight", 0, 100),
    ),
    Sheet(
        "displacer-weights",
        "Displacer: weights to hang",
        "Level",
        (
            *_DISPLACER,
            _f("gravity", "Local gravity / standard", start="1"),
            SheetField("percents", "Levels", "%", "list", "0 25 50 75 100"),
            SheetField("weights_on_hand", "Weights on hand", "kg or lb", "list", "1 0.5 0.2 0.2 0.1 0.05 0.02 0.02 0.01", required=False),
        ),
        (("usable", "All can be made", ""), ("says", "In words", ""), ("rows", "Loads", "")),
        "nearest sum of the weights on hand; true level from the load made",
        "Archimedes' principle",
    ),
    Sheet(
        "belt-revolutions",
        "Belt: whole revolutions",
        "Weighing",
        (_f("belt_length_m", "Belt length", "m", "60"), _f("speed_m_s", "Speed", "m/s", "1.5"), _f("minutes", "At least", "min", "10")),
        (("revolutions", "Revolutions", ""), ("duration_s", "Duration", "s")),
        "n = speed x time / length, rounded up; duration = n x length / speed",
        "whole revolutions, OIML R 50-1:2014",
    ),
    Sheet(
        "belt-load",
        "Belt: simulated load",
        "Weighing",
        (
            _f("test_weight_kg", "Test weight", "kg", "20"),
            _f("idler_pitch_m", "Idler pitch", "m", "1"),
            _f("speed_m_s", "Speed", "m/s", "1.5"),
        ),
        (("kg_per_m", "Load", "kg/m"), ("t_per_h", "Rate", "t/h")),
        "kg/m = weight / pitch; t/h = 3.6 x kg/m x m/s",
        "geometry of the weigh length",
    ),
    Sheet(
        "vessel-signal",
        "Vessel on load cells: signal",
        "Weighing",
        (
            _f("supports", "Supports", start="3"),
            _f("cell_capacity_kg", "Capacity of a cell", "kg", "10000"),
            _f("sensitivity_mv_v", "Mean sensitivity", "mV/V", "2"),
            _f("excitation_v", "Excitation", "V", "10"),
            _f("dead_load_kg", "Dead load", "kg", "5000"),
            _f("division_kg", "Division", "kg", "5"),
        ),
        (
            ("live_capacity_kg", "Live capacity", "kg"),
            ("uv_per_kg", "Signal", "µV/kg"),
            ("uv_per_division", "Signal of a division", "µV"),
            ("divisions", "Divisions", ""),
        ),
        "signal per kg = sensitivity x excitation / (supports x capacity)",
        "strain-gauge bridge",
    ),
    Sheet(
        "scale-tolerance",
        "Scale: permissible error",
        "Weighing",
        (
            _choice("scheme", "Scheme", tuple(SCALE_SCHEMES)),
            _f("load_divisions", "Load", "divisions", "1000"),
            _choice("stage", "Stage", ("initial", "in-service")),
        ),
        (("tolerance_divisions", "Tolerance, plus or minus", "divisions"),),
        "steps by number of divisions",
        "OIML R 76-1:2006 table 6; NIST Handbook 44",
        plot=Plot("load_divisions", "tolerance_divisions", 0, 5000, band=True),
    ),
    Sheet(
        "duplicate",
        "Duplicate injections",
        "Analysis",
        (_f("a", "First", start="100"), _f("b", "Second", start="102"), _f("limit_percent", "Limit", "%", "5")),
        (("difference_percent", "Difference", "%"), ("agrees", "They agree", "")),
        "100 x |a - b| / mean",
        "difference of duplicates",
    ),
    Sheet(
        "points",
        "Errors and statistics of readings",
        "Judging",
        (
            *_RANGE,
            *_OUT,
            *_TRANSFER,
            _f("tolerance_percent", "Tolerance", "% of span", "0.5"),
            SheetField(
                "readings",
                "Readings: applied, indicated, up or down",
                kind="rows",
                start="0 4.01 up\n50 12.03 up\n100 20.02 up\n100 20.02 down\n50 12.05 down\n0 4.01 down",
                columns=("applied", "indicated", "direction"),
            ),
        ),
        (
            ("max_error", "Largest error", "%"),
            ("zero_error", "Zero error", "%"),
            ("span_error", "Span error", "%"),
            ("hysteresis", "Hysteresis", "%"),
            ("linearity_independent", "Linearity, independent", "%"),
            ("linearity_terminal", "Linearity, terminal-based", "%"),
            ("linearity_zero_based", "Linearity, zero-based", "%"),
            ("verdict", "Verdict", ""),
            ("signature", "Signature", ""),
        ),
        "error = 100 (indicated - ideal) / output span",
        "IEC 61298-2:2008, 4.1.7",
    ),
    Sheet(
        "uncertainty",
        "Uncertainty: combined and expanded",
        "Judging",
        (
            SheetField(
                "components",
                "Components: name, value, distribution",
                kind="rows",
                start="reference 0.1 normal\nresolution 0.05 rectangular",
                columns=("name", "value", "distribution"),
            ),
            _f("coverage", "Coverage", start="0.9545"),
        ),
        (("combined", "Combined", ""), ("effective_dof", "Degrees of freedom", ""), ("k", "k", ""), ("expanded", "Expanded U", "")),
        "uc2 = sum of ui2; effective degrees of freedom by Welch-Satterthwaite; U = k uc",
        "JCGM 100:2008, 5.1.2, G.3.2, G.4.1",
    ),
    Sheet(
        "decision",
        "Verdict under a rule",
        "Judging",
        (
            _f("error", "Error", start="0.3"),
            _f("tolerance", "Tolerance", start="0.5"),
            _f("expanded", "Expanded U", start="0.1"),
            _f("k", "k", start="2"),
            _choice("rule", "Rule", tuple(RULES)),
            _f("max_risk", "Accepted risk", start="0.05"),
        ),
        (
            ("verdict", "Verdict", ""),
            ("guard_band", "Guard band", ""),
            ("acceptance_limit", "Acceptance limit", ""),
            ("tur", "TUR", ""),
            ("p_conform", "Probability of conformance", ""),
        ),
        "acceptance limit = tolerance - guard band; probability from a normal distribution about the error",
        "ILAC-G8:09/2019; JCGM 106:2012",
        plot=Plot("error", "p_conform", -1, 1),
    ),
    Sheet(
        "drift",
        "Drift: line through results",
        "Judging",
        (
            SheetField("x", "Times", kind="list", start="0 180 360 540"),
            SheetField("y", "Errors", kind="list", start="0.05 0.11 0.2 0.24"),
            _f("at", "Predict at", start="720"),
            _f("confidence", "Confidence", start="0.95"),
        ),
        (
            ("slope", "Slope", ""),
            ("intercept", "Intercept", ""),
            ("r", "Correlation", ""),
            ("s_residual", "Scatter", ""),
            ("predicted", "Predicted", ""),
            ("s_predicted", "Its standard deviation", ""),
            ("band", "Band, plus or minus", ""),
        ),
        "least squares; band = t x s of the prediction",
        "JCGM 100:2008, H.3",
        plot=Plot("at", "predicted", 0, 1500),
    ),
    Sheet(
        "coriolis-zero",
        "Coriolis zero: stored against observed",
        "Flow",
        (
            _f("stored", "Stored zero", "kg/h", "0.2"),
            _f("observed", "Observed zero", "kg/h", "0.9"),
            _f("stability", "Zero stability", "kg/h", "1"),
            _f("normal_flow", "Normal flow", "kg/h", "4000"),
            _f("minimum_flow", "Minimum flow", "kg/h", "400"),
        ),
        (("error_percent_normal", "Of normal flow", "%"), ("error_percent_minimum", "Of minimum flow", "%"), ("verdict", "Verdict", "")),
        "error = 100 x |observed - stored| / flow; leave while within the zero stability",
        "zero stability as stated for the meter",
    ),
)
BY_NAME: Mapping[str, Sheet] = {s.name: s for s in SHEETS}
