"""What acts on a mass on a scale: gravity of the place, the buoyancy of the air, and how far a weight of a class may be off.

Sources: WELMEC 2, section on gravity (formula by latitude and height); OIML R 111-1:2004 (table 1, annex E.3 air density); OIML D 28:2004
(conventional value of the result of weighing in air).
"""

from __future__ import annotations

import math

from metrology.faults import Fault, require_positive, require_range

STEEL, AIR = 8000.0, 1.2  # kg/m3, by convention: OIML D 28

# OIML R 111-1:2004 table 1: maximum permissible error in mg, by class, of the nominal masses in kg.
_CLASSES = ("E1", "E2", "F1", "F2", "M1", "M1-2", "M2", "M2-3", "M3")
_N = None
_R111: tuple[tuple[float, tuple[float | None, ...]], ...] = (
    (5000, (_N, _N, 25_000, 80_000, 250_000, 500_000, 800_000, 1_600_000, 2_500_000)),
    (2000, (_N, _N, 10_000, 30_000, 100_000, 200_000, 300_000, 600_000, 1_000_000)),
    (1000, (_N, 1600, 5000, 16_000, 50_000, 100_000, 160_000, 300_000, 500_000)),
    (500, (_N, 800, 2500, 8000, 25_000, 50_000, 80_000, 160_000, 250_000)),
    (200, (_N, 300, 1000, 3000, 10_000, 20_000, 30_000, 60_000, 100_000)),
    (100, (_N, 160, 500, 1600, 5000, 10_000, 16_000, 30_000, 50_000)),
    (50, (25, 80, 250, 800, 2500, 5000, 8000, 16_000, 25_000)),
    (20, (10, 30, 100, 300, 1000, _N, 3000, _N, 10_000)),
    (10, (5, 16, 50, 160, 500, _N, 1600, _N, 5000)),
    (5, (2.5, 8, 25, 80, 250, _N, 800, _N, 2500)),
    (2, (1, 3, 10, 30, 100, _N, 300, _N, 1000)),
    (1, (0.5, 1.6, 5, 16, 50, _N, 160, _N, 500)),
    (0.5, (0.25, 0.8, 2.5, 8, 25, _N, 80, _N, 250)),
    (0.2, (0.1, 0.3, 1, 3, 10, _N, 30, _N, 100)),
    (0.1, (0.05, 0.16, 0.5, 1.6, 5, _N, 16, _N, 50)),
    (0.05, (0.03, 0.1, 0.3, 1, 3, _N, 10, _N, 30)),
    (0.02, (0.025, 0.08, 0.25, 0.8, 2.5, _N, 8, _N, 25)),
    (0.01, (0.02, 0.06, 0.2, 0.6, 2, _N, 6, _N, 20)),
    (0.005, (0.016, 0.05, 0.16, 0.5, 1.6, _N, 5, _N, 16)),
    (0.002, (0.012, 0.04, 0.12, 0.4, 1.2, _N, 4, _N, 12)),
    (0.001, (0.01, 0.03, 0.1, 0.3, 1, _N, 3, _N, 10)),
)
WEIGHT_CLASSES = _CLASSES


def weight_tolerance(nominal_kg: float, weight_class: str) -> float:
    """Maximum permissible error of a weight in kg, plus or minus, by class.

    nominal_kg: one of the nominal masses of OIML R 111-1:2004 table 1, 0.001 to 5000. Raises a Fault for others, and where the table has none.

    >>> weight_tolerance(20, "M1")
    0.001
    """
    name = str(weight_class).strip().upper()
    if name not in _CLASSES:
        raise Fault("unknown_class", f"class is {weight_class!r}; known are {', '.join(_CLASSES)}.", field="class")
    require_range(nominal_kg, 0.001, 5000.0, field="nominal_kg", unit="kg")
    row = next((r for mass, r in _R111 if math.isclose(mass, nominal_kg, rel_tol=1e-9)), None)
    if row is None:
        near = ", ".join(f"{mass:g}" for mass, _ in _R111)
        raise Fault("no_such_weight", f"nominal_kg is {nominal_kg:g}; OIML R 111-1 has {near}.", field="nominal_kg")
    found = row[_CLASSES.index(name)]
    if found is None:
        raise Fault("no_such_weight", f"nominal_kg is {nominal_kg:g}; class {name} has no weight of that mass.", field="nominal_kg")
    return found / 1e6


def gravity(latitude_deg: float, height_m: float = 0.0) -> float:
    """Acceleration of free fall at a place, m/s2, to about 1e-4 of it. latitude_deg: -90 to 90; height_m: above the sea, -500 to 9000.

    Source: WELMEC 2: g = 9.780318 (1 + 0.0053024 sin2(phi) - 0.0000058 sin2(2 phi)) - 0.000003085 h.

    >>> round(gravity(45), 5)
    9.80619
    """
    require_range(latitude_deg, -90.0, 90.0, field="latitude_deg", unit="deg")
    require_range(height_m, -500.0, 9000.0, field="height_m", unit="m")
    phi = math.radians(latitude_deg)
    return 9.780318 * (1 + 0.0053024 * math.sin(phi) ** 2 - 0.0000058 * math.sin(2 * phi) ** 2) - 0.000003085 * height_m


def air_density(temp_c: float, pressure_kpa: float, humidity_percent: float) -> float:
    """Density of air, kg/m3, to 2e-4 of it from 90 to 110 kPa, 10 to 30 °C, below 80 %. Source: OIML R 111-1:2004, E.3, approximate formula.

    >>> round(air_density(20, 101.325, 50), 4)
    1.1993
    """
    require_range(temp_c, -40.0, 60.0, field="temp_c", unit="°C")
    require_range(pressure_kpa, 50.0, 120.0, field="pressure_kpa", unit="kPa")
    require_range(humidity_percent, 0.0, 100.0, field="humidity_percent", unit="%")
    return (0.34848 * 10 * pressure_kpa - 0.009 * humidity_percent * math.exp(0.061 * temp_c)) / (273.15 + temp_c)


def buoyancy_factor(density: float, air: float = AIR, weights: float = STEEL) -> float:
    """True mass over what a scale set with weights shows for it: (1 - air / weights) / (1 - air / density); densities in kg/m3.

    density: of what lies on the scale, above 10 times the air's. Source: OIML D 28:2004, 5.

    >>> round(buoyancy_factor(1000), 6)
    1.001051
    """
    require_range(air, 0.5, 2.0, field="air_density", unit="kg/m3")
    require_positive(weights, "weights_density", "kg/m3")
    require_range(density, 10 * air, 30_000.0, field="density", unit="kg/m3")
    return (1 - air / weights) / (1 - air / density)
