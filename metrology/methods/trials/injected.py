"""Injections: a standard until the last two agree, a blank, each component read of every one, with its retention and its response.

Sources: ISO 6974-1:2012 and ISO 6974-2:2012 (gas chromatography of gas mixtures, response functions, uncertainty), European Pharmacopoeia 2.2.46
(resolution, system suitability), JCGM 100:2008 (uncertainty).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

from metrology.faults import Fault
from metrology.judgement.errors import UP
from metrology.judgement.injection_signature import AnalyteSeen, find_blank_signatures, find_injection_signatures
from metrology.judgement.signature import Signature
from metrology.judgement.uncertainty import Component as Part
from metrology.methods.analytes import (
    PLUNGER,
    Analyte,
    Found,
    agree_within,
    analyte_named,
    analytes_of,
    blank_limit,
    critical_pair,
    factor_name,
    factor_of,
    injection_settings,
    read_injection,
)
from metrology.methods.budget import Spread
from metrology.methods.components import applied_of, tolerance_of
from metrology.methods.exposing import SPAN, ZERO
from metrology.methods.method import Columns
from metrology.methods.outcome import Criterion, Judged, Outcome, OutcomeTable, SeriesPoint
from metrology.methods.setup import RunSetup
from metrology.methods.slots import CURVE, INJECTION, LEAK, Plan, Quantity, RawReading, Slot
from metrology.methods.steps import Step
from metrology.methods.trials.courses import of_this_life, on_day, trend_words
from metrology.methods.trials.mixture import MixtureExposed
from metrology.methods.trials.points import as_it_was
from metrology.quantities.chromatography import apart_percent, resolution
from metrology.quantities.words import decimals_for, number

STANDARD, BLANK = "mix:A", "blank"
CURVE_UNIT = "uV"
PAIR = "pair resolution"
WATCH = 0.6  # of a window: from here on it warns
TIGHT = 1.2  # of the least resolution: below it warns


def is_blank(set_key: str) -> bool:
    """Whether a set is a blank."""
    return set_key.startswith(BLANK)


@lru_cache(maxsize=512)
def _injection(setup: RunSetup, n: int, blank: bool) -> tuple[Slot, ...]:
    """The slots of one injection, n from 0."""
    d, of = injection_settings(setup), analytes_of(setup)
    out = []
    for k, a in enumerate(of):
        value = 0.0 if blank else applied_of(setup, STANDARD, a)
        bottle = (
            {"bottle": dict(setup.entered)[f"{STANDARD}.bottle"]} if not blank and dict(setup.entered).get(f"{STANDARD}.bottle") else {}
        )
        extra = {INJECTION: str(n + 1), "exposure": ZERO if blank else SPAN, "gas": "" if blank else STANDARD, **bottle}
        told = "there must be nothing of it" if blank else f"it should show {number(value, decimals_for(a.top))} {a.unit}"
        what = "Blank" if blank else f"Injection {n + 1}"
        test = "the plunger comes back to its mark" if d.leak_test == PLUNGER else "pressure holds"
        first = f"{what}: leak test first, {test}; then inject. " if k == 0 else ""
        waits = d.wait_min if k == 0 else 0.0
        out.append(
            Slot(n * len(of) + k, n + 1, UP, 100 * value / a.top, value, value, f"{first}{a.name}: {told}.", a.name, extra, after_min=waits)
        )
    return tuple(out)


@dataclass(frozen=True)
class Injections(MixtureExposed):
    """The trial: a standard at least twice, until the last two agree in every component; a blank once."""

    def plan(self, setup: RunSetup, set_key: str, taken: Sequence[RawReading] = ()) -> Plan:
        """Two injections, then one more until the last two agree or no more are made; of a blank one."""
        blank = is_blank(set_key)
        if blank:
            return Plan(_injection(setup, 0, True))
        then = as_it_was(setup, taken[0]) if taken else setup
        of, most = analytes_of(then), round(injection_settings(then).most_injections)
        n = 2
        while n < most and self._is_whole(of, taken, n) and not self._agrees(then, taken, n):
            n += 1
        closed = self._is_whole(of, taken, n) and (self._agrees(then, taken, n) or n == most)
        return Plan(tuple(slot for k in range(n) for slot in _injection(then, k, False)), is_closed=closed)

    def _is_whole(self, of: Sequence[Analyte], taken: Sequence[RawReading], n: int) -> bool:
        return {r.slot.index for r in taken} >= set(range(n * len(of)))

    def _agrees(self, setup: RunSetup, taken: Sequence[RawReading], n: int) -> bool:
        return all(
            apart is not None and apart <= agree_within(setup, a) * (1 + 1e-9)
            for a in analytes_of(setup)
            for apart in [self.apart(taken, a, n - 1, n)]
        )

    def apart(self, readings: Sequence[RawReading], a: Analyte, one: int, other: int) -> float | None:
        """How far two injections of a component are apart, % of their mean; None where one is missing, or both show nothing."""
        values = by_injection(readings, a)
        if one not in values or other not in values:
            return None
        if values[one] + values[other] <= 0:
            return 100.0
        return apart_percent(values[one], values[other])

    def asks(self, setup: RunSetup, slot: Slot) -> tuple[Quantity, ...]:
        """What it shows; area and retention where the analyzer tells them; before each injection what the leak test lost."""
        d, a = injection_settings(setup), analyte_named(setup, slot.channel)
        top, places = a.top, decimals_for(a.top)
        over = f"Above the range of {top:g} {a.unit}: look at the unit and at the line it was read from."
        shown = Quantity("indicated", "Shows", a.unit, places, slot.ideal, -0.02 * top, 1.1 * top, 0.1 * top, span=top, doubt=over)
        applied = Quantity(
            "applied", "Standard", a.unit, max(2, places), slot.nominal, slot.nominal - 1e-6 * top, slot.nominal + 0.05 * top, 0, span=top,
            hint="By the bottle's certificate.",
        )  # fmt: skip
        early = (
            f"{a.name} comes out at {a.at_s:g} s, within {a.within_s:g} s. Another peak, or a column that has moved: look, then take it."
        )
        far = 3 * a.within_s
        area = Quantity("area", "Peak area", "", 3, slot.ideal * factor_of(setup, a), -1e12, 1e12, 0, False, span=top)
        curve = Quantity(CURVE, "Detector signal", CURVE_UNIT, 1, 0, -1e12, 1e12, 0, False, span=1e6, is_live_only=True)
        retention = Quantity("retention", "Retention", "s", 2, a.at_s, a.at_s - far, a.at_s + far, 0, False, span=far, doubt=early)
        pair = critical_pair(setup)
        of_pair = pair is not None and pair[1].name == a.name and slot.extra["exposure"] == SPAN
        parted = (
            (
                Quantity(
                    "resolution",
                    f"Resolution of {pair[0].name} and {pair[1].name}",
                    "",
                    2,
                    d.pair_resolution * 1.5,
                    0,
                    100,
                    0,
                    False,
                    span=10,
                ),
            )
            if of_pair and pair
            else ()
        )
        if slot.after_min or slot.index % len(analytes_of(setup)) == 0:
            unit, words = ("ml", "Plunger stays short by") if d.leak_test == PLUNGER else ("kPa", "Lost in the leak test")
            hint = f"0: it came all the way back; {d.leak_limit:g} {unit} may be lost."
            leak = Quantity(LEAK, words, unit, 2, 0.0, 0.0, 1e6, 0, True, hint, span=max(d.leak_limit, 0.01) * 10)
            return (leak, shown, applied, area, retention, *parted, curve)
        return (shown, applied, area, retention, *parted, curve)

    def record(self, setup: RunSetup, slot: Slot, texts: Mapping[str, str]) -> Mapping[str, str]:
        """An injection through a leak is none."""
        d = injection_settings(setup)
        if LEAK in texts and float(texts[LEAK]) > d.leak_limit * (1 + 1e-9):
            unit = "ml" if d.leak_test == PLUNGER else "kPa"
            told = "the plunger does not come back" if d.leak_test == PLUNGER else "pressure does not hold"
            raise Fault(
                "leak",
                f"{texts[LEAK]} {unit} were lost, {d.leak_limit:g} {unit} may be: {told}. Septum, needle or valve leak. Find it, test again, then "
                "inject; nothing was stored.",
                field=LEAK,
            )
        return texts

    def tolerance_for(self, setup: RunSetup, slot: Slot, applied: float) -> float:
        """The component's own; of a blank what it may show."""
        a = analyte_named(setup, slot.channel)
        return tolerance_of(setup, a, applied) if slot.extra["exposure"] == SPAN else 100 * blank_limit(setup, a) / a.top

    def budget(self, setup: RunSetup, slot: Slot, point: Any, reading: RawReading, spread: Spread | None) -> tuple[Part, ...]:
        """Of a standard its certificate and the display; how well injections repeat stands in the criteria."""
        return super().budget(setup, slot, point, reading, None)

    def judge(self, setup: RunSetup, readings: Sequence[RawReading], set_key: str) -> Outcome:
        """The last two injections count; those before them are set aside."""
        outcome = super().judge(setup, readings, set_key)
        last = max((int(j.slot.extra[INJECTION]) for j in outcome.judged), default=0)
        told = "Set aside: the last two that agree count."
        return replace(
            outcome, judged=tuple(replace(j, aside="" if int(j.slot.extra[INJECTION]) > last - 2 else told) for j in outcome.judged)
        )

    def signatures(self, setup: RunSetup, judged: Sequence[Judged], readings: Sequence[RawReading]) -> tuple[Signature, ...]:
        """What injections, retentions and blanks say; once each component was read."""
        then, blank = as_it_was(setup, readings[-1]), readings[0].slot.extra["exposure"] == ZERO
        seen = tuple(seen_of(then, a, readings, blank=blank) for a in analytes_of(then))
        if blank:
            return find_blank_signatures(seen)
        pair, d = critical_pair(then), injection_settings(then)
        parted = pair_of(readings)
        names = f"{pair[0].name} and {pair[1].name}" if pair else ""
        return find_injection_signatures(seen, pair_resolution=parted, pair_least=d.pair_resolution, pair=names)

    def finish(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome, set_key: str) -> Outcome:
        """Agreement, windows and the critical pair as criteria; every injection in a table; what is followed."""
        if not readings or is_blank(set_key):
            return outcome
        then = as_it_was(setup, readings[0])
        last = max(int(r.slot.extra[INJECTION]) for r in readings)
        criteria = [*self._agreements(then, readings, last), *_windows(then, readings), *_pair(then, readings)]
        tables = (_table(then, readings, last, self), *_retentions(then, readings, last), *_factors(then, readings))
        return replace(outcome, criteria=tuple(criteria), tables=tables, series=_series(then, readings))

    def _agreements(self, setup: RunSetup, readings: Sequence[RawReading], last: int) -> list[Criterion]:
        out = []
        for a in analytes_of(setup):
            apart = self.apart(readings, a, last - 1, last)
            if apart is not None:
                out.append(Criterion(f"agree {a.name}", f"{a.name}, last two injections apart", apart, "%", None, agree_within(setup, a)))
        return out

    def findings(self, setup: RunSetup, readings: Sequence[RawReading], outcome: Outcome) -> tuple[tuple[str, str], ...]:
        """When a retention leaves its window and the critical pair comes too close, by the calibrations so far."""
        if readings[0].slot.extra["exposure"] == ZERO:
            return ()
        on, out = on_day(readings), []
        for p in outcome.series:
            if p.low is not None or p.high is not None:
                words = trend_words(of_this_life(setup, p.name), p.value, on, p.low, p.high, p.unit, "column")
                out.append((p.label, words))
        return tuple(out)

    def suggest(self, setup: RunSetup, readings: Sequence[RawReading], step: Step) -> Mapping[str, str]:
        """The factors to accept are those that the injections gave."""
        if not readings or not step.key.startswith("accept"):
            return {}
        return {f"factor:{name}": f"{value:.5g}" for name, value in new_factors(as_it_was(setup, readings[0]), readings).items()}

    def columns(self, setup: RunSetup, set_key: str = "") -> Columns:
        """In percent of each component's range, and in its unit."""
        return replace(super().columns(setup, set_key), applied="Standard" if not is_blank(set_key) else "Should show")


def by_injection(readings: Sequence[RawReading], a: Analyte) -> dict[int, float]:
    """What each injection showed of a component."""
    return {int(r.slot.extra[INJECTION]): float(r.indicated) for r in readings if r.slot.channel == a.name}


def _last_two(readings: Sequence[RawReading], a: Analyte, name: str) -> list[float]:
    """A number told beside the reading, of the last two injections."""
    mine = sorted((r for r in readings if r.slot.channel == a.name), key=lambda r: r.slot.index)[-2:]
    return [float(r.extra[name]) for r in mine if r.extra.get(name)]


def seen_of(setup: RunSetup, a: Analyte, readings: Sequence[RawReading], *, blank: bool) -> AnalyteSeen:
    """What was seen of one component."""
    mine = sorted((r for r in readings if r.slot.channel == a.name), key=lambda r: r.slot.index)
    values = tuple(float(r.indicated) for r in mine)
    applied = applied_of(setup, STANDARD, a)
    return AnalyteSeen(
        a.name, a.unit, applied, tolerance_of(setup, a, applied) / 100 * a.top, () if blank else values, a.at_s, a.within_s,
        tuple(float(r.extra["retention"]) for r in mine if r.extra.get("retention")), values[-1] if blank and values else None,
        blank_limit(setup, a), a.air_limit > 0,
    )  # fmt: skip


def pair_of(readings: Sequence[RawReading]) -> float | None:
    """Resolution of the critical pair in the last injection that told it."""
    told = [r.extra["resolution"] for r in sorted(readings, key=lambda r: r.slot.index) if r.extra.get("resolution")]
    return float(told[-1]) if told else None


def _windows(setup: RunSetup, readings: Sequence[RawReading]) -> list[Criterion]:
    out = []
    for a in analytes_of(setup):
        told = _last_two(readings, a, "retention")
        if told:
            shift, w = sum(told) / len(told) - a.at_s, a.within_s
            says = f"{a.name} comes out at {a.at_s + shift:.4g} s; its window is {a.at_s - w:g} to {a.at_s + w:g} s."
            out.append(
                Criterion(
                    f"window {a.name}",
                    f"{a.name}, retention off by",
                    shift,
                    "s",
                    -w,
                    w,
                    watch_low=-WATCH * w,
                    watch_high=WATCH * w,
                    says=says,
                )
            )
    return out


def _pair(setup: RunSetup, readings: Sequence[RawReading]) -> list[Criterion]:
    pair, found, least = critical_pair(setup), pair_of(readings), injection_settings(setup).pair_resolution
    if pair is None or found is None:
        return []
    says = f"{pair[0].name} and {pair[1].name} come apart by {found:.2f}: 1.18 times the distance of their peaks over the sum of their half widths."
    return [
        Criterion(
            "pair",
            f"Resolution of {pair[0].name} and {pair[1].name}",
            found,
            "",
            least,
            None,
            ideal=3 * least,
            watch_low=TIGHT * least,
            says=says,
        )
    ]


def _table(setup: RunSetup, readings: Sequence[RawReading], last: int, trial: Injections) -> OutcomeTable:
    """Every injection of each component, which two count, and how far those are apart beside what may be."""
    head = ("", *(f"{n}" if n > last - 2 else f"{n}, set aside" for n in range(1, last + 1)), "Apart", "May be")
    rows = []
    for a in analytes_of(setup):
        values = by_injection(readings, a)
        apart = trial.apart(readings, a, last - 1, last)
        shown = (number(values[n], decimals_for(a.top)) if n in values else "" for n in range(1, last + 1))
        rows.append((f"{a.name}, {a.unit}", *shown, f"{apart:.2f} %" if apart is not None else "", f"{agree_within(setup, a):.3g} %"))
    return OutcomeTable("Injections", head, tuple(rows))


def _retentions(setup: RunSetup, readings: Sequence[RawReading], last: int) -> tuple[OutcomeTable, ...]:
    """When the critical pair came out in each injection, how far apart, and how that moved from the first one to the last."""
    pair = critical_pair(setup)
    told = {
        a.name: {
            int(r.slot.extra[INJECTION]): float(r.extra["retention"])
            for r in readings
            if r.slot.channel == a.name and r.extra.get("retention")
        }
        for a in pair or ()
    }
    if pair is None or not all(told.values()):
        return ()
    one, two = (told[a.name] for a in pair)
    between = {n: two[n] - one[n] for n in one if n in two}
    rows = []
    for name, values in ((f"{pair[0].name}, s", one), (f"{pair[1].name}, s", two), ("between them, s", between)):
        shown = (f"{values[n]:.2f}" if n in values else "" for n in range(1, last + 1))
        moved = f"{values[max(values)] - values[min(values)]:+.2f}" if len(values) > 1 else ""
        rows.append((name, *shown, moved))
    return (OutcomeTable("Retention of the critical pair", ("", *(str(n) for n in range(1, last + 1)), "Moved"), tuple(rows)),)


def new_factors(setup: RunSetup, readings: Sequence[RawReading]) -> dict[str, float]:
    """The response factor of each component: mean area of the last two injections over the standard; none where no area was told."""
    out = {}
    for a in analytes_of(setup):
        areas, applied = _last_two(readings, a, "area"), applied_of(setup, STANDARD, a)
        if areas and applied > 0 and min(areas) > 0:
            out[a.name] = sum(areas) / len(areas) / applied
        elif applied > 0 and factor_of(setup, a) > 0:
            values = [v for _, v in sorted(by_injection(readings, a).items())[-2:]]
            if not values or sum(values) <= 0:
                continue
            out[a.name] = factor_of(setup, a) * sum(values) / len(values) / applied
    return out


def _factors(setup: RunSetup, readings: Sequence[RawReading]) -> tuple[OutcomeTable, ...]:
    new = new_factors(setup, readings)
    if not new:
        return ()
    rows = []
    for a in analytes_of(setup):
        if a.name in new:
            old = factor_of(setup, a)
            change = f"{100 * (new[a.name] / old - 1):+.2f} %" if old else ""
            rows.append((f"{a.name}, area a {a.unit}", f"{old:.4g}" if old else "none", f"{new[a.name]:.4g}", change))
    return (OutcomeTable("Response factors", ("", "Stored", "By this standard", "Change"), tuple(rows)),)


def _series(setup: RunSetup, readings: Sequence[RawReading]) -> tuple[SeriesPoint, ...]:
    """Response factors, retentions with their windows, and the critical pair."""
    out = []
    new = new_factors(setup, readings)
    pair = critical_pair(setup)
    for a in analytes_of(setup):
        if a.name in new:
            out.append(SeriesPoint(factor_name(a), f"Response factor of {a.name}", new[a.name], ""))
        told = _last_two(readings, a, "retention")
        if told and (pair is None or a in pair):
            low, high = a.at_s - a.within_s, a.at_s + a.within_s
            out.append(SeriesPoint(f"retention {a.name}", f"Retention of {a.name}", sum(told) / len(told), "s", low, high))
    found = pair_of(readings)
    if found is not None and pair:
        out.append(
            SeriesPoint(PAIR, f"Resolution of {pair[0].name} and {pair[1].name}", found, "", injection_settings(setup).pair_resolution)
        )
    return tuple(out)


@dataclass(frozen=True)
class InjectionRead:
    """A chromatogram turned into readings: what is entered at each slot of the injection, by component, and the peaks for the table."""

    values: Mapping[str, Mapping[str, str]]
    peaks: tuple[Mapping[str, Any], ...]
    baseline: tuple[float, ...]
    times: tuple[float, ...]
    signal: tuple[float, ...]
    pair: tuple[str, str, str] = ("", "", "")


def injection_of(setup: RunSetup, set_key: str, times: Sequence[float], signal: Sequence[float]) -> InjectionRead:
    """The readings of one injection from its chromatogram; raises a Fault where it can't be read."""
    made = read_injection(setup, times, signal, is_blank=is_blank(set_key))
    pair = critical_pair(setup)
    values: dict[str, dict[str, str]] = {}
    names: dict[float, Found] = {}
    for f in made.found:
        told = {"indicated": number(max(f.value, 0.0), decimals_for(f.analyte.top) + 1)}
        if f.peak:
            told |= {"area": f"{f.peak.area:.5g}", "retention": f"{f.peak.apex:.2f}"}
            names[f.peak.apex] = f
        if made.resolution is not None and pair and f.analyte.name == pair[1].name:
            told["resolution"] = f"{made.resolution:.2f}"
        values[f.analyte.name] = told
    peaks = []
    for before, p in zip((None, *made.chromatogram.peaks), made.chromatogram.peaks, strict=False):
        mine = names.get(p.apex)
        parted = resolution(before.apex, p.apex, w1=before.width, w2=p.width) if before else None
        peaks.append(
            {
                "name": mine.analyte.name if mine else "", "start": round(p.start, 3), "apex": round(p.apex, 3), "end": round(p.end, 3),
                "height": _short(p.height), "area": _short(p.area), "width": round(p.width, 3), "asymmetry": round(p.asymmetry, 2),
                "resolution": round(parted, 2) if parted is not None else None,
            }
        )  # fmt: skip
    c = made.chromatogram
    apart = f"{made.resolution:.2f}" if made.resolution is not None else ""
    closest = (pair[0].name, pair[1].name, apart) if pair and apart else ("", "", "")
    step = max(1, len(c.times) // 600)
    thin = slice(None, None, step)
    return InjectionRead(
        values,
        tuple(peaks),
        tuple(_short(v) for v in c.baseline[thin]),
        tuple(round(v, 3) for v in c.times[thin]),
        tuple(_short(v) for v in c.signal[thin]),
        closest,
    )


def _short(value: float) -> float:
    """Five digits that count."""
    return 0.0 if not value or not math.isfinite(value) else float(f"{value:.5g}")
