"""The trials of causes as rows of the table of measurements."""

from __future__ import annotations

from tools import cause_trials, sensor_trials


def cause_rows() -> tuple[list[tuple[str, str, str]], str]:
    """Transmitters and temperature sensors judged blind: rows of the table, and what each fault was called."""
    rows, every = [], []
    for size, wanted in ((1.0, ">= 95 %"), (2.0, ">= 98 %")):
        trials = cause_trials.run(1300, size, seed=3301)
        every += trials
        rows.append((f"causes of transmitters, {size:g} tolerance: first name right", f"{100 * cause_trials.share(trials):.1f} %", wanted))
    sound = cause_trials.healthy(400, seed=3302)
    rows.append(("healthy ones to 0.6 of tolerance given a name", f"{100 * (1 - cause_trials.share(sound)):.1f} %", "<= 5 %"))
    two = cause_trials.pairs(400, 1.5, seed=3303)
    both = sum(set(t.truth) <= set(t.codes[:2]) for t in two) / len(two)
    rows.append(("two faults: both in the first two", f"{100 * both:.1f} %", ">= 90 %"))
    few = cause_trials.run(650, 2.0, seed=3304, points=cause_trials.THREE)
    few += cause_trials.run(650, 2.0, seed=3305, points=cause_trials.THREE, is_up_only=True)
    known = sum(cause_trials.right(t) or t.is_undecided for t in few) / len(few)
    rows.append(("three points, both ways and one: right or said to be open", f"{100 * known:.1f} %", ">= 95 %"))
    rows.append(("Brier score of the first share", f"{cause_trials.brier(every + sound):.3f}", "< 0.10"))
    off = max(abs(told - came) for told, came, n in cause_trials.calibration(every + sound) if n >= 50)
    rows.append(("share told against share right, widest of bins with 50", f"{100 * off:.0f} points", "<= 7"))
    for size in (1.0, 2.0):
        right, open_, wrong = sensor_trials.shares(sensor_trials.run_trials(1000, size, seed=3306))
        told = f"{100 * right:.1f} % ({100 * open_:.1f} % with open ones); {100 * wrong:.1f} %"
        rows.append((f"temperature sensors, {size:g} tolerance: right; healthy named", told, ">= 95 %; <= 5 %"))
    return rows, cause_trials.confusion(every)
