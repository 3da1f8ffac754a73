"""How well the forecast of a sensor's life holds, over lives that the rule was not written on.

Each trial draws how a sensor ages (evenly, by a share a day, towards a floor, faster and faster), when it is calibrated, the scatter of its results and how
they are rounded, and asks for the forecast somewhere between a third and five sixths of its life. The rule knows powers of the value and of the time
at fixed steps; the floor and the exponents drawn here are none of them.
"""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass

from metrology.judgement.sensor_life import SignalPoint, forecast

LIVES = {"even": "evenly", "share": "by a share a day", "floor": "towards a floor", "faster": "faster and faster"}
SCATTER = (0.3, 2.5)  # % of new, one standard deviation of a result


@dataclass(frozen=True)
class Told:
    """Shares of trials, 0 to 1: ended before the day that it was told not to end before; next result on the expected day inside the band.

    early: median of the day it was told not to end before, in lives.
    """

    too_late: float
    inside: float
    early: float


def _life(kind: str, end: float, rng: random.Random) -> tuple[float, Callable[[float], float]]:
    """How many days it lasts, and its sensitivity in % of new by the day."""
    days, floor, rise = rng.uniform(300, 2500), rng.uniform(0, end - 12), rng.uniform(1.2, 2.6)
    return days, {
        "even": lambda d: 100 - (100 - end) * d / days,
        "share": lambda d: 100 * (end / 100) ** (d / days),
        "floor": lambda d: floor + (100 - floor) * ((end - floor) / (100 - floor)) ** (d / days),
        "faster": lambda d: 100 - (100 - end) * (d / days) ** rise,
    }[kind]


def _trial(kind: str, results: int, rng: random.Random) -> tuple[bool, bool | None, float]:
    end, scatter, rounded = rng.choice((40.0, 50.0, 60.0)), rng.uniform(*SCATTER), rng.choice((1, 1, 0))
    days, left = _life(kind, end, rng)
    apart = rng.uniform(1 / 3, 5 / 6) * days / (results - 1)
    looked = [round(apart * (n + (rng.uniform(-0.2, 0.2) if 0 < n < results - 1 else 0))) for n in range(results)]
    seen = [SignalPoint(day, round(left(day) + rng.gauss(0, scatter), rounded)) for day in looked]
    told = forecast(seen, end_percent=end, first=100.0)
    inside = None
    if told.ends_day is not None and told.at_end is not None:
        inside = told.at_end[0] <= left(told.ends_day) + rng.gauss(0, scatter) <= told.at_end[1]
    sure = looked[-1] + 3650 if told.earliest_day is None else told.earliest_day
    return sure > days, inside, sure / days


def run_trials(each: int, seed: int, results: tuple[int, ...] = (3, 4, 6, 9)) -> dict[str, Told]:
    """So many trials of each way to age, with so many results before the rule is asked, all of them in turn."""
    out = {}
    for n, kind in enumerate(LIVES):
        rng = random.Random(seed + n)
        seen = [_trial(kind, results[k % len(results)], rng) for k in range(each)]
        inside = [held for _, held, _ in seen if held is not None]
        out[kind] = Told(sum(bad for bad, _, _ in seen) / each, sum(inside) / len(inside), sorted(s for _, _, s in seen)[each // 2])
    return out
