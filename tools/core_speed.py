"""How long the core takes: judging a set, its causes, the view and the fold of long runs, a forecast, a decision of settling."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import replace

from metrology.judgement.approach import Approach
from metrology.judgement.causes.explain import explain
from metrology.judgement.sensor_life import SignalPoint, forecast
from metrology.methods.slots import RawReading
from metrology.run.events import Event
from metrology.run.folding import fold
from metrology.run.raw import raw_readings
from metrology.run.view import make_view
from metrology.tests.runs import Play
from tools import cause_trials
from tools.timing import percentile, timed

TWENTY_ONE = tuple(5.0 * n for n in range(21))


def median_ms(act: Callable[[], object], times: int = 20) -> float:
    """Milliseconds of one act, the median of several."""
    return percentile(timed(times, act), 0.5)


def taken_run(points: tuple[float, ...], cycles: int) -> Play:
    """A run with all readings of its as-found set; some errors are outside, so that causes are looked for."""
    run = Play(points_percent=points, cycles=cycles)
    run.prepare()
    rng = random.Random(7)
    run.read_errors("as_found", [rng.gauss(0.2, 0.15) for _ in range(2 * len(points) * cycles)])
    return run


def judged(run: Play, *, anew: bool = False) -> Callable[[], object]:
    """Judging its set as a run that is carried on does, with what was worked out of its readings; anew: as the first time. Causes are kept in both."""
    raw: list[RawReading] = raw_readings(run.state, run.method, "as_found")
    return lambda: run.method.trial.judge(run.state.setup, [replace(r, kept={}) for r in raw] if anew else raw, "as_found")


def measure() -> list[tuple[str, str, str]]:
    """Rows for the table of measurements."""
    rows = []
    few, many = taken_run((0.0, 25.0, 50.0, 75.0, 100.0), 1), taken_run(TWENTY_ONE, 3)
    for name, run, wanted in (("10 readings", few, "< 0.5 ms"), ("126 readings", many, "< 4 ms")):
        rows.append((f"judge {name}", f"{median_ms(judged(run)):.2f} ms", wanted))
        rows.append((f"judge {name}, nothing known of them", f"{median_ms(judged(run, anew=True)):.2f} ms", "to compare"))
    explain.cache_clear()
    curves = [cause_trials.draw(random.Random(n), (code,), 2.0).curve() for n, code in enumerate(cause_trials.SIZED)]
    waiting = iter(curves)
    cold = percentile(timed(len(curves), lambda: explain(next(waiting))), 0.5)
    rows.append(("causes of 10 readings, once a set is complete", f"{cold:.1f} ms", "to compare"))
    rows.append(("view of a run of 126 readings", f"{median_ms(lambda: make_view(many.state, many.method, many.now)):.1f} ms", "< 12 ms"))
    struck = _struck_run()
    rows.append(("fold of 1,000 events, every tenth a strike", f"{median_ms(lambda: fold(struck)):.1f} ms", "< 3 ms"))
    results = [SignalPoint(30.0 * n, 100.0 - 4.0 * n) for n in range(12)]
    rows.append(("forecast of a sensor's life", f"{median_ms(lambda: forecast(results, end_percent=50.0, first=100.0)):.2f} ms", "< 5 ms"))
    rows.append(("decide whether 10 min at 10 Hz have settled", f"{_settle():.2f} ms", "< 2 ms"))
    return rows


def _struck_run() -> list[Event]:
    """A thousand events: readings taken, every tenth struck and taken again."""
    run = taken_run((0.0, 100.0), 1)
    events = run.events[: next(n for n, e in enumerate(run.events) if e.type == "reading_taken") + 1]
    last = events[-1]
    while len(events) < 1000:
        n = len(events) + 1
        if n % 10:
            events.append(replace(last, seq=n, id=f"e{n}", payload={**last.payload, "slot": n % 4}))
        else:
            events.append(
                replace(last, seq=n, id=f"e{n}", type="reading_struck", payload={"reading": events[-1].id, "reason": "not settled"})
            )
    return events


def _settle() -> float:
    """The last of the decisions over ten minutes of samples."""
    rng = random.Random(3)
    made = Approach(0.01, since=0.0)
    for n in range(6000):
        made.add(n / 10, 12.0 + rng.gauss(0, 0.002))
    at = iter(range(6000, 7000))

    def decide() -> None:
        made.add(next(at) / 10, 12.0 + rng.gauss(0, 0.002))
        made.judge()

    return median_ms(decide)
