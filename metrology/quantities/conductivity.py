"""Conductivity of solutions: standard solutions against temperature, cell constants, temperature compensation."""

from __future__ import annotations

from metrology.faults import Fault, require_positive, require_range
from metrology.quantities.tabulated import of_table

REFERENCE_C = 25.0
LINEAR, NATURAL, NONE = "linear", "natural", "none"
MODES = (LINEAR, NATURAL, NONE)

# Temperature in C and conductivity in uS/cm of potassium chloride solutions.
# D (demal): IUPAC Technical Report 2001 (Pratt et al.), the primary standards of conductivity.
# mol/l: as used by ISO 7888:1985 and printed on the bottles.
SOLUTIONS: dict[str, tuple[tuple[float, float], ...]] = {
    "kcl-0.01-d": (
        (0, 772.92), (5, 890.96), (10, 1013.95), (15, 1141.45), (18, 1219.93), (20, 1273.03), (25, 1408.23), (30, 1546.63), (35, 1687.79),
        (40, 1831.27), (45, 1976.62), (50, 2123.43),
    ),
    "kcl-0.1-d": (
        (0, 7116.85), (5, 8183.70), (10, 9291.72), (15, 10437.1), (18, 11140.6), (20, 11615.9), (25, 12824.6), (30, 14059.2), (35, 15316.0),
        (40, 16591.0), (45, 17880.6), (50, 19180.9),
    ),
    "kcl-0.01": ((0, 776.0), (5, 896.0), (10, 1020.0), (15, 1147.0), (18, 1225.0), (20, 1278.0), (25, 1413.0), (30, 1552.0)),
    "kcl-0.1": ((0, 7150.0), (5, 8220.0), (10, 9330.0), (15, 10480.0), (18, 11190.0), (20, 11670.0), (25, 12880.0), (30, 14120.0)),
}  # fmt: skip


def solution_conductivity(solution: str, temp_c: float) -> float:
    """Conductivity of a standard solution in uS/cm at temp_c, straight lines between the temperatures of its table.

    solution: kcl-0.01-d, kcl-0.1-d (0 to 50 °C; IUPAC 2001), kcl-0.01, kcl-0.1 (mol/l, 0 to 30 °C; ISO 7888:1985). Raises a Fault for an unknown
    one and outside the table.

    >>> solution_conductivity("kcl-0.01", 25.0)
    1413.0
    """
    if solution not in SOLUTIONS:
        raise Fault("unknown_solution", f"solution is {solution!r}; known are {', '.join(SOLUTIONS)}.", field="solution")
    return of_table(SOLUTIONS[solution], temp_c)


def cell_constant(conductivity_us_cm: float, conductance_us: float) -> float:
    """Cell constant in 1/cm: conductivity of the solution over the conductance that is measured in it (ISO 7888:1985, clause 3).

    >>> cell_constant(1413.0, 1413.0)
    1.0
    """
    require_positive(conductivity_us_cm, "conductivity_us_cm")
    require_positive(conductance_us, "conductance_us")
    return conductivity_us_cm / conductance_us


def natural_factor(temp_c: float) -> float:
    """Factor f25 by which the conductivity of natural water at temp_c, 0 to 36 °C, becomes that at 25 °C.

    Ions move as the water lets them: the viscosity of water (Kestin et al. 1978) to the power 0.929, within 0.3 % of the factors of
    ISO 7888:1985 (1.918 at 0 °C, 1.428 at 10 °C, 1.116 at 20 °C).

    >>> round(natural_factor(25.0), 3)
    1.0
    """
    require_range(temp_c, 0.0, 36.0, field="temp_c", unit="°C")
    return float((_viscosity(temp_c) / _viscosity(REFERENCE_C)) ** 0.929)


def _viscosity(temp_c: float) -> float:
    """Viscosity of water over that at 20 °C (Kestin, Sokolov, Wakeham 1978), -8 to 150 °C."""
    d = 20.0 - temp_c
    return float(10.0 ** (d / (temp_c + 96.0) * (1.2364 - 1.37e-3 * d + 5.7e-6 * d * d)))


def to_reference(temp_c: float, mode: str, *, percent_per_c: float = 2.0) -> float:
    """Factor by which a conductivity at temp_c is referred to 25 °C.

    mode: linear (1 / (1 + a (t - 25)), a in %/°C, 0 to 10), natural (water, ISO 7888) or none. Raises a Fault where a straight line crosses
    zero, and for natural water outside 0 to 36 °C.

    >>> to_reference(30.0, "linear", percent_per_c=2.0)
    0.9090909090909091
    """
    if mode == NONE:
        return 1.0
    if mode == NATURAL:
        return natural_factor(temp_c)
    if mode != LINEAR:
        raise Fault("unknown_mode", f"mode is {mode!r}; known are {', '.join(MODES)}.", field="mode")
    require_range(percent_per_c, 0.0, 10.0, field="percent_per_c", unit="%/°C")
    below = 1.0 + percent_per_c / 100.0 * (temp_c - REFERENCE_C)
    if below <= 0.05:
        told = (
            f"At {temp_c:g} °C a straight line of {percent_per_c:g} %/°C has no meaning: it reaches zero. Use natural water compensation."
        )
        raise Fault("out_of_range", told, field="temp_c")
    return 1.0 / below


def coefficient_of(raw: float, referred: float, temp_c: float) -> float:
    """Coefficient in %/°C that leads from a conductivity at temp_c to the one referred to 25 °C; raises a Fault within 1 °C of 25 °C."""
    require_positive(raw, "raw")
    require_positive(referred, "referred")
    away = temp_c - REFERENCE_C
    if abs(away) < 1.0:
        raise Fault(
            "too_near", f"At {temp_c:g} °C, next to 25 °C, compensation hardly shows; take a solution further away.", field="temp_c"
        )
    return 100.0 * (raw / referred - 1.0) / away
