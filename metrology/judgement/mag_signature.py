"""What the electronics of a magnetic flow meter show: coated electrodes, moisture in the coil, wires exchanged, an output stage that drifted.

Sources: ISO 20456:2017 (electromagnetic flow meters: installation, conductivity, coating); practice of electronic verification.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from metrology.judgement.signature import Signature

COATED = 2.0  # of the baseline: an electrode whose resistance rose beyond it is coated
UNEVEN = 1.5  # one electrode over the other, from which on one of them alone is coated or wet
SWAPPED = 0.25  # how near a coil's and an electrode's value must come to each other's baseline, of it


@dataclass(frozen=True)
class MagSeen:
    """Values of a verification by row (`coil`, `insulation`, `electrode_a`, `electrode_b` in ohm, Mohm, kohm, kohm), and those of the baseline.

    least_mohm: insulation that the coil must have. gain: mean error of the simulated velocities, zero: error at the lowest, % and m/s; None where not
    read. gain_limit in %, zero_limit in m/s. current: errors at 4, 12 and 20 mA in mA, with the limit.
    """

    values: Mapping[str, float]
    baseline: Mapping[str, float]
    least_mohm: float
    gain: float | None = None
    gain_limit: float = 0.5
    currents: tuple[float, ...] = ()
    current_limit: float = 0.02

    def ratio(self, row: str) -> float | None:
        """A value over its baseline; None where one of them is not known."""
        now, then = self.values.get(row), self.baseline.get(row)
        return now / then if now is not None and then else None


def find_mag_signatures(m: MagSeen) -> tuple[Signature, ...]:
    """The named causes, the likeliest first; nothing while every row is as it was."""
    made = (_exchanged(m), _moist(m), _coil(m), _coated(m), _empty(m), _converter(m), _output(m))
    return tuple(sorted((s for s in made if s), key=lambda s: -s.confidence))


def _exchanged(m: MagSeen) -> Signature | None:
    """Coil read where the electrodes are, and the other way round."""
    coil, a = m.values.get("coil"), m.values.get("electrode_a")
    was_coil, was_a = m.baseline.get("coil"), m.baseline.get("electrode_a")
    if not (was_coil and was_a) or (coil is None and a is None):
        return None
    pairs = [(now, of) for now, of in ((coil, 1000 * was_a), (a, was_coil / 1000)) if now is not None]
    if not all(abs(now / of - 1) <= SWAPPED for now, of in pairs):
        return None
    told = " and ".join(
        f"{label} {now:g} {unit}" for label, now, unit in (("coil", coil, "ohm"), ("electrode A", a, "kohm")) if now is not None
    )
    return Signature(
        "wires-exchanged", "Coil and electrode wires are exchanged.", "Compare every wire with the list of terminals before anything is powered.", 0.95,
        (f"{told[0].upper()}{told[1:]}; by the baseline the coil has {was_coil:g} ohm, the electrode {was_a:g} kohm.",),
    )  # fmt: skip


def _moist(m: MagSeen) -> Signature | None:
    found = m.values.get("insulation")
    if found is None or found >= m.least_mohm * (1 - 1e-9):
        return None
    return Signature(
        "moisture", "Moisture is in the coil, its connection box or its cable.",
        "Open the connection box dry, look at glands and potting, dry it; below its limit the sensor has to be exchanged.", 0.85,
        (f"Coil to earth {found:g} Mohm; {m.least_mohm:g} is the least.",),
    )  # fmt: skip


def _coil(m: MagSeen) -> Signature | None:
    ratio = m.ratio("coil")
    if ratio is None or 0.8 <= ratio <= 1.25 or _exchanged(m):
        return None
    what = "open" if ratio > 10 else "shorted in part" if ratio < 0.8 else "warmer, or its connection is bad"
    return Signature(
        "coil", f"The coil is {what}.", "Measure it at the sensor itself: the cable and its terminals are the likelier cause.", 0.8,
        (f"{m.values['coil']:g} ohm, {100 * ratio:.0f} % of the baseline.",),
    )  # fmt: skip


def _coated(m: MagSeen) -> Signature | None:
    a, b = m.ratio("electrode_a"), m.ratio("electrode_b")
    if a is None or b is None or max(a, b) <= COATED * (1 + 1e-9) or min(a, b) > 50 or _exchanged(m):
        return None
    one = max(a, b) / min(a, b) > UNEVEN
    name = "a" if a >= b else "b"
    return Signature(
        "coated-electrode", f"Electrode {name.upper()} is coated." if one else "Both electrodes are coated.",
        "Clean the electrodes, by cycling the flow, chemically or by hand; then verify them again.", 0.85 if one else 0.75,
        (f"Electrode A {100 * a:.0f} %, electrode B {100 * b:.0f} % of the baseline.",),
    )  # fmt: skip


def _empty(m: MagSeen) -> Signature | None:
    a, b = m.ratio("electrode_a"), m.ratio("electrode_b")
    if a is None or b is None or min(a, b) <= 50:
        return None
    return Signature(
        "not-full", "Neither electrode is in liquid: the pipe is empty, or the liquid does not conduct.",
        "Fill the pipe and measure the electrodes again; compare the conductivity with the least that the meter needs.", 0.8,
        (f"Electrode A {100 * a:.0f} %, electrode B {100 * b:.0f} % of the baseline.",),
    )  # fmt: skip


def _converter(m: MagSeen) -> Signature | None:
    if m.gain is None or abs(m.gain) <= m.gain_limit * (1 + 1e-9):
        return None
    return Signature(
        "converter-gain", "The converter measures all velocities wrong by the same share.",
        "Repeat it with another test card; where it stays, the converter is exchanged, and the meter needs a flow calibration.", 0.8,
        (f"{m.gain:+.2f} % over the simulated velocities; {m.gain_limit:g} % is the limit.",),
    )  # fmt: skip


def _output(m: MagSeen) -> Signature | None:
    if len(m.currents) < 2 or max(abs(c) for c in m.currents) <= m.current_limit * (1 + 1e-9):
        return None
    same = max(m.currents) - min(m.currents) <= m.current_limit
    return Signature(
        "output-stage", f"The current output is off by {'the same everywhere' if same else 'more at one end than at the other'}.",
        "Trim the output at both ends, then verify it again; the measurement itself is not concerned.", 0.8,
        (", ".join(f"{c:+.3f} mA" for c in m.currents) + f"; {m.current_limit:g} mA is the limit.",),
    )  # fmt: skip
