"""Error signatures of a pH electrode in two buffers: mixed-up beakers, wrong table, temperature, glass, reference.

Sources: IUPAC Recommendations 2002 (measurement of pH), DIN 19266:2015 (buffers), DIN 19268:2007 (pH measurement with glass electrodes).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from metrology.faults import Fault
from metrology.judgement.signature import Signature
from metrology.quantities.acidity import BUFFERS, buffer_ph, theoretical_slope

NEAR_PH = 0.5  # how near a reading must lie to the other buffer to be taken for it
TABLE_PH = 0.04  # how well another table must explain both readings
KELVIN = 273.15
MIXED_SLOPE = 20.0  # % of theory: below it nothing answers to the change of buffer


@dataclass(frozen=True)
class InBuffer:
    """An electrode in one buffer. ph: of the table at temp_c; indicated: what the analyzer read; analyzer_c: the temperature it reckons with."""

    ph: float
    indicated: float
    mv: float
    temp_c: float
    analyzer_c: float | None = None
    response_s: float | None = None


@dataclass(frozen=True)
class GlassLimits:
    """Limits the causes are told apart by. Slopes in % of theory; offsets and changes in mV; impedances in Mohm (glass) and kohm (reference)."""

    good_low: float = 92.0
    replace: float = 85.0
    contaminated: float = 103.0
    offset_mv: float = 30.0
    drift_mv: float = 15.0
    response_s: float = 120.0
    glass_low: float = 10.0
    glass_high: float = 1000.0
    reference_high: float = 50.0
    often_days: float = 30.0


@dataclass(frozen=True)
class Electrode:
    """What both buffers told. table: the set they are of. offsets: of earlier calibrations, oldest first; days: between calibrations."""

    first: InBuffer
    second: InBuffer
    slope_percent: float
    offset_mv: float
    table: str
    glass_mohm: float | None = None
    reference_kohm: float | None = None
    offsets: tuple[float, ...] = ()
    days: tuple[float, ...] = ()
    limits: GlassLimits = GlassLimits()


def find_ph_signatures(e: Electrode, *, tolerance: float) -> tuple[Signature, ...]:
    """The named causes, most telling first; tolerance in pH. Nothing is named while errors are small and the electrode is good."""
    mixed = _swapped(e) or _same_twice(e)
    if mixed:
        return tuple(sorted(mixed, key=lambda s: -s.confidence))
    found = [
        made
        for made in (_wrong_table(e, tolerance), _temperature(e, tolerance), _contaminated(e), _glass(e), _reference(e), _often(e))
        if made is not None
    ]
    return tuple(sorted(found, key=lambda s: -s.confidence))


def _swapped(e: Electrode) -> list[Signature]:
    near = abs(e.first.indicated - e.second.ph) <= NEAR_PH and abs(e.second.indicated - e.first.ph) <= NEAR_PH
    if e.slope_percent > -MIXED_SLOPE and not near:
        return []
    evidence = (
        f"In the buffer pH {e.first.ph:.2f} it read {e.first.indicated:.2f}, in pH {e.second.ph:.2f} it read {e.second.indicated:.2f}.",
        f"The slope comes out at {e.slope_percent:.0f} % of theory: its sign is wrong.",
    )
    return [
        Signature(
            "buffers-swapped",
            "The two buffers were swapped: each reads like the other.",
            "Strike both readings; put the electrode, rinsed, into the first buffer, and read again with fresh portions.",
            0.9 if near else 0.7,
            evidence,
        )
    ]


def _same_twice(e: Electrode) -> list[Signature]:
    """Nothing answered: the same buffer twice, or glass that answers to nothing. The impedance of the glass tells them apart where it is known."""
    if abs(e.slope_percent) >= MIXED_SLOPE:
        return []
    told = f"{e.first.mv:.1f} mV and {e.second.mv:.1f} mV: the change of {abs(e.first.ph - e.second.ph):.2f} pH gave {e.slope_percent:.0f} % of theory."
    which = min((e.first.ph, e.second.ph), key=lambda ph: abs(e.first.indicated - ph))
    stuck_at_buffer = abs(e.first.indicated - which) <= NEAR_PH and abs(e.second.indicated - which) <= NEAR_PH
    glass, lim = e.glass_mohm, e.limits
    out = []
    broken = glass is not None and not lim.glass_low <= glass <= lim.glass_high
    sound = glass is not None and not broken
    if stuck_at_buffer and not broken:
        out.append(
            Signature(
                "same-buffer",
                f"The same buffer was read twice: both readings are those of pH {which:.2f}.",
                "Strike the reading that was in the wrong beaker and take it again with a fresh portion of the other buffer.",
                0.85 if sound else 0.55,
                (
                    told,
                    "The glass impedance is as it should be."
                    if sound
                    else "Whether the glass is sound is not known: no impedance was read.",
                ),
            )
        )
    if not sound:
        cracked = glass is not None and glass < lim.glass_low
        says = (
            "The glass is cracked: it answers to nothing."
            if cracked
            else "The glass is coated or cracked: it hardly answers to the buffer."
        )
        more = f"Glass impedance {glass:g} Mohm; {lim.glass_low:g} to {lim.glass_high:g} Mohm is sound." if glass is not None else ""
        out.append(
            Signature(
                "coated-or-cracked",
                says,
                "Replace the electrode."
                if cracked
                else "Clean it, look at the glass in good light, and try again; else replace the electrode.",
                0.85 if broken else 0.45,
                tuple(t for t in (told, more) if t),
            )
        )
    return out


def _wrong_table(e: Electrode, tolerance: float) -> Signature | None:
    """Both readings are what another table says: the bottles, or what the analyzer is set to, are of that one."""
    errors = [b.indicated - b.ph for b in (e.first, e.second)]
    if max(abs(x) for x in errors) <= tolerance:
        return None
    for other in BUFFERS:
        if other == e.table:
            continue
        told = [_nearest(other, b) for b in (e.first, e.second)]
        if all(t is not None and abs(b.indicated - t) <= TABLE_PH for t, b in zip(told, (e.first, e.second), strict=True)):
            rest = max(abs(b.indicated - t) for t, b in zip(told, (e.first, e.second), strict=True) if t is not None)
            name = {"nist": "NIST / DIN 19266", "technical": "technical"}[other]
            return Signature(
                "wrong-table",
                f"Both readings are those of the {name} buffers: bottles and table do not belong together.",
                "Read the bottles' labels and the buffer set in the analyzer; choose the set that is really in the beakers.",
                0.9 if rest <= TABLE_PH / 2 else 0.75,
                (
                    f"Read {e.first.indicated:.2f} and {e.second.indicated:.2f}; the {name} table gives {told[0]:.2f} and {told[1]:.2f} there, "
                    f"the chosen one {e.first.ph:.2f} and {e.second.ph:.2f}.",
                ),
            )
    return None


def _nearest(table: str, b: InBuffer) -> float | None:
    try:
        values = [buffer_ph(table, float(nominal), b.temp_c) for nominal in BUFFERS[table]]
    except Fault:
        return None
    return min(values, key=lambda v: abs(v - b.indicated))


def _temperature(e: Electrode, tolerance: float) -> Signature | None:
    """It reckons with another temperature than the buffer has: the error grows with the distance from pH 7."""
    believed = e.second.analyzer_c
    guess = 25.0 if believed is None else believed
    if abs(guess - e.second.temp_c) < 3.0:
        return None
    ratio = (e.second.temp_c + KELVIN) / (guess + KELVIN) - 1.0
    expected = (e.second.ph - 7.0) * ratio
    error = e.second.indicated - e.second.ph
    first = e.first.indicated - e.first.ph
    seen = abs(error - first - expected) <= 0.02 + 0.3 * abs(expected) and abs(error) > 0.3 * tolerance
    if not seen and believed is None:
        return None
    evidence = [
        f"The buffer has {e.second.temp_c:g} °C"
        + (f" and the analyzer shows {believed:g} °C." if believed is not None else "; the analyzer seems to reckon with 25 °C."),
        f"That makes {expected:+.3f} pH at pH {e.second.ph:.2f}; the error there is {error:+.3f} pH.",
    ]
    return Signature(
        "temperature-not-compensated",
        "The temperature is not compensated: the analyzer reckons with another one than the buffer has.",
        "Put the temperature sensor into the buffer too, or set the temperature by hand; then read again.",
        0.9 if believed is not None and seen else 0.75 if believed is not None else 0.5,
        tuple(evidence),
    )


def _contaminated(e: Electrode) -> Signature | None:
    if e.slope_percent <= e.limits.contaminated:
        return None
    return Signature(
        "contaminated-buffer",
        "A buffer is contaminated or not what its label says: no glass answers more than theory allows.",
        "Pour both away, take fresh portions from other bottles, rinse with the buffer, and read again.",
        0.85,
        (f"The slope is {e.slope_percent:.1f} % of theory; above {e.limits.contaminated:g} % no electrode reaches.",),
    )


def _glass(e: Electrode) -> Signature | None:
    """Low slope: aged when it is slow or of high impedance, cracked when of low impedance, coated when only slow."""
    lim = e.limits
    if not MIXED_SLOPE <= e.slope_percent < lim.good_low:
        return None
    times = [b.response_s for b in (e.first, e.second) if b.response_s is not None]
    slow = bool(times) and max(times) > lim.response_s
    glass = e.glass_mohm
    evidence = [f"The slope is {e.slope_percent:.1f} % of theory; {lim.good_low:g} % and more is good."]
    if times:
        evidence.append(f"95 % was reached after {max(times):g} s; {lim.response_s:g} s is the limit.")
    if glass is not None:
        evidence.append(f"Glass impedance {glass:g} Mohm; {lim.glass_low:g} to {lim.glass_high:g} Mohm is sound.")
        if glass < lim.glass_low:
            return Signature("cracked-glass", "The glass is cracked.", "Replace the electrode.", 0.85, tuple(evidence))
    if e.slope_percent < lim.replace * 0.75 and not slow:
        told = "The glass is coated or cracked: much of its answer is missing."
        return Signature("coated-or-cracked", told, "Clean it and try again; else replace the electrode.", 0.6, tuple(evidence))
    sure = 0.5 + (0.2 if slow else 0.0) + (0.2 if glass is not None and glass > lim.glass_high else 0.0)
    first = "Replace the electrode." if e.slope_percent < lim.replace else "Clean and regenerate it; order a new one."
    return Signature(
        "aged-glass", "The glass is aged: its slope is low" + (" and it is slow." if slow else "."), first, sure, tuple(evidence)
    )


def _reference(e: Electrode) -> Signature | None:
    """Offset away, or wandering from one calibration to the next, while the slope holds: the reference system."""
    lim = e.limits
    drift = e.offset_mv - e.offsets[-1] if e.offsets else 0.0
    blocked = e.reference_kohm is not None and e.reference_kohm > lim.reference_high
    if abs(e.offset_mv) <= lim.offset_mv and abs(drift) <= lim.drift_mv and not blocked:
        return None
    evidence = [f"The offset is {e.offset_mv:+.1f} mV; up to {lim.offset_mv:g} mV is good."]
    if e.offsets:
        evidence.append(f"At the calibration before it was {e.offsets[-1]:+.1f} mV: it moved by {drift:+.1f} mV.")
    if e.reference_kohm is not None:
        evidence.append(f"Reference impedance {e.reference_kohm:g} kohm; up to {lim.reference_high:g} kohm is sound.")
    sure = 0.45 + 0.2 * (abs(drift) > lim.drift_mv) + 0.2 * blocked + 0.1 * (e.slope_percent >= lim.good_low)
    told = (
        "The junction of the reference is blocked."
        if blocked and abs(e.offset_mv) <= lim.offset_mv
        else "The reference is poisoned or runs dry."
    )
    return Signature(
        "poisoned-reference",
        told,
        "Look at junction and electrolyte: clean or fill it, pressurise it where it is made for that, else replace the electrode.",
        round(min(0.9, sure), 2),
        tuple(evidence),
    )


def _often(e: Electrode) -> Signature | None:
    """Adjusted again and again: calibrating does not cure what cleaning or a reference would."""
    recent = e.days[-3:]
    if len(recent) < 3 or _median(recent) >= e.limits.often_days:
        return None
    return Signature(
        "calibrated-too-often",
        "It is calibrated much more often than monthly: cleaning or the reference system is the problem, not the calibration.",
        "Look at automatic cleaning, at the place in the line, and at the reference; calibrate when it is needed, not to be sure.",
        0.6,
        (f"The last calibrations lie {', '.join(f'{d:.0f}' for d in recent)} days apart; {e.limits.often_days:g} days is the limit.",),
    )


def _median(values: Sequence[float]) -> float:
    ordered = sorted(values)
    n = len(ordered)
    return ordered[n // 2] if n % 2 else (ordered[n // 2 - 1] + ordered[n // 2]) / 2


def nernst(temp_c: float) -> float:
    """Size of the theoretical slope at a temperature, mV per pH."""
    return abs(theoretical_slope(temp_c))
