"""Level by the head of a liquid: what a differential transmitter measures at an empty and a full tank.

Source: hydrostatics; ISA RP3.1 and IEC 61298 usage of "elevated" and "suppressed" zero (IEC 60050-311).
"""

from __future__ import annotations

from dataclasses import dataclass

from metrology.faults import Fault, require_range

G = 9.80665
DRY, WET = "dry", "wet"


@dataclass(frozen=True)
class Head:
    """Differential pressure at low and high level, kPa, high side less low side; and how its zero lies."""

    lrv_kpa: float
    urv_kpa: float
    says: str


def level_head(
    low_m: float,
    high_m: float,
    *,
    density: float,
    leg: str = DRY,
    leg_density: float = 1000.0,
    leg_height_m: float = 0.0,
    mount_m: float = 0.0,
    line_density: float | None = None,
    gravity: float = G,
) -> Head:
    """Range of a level transmitter on a vessel.

    low_m, high_m: level above the lower tap, -100 to 100. density of the liquid, 10 to 20 000 kg/m3. leg: what the low side is filled with; a wet one
    of leg_density stands leg_height_m above the lower tap. mount_m: how far the transmitter sits below the lower tap (negative: above it), its lines
    there filled with line_density (that of the liquid where none is given; the low side with that of the leg). A vapour above is left out.
    """
    for name, value in (("low_m", low_m), ("high_m", high_m), ("leg_height_m", leg_height_m), ("mount_m", mount_m)):
        require_range(value, -100.0, 100.0, field=name, unit="m")
    require_range(density, 10.0, 20_000.0, field="density", unit="kg/m3")
    require_range(leg_density, 10.0, 20_000.0, field="leg_density", unit="kg/m3")
    require_range(gravity, 9.7, 9.9, field="gravity", unit="m/s2")
    if high_m <= low_m:
        raise Fault("out_of_order", f"high_m is {high_m:g}, low_m {low_m:g}: high must lie above low.", field="high_m")
    if leg not in (DRY, WET):
        raise Fault("unknown_choice", f"leg is {leg!r}; accepted are dry and wet.", field="leg")
    line = density if line_density is None else line_density
    require_range(line, 10.0, 20_000.0, field="line_density", unit="kg/m3")
    below = line * mount_m - (leg_density * mount_m if leg == WET else 0.0)
    back = leg_density * leg_height_m if leg == WET else 0.0
    lrv, urv = ((density * level + below - back) * gravity / 1000 for level in (low_m, high_m))
    lies = (
        "elevated: the empty tank gives less than nothing"
        if lrv < 0
        else "suppressed: the empty tank gives a head already"
        if lrv > 0
        else "at nothing"
    )
    return Head(lrv, urv, f"{urv - lrv:.4g} kPa from {lrv:.4g} to {urv:.4g} kPa; its zero is {lies}.")
