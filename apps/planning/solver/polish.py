"""What a good plan still lacks: short ways and days of about the same length. No job is given up for either."""

from __future__ import annotations

import math
import random
import time
from collections.abc import Callable

from apps.planning.solver.problem import Plan, Problem
from apps.planning.solver.quick import recreated
from apps.planning.solver.sharing import share_out
from apps.planning.solver.tidy import tidy
from apps.planning.solver.walking import EVEN_WITHIN, unevenness, walked

SHORT_ROUND = 14  # jobs; of so few the exact search of each day alone is short enough
WARMTH_MIN = 6.0  # minutes of walking by which a plan may be worse, at first, to be gone on from
ROUNDS = 3  # of sharing out and putting in order: one disturbs the other a little
SHORTEN_SHARE = 0.6


def polish(problem: Problem, plan: Plan, *, seconds: float, should_stop: Callable[[], bool] = lambda: False) -> Plan:
    """The plan shared out within an hour where that leaves nothing undone, and then with as little walking as is found in that time."""
    ends = time.monotonic() + seconds
    best = plan
    if len(plan.placed) > SHORT_ROUND:
        best = _shorten(problem, best, seconds=SHORTEN_SHARE * seconds, should_stop=should_stop)
    found = best
    for _ in range(ROUNDS):
        if time.monotonic() >= ends or should_stop():
            break
        found = share_out(problem, found, seconds=(ends - time.monotonic()) / 2, should_stop=should_stop)
        found = tidy(problem, found, seconds=ends - time.monotonic(), should_stop=should_stop)
        if _rank(problem, found) < _rank(problem, best):
            best = found
        if unevenness(problem, best) <= EVEN_WITHIN and found is best:
            break
    return best


def _rank(problem: Problem, plan: Plan) -> tuple[int, int]:
    """Less is better: minutes of unevenness beyond an hour, then minutes walked."""
    return max(0, unevenness(problem, plan) - EVEN_WITHIN), walked(problem, plan)


def _shorten(problem: Problem, plan: Plan, *, seconds: float, should_stop: Callable[[], bool]) -> Plan:
    """Ruin and recreate as for worth, but for walking: some jobs are taken out and put in again, worth no less."""
    chance, began = random.Random(5), time.monotonic()
    worth, musts = plan.value(problem), {j.key for j in problem.jobs if j.is_must or j.fixed}
    best = current = plan
    least = now = walked(problem, plan)
    while (spent := time.monotonic() - began) < seconds and not should_stop():
        made = recreated(problem, current, chance, first=current.placed).plan()
        if made.value(problem) < worth or not musts <= set(made.placed):
            continue
        minutes = walked(problem, made)
        warmth = WARMTH_MIN * max(0.0, 1 - spent / seconds)
        if minutes <= now or chance.random() < math.exp((now - minutes) / max(warmth, 1e-6)):
            current, now = made, minutes
        if minutes < least:
            best, least = made, minutes
    return best
