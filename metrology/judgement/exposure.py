"""An exposure to gas, watched: plateau and peak told apart, its class decided by rule, and what the trace gives away.

Classes: ok, no response, out of acceptance, unstable. Beside the class: overshoot when gas was forced in, gas lost
half-way, another bottle than was said, gas at zero, a frozen reading, a detector still warming up, an inhibit that dropped.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from metrology.judgement.settling import NO_RESPONSE, OK, OUT_OF_ACCEPTANCE, SETTLED, UNSTABLE, Sample, Settle, SettleRule, judge_settling

ALARM_BIT = 3  # of a status word: the first alarm of the register; the others follow
WAITING = "waiting"
OVERSHOOT = 0.05  # of the step: a peak this far beyond the plateau came from forcing gas in
LOST = 0.30  # of the step: fallen this far from its highest while gas should be on
WARMING = 1  # bits of a detector's status word
FAULT_BIT = 2
INHIBITED = 4


@dataclass(frozen=True)
class Exposure:
    """What an exposure came to. fraction: of the change that was to come; remarks: (code, sentence)."""

    kind: str
    plateau: float
    peak: float
    overshoot_percent: float
    t90_s: float | None
    fraction: float
    remarks: tuple[tuple[str, str], ...] = ()

    def has(self, code: str) -> bool:
        """Whether that remark was made."""
        return any(c == code for c, _ in self.remarks)


@dataclass(frozen=True)
class Stimulus:
    """What was to come: from a starting value to `expected`, both in `unit`; span and top of the range; healthy T90.

    acceptance: how far off may still be adjusted, response: least share of the change; both fractions. is_zero: zero gas.
    """

    start: float
    expected: float
    span: float
    unit: str
    t90_s: float
    acceptance: float = 0.25
    response: float = 0.10
    background: float = 0.03
    is_zero: bool = False
    needs_rise: bool = False  # a check: it says nothing of a sensor that was exposed already


def exposure_rule(t90_s: float, *, window_s: float, times_t90: float, give_up_s: float, limit: float) -> SettleRule:
    """The settle rule by the sensor's own speed: window max(window_s, n x T90), given up after max(give_up_s, 6 x T90)."""
    window = max(window_s, times_t90 * t90_s)
    return SettleRule(window, limit, max(give_up_s, 6 * t90_s, window + 1))


def judge_exposure(
    samples: Sequence[Sample],
    rule: SettleRule,
    stimulus: Stimulus,
    *,
    since: float,
    status: Sequence[Sample] = (),
    until: float | None = None,
    before: float | None = None,
) -> Exposure:
    """Judge the samples (time in s, value) of an exposure that began at `since`; before: what it read just then."""
    settle = judge_settling(samples, rule, since=since, until_settled=until)
    after = [s for s in samples if s[0] >= since]
    if not after:
        return Exposure(WAITING, stimulus.start, stimulus.start, 0.0, None, 0.0)
    step = stimulus.expected - stimulus.start
    is_step = abs(step) > 1e-9 * max(1.0, stimulus.span)
    plateau = settle.mean
    top = max(v for _, v in after) if step >= 0 else min(v for _, v in after)
    overshoot = 100 * (top - plateau) / step if is_step and settle.status == SETTLED else 0.0
    fraction = (plateau - stimulus.start) / step if is_step else 1.0
    t90 = settle.t90_s if settle.status == SETTLED else None  # while it rises nobody knows of what it is nine tenths
    seen = Exposure(WAITING, plateau, top, max(0.0, overshoot), t90, fraction)
    kind = _class_of(settle, seen, stimulus)
    found = replace(seen, kind=kind)
    remarks = _remarks(after, settle, rule, found, stimulus, status)
    clean = stimulus.background * stimulus.span
    if stimulus.needs_rise and before is not None and before - stimulus.start > clean:
        told = (
            f"It read {before:.3g} {stimulus.unit} before the gas came: a check needs a rise. Gas off, clean air until it is below {clean:g}, "
            "then again."
        )
        remarks.insert(0, ("exposed-already", told))
    return replace(found, remarks=tuple(remarks))


def _class_of(settle: Settle, seen: Exposure, s: Stimulus) -> str:
    if settle.status == SETTLED:
        if not s.is_zero and seen.fraction < s.response:
            return NO_RESPONSE
        return OUT_OF_ACCEPTANCE if abs(seen.plateau - s.expected) > s.acceptance * s.span else OK
    if settle.status == UNSTABLE:
        reached = abs(seen.peak - s.start) >= s.response * abs(s.expected - s.start)
        return UNSTABLE if s.is_zero or reached else NO_RESPONSE
    return WAITING


def _remarks(
    after: Sequence[Sample], settle: Settle, rule: SettleRule, seen: Exposure, s: Stimulus, status: Sequence[Sample]
) -> list[tuple[str, str]]:
    out: list[tuple[str, str]] = []
    step = s.expected - s.start
    now = after[-1][1]
    bits = int(status[-1][1]) if status else 0
    if bits & WARMING:
        out.append(("warming-up", "The detector says it is still warming up: what it shows does not count yet."))
    if bits & FAULT_BIT:
        out.append(("fault", "The detector reports a fault of its own. Read its code before going on."))
    if not s.is_zero and is_frozen(after, rule):
        out.append(("frozen", f"The reading has not moved by a digit for {rule.window_s:.0f} s: frozen, held, or not this detector's."))
    if now > 1.02 * (s.span if not s.is_zero else float("inf")):
        out.append(("over-range", f"{now:.4g} {s.unit} is above the range: take the gas off, the sensor may suffer."))
    if s.is_zero:
        if settle.status == SETTLED and seen.plateau > s.background * s.span:
            out.append(
                (
                    "background",
                    f"{seen.plateau:.4g} {s.unit} at zero: gas is still present, or the zero gas is not clean. Don't zero on it.",
                )
            )
        elif settle.status == SETTLED and seen.plateau < -s.background * s.span:
            out.append(("negative-zero", f"{seen.plateau:.4g} {s.unit} at zero: the last zero was taken with gas present."))
        return out
    if settle.status == SETTLED and seen.overshoot_percent >= 100 * OVERSHOOT:
        out.append(
            ("overshoot", f"It went to {seen.peak:.4g} {s.unit} when gas was forced in and came back; the plateau counts, not the peak.")
        )
    high, latest = _levels(after, s)
    fell = high - latest
    if high > 0.5 and fell > LOST and fell > 0.5 * high:
        out.append(("gas-lost", "It had answered and falls again: the bottle is empty, or the line has come off."))
    elif seen.kind == NO_RESPONSE:
        out.append(("no-gas", "Nothing has come: valve closed, line off, wrong gas, or zero gas on the span line."))
    elif settle.status == SETTLED and seen.kind == OUT_OF_ACCEPTANCE:
        says = f"It stands at {100 * seen.fraction:.0f} % of what was to come: prove bottle, regulator and typed value before the detector."
        out.append(("wrong-gas", says))
    is_rising = settle.status == UNSTABLE and settle.slope * step > 0 and 2 * settle.sd <= 2 * rule.limit and seen.kind == UNSTABLE
    if is_rising:
        out.append(("slow", f"It still rises after {settle.waited_s:.0f} s: filter blocked, or sensor worn."))
    elif seen.t90_s is not None and seen.t90_s > 2.0 * s.t90_s:
        out.append(("slow", f"T90 {seen.t90_s:.0f} s against {s.t90_s:g} s of a healthy sensor: filter blocked, or sensor worn."))
    return out


SMOOTH = 9  # samples: what a level is taken over, so that noise does not look like gas lost


def _levels(after: Sequence[Sample], s: Stimulus) -> tuple[float, float]:
    """The highest and the latest level reached, as fractions of the step, each over a few samples."""
    step = s.expected - s.start
    if not step or len(after) < SMOOTH:
        return 0.0, 0.0
    values = [(v - s.start) / step for _, v in after]
    total = sum(values[:SMOOTH])
    high = total
    for n in range(SMOOTH, len(values)):
        total += values[n] - values[n - SMOOTH]
        high = max(high, total)
    return high / SMOOTH, total / SMOOTH


def is_frozen(after: Sequence[Sample], rule: SettleRule) -> bool:
    """Whether a live value stood without moving by its last digit over the whole window, since before the gas could come."""
    if len(after) < 5 or after[-1][0] - after[0][0] < 0.85 * rule.window_s:
        return False
    return all(v == after[0][1] for _, v in after)


def inhibit_dropped(currents: Sequence[Sample], *, inhibit_ma: float, band_ma: float) -> float | None:
    """The first current that was not the inhibit current, mA; None while it held. The alarm may have tripped then."""
    if inhibit_ma <= 0:
        return None
    return next((v for _, v in currents if abs(v - inhibit_ma) > band_ma), None)


def alarms_on(word: float, count: int) -> tuple[int, ...]:
    """Which alarms a status word tells as on, by their place: acting, or latched and not reset."""
    return tuple(n for n in range(count) if int(word) & (1 << (ALARM_BIT + n)))


def alarms_seen(samples: Sequence[Sample], status: Sequence[Sample], *, first_bit: int, set_points: Sequence[float]) -> dict[int, float]:
    """The reading at which each alarm of a status word came, by its place; those that did not come, or were on before, are left out.

    It came between two looks at the word: of the readings between them the one nearest its set point is taken, since no other can be shown.
    """
    out: dict[int, float] = {}
    before = int(status[0][1]) if status else 0
    for (t_last, _), (t, word) in pairwise(status):
        for n, set_point in enumerate(set_points):
            bit = 1 << (first_bit + n)
            if n not in out and int(word) & bit and not before & bit and samples:
                low, high = sorted((reading_at(samples, t_last), reading_at(samples, t)))
                out[n] = min(max(set_point, low), high)
    return out


def reading_at(samples: Sequence[Sample], t: float) -> float:
    """The reading at a moment, on the line between the samples around it; the first or last one outside of them."""
    after = next((n for n, s in enumerate(samples) if s[0] >= t), len(samples))
    if after in (0, len(samples)):
        return samples[min(after, len(samples) - 1)][1]
    (t0, v0), (t1, v1) = samples[after - 1], samples[after]
    return v0 + (v1 - v0) * (t - t0) / (t1 - t0)


def purge_seconds(samples: Sequence[Sample], *, below: float) -> float | None:
    """Seconds from the last sample above `below` to the newest one; None while it is still above."""
    if not samples or samples[-1][1] > below:
        return None
    last_above = next((t for t, v in reversed(samples) if v > below), samples[0][0])
    return samples[-1][0] - last_above
