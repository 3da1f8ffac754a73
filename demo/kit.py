"""The kit of Marram Bay: references, bottles with their fittings, buffers and solutions."""

from __future__ import annotations

from typing import Any

LAB = "Tern Point Calibration Laboratory"
TRACE = "SI through the national institute, accredited scope"


def ref(code: str, name: str, unit: str, low: float, high: float, days_to_due: int, **more: Any) -> dict[str, Any]:
    """A reference; its certificate is a year old when it runs out."""
    return {"code": code, "name": name, "unit": unit, "low": low, "high": high, "days_to_due": days_to_due, **more}


REFERENCES = [
    ref(
        "MB-P01",
        "Pressure calibrator",
        "kPa",
        -100,
        1000,
        210,
        u_percent_span=0.01,
        u_percent_reading=0.01,
        resolution=0.01,
        drift_per_year=0.05,
    ),
    ref("MB-P02", "Low-pressure calibrator", "kPa", -100, 100, 130, u_absolute=0.008, u_percent_reading=0.01, resolution=0.001),
    ref("MB-P03", "High-pressure calibrator", "bar", 0, 100, 300, u_absolute=0.02, u_percent_reading=0.005, resolution=0.001),
    ref("MB-P04", "Pressure calibrator, older", "kPa", 0, 1000, -38, u_percent_span=0.015, u_percent_reading=0.01, resolution=0.01),
    ref("MB-P05", "Dial test gauge", "bar", 0, 10, 90, u_percent_span=0.6, resolution=0.05),
    ref(
        "MB-I01",
        "Loop meter",
        "mA",
        0,
        24,
        160,
        u_absolute=0.0015,
        u_percent_reading=0.008,
        resolution=0.001,
        drift_per_year=0.001,
        kind="meter",
    ),
    ref("MB-I02", "Loop meter, second", "mA", 0, 24, 19, u_absolute=0.002, u_percent_reading=0.01, resolution=0.001, kind="meter"),
    ref(
        "MB-T01", "Block probe, own coefficients", "°C", -20, 660, 240, u_absolute=0.02, resolution=0.001, drift_per_year=0.01, kind="probe"
    ),
    ref(
        "MB-B01",
        "Block A",
        "°C",
        -20,
        160,
        150,
        u_absolute=0.25,
        resolution=0.01,
        gradient=0.02,
        axial=0.02,
        loading=0.01,
        wells=3,
        kind="block",
    ),
    ref(
        "MB-B02",
        "Block B",
        "°C",
        -20,
        650,
        150,
        u_absolute=0.3,
        resolution=0.01,
        gradient=0.03,
        axial=0.03,
        loading=0.02,
        wells=3,
        kind="block",
    ),
    ref("MB-R01", "Readout, resistance", "ohm", 0, 400, 260, u_absolute=0.002, u_percent_reading=0.002, resolution=0.001, kind="meter"),
    ref("MB-U01", "Readout, millivolt", "mV", -10, 80, 260, u_absolute=0.002, u_percent_reading=0.005, resolution=0.001, kind="meter"),
    ref("MB-S01", "Sensor simulator, millivolt", "mV", -10, 80, 200, u_absolute=0.003, u_percent_reading=0.005, resolution=0.001),
    ref("MB-W01", "Hung weights, class M1", "kg", 0, 10, 500, u_absolute=0.0001, u_percent_reading=0.002, kind="weight", weight_class="M1"),
    ref("MB-W02", "Test weight 20 kg, first", "kg", 20, 20, 420, u_absolute=0.0003, kind="weight", weight_class="F2", set_name="Twenties"),
    ref("MB-W04", "Belt test weights, 25 kg each", "kg", 25, 25, 320, u_absolute=0.005, kind="weight", weight_class="M1", set_name="Belt"),
    ref(
        "MB-W05",
        "20 kg weights, 500 of them",
        "kg",
        0,
        10_000,
        380,
        u_percent_reading=0.005,
        kind="weight",
        weight_class="M1",
        set_name="Silo",
    ),
    ref(
        "MB-W06",
        "10 kg weights, six of them",
        "kg",
        0,
        60,
        290,
        u_percent_reading=0.0005,
        kind="weight",
        weight_class="F1",
        set_name="Tens",
    ),
    ref("MB-W03", "Test weight 20 kg, second", "kg", 20, 20, 420, u_absolute=0.0003, kind="weight", weight_class="F2", set_name="Twenties"),
    ref(
        "MB-D01",
        "Portable hydrocarbon detector",
        "%LEL",
        0,
        100,
        150,
        u_absolute=1.5,
        resolution=0.1,
        kind="portable",
        gas="methane",
        state="quarantined",
    ),
    ref("MB-T02", "Block probe, second", "°C", -20, 420, 190, u_absolute=0.03, resolution=0.001, drift_per_year=0.015, kind="probe"),
    ref("MB-D02", "Portable oxygen meter", "% vol", 0, 25, 210, u_absolute=0.2, resolution=0.1, kind="portable", gas="oxygen"),
]


def gas(name: str, value: float, unit: str, u_percent: float = 2.0) -> dict[str, Any]:
    """One certified component."""
    return {"gas": name, "value": value, "unit": unit, "u_percent": u_percent, "basis": "iec" if unit == "%LEL" else ""}


OIL_STANDARD = [
    gas("hydrogen", 1000.0, "ppm", 1.0),
    gas("methane", 500.0, "ppm", 1.0),
    gas("carbon monoxide", 1000.0, "ppm", 1.0),
    gas("ethylene", 250.0, "ppm", 1.0),
    gas("ethane", 250.0, "ppm", 1.0),
    gas("acetylene", 100.0, "ppm", 1.0),
    gas("carbon dioxide", 5000.0, "ppm", 1.0),
]


FOUR_GASES = [
    gas("methane", 2.2, "% vol"),
    gas("hydrogen sulphide", 40.0, "ppm", 5.0),
    gas("carbon monoxide", 100.0, "ppm"),
    gas("oxygen", 18.0, "% vol", 1.0),
]


# code, name, gases, balance, oxygen in % vol, litres full, litres used already, days to expiry
EXPLOSIVE = ("MB-G09",)  # declared to be: kept for what it does wrong


BOTTLES: list[tuple[str, str, list[dict[str, Any]], str, float, float, float, int]] = [
    ("MB-G01", "Hydrogen in air", [gas("hydrogen", 2.0, "% vol")], "air", 20.5, 110, 34, 240),
    ("MB-G02", "Hydrogen in air, second", [gas("hydrogen", 2.0, "% vol")], "air", 20.5, 110, 12, -25),
    ("MB-G03", "Hydrogen in nitrogen", [gas("hydrogen", 2.0, "% vol")], "nitrogen", 0.0, 110, 5, 300),
    ("MB-G04", "Hydrogen in air, nearly empty", [gas("hydrogen", 2.0, "% vol")], "air", 20.5, 34, 30.5, 120),
    ("MB-G05", "Chlorine in nitrogen", [gas("chlorine", 3.0, "ppm", 5.0)], "nitrogen", 0.0, 58, 8, 70),
    ("MB-G06", "Carbon dioxide in air", [gas("carbon dioxide", 2.5, "% vol", 1.0)], "air", 20.4, 110, 20, 400),
    ("MB-G07", "Methane in air", [gas("methane", 2.2, "% vol")], "air", 20.4, 110, 15, 310),
    ("MB-G08", "Propane in air", [gas("propane", 0.85, "% vol")], "air", 20.7, 58, 6, 280),
    ("MB-G09", "Methane, high", [gas("methane", 60.0, "% vol", 1.0)], "synthetic air", 8.4, 58, 3, 350),
    ("MB-G10", "Zero air", [], "air", 20.9, 110, 40, 500),
    ("MB-G11", "Nitrogen", [], "nitrogen", 0.0, 110, 9, 600),
    (
        "MB-G16",
        "Product gas mixture",
        [gas("carbon dioxide", 80.0, "% vol", 0.5), gas("oxygen", 4.0, "% vol", 1.0), gas("carbon monoxide", 800.0, "ppm", 1.0)],
        "nitrogen",
        4.0,
        220,
        31,
        410,
    ),
    ("MB-G19", "Four-gas mixture for portables", FOUR_GASES, "nitrogen", 18.0, 58, 11, 200),
    ("MB-G18", "Transformer gas standard", OIL_STANDARD, "nitrogen", 0.0, 110, 8, 350),
    ("MB-G17", "Carbon monoxide in nitrogen, high", [gas("carbon monoxide", 8000.0, "ppm", 1.0)], "nitrogen", 0.0, 110, 14, 380),
    ("MB-G15", "Oxygen in nitrogen, trace", [gas("oxygen", 80.0, "ppm", 1.5)], "nitrogen", 0.0, 110, 12, 420),
]


FITTINGS: list[dict[str, Any]] = [
    {"code": "MB-V01", "kind": "regulator", "material": "stainless steel", "flow_l_min": 0.5},
    {"code": "MB-V02", "kind": "regulator", "material": "brass", "flow_l_min": 0.5},
    {"code": "MB-V03", "kind": "regulator", "material": "brass", "flow_l_min": 1.0},
    {"code": "MB-L01", "kind": "line", "material": "PTFE-lined", "length_m": 1.5, "is_conditioned": True},
    {"code": "MB-V04", "kind": "regulator", "material": "stainless steel", "flow_l_min": 0.5},
    {"code": "MB-L03", "kind": "line", "material": "stainless steel", "length_m": 3.0},
    {"code": "MB-L02", "kind": "line", "material": "PVC", "length_m": 5.0},
]


BUFFERS = [  # code, pH at 25 °C, table, lot, days since it was opened (0: not yet), days to expiry
    ("MB-B11", 6.865, "nist", "L-2291", 20, 300),
    ("MB-B12", 9.180, "nist", "L-2295", 20, 260),
    ("MB-B13", 4.005, "nist", "L-2270", 120, 200),
    ("MB-B15", 4.005, "nist", "L-2301", 0, 330),
    ("MB-B14", 7.00, "technical", "L-2188", 0, -12),
]


SOLUTIONS = [  # code, uS/cm at 25 °C, table, U in %, points of its own table, lot, days since it was opened, days to expiry
    ("MB-S01", 1413.0, "kcl-0.01", 0.5, [], "L-3107", 12, 310),
    ("MB-S02", 84.0, "own", 1.2, [[15, 67.2], [20, 75.5], [25, 84.0], [30, 93.0]], "L-3111", 0, 150),
    ("MB-S03", 12880.0, "kcl-0.1", 0.5, [], "L-3094", 40, 260),
    ("MB-S04", 1413.0, "kcl-0.01", 0.5, [], "L-2950", 200, 95),
]
