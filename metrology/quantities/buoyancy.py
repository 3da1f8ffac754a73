"""Displacer level: buoyancy and the apparent weight that hangs on the transmitter."""

from __future__ import annotations

import math

from metrology.faults import Fault, require_finite, require_positive, require_range


def cylinder_volume(diameter: float, length: float) -> float:
    """Volume of a cylinder, in the cube of the unit given: pi d^2 / 4 x length."""
    return math.pi * require_positive(diameter, "diameter") ** 2 / 4.0 * require_positive(length, "length")


def displacer_load(weight: float, volume: float, *, density: float, upper_density: float = 0.0, percent: float) -> tuple[float, float]:
    """(buoyancy, apparent weight) of a displacer covered to `percent` by the heavier liquid.

    buoyancy = V (rho_lower p + rho_upper (1 - p)); apparent = weight - buoyancy. Density in the unit
    that matches weight and volume (kg and kg/cm3, lb and lb/in3). Raises a Fault when the displacer would float.

    >>> displacer_load(2.0, 1000.0, density=0.001, percent=50.0)
    (0.5, 1.5)
    """
    require_positive(weight, "weight")
    require_positive(volume, "volume")
    require_positive(density, "density")
    if require_finite(upper_density, "upper_density") < 0 or upper_density >= density:
        raise Fault(
            "bad_density",
            f"upper_density is {upper_density:g}; it must be 0 or more and below the lower density {density:g}.",
            field="upper_density",
        )
    p = require_range(percent, 0.0, 100.0, field="percent", unit="%") / 100.0
    buoyancy = volume * (density * p + upper_density * (1.0 - p))
    if buoyancy > weight:
        raise Fault(
            "floats",
            f"weight is {weight:g} and the buoyancy at {percent:g} % is {buoyancy:g}: the displacer would float. "
            "Check weight, volume and density for the same units.",
            field="weight",
        )
    return buoyancy, weight - buoyancy
