"""Signals in time: approach, settling, falls, come-downs, exposures to gas."""

from __future__ import annotations

import math
import random
from collections.abc import Callable
from datetime import date
from typing import Any

from metrology.judgement import (
    comedown,
    exposure,
    falling,
    frozen,
    settling,
)
from metrology.judgement.approach import Approach
from metrology.tests.as_judged.around import around
from metrology.tests.as_judged.asked import Asked, Judged, each, turned

TODAY = date(2026, 6, 1)


def _exposures() -> Asked:
    rng = random.Random(4002)
    courses: dict[str, Callable[[float], float]] = {
        "ok": lambda t: 50 * (1 - math.exp(-t / 6)),
        "low": lambda t: 30 * (1 - math.exp(-t / 6)),
        "none": lambda t: 0.5,
        "slow": lambda t: 50 * (1 - math.exp(-t / 40)),
        "over": lambda t: 50 * (1 - math.exp(-t / 3)) + 25 * math.exp(-(((t - 8) / 4) ** 2)),
        "lost": lambda t: 50 * (1 - math.exp(-t / 6)) if t < 40 else 10.0,
        "below": lambda t: -8.0,
        "there": lambda t: 50.0,
        "loud": lambda t: 50 + 12 * math.sin(t),
    }
    out = []
    for name, course in courses.items():
        samples = tuple((n / 2, round(course(n / 2) + rng.gauss(0, 0.05), 2)) for n in range(360))
        rule = exposure.exposure_rule(15.0, window_s=40, times_t90=2, give_up_s=240, limit=0.5)
        for expected, is_zero, before in ((50.0, False, 0.2), (0.0, True, None)):
            stimulus = exposure.Stimulus(0.0, expected, 100.0, "%LEL", 15.0, is_zero=is_zero, needs_rise=True)
            for until in (20, 120, 360):
                for k, (how, other) in enumerate(around(stimulus)):
                    if k == 0 or until == 360:
                        given = {"samples": samples[:until], "rule": rule, "stimulus": other, "since": 0.0, "before": before}
                        out.append((f"{name} {expected:g} {until} {how}", given))
    return out


def _decays() -> Asked:
    rng = random.Random(4004)
    out = []
    for floor, fast, slow in ((1.0, 40.0, 0.0), (2.0, 30.0, 15.0), (8.0, 5.0, 5.0), (0.0, 0.0, 0.0)):
        times = [4.0 * n for n in range(40)]
        values = [floor + fast * math.exp(-t / 12) + slow * math.exp(-t / 80) + rng.gauss(0, 0.05) for t in times]
        out += [{"times": times[:n], "values": values[:n], "target": target} for n in (12, 40) for target in (1.5, 5.0)]
    return each(out)


def _come_down(times: list[float], values: list[float], target: float) -> Any:
    found = comedown.fit_come_down(times, values)
    ahead = comedown.forecast(found, target)
    return found, ahead, comedown.forecast_words(ahead, target, "ppb")


def _falls() -> Asked:
    rng = random.Random(4005)
    out = []
    for end, size, tau in ((10.0, 5.0, 30.0), (10.0, -5.0, 120.0), (0.0, 0.0, 30.0), (3.0, 8.0, 5.0)):
        times = [5.0 * n for n in range(70)]
        values = [end + size * math.exp(-t / tau) + rng.gauss(0, 0.01) for t in times]
        out += [{"times": times[:n], "values": values[:n], "margin": m} for n in (5, 8, 20, 70) for m in (0.05, 0.5)]
    return each(out)


def _falling(times: list[float], values: list[float], margin: float) -> Any:
    found = falling.fit_fall(times, values, margin=margin)
    return found, found.is_there(margin), falling.fall_words(found, margin=margin, unit="mV", allowed=600.0)


def _threes() -> Asked:
    return turned(
        [
            {"first": a, "second": b, "third": c, "apart": 60.0, "margin": 0.1}
            for a, b, c in ((10, 8, 7), (10, 8, 7.9), (5, 5, 5), (1, 2, 4), (3, 1, 2))
        ]
    )


def _courses() -> Asked:
    rng = random.Random(4006)
    laws: tuple[Callable[[float], float], ...] = (
        lambda t: 100 * (1 - math.exp(-t / 2)),
        lambda t: 100 * (1 - math.exp(-t / 15)),
        lambda t: 50.0,
        lambda t: 50 + 0.01 * t,
        lambda t: 100 * (1 - math.exp(-0.1 * t) * math.cos(0.5 * t)),
        lambda t: 50 + math.sin(t),
        lambda t: 95 - 95 * math.exp(-t) + 5 - 5 * math.exp(-t / 60),
    )
    out = []
    for law in laws:
        for noise, step, display in ((0.0, 0.5, 0.0), (0.05, 1.0, 0.0), (0.1, 0.3, 0.1), (0.3, 1.7, 0.0)):
            values = [law(n * step) + rng.gauss(0, noise) for n in range(int(80 / step))]
            shown = [round(v / display) * display if display else v for v in values]
            out.append({"samples": tuple((n * step, v) for n, v in enumerate(shown)), "display": display})
    return each(out)


def _rules() -> Asked:
    return turned([{"window_s": 5.0, "limit": 0.1, "time_limit_s": 120.0, "horizon_s": 30.0}])


def _approached(samples: tuple[tuple[float, float], ...], display: float) -> Any:
    seen, out = Approach(0.1, since=2.0, resolution=display, horizon_s=30.0), []
    for n, (t, v) in enumerate(samples):
        seen.add(t, v)
        found = seen.judge()
        if n % 17 == 0:
            out.append(found)
    return out


def _settled(samples: tuple[tuple[float, float], ...], display: float) -> Any:
    out = []
    for rule in (settling.SettleRule(5.0, 0.1, 120.0, 30.0), settling.SettleRule(10.0, 0.2, 120.0)):
        for n in (3, 30, len(samples) // 2, len(samples)):
            found = settling.judge_settling(samples[:n], rule, since=1.0)
            out.append((found, settling.settle_words(found, rule, "kPa"), frozen.frozen_s(samples[:n])))
    return out


def _watched() -> Asked:
    samples = tuple((2.0 * n, float(v)) for n, v in enumerate((0, 0, 5, 12, 20, 33, 41, 40, 38, 20, 9, 3, 1, 0.4, 0.2)))
    words = tuple((4.0 * n, float(w)) for n, w in enumerate((0, 0, 16, 48, 48, 112, 16, 0)))
    return turned(
        [{"samples": samples[:n], "words": words, "below": 2.0, "at": at, "ma": 2.0} for n in (15, 12, 1) for at in (-1.0, 7.0, 12.0, 99.0)]
    )


def _seen(samples: Any, words: Any, below: float, at: float, ma: float) -> Any:
    alarms = [exposure.alarms_seen(samples, words, first_bit=bit, set_points=(10.0, 30.0, 50.0)) for bit in (3, 4)]
    currents = tuple((t, v / 10) for t, v in samples)
    dropped = [exposure.inhibit_dropped(currents, inhibit_ma=m, band_ma=2.1) for m in (0.0, ma)]
    on = [exposure.alarms_on(w, 3) for _, w in words]
    answers = [
        settling.classify_response(below, 10.0 * at, error=e, acceptance=ma, is_settled=still)
        for e in (0.0, ma, -1.01 * ma)
        for still in (True, False)
    ]
    return (
        alarms,
        dropped,
        on,
        exposure.reading_at(samples, at),
        exposure.purge_seconds(samples, below=below),
        answers,
        frozen.frozen_words(at, "kPa"),
    )


JUDGED: Judged = {
    "settle-rule": (settling.SettleRule, _rules),
    "watched": (_seen, _watched),
    "approach": (_approached, _courses),
    "come-down": (_come_down, _decays),
    "exposure": (exposure.judge_exposure, _exposures),
    "fall": (_falling, _falls),
    "fall-of-three": (falling.end_of_three, _threes),
    "settling": (_settled, _courses),
}
