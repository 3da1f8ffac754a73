"""Chromatograms: peaks found and integrated, resolution of neighbours, response factors, carry-over, agreement of injections.

Sources: European Pharmacopoeia 2.2.46 (resolution 1.18 (t2 - t1) / (w1 + w2) from widths at half height, symmetry), Ryan et al. 1988 (the baseline
as the lower envelope of a clipped signal). Only the standard library is used.
"""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import accumulate, islice, pairwise
from operator import lt, sub

from metrology.faults import Fault, require_finite, require_positive

FINE, COARSE = 2500, 240  # points a chromatogram is reduced to for its peaks, and for its baseline
LEAST_POINTS = 50
THRESHOLD = 6.0  # times the noise: what stands above it is a peak
TAIL = 1.5  # times the noise: below it is baseline
WIDEST = 0.1  # share of the whole beyond which what stands there is the baseline
JOINED = 0.05  # of the lower neighbour: a valley above it joins two peaks
REACH = 2.2  # times the way from apex to a tenth of the height: there the baseline is
UNEVEN = 0.5  # share by which steps of time may differ before they are gaps


HOLE_IN_PEAK = 0.5  # of its width at half height: how long the detector may be silent in a peak


@dataclass(frozen=True)
class Peak:
    """A peak: where it begins, stands and ends; height and area over the baseline; width at half height; asymmetry, back over front at 10 %.

    Times and widths in the unit of the times, areas in signal x time. is_split: a valley above the baseline parts it from a neighbour.
    """

    start: float
    apex: float
    end: float
    height: float
    area: float
    width: float
    asymmetry: float
    is_split: bool


@dataclass(frozen=True)
class Chromatogram:
    """Peaks with the baseline they stand on: reduced times, signal and baseline, and the noise of the reduced signal."""

    peaks: tuple[Peak, ...]
    times: tuple[float, ...]
    signal: tuple[float, ...]
    baseline: tuple[float, ...]
    noise: float


def resolution(t1: float, t2: float, *, w1: float, w2: float) -> float:
    """Resolution of two neighbours: 1.18 (t2 - t1) / (w1 + w2), widths at half height, all in one unit of time (European Pharmacopoeia 2.2.46).

    1.5 is a baseline between them. Raises a Fault where a width is not above zero or the second does not come after the first.

    >>> round(resolution(60.0, 66.0, w1=2.0, w2=2.4), 3)
    1.609
    """
    require_finite(t1, "t1")
    require_finite(t2, "t2")
    require_positive(w1, "w1")
    require_positive(w2, "w2")
    if t2 <= t1:
        raise Fault("wrong_order", f"t2 is {t2:g}; it comes after t1, {t1:g}.", field="t2")
    return 1.18 * (t2 - t1) / (w1 + w2)


def response_factor(signal: float, concentration: float) -> float:
    """Signal (area or height) a unit of concentration; raises a Fault where either is not above zero."""
    require_positive(signal, "signal")
    require_positive(concentration, "concentration")
    return signal / concentration


def apart_percent(a: float, b: float) -> float:
    """How far two results are apart, 100 |a - b| / mean, %; raises a Fault where their mean is not above zero."""
    mean = (require_finite(a, "a") + require_finite(b, "b")) / 2
    require_positive(mean, "mean")
    return 100.0 * abs(a - b) / mean


def carry_over(standard: float, blank: float) -> float:
    """What a blank after a standard still shows of it, % of the standard; raises a Fault where the standard is not above zero or the blank below."""
    require_positive(standard, "standard")
    if require_finite(blank, "blank") < 0:
        raise Fault("out_of_range", f"blank is {blank:g}; it is 0 or more.", field="blank")
    return 100.0 * blank / standard


def find_peaks(times: Sequence[float], signal: Sequence[float], *, least_width: float | None = None) -> Chromatogram:
    """Peaks of a chromatogram, in their order. least_width: at half height, below which nothing is a peak; a thousandth of it all where not given.

    Raises a Fault for fewer than 50 points, times that do not rise or have gaps, numbers that are none, or two columns swapped.
    """
    _check(times, signal)
    t, y = _reduced(times, signal, FINE)
    base = _baseline(t, y)
    above = [v - b for v, b in zip(y, base, strict=True)]
    noise = _noise(y)
    duration = t[-1] - t[0]
    narrow = least_width if least_width is not None else duration / 1000
    smooth_by = max(1, min(25, round(narrow / (duration / len(t)) / 2)) | 1)
    smooth = _smoothed(above, smooth_by)
    quiet = noise / math.sqrt(smooth_by)
    found = _maxima(smooth, THRESHOLD * quiet)
    level = _smoothed(y, smooth_by)
    out: list[Peak] = []
    for group in _groups(smooth, found, TAIL * quiet):
        out += _integrated(t, y, level, smooth, group)
    kept = tuple(p for p in out if narrow / 2 <= p.width <= WIDEST * duration and p.height > THRESHOLD * quiet)
    return Chromatogram(kept, tuple(t), tuple(y), tuple(base), noise)


def _check(times: Sequence[float], signal: Sequence[float]) -> None:
    if len(times) != len(signal) or len(times) < LEAST_POINTS:
        raise Fault("too_few", f"{len(times)} times and {len(signal)} readings; {LEAST_POINTS} of each or more are needed.", field="signal")
    if not math.isfinite(sum(times)) or not math.isfinite(sum(signal)):
        raise Fault("not_a_number", "A time or a reading is not a number.", field="signal")
    if not all(map(lt, times, islice(times, 1, None))):
        swapped = all(map(lt, signal, islice(signal, 1, None)))
        n = next(n for n, (a, b) in enumerate(pairwise(times)) if b <= a)
        told = "Time and signal look swapped." if swapped else f"Time goes back at row {n + 2}: {times[n]:g}, then {times[n + 1]:g}."
        raise Fault("swapped" if swapped else "not_rising", told, field="times")
    steps = list(map(sub, islice(times, 1, None), times))
    usual = sorted(steps[:: max(1, len(steps) // 500)])[min(len(steps), 500) // 2 - 1]
    if max(steps) > (1 + UNEVEN) * usual + 1e-12:
        n = steps.index(max(steps))
        raise Fault("gap", f"There is a gap of {steps[n]:g} after row {n + 1}, at {times[n]:g}; a peak may be lost in it.", field="times")


def _reduced(times: Sequence[float], signal: Sequence[float], most: int) -> tuple[list[float], list[float]]:
    """Means of as many neighbours as bring it under `most` points."""
    k = max(1, len(times) // most)
    if k == 1:
        return list(times), list(signal)
    ends = range(k, len(times) + 1, k)
    st, sy = list(accumulate(times)), list(accumulate(signal))
    t = [(st[e - 1] - (st[e - k - 1] if e > k else 0.0)) / k for e in ends]
    y = [(sy[e - 1] - (sy[e - k - 1] if e > k else 0.0)) / k for e in ends]
    return t, y


def _baseline(t: list[float], y: list[float]) -> list[float]:
    """The lower envelope: on a coarse copy each point is clipped to the middle of its neighbours, near ones first and then further away."""
    k = max(1, len(y) // COARSE)
    blocks = [range(n, min(n + k, len(y))) for n in range(0, len(y), k)]
    ct = [t[(b[0] + b[-1]) // 2] for b in blocks]
    c = [sorted(y[n] for n in b)[len(b) // 4] for b in blocks]
    for m in range(1, len(c) // 5):
        middle = [(a + b) / 2 for a, b in zip(c, c[2 * m :], strict=False)]
        c[m:-m] = [min(v, w) for v, w in zip(c[m:-m], middle, strict=True)]
    c = _smoothed(c, 5)
    out, at = [], 0
    for v in t:
        while at < len(ct) - 2 and v > ct[at + 1]:
            at += 1
        share = (v - ct[at]) / (ct[at + 1] - ct[at])
        out.append(c[at] + share * (c[at + 1] - c[at]))
    return out


def _noise(y: list[float]) -> float:
    """Standard deviation of what changes from point to point and back: by the median of second differences, which slopes and peaks leave alone."""
    second = sorted(abs(a - 2 * b + c) for a, b, c in zip(y, y[1:], y[2:], strict=False))
    return second[len(second) // 2] / (0.6745 * math.sqrt(6.0))


def _smoothed(y: list[float], width: int) -> list[float]:
    """Mean over `width` neighbours, odd."""
    if width <= 1:
        return list(y)
    half = width // 2
    sums = [0.0, *accumulate(y)]
    n = len(y)
    return [(sums[min(n, i + half + 1)] - sums[max(0, i - half)]) / (min(n, i + half + 1) - max(0, i - half)) for i in range(n)]


def _maxima(y: list[float], threshold: float) -> list[tuple[int, int, int]]:
    """(left, apex, right) of each maximum that stands above the threshold and above its valleys by as much; valleys part neighbours."""
    out: list[list[int]] = []
    climbing, low, top = True, 0, 0
    for n in range(1, len(y)):
        if climbing:
            if y[n] > y[top]:
                top = n
            elif y[n] < y[low] and top == low:
                low = top = n
            elif y[top] - y[n] > threshold and y[top] - y[low] > threshold and y[top] > threshold:
                out.append([low, top, n])
                climbing, low = False, n
        elif y[n] < y[low]:
            low = n
        elif y[n] - y[low] > threshold:
            out[-1][2] = low
            climbing, top = True, n
        if climbing and y[n] < y[low]:
            low = top = n
    if not climbing and out:
        out[-1][2] = low
    return [(a, b, c) for a, b, c in out]


def _groups(smooth: list[float], found: list[tuple[int, int, int]], tail: float) -> list[list[tuple[int, int, int]]]:
    """Peaks that a valley above the baseline joins."""
    out: list[list[tuple[int, int, int]]] = []
    for left, apex, right in found:
        before = out[-1][-1] if out else None
        least = min(smooth[before[1]], smooth[apex]) if before else 0.0
        if before and before[2] == left and smooth[left] > max(3 * tail, JOINED * least):
            out[-1].append((left, apex, right))
        else:
            out.append([(left, apex, right)])
    return out


def _integrated(t: list[float], y: list[float], level: list[float], smooth: list[float], group: list[tuple[int, int, int]]) -> list[Peak]:
    """The peaks of a group over a straight line from where it leaves the baseline to where it comes back; perpendiculars at its valleys."""
    first, last = group[0], group[-1]
    front = t[first[1]] - _crossing(t, smooth, first[1], first[0], first[2], 0.1 * smooth[first[1]])[0]
    back = _crossing(t, smooth, last[1], last[0], last[2], 0.1 * smooth[last[1]])[1] - t[last[1]]
    start = max(first[0], bisect_left(t, t[first[1]] - REACH * front))
    end = min(last[2], bisect_left(t, t[last[1]] + REACH * back))
    if end - start < 3:
        return []
    slope = (level[end] - level[start]) / (t[end] - t[start])
    over = [v - level[start] - slope * (u - t[start]) for u, v in zip(t[start : end + 1], y[start : end + 1], strict=True)]
    calm = [v - level[start] - slope * (u - t[start]) for u, v in zip(t[start : end + 1], level[start : end + 1], strict=True)]
    cut = t[start : end + 1]
    made = []
    for n, (left, apex, right) in enumerate(group):
        lo = 0 if n == 0 else left - start
        hi = end - start if n == len(group) - 1 else right - start
        made.append(_peak(cut, over, calm, lo, min(max(apex - start, lo), hi), hi, is_split=len(group) > 1))
    return made


def _peak(t: list[float], y: list[float], smooth: list[float], start: int, apex: int, end: int, *, is_split: bool) -> Peak:
    """One peak between its ends: its area, its height and time, its widths."""
    height, at = _top(t, smooth, apex)
    area = sum((y[n] + y[n + 1]) / 2 * (t[n + 1] - t[n]) for n in range(start, end))
    front, back = _crossing(t, smooth, apex, start, end, 0.5 * height)
    near, far = _crossing(t, smooth, apex, start, end, 0.1 * height)
    return Peak(t[start], at, t[end], height, area, back - front, (far - at) / max(at - near, 1e-12), is_split)


def _top(t: list[float], y: list[float], n: int) -> tuple[float, float]:
    """Height and time of the parabola through the highest point and its neighbours."""
    if not 0 < n < len(y) - 1:
        return y[n], t[n]
    a, b, c = y[n - 1], y[n], y[n + 1]
    bend = a - 2 * b + c
    if bend >= 0:
        return b, t[n]
    shift = 0.5 * (a - c) / bend
    return b - 0.25 * (a - c) * shift, t[n] + shift * (t[n + 1] - t[n - 1]) / 2


def _crossing(t: list[float], y: list[float], apex: int, start: int, end: int, level: float) -> tuple[float, float]:
    """Where a peak crosses a level before and after its apex; its own ends where it does not."""
    n = apex
    while n > start and y[n - 1] > level:
        n -= 1
    before = t[start] if n <= start else t[n - 1] + (level - y[n - 1]) / (y[n] - y[n - 1]) * (t[n] - t[n - 1])
    m = apex
    while m < end and y[m + 1] > level:
        m += 1
    after = t[end] if m >= end else t[m] + (y[m] - level) / (y[m] - y[m + 1]) * (t[m + 1] - t[m])
    return before, after


def baseline_at(found: Chromatogram, time: float) -> float:
    """The baseline at a time."""
    n = min(max(bisect_right(found.times, time) - 1, 0), len(found.times) - 2)
    share = (time - found.times[n]) / (found.times[n + 1] - found.times[n])
    return found.baseline[n] + share * (found.baseline[n + 1] - found.baseline[n])


def require_whole_peaks(times: Sequence[float], peaks: Sequence[Peak]) -> None:
    """Refuse a curve with a hole in a peak: samples further apart, in s, than half the width of the peak they are of, whose area is then a guess."""
    gaps = sorted(((b - a, a) for a, b in pairwise(times)), reverse=True)
    for peak in peaks:
        hole = next((g for g in gaps if g[1] < peak.end and g[1] + g[0] > peak.start), None)
        if hole and hole[0] > HOLE_IN_PEAK * peak.width * (1 + 1e-9):
            raise Fault(
                "gap",
                f"The detector was silent for {hole[0]:.2f} s in the peak at {peak.apex:.1f} s, which is {peak.width:.2f} s wide: its area is not known. "
                "Inject again.",
                field="times",
            )


def evenly(times: Sequence[float], values: Sequence[float], *, step: float, most_gap: float) -> tuple[list[float], list[float]]:
    """Samples that came unevenly, on even steps by straight lines between them. Raises a Fault for fewer than two, or a gap longer than most_gap."""
    if len(times) < 2:
        raise Fault("too_few", "The detector has told nothing yet.", field="signal")
    gap = max((b - a, a) for a, b in pairwise(times))
    if gap[0] > most_gap * (1 + 1e-9):
        raise Fault(
            "gap", f"The detector was silent for {gap[0]:.1f} s at {gap[1]:.1f} s; a peak may be lost in it. Inject again.", field="times"
        )
    out_t, out_v, n = [], [], 0
    count = int((times[-1] - times[0]) / step + 1e-9)
    for k in range(count + 1):
        t = times[0] + k * step
        while n < len(times) - 2 and times[n + 1] < t:
            n += 1
        width = times[n + 1] - times[n]
        share = (t - times[n]) / width if width > 0 else 0.0
        out_t.append(t)
        out_v.append(values[n] + share * (values[n + 1] - values[n]))
    return out_t, out_v
