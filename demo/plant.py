"""Marram Bay as data: a made-up seawater desalination and brine-minerals works. People, serials and figures are invented."""

from __future__ import annotations

from typing import Any

from metrology.simulation.transmitter import Faults

PASSWORD = "marram-bay-demo"

SKILLS = [  # who, what for, how many days more; 0: it does not end
    ("ines", "gas work", 410),
    ("ines", "lock-out", 0),
    ("ines", "work at height", 120),
    ("tomas", "gas work", 38),
    ("tomas", "lock-out", 0),
    ("oda", "lock-out", 0),
    ("oda", "work at height", 230),
    ("marta", "gas work", 300),
]
PEOPLE = [  # username, first, last, role
    ("ines", "Ines", "Calder", "technician"),
    ("tomas", "Tomas", "Wray", "technician"),
    ("oda", "Oda", "Fennick", "technician"),
    ("ruben", "Ruben", "Sallow", "planner"),
    ("marta", "Marta", "Quillon", "reviewer"),
    ("holt", "Edda", "Holtby", "administrator"),
]

AREAS = [  # code, name, needs permit, metres east and north on the plan of the site
    ("INT", "Intake", False, 0, 0),
    ("PRE", "Pre-treatment", False, 120, 40),
    ("RO", "Reverse-osmosis hall", False, 220, 60),
    ("REM", "Remineralisation", True, 320, 60),
    ("ECL", "Electrochlorination", True, 140, 160),
    ("CRY", "Brine crystalliser", False, 380, 200),
    ("SLT", "Salt handling", False, 460, 240),
    ("FGR", "Flue-gas CO2 recovery", True, 420, 60),
    ("SUB", "Substation", True, 60, 220),
    ("DSL", "Diesel store", True, 20, 280),
    ("WSH", "Workshop", False, 220, 160),
]


def tx(tag: str, area: str, service: str, unit: str, lrv: float, urv: float, tolerance: float, **more: Any) -> dict[str, Any]:
    """A transmitter that tx-multipoint can run. Its maker is as made up as everything else here."""
    made = {"maker": "Saltmarsh Instruments", "model": f"SM {tag.partition('-')[0]} 3", "device_revision": "B"}
    return {
        **made,
        "tag": tag,
        "area": area,
        "service": service,
        "unit": unit,
        "lrv": lrv,
        "urv": urv,
        "tolerance_value": tolerance,
        **more,
    }


OIL_GASES = (
    "H2, hydrogen, 2000, ppm, 5, at 4.2, within 0.5, factor 2.1; "
    "CH4, methane, 1000, ppm, 5, at 12, within 1, factor 4.2; "
    "CO, carbon monoxide, 2000, ppm, 5, at 17.5, within 1.2, factor 2.4; "
    "C2H4, ethylene, 500, ppm, 5, at 27, within 1, factor 8.1; "
    "C2H6, ethane, 500, ppm, 5, at 30.2, within 1.4, factor 8.3; "
    "C2H2, acetylene, 200, ppm, 5, at 35.5, within 1.4, factor 7.9; "
    "CO2, carbon dioxide, 10000, ppm, 5, at 43, within 2, factor 3.1, air 60"
)


def other(
    tag: str, area: str, service: str, family: str, method: str, unit: str, lrv: float, urv: float, tol: float, **more: Any
) -> dict[str, Any]:
    """An instrument of another family."""
    return {**tx(tag, area, service, unit, lrv, urv, tol), "family": family, "method": method, **more}


# Each with the faults its history is simulated with; days: its interval.
TRANSMITTERS: list[tuple[dict[str, Any], Faults]] = [
    (tx("PT-1101", "INT", "Intake pump A discharge pressure", "kPa", 0, 600, 0.5, interval_days=180), Faults(drift_per_day=0.0006)),
    (tx("PT-1102", "INT", "Intake pump B discharge pressure", "kPa", 0, 600, 0.5, interval_days=180), Faults(drift_per_day=-0.0021)),
    (tx("LT-1103", "INT", "Intake sump level", "kPa", 0, 50, 0.5, transfer="reverse"), Faults(drift_per_day=0.0007, zero=0.05)),
    (
        tx("PDT-1201", "PRE", "Filter 1 differential pressure", "kPa", 0, 100, 0.5, interval_days=180),
        Faults(drift_per_day=0.0009, hysteresis=0.12),
    ),
    (
        tx("PDT-1202", "PRE", "Filter 2 differential pressure", "kPa", 0, 100, 0.5, interval_days=180),
        Faults(drift_per_day=0.0004, hysteresis=0.9),
    ),
    (tx("FT-1301", "PRE", "Feed flow, orifice plate", "kPa", 0, 25, 0.75, transfer="sqrt", cutoff_percent=8), Faults(output_offset=0.1)),
    (
        tx(
            "PT-2101",
            "RO",
            "RO feed pressure, train A",
            "bar",
            0,
            80,
            0.25,
            interval_days=180,
            warm_up_min=5,
            hazards="80 bar behind the isolation valve: double block and vent, stand to the side.",
            feeds="High-pressure pump trip PSHH-2101",
            details={"has_digital": True, "supply_v": "24", "loop_ohm": "250", "lift_off_v": "10.5"},
        ),
        Faults(drift_per_day=0.0008),
    ),
    (
        tx(
            "PT-2102",
            "RO",
            "RO feed pressure, train B",
            "bar",
            0,
            80,
            0.25,
            interval_days=180,
            warm_up_min=5,
            hazards="80 bar behind the isolation valve: double block and vent, stand to the side.",
            feeds="High-pressure pump trip PSHH-2102",
            details={"has_digital": True, "supply_v": "24", "loop_ohm": "250", "lift_off_v": "10.5"},
        ),
        Faults(drift_per_day=0.0012, span=0.05),
    ),
    (tx("PT-2110", "RO", "Permeate header pressure", "kPa", 0, 400, 0.5), Faults(drift_per_day=-0.0008)),
    (tx("FT-2201", "RO", "Concentrate flow, orifice plate", "kPa", 0, 40, 0.75, transfer="sqrt", cutoff_percent=8), Faults()),
    (
        tx(
            "PT-3101",
            "REM",
            "Carbon dioxide storage pressure",
            "bar",
            0,
            25,
            0.5,
            warm_up_min=10,
            hazards="Carbon dioxide: wear the personal monitor, check ventilation, never alone.",
            feeds="Storage high-pressure alarm PAH-3101",
        ),
        Faults(drift_per_day=0.0011),
    ),
    (tx("LT-3201", "REM", "Lime slurry tank level, wet leg", "kPa", -20, 60, 0.5, interval_days=180), Faults(drift_per_day=0.0013)),
    (
        tx("PT-4101", "CRY", "Crystalliser vacuum", "kPa", -100, 0, 0.5, interval_days=180, feeds="Vacuum break valve PV-4101"),
        Faults(drift_per_day=-0.0010, span=0.1),
    ),
    (tx("LT-4102", "CRY", "Crystalliser level, elevated", "kPa", -35, 15, 0.75), Faults(drift_per_day=0.0009)),
    (
        tx(
            "PT-5101",
            "FGR",
            "Flue-gas blower suction",
            "kPa",
            -10,
            10,
            0.5,
            tolerance_combine="greater",
            tolerance2_value=0.04,
            tolerance2_basis="unit",
        ),
        Faults(drift_per_day=0.0006),
    ),
    (
        tx(
            "PT-6101",
            "ECL",
            "Hypochlorite dosing pressure",
            "bar",
            0,
            10,
            0.5,
            hazards="Hypochlorite: goggles and gloves, flush before opening.",
        ),
        Faults(drift_per_day=0.0008),
    ),
    (tx("PT-7101", "WSH", "Instrument air header", "kPa", 0, 1000, 0.5, policy={"adjust_when": "never"}), Faults(drift_per_day=0.0005)),
]

HYDROGEN: dict[str, Any] = {
    "feeds": "Cell trip, 2 of 2",
    "voting_group": "Cell trip V-6001",
    "voting": "2oo2",
    "zone": "Cell room",
    "hazards": "Hydrogen: burns unseen. Hypochlorite underfoot.",
    "interval_days": 120,
    "warm_up_min": 1,
    "details": {
        "gas": "hydrogen", "basis": "iec", "technology": "catalytic", "flow_l_min": "0.5", "t90_s": "12", "inhibit_ma": "3.0",
        "signal_unit": "mV", "new_sensitivity": "0.6", "sensor_since": "2025-02-10", "life_months": "48",
        "alarms": "Low 20 rising; High 40 rising latching", "check_days": "90",
    },
}  # fmt: skip
BAYS: dict[str, Any] = {
    "feeds": "Hydrogen horn of the bay",
    "hazards": "Hydrogen: burns unseen. Hypochlorite underfoot.",
    "interval_days": 360,
    "details": {**HYDROGEN["details"], "sensor_since": "2026-02-16", "check_days": "90"},
}
CHLORINE: dict[str, Any] = {
    "feeds": "Cell room ventilation",
    "zone": "Cell room air",
    "hazards": "Chlorine: escape set at hand, never alone.",
    "interval_days": 90,
    "details": {
        "gas": "chlorine", "technology": "electrochemical", "flow_l_min": "0.5", "t90_s": "40", "needs_humid": True, "inhibit_ma": "3.0",
        "signal_unit": "nA", "new_sensitivity": "900", "sensor_since": "2025-06-01", "life_months": "24",
        "alarms": "Low 0.5 rising; High 1 rising latching", "check_days": "30",
    },
}  # fmt: skip
CARBON_DIOXIDE: dict[str, Any] = {
    "feeds": "Storage hall doors and horns",
    "zone": "Storage hall",
    "hazards": "Carbon dioxide gathers low: personal monitor on, never alone.",
    "interval_days": 180,
    "details": {
        "gas": "carbon dioxide",
        "technology": "optical",
        "flow_l_min": "0.5",
        "t90_s": "20",
        "alarms": "Low 0.5 rising; High 1.5 rising",
    },
}
OXYGEN: dict[str, Any] = {
    "feeds": "Storage hall doors and horns",
    "zone": "Storage hall",
    "interval_days": 180,
    "details": {
        "gas": "oxygen", "technology": "oxygen", "flow_l_min": "0.5", "t90_s": "15", "partial_pressure": True,
        "signal_unit": "mV", "new_sensitivity": "0.55", "sensor_since": "2025-01-15", "life_months": "24",
        "proves_zero": True, "alarms": "Low 19.5 falling; Very low 18 falling latching", "check_days": "60",
    },
}  # fmt: skip
OPTICAL: dict[str, Any] = {
    "feeds": "Diesel pump stop",
    "interval_days": 180,
    "details": {
        "gas": "propane",
        "basis": "iec",
        "technology": "optical",
        "flow_l_min": "1",
        "t90_s": "6",
        "path_l": "0.3",
        "inhibit_ma": "2.0",
        "check_days": "120",
    },
}
HEAD: dict[str, Any] = {
    "interval_days": 180,
    "details": {
        "technology": "catalytic", "basis": "iec", "flow_l_min": "0.5", "t90_s": "15", "full_scale_v": "5",
        "channels": "A, methane, 100, %LEL, 2.5; B, hydrogen, 100, %LEL, 2.5", "check_days": "90",
    },
}  # fmt: skip
PORTABLE: dict[str, Any] = {
    "interval_days": 30,
    "details": {
        "technology": "catalytic", "basis": "iec", "flow_l_min": "0.5", "t90_s": "15",
        "channels": "volume, methane, 100, % vol; oxygen, oxygen, 25, % vol; LEL, methane, 100, %LEL",
    },
}  # fmt: skip

FOUR_GAS: dict[str, Any] = {
    "interval_days": 180,
    "details": {
        "technology": "catalytic", "basis": "iec", "flow_l_min": "0.5", "t90_s": "20", "check_days": "1",
        "channels": "LEL, methane, 100, %LEL; H2S, hydrogen sulphide, 100, ppm; CO, carbon monoxide, 300, ppm; O2, oxygen, 25, % vol",
    },
}  # fmt: skip

DISPLACER = {
    "displacer_weight": "2.0",
    "displacer_volume": "1500",
    "density": "0.00095",
    "weights_on_hand": "1 0.5 0.2 0.2 0.1 0.05 0.02 0.02 0.01",
    "has_column": True,
}
LOOP_DISPLAYS = "Isolator mA 4 20; Control system bar 0 10; Recorder % 0 100"

MAGNETIC = {
    "coil_ohm": "82",
    "electrode_a_kohm": "11.5",
    "electrode_b_kohm": "11.5",
    "least_us_cm": "5",
    "velocities": "0.5 1 3 10",
    "pulse_hz": "1000",
}
CORIOLIS = {"stability": "1.2", "normal_flow": "6000", "minimum_flow": "600", "tolerance_minimum": "0.5", "process_c": "-20"}
SILO = {
    "division": "20", "supports": "3", "cell_capacity": "22000", "sensitivities": "2.0012 1.9996 2.0003", "dead_load": "12000", "latitude": "54",
}  # fmt: skip
HOPPER = {"division": "0.02", "known_load": "50"}

OTHERS: list[dict[str, Any]] = [
    other(
        "TE-4201",
        "CRY",
        "Crystalliser liquor, RTD",
        "temperature sensor",
        "temp-sensor",
        "°C",
        0,
        150,
        0.3,
        tolerance_basis="unit",
        details={"sensor": "pt", "sensor_class": "pt-a", "dwell_min": "0.2"},
    ),
    other(
        "TE-4202",
        "CRY",
        "Vapour line, RTD",
        "temperature sensor",
        "temp-sensor",
        "°C",
        0,
        150,
        0.3,
        tolerance_basis="unit",
        details={"sensor": "pt", "sensor_class": "pt-a", "dwell_min": "0.2"},
    ),
    other(
        "TE-4203",
        "CRY",
        "Condensate, RTD",
        "temperature sensor",
        "temp-sensor",
        "°C",
        0,
        150,
        0.3,
        tolerance_basis="unit",
        details={"sensor": "pt", "sensor_class": "pt-a", "dwell_min": "0.2", "matches_coefficients": True},
    ),
    other(
        "TE-4204",
        "CRY",
        "Salt dryer inlet, thermocouple K",
        "temperature sensor",
        "temp-sensor",
        "°C",
        0,
        600,
        2.5,
        tolerance_basis="unit",
        details={"sensor": "tc-k", "sensor_class": "tc-k-2", "dwell_min": "0.2"},
    ),
    other(
        "TE-5201",
        "FGR",
        "Flue gas at cooler inlet, thermocouple K",
        "temperature sensor",
        "temp-sensor",
        "°C",
        0,
        400,
        2.5,
        tolerance_basis="unit",
        details={"sensor": "tc-k", "sensor_class": "tc-k-2", "dwell_min": "0.2"},
    ),
    other(
        "TE-5202",
        "FGR",
        "Stripper bottom, RTD",
        "temperature sensor",
        "temp-sensor",
        "°C",
        0,
        150,
        0.5,
        tolerance_basis="unit",
        details={"sensor": "pt", "sensor_class": "pt-b", "dwell_min": "0.2"},
    ),
    other("AE-6001A", "ECL", "Hydrogen at the cells, voting A", "gas detector", "gas-zero-span", "%LEL", 0, 100, 5, **HYDROGEN),
    other("AE-6001B", "ECL", "Hydrogen at the cells, voting B", "gas detector", "gas-zero-span", "%LEL", 0, 100, 5, **HYDROGEN),
    other("AE-6002", "ECL", "Chlorine in the cell room", "gas detector", "gas-zero-span", "ppm", 0, 5, 10, **CHLORINE),
    other("AE-3001", "REM", "Carbon dioxide in the storage hall", "gas detector", "gas-zero-span", "% vol", 0, 5, 5, **CARBON_DIOXIDE),
    other("AE-3002", "REM", "Oxygen depletion in the storage hall", "gas detector", "gas-oxygen", "% vol", 0, 25, 2, **OXYGEN),
    other("AE-9001", "DSL", "Hydrocarbons at the diesel store, optical", "gas detector", "gas-ir-zero", "%LEL", 0, 100, 5, **OPTICAL),
    other("AE-8001", "WSH", "Two-channel head in the annexe", "gas detector", "gas-multichannel", "%LEL", 0, 100, 5, **HEAD),
    other("GP-01", "WSH", "Aspirated portable", "gas detector", "gas-portable", "%LEL", 0, 100, 5, **PORTABLE),
    other(
        "AIT-1401",
        "PRE",
        "pH after dosing",
        "analyzer",
        "an-ph",
        "pH",
        0,
        14,
        0.1,
        tolerance_basis="unit",
        interval_days=35,
        feeds="acid dosing pumps P-1401A and B",
        hazards="Acid in the dosing cabinet",
        details={
            "place": "in-line",
            "process_ph": "6.4",
            "buffer_set": "nist",
            "shows_impedance": True,
            "has_grab": True,
            "sensor_serial": "GE-2207",
        },
    ),
    other(
        "AIT-3401",
        "REM",
        "pH of product water",
        "analyzer",
        "an-ph",
        "pH",
        0,
        14,
        0.1,
        tolerance_basis="unit",
        interval_days=35,
        feeds="lime dosing",
        details={"process_ph": "8.1", "buffer_set": "nist", "sensor_serial": "GE-1980", "second_buffer": "alkaline"},
    ),
    other(
        "AIT-2401",
        "RO",
        "Conductivity of permeate",
        "analyzer",
        "an-conductivity",
        "uS/cm",
        0,
        2000,
        2,
        interval_days=90,
        feeds="diverting valve XV-2402",
        details={"cell_constant": "1", "compensation": "linear", "coefficient": "2", "sensor_serial": "CC-0418"},
    ),
    other(
        "AIT-5301",
        "FGR",
        "Trace oxygen in nitrogen",
        "analyzer",
        "an-trace-o2",
        "ppm",
        0,
        100,
        3,
        interval_days=90,
        feeds="nitrogen blanket of the cell feed tank",
        details={
            "target_ppm": "2",
            "flow_l_min": "0.5",
            "t90_s": "20",
            "signal_unit": "uA",
            "new_sensitivity": "0.5",
            "sensor_serial": "O2-0311",
            "sensor_since": "2025-03-04",
            "life_months": "30",
        },
    ),
    other(
        "AIT-5302",
        "FGR",
        "CO2, O2 and CO in product gas",
        "analyzer",
        "an-multigas",
        "% vol",
        0,
        100,
        1,
        warm_up_min=45,
        interval_days=90,
        feeds="release of product gas to the loading bay",
        details={
            "components": "CO2, carbon dioxide, 100, % vol, 1, A; O2, oxygen, 5, % vol, 2, A; CO, carbon monoxide, 1000, ppm, 2, A, slow; "
            "CO high, carbon monoxide, 10000, ppm, 3, B, from 4000",
            "effects": "CO2 on CO 0.15; CO2 on O2 0.002; CO2 on CO high 0.2",
            "flow_l_min": "0.5",
            "t90_s": "12",
            "cell_c": "60",
            "mode_shows": "RUN in the top line; a clock face there means single shot",
        },
    ),
    other(
        "AIT-7001",
        "SUB",
        "Dissolved gas in transformer oil",
        "analyzer",
        "an-duplicate-blank",
        "ppm",
        0,
        2000,
        5,
        interval_days=90,
        feeds="condition of the transformers",
        details={
            "analytes": OIL_GASES,
            "pair": "C2H4 C2H6",
            "flow_l_min": "0.5",
            "wait_min": "1",
            "leak_test": "pressure",
            "leak_limit": "0.5",
            "sensor_serial": "COL-0207",
        },
    ),
    other(
        "FIT-2301",
        "RO",
        "Permeate flow, magnetic",
        "flow meter",
        "flow-mag-verify",
        "m3/h",
        0,
        500,
        0.5,
        details=MAGNETIC | {"diameter_mm": "300"},
    ),
    other(
        "FIT-2302",
        "RO",
        "Concentrate flow, magnetic",
        "flow meter",
        "flow-mag-verify",
        "m3/h",
        0,
        700,
        0.5,
        details=MAGNETIC | {"diameter_mm": "350"},
    ),
    other("FIT-5401", "FGR", "Liquid CO2 loading, Coriolis", "flow meter", "flow-coriolis-zero", "kg/h", 0, 8000, 0.2, details=CORIOLIS),
    other(
        "TT-4205", "CRY", "Salt dryer outlet, transmitter", "transmitter", "tx-multipoint", "°C", 0, 600, 0.4, details={"sensor": "tc-k"}
    ),
    other(
        "PT-6102",
        "ECL",
        "Cell header pressure, loop",
        "transmitter",
        "loop-check",
        "bar",
        0,
        10,
        0.5,
        details={"displays": LOOP_DISPLAYS, "alarms": "High 9 rising; Low 1 falling", "supply_v": "24"},
    ),
    other("PT-2103", "RO", "RO interstage pressure, smart", "transmitter", "tx-multipoint", "bar", 0, 80, 0.25, details={"supply_v": "24"}),
    other("LT-5501", "FGR", "Condensate level, displacer", "transmitter", "level-displacer", "%", 0, 100, 1, details=DISPLACER),
    other("WT-3301", "REM", "Lime silo, three legs", "weighing", "weigh-vessel", "kg", 0, 40000, 0.2, feeds="dosing of lime", details=SILO),
    other(
        "WT-4401",
        "SLT",
        "Salt belt weigher",
        "weighing",
        "weigh-belt",
        "t/h",
        0,
        120,
        1,
        interval_days=60,
        feeds="salt loading, trade totals",
        details={
            "belt_class": "r50-1",
            "belt_length_m": "60",
            "belt_speed": "1.5",
            "test_weight": "50",
            "weight_count": "2",
            "tests_material": True,
        },
    ),
    other("WT-4402", "SLT", "Bag-filling hopper", "weighing", "weigh-indicator", "kg", 0, 60, 0.2, warm_up_min=30, details=HOPPER),
    other("GP-02", "WSH", "Four-gas portable of the shift", "gas detector", "gas-portable", "%LEL", 0, 100, 5, **FOUR_GAS),
    *(
        other(f"AE-601{n}", "ECL", f"Hydrogen over cell bay {n}", "gas detector", "gas-zero-span", "%LEL", 0, 100, 5, **BAYS)
        for n in range(1, 7)
    ),
]


MUSTS = ["AE-6001A", "AE-6001B", "AE-6002", "TT-4205", "TE-4201", "AIT-5302"]  # of tomorrow's round, whatever their date
