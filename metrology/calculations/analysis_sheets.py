"""Pages of the calculations for online analyzers."""

from __future__ import annotations

from metrology.calculations.sheet import Plot, Sheet, SheetField, choice_field, field
from metrology.quantities.conductivity import MODES, SOLUTIONS

GROUP = "Analysis"
ANALYSIS: tuple[Sheet, ...] = (
    Sheet(
        "conductivity",
        "Conductivity at 25 °C",
        GROUP,
        (
            field("value", "Read at its temperature", "uS/cm", "1278", required=False),
            field("temp_c", "Temperature", "°C", "20"),
            choice_field("mode", "Compensation", MODES),
            field("percent_per_c", "Coefficient", "%/°C", "2"),
            choice_field("solution", "Standard solution", tuple(SOLUTIONS), required=False),
        ),
        (("at_25_c", "Referred to 25 °C", "uS/cm"), ("factor", "Factor", ""), ("solution_us_cm", "The solution is", "uS/cm")),
        "linear: k25 = k / (1 + a (t - 25)); natural water: by the viscosity of water to the power 0.929",
        "ISO 7888:1985; IUPAC Technical Report 2001 (solutions)",
        plot=Plot("temp_c", "at_25_c", 0, 35),
    ),
    Sheet(
        "cell-constant",
        "Conductivity: cell constant",
        GROUP,
        (
            choice_field("solution", "Standard solution", (*SOLUTIONS, "other")),
            field("temp_c", "Its temperature", "°C", "20"),
            field("read_us_cm", "Read, compensation off", "uS/cm", "1240"),
            field("constant_now", "Constant set", "1/cm", "1"),
            field("true_us_cm", "Another solution is, at its temperature", "uS/cm", "84", required=False),
        ),
        (("constant", "Cell constant", "1/cm"), ("change_percent", "Change", "%"), ("solution_us_cm", "The solution is", "uS/cm")),
        "constant = constant set x solution / reading",
        "ISO 7888:1985, clause 3",
    ),
    Sheet(
        "peak-resolution",
        "Resolution of two peaks",
        GROUP,
        (
            field("t1", "First peak at", "s", "60"),
            field("t2", "Second peak at", "s", "66"),
            field("w1", "Width of the first at half height", "s", "2"),
            field("w2", "Width of the second at half height", "s", "2.4"),
        ),
        (("resolution", "Resolution", ""), ("is_baseline", "Baseline between them (1.5 or more)", "")),
        "Rs = 1.18 (t2 - t1) / (w1 + w2)",
        "European Pharmacopoeia 2.2.46",
    ),
    Sheet(
        "response-factor",
        "Response factor",
        GROUP,
        (
            field("signal", "Signal of the standard", "", "15230"),
            field("concentration", "Its concentration", "", "50"),
            field("again", "Signal of a second injection", "", "15310", required=False),
            field("sample_signal", "Signal of a sample", "", "9140", required=False),
        ),
        (("factor", "Response factor", ""), ("apart_percent", "Injections apart", "%"), ("sample", "The sample is", "")),
        "factor = signal / concentration; apart = 100 |a - b| / mean",
        "external standard",
    ),
    Sheet(
        "carry-over",
        "Carry-over into a blank",
        GROUP,
        (
            field("standard", "Signal of the standard", "", "15230"),
            field("blank", "Signal of the blank after it", "", "90"),
            field("limit_percent", "Limit", "%", "1"),
        ),
        (("percent", "Carried over", "%"), ("is_inside", "Inside the limit", "")),
        "100 x blank / standard",
        "definition",
    ),
    Sheet(
        "come-down",
        "Come-down to a target",
        GROUP,
        (
            SheetField(
                "readings", "Minutes and reading", kind="rows", columns=("minutes", "value"), column_units=("min",),
                start="0 660\n1 363\n2 209\n3 127\n5 61.2\n8 34.5\n12 22.8\n18 14.2\n25 8.2\n30 5.7\n40 2.9",
            ),
            field("target", "Target", "", "2"),
            field("unit", "Unit", start="ppm", kind="text", required=False),
        ),
        (
            ("says", "In words", ""),
            ("minutes", "From the last reading", "min"),
            ("at_earliest", "At the earliest", "min"),
            ("at_latest", "At the latest", "min"),
            ("heads_for", "It heads for", ""),
            ("fast_minutes", "Fast part", "min"),
            ("slow_minutes", "Slow part", "min"),
        ),
        "floor + two exponentials, weighted by the size of the reading; the spread is that of all fits that explain it about as well",
        "variable projection (Golub, Pereyra 1973)",
    ),
    Sheet(
        "cross-effects",
        "Cross-effects: order of setting",
        GROUP,
        (
            SheetField(
                "components", "Components and tolerances", kind="rows", columns=("name", "tolerance"),
                start="CO2 0.2\nCO 10\nO2 0.1",
            ),
            SheetField(
                "effects", "Setting this moves that by (units a unit)", kind="rows", columns=("set", "moves", "by"),
                start="CO2 CO 40\nCO CO2 0.001\nO2 CO2 0.1",
            ),
        ),
        (("says", "In words", ""), ("order", "Order", ""), ("left", "What is still moved", ""), ("circular", "Pairs that disturb one another", "")),
        "the order with the smallest sum of what is moved of components set before, each in tolerances moved for one tolerance set",
        "subset by subset; definition of the cross-effect",
    ),
)  # fmt: skip
