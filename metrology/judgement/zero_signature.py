"""What a mass flow meter shows while nothing should flow: its zero has moved, something leaks through, gas is in it, or it is not at rest.

Sources: ISO 10790:2015 (Coriolis meters: zero, installation, two-phase flow).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from metrology.judgement.drift import fit_line
from metrology.judgement.signature import Signature

FALLS, STAYS = 0.5, 0.8  # of the flow before: with a second valve shut, below the one it leaked, above the other it did not
QUIET = 3.0  # mean over scatter, from which on a flow is steady and one-signed
NOISY = 3.0  # scatter over zero stability, from which on something moves inside the tubes


@dataclass(frozen=True)
class ZeroSeen:
    """A window with the valves shut. flows: what it shows, less its stored zero already taken off, at `times` in min; kg/h.

    stability: zero stability of the meter, kg/h. density in kg/m3, drive in %, temps in C: as read over the window, empty where not told.
    density_band, drive_limit, temp_band: what is steady. before: mean of the take before, where a second valve was shut since; None otherwise.
    """

    times: tuple[float, ...]
    flows: tuple[float, ...]
    stability: float
    density: tuple[float, ...] = ()
    drive: tuple[float, ...] = ()
    temps: tuple[float, ...] = ()
    density_band: float = 1.0
    drive_limit: float = 50.0
    temp_band: float = 1.0
    before: float | None = None

    @property
    def mean(self) -> float:
        """The observed change of zero, kg/h."""
        return math.fsum(self.flows) / len(self.flows)

    @property
    def sd(self) -> float:
        """Scatter of the readings about their line, kg/h; 0 of fewer than three."""
        return fit_line(self.times, self.flows).s_residual if len(self.flows) >= 3 else 0.0

    @property
    def standard_error(self) -> float:
        """Of the mean, kg/h."""
        n = len(self.flows)
        if n < 2:
            return 0.0
        mean = self.mean
        return math.sqrt(math.fsum((f - mean) ** 2 for f in self.flows) / (n - 1) / n)

    @property
    def drift(self) -> float:
        """How far the line through the readings moves over the window, kg/h; 0 of fewer than three."""
        return fit_line(self.times, self.flows).slope * (self.times[-1] - self.times[0]) if len(self.flows) >= 3 else 0.0

    @property
    def is_off(self) -> bool:
        """Whether the mean lies outside the zero stability."""
        return abs(self.mean) > self.stability * (1 + 1e-9)


def spread(values: Sequence[float]) -> float:
    """Largest less smallest; 0 of nothing."""
    return max(values) - min(values) if values else 0.0


def find_zero_signatures(z: ZeroSeen) -> tuple[Signature, ...]:
    """The named causes, the likeliest first; nothing while it lies inside the zero stability and stands still."""
    made = (_gas(z), _not_at_rest(z), _leak(z), _shift(z))
    return tuple(sorted((m for m in made if m), key=lambda m: -m.confidence))


def _gas(z: ZeroSeen) -> Signature | None:
    high = bool(z.drive) and max(z.drive) > z.drive_limit * (1 + 1e-9)
    noisy = z.sd > NOISY * z.stability * (1 + 1e-9)
    if not (high or noisy):
        return None
    evidence = []
    if high:
        evidence.append(f"Drive gain up to {max(z.drive):g} %; {z.drive_limit:g} % is the limit.")
    if noisy:
        evidence.append(f"The flow scatters by {z.sd:.3g} kg/h, {z.sd / z.stability:.0f} times the zero stability.")
    return Signature(
        "gas-in-liquid", "Gas or vapour is in the liquid, or it is not full: the tubes are damped and the flow jumps.",
        "Fill and vent it, raise the pressure, let gas rise out of it; then take the zero again.", 0.9 if high and noisy else 0.7, tuple(evidence),
    )  # fmt: skip


def _not_at_rest(z: ZeroSeen) -> Signature | None:
    evidence = []
    if spread(z.density) > z.density_band * (1 + 1e-9):
        evidence.append(f"Density moved by {spread(z.density):.3g} kg/m3; {z.density_band:g} is steady.")
    if spread(z.temps) > z.temp_band * (1 + 1e-9):
        evidence.append(f"Temperature moved by {spread(z.temps):.2g} °C; {z.temp_band:g} is steady.")
    if not evidence:
        return None
    return Signature(
        "not-at-rest", "What is in it still changes: it cools or warms, settles out, or flashes.",
        "Wait until density and temperature stand, stir up or flush what settles, then take the zero again.", 0.75, tuple(evidence),
    )  # fmt: skip


def _leak(z: ZeroSeen) -> Signature | None:
    if z.before is not None and abs(z.before) > z.stability:
        left = abs(z.mean) / abs(z.before)
        if left > FALLS * (1 + 1e-9):
            return None
        return Signature(
            "leaking-valve", "Something flowed through a shut valve: with a second one shut it fell.",
            "Mend the valve that leaks. The stored zero was never wrong: keep it.", 0.95,
            (f"Before the second valve was shut it showed {z.before:+.3g} kg/h, then {z.mean:+.3g}.",),
        )  # fmt: skip
    steady = z.is_off and abs(z.mean) > QUIET * z.sd and all(f * z.mean > 0 for f in z.flows) and spread(z.density) <= z.density_band
    if not steady:
        return None
    return Signature(
        "leaking-valve", "A steady flow of one sign with a steady density: a valve may leak through.",
        "Shut a second valve, or loosen a drain behind the first: a flow falls then, a zero stays.", 0.5,
        (f"{z.mean:+.3g} kg/h with a scatter of {z.sd:.2g} kg/h.",),
    )  # fmt: skip


def _shift(z: ZeroSeen) -> Signature | None:
    if not z.is_off:
        return None
    told = z.before is not None and abs(z.before) > z.stability
    left = abs(z.mean) / abs(z.before) if told and z.before else 0.0
    if told and left < STAYS * (1 - 1e-9):
        return None
    evidence = f"{z.mean:+.3g} kg/h; the zero stability is {z.stability:g} kg/h."
    if told:
        evidence += f" With a second valve shut {100 * left:.0f} % of it stayed."
    return Signature(
        "zero-shift", "Its zero has moved: stress of the piping, another liquid or temperature, or wear of the tubes.",
        "Look at supports and flanges first. A new zero belongs to this pressure, temperature and liquid.", 0.9 if told else 0.45, (evidence,),
    )  # fmt: skip
