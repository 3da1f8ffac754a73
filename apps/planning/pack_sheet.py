"""One job on paper: what is filled in before, as found, adjusting and as left in one table each, what is filled in after; a simple job is one page."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from reportlab.lib.styles import ParagraphStyle
from reportlab.platypus import Flowable, Spacer

from apps.planning.printing import BODY, BOLDER, HEADING, p, table
from apps.plant.models import Instrument
from apps.plant.policies import policy_for
from metrology.faults import Fault
from metrology.judgement.tolerance import describe
from metrology.methods.method import Method
from metrology.methods.registry import METHODS
from metrology.methods.setup import RunSetup
from metrology.methods.steps import CHOSEN, Step

LINE = ParagraphStyle("line", parent=BODY, fontSize=7.8, leading=10.4)
TAG = ParagraphStyle("tag", parent=HEADING, fontSize=13, leading=17, spaceBefore=10)
BLANK = "_" * 12
TAKES = ("readings", "judge", "adjust")
MOST_BEFORE = 5  # adjust rows that are left blank for one target


def job_sheet(i: Instrument, row: dict[str, Any], unfit: Sequence[str]) -> list[Flowable]:
    """The sheet of one job. unfit: what of its kit must not be used, in words."""
    head = (
        f"{i.service}, {i.area.name}. Serial {i.serial}. {i.lrv:g} to {i.urv:g} {i.unit}, out {i.output_lo:g} to {i.output_hi:g} {i.output_unit}. "
        f"Tolerance {describe(i.tolerance(), i.unit)}. {i.method_title}."
    )
    told = [f"Feeds: {i.feeds}." if i.feeds else "", f"With: {', '.join(row['kit'])}." if row["kit"] else ""]
    return [
        p(i.tag, TAG),
        p(head, LINE),
        p(" ".join(t for t in told if t), LINE),
        *([p(f"Caution: {i.hazards}", BOLDER)] if i.hazards else []),
        *[p(f"Not to be used: {says}", BOLDER) for says in unfit],
        *_body(i),
    ]


def _body(i: Instrument) -> list[Flowable]:
    method = METHODS.get(i.method)
    if method is None:
        return [p("Work by the site's procedure; results:", BOLDER), *[p("_" * 96, LINE) for _ in range(14)]]
    try:
        setup = i.run_setup(policy_for(i), method.revision)
        steps = [s for s in method.steps(setup, {}) if not s.left_out]
    except Fault as fault:
        return [p(f"Its register entry does not hold together: {fault.message}")]
    taken = [n for n, s in enumerate(steps) if s.kind in TAKES]
    first, last = (taken[0], taken[-1]) if taken else (len(steps), len(steps))
    before = [line for s in steps[:first] for line in _lines(s)]
    after = [line for s in steps[last + 1 :] for line in _lines(s)]
    between = [f for s in steps[first : last + 1] for f in _taken(method, setup, s)]
    return [*before, Spacer(1, 3), *between, Spacer(1, 3), *after]


def _lines(step: Step) -> list[Flowable]:
    """A step as one line with its blanks, and its cautions."""
    if step.if_needed:
        return []
    blanks = [f"{f.label}{f' ({f.unit})' if f.unit else ''} {BLANK}" for f in step.fields if f.kind not in CHOSEN]
    blanks += [f"{f.label} (code) {BLANK}" for f in step.fields if f.kind in CHOSEN]
    if step.kind == "hold":
        blanks += [f"kind {BLANK}", f"placed at {BLANK}", f"until {BLANK}"]
    if step.kind == "release":
        blanks += [f"released at {BLANK}", f"by {BLANK}"]
    if step.kind in ("timer", "clock"):
        blanks += [f"from {BLANK}", f"to {BLANK}"]
    if step.kind == "sign":
        blanks += [f"name {BLANK}", f"date and time {BLANK}"]
    checks = [f"[\u00a0\u00a0]\u00a0{c.label}" for c in step.checks]
    text = f"{step.title}: {'; '.join([*blanks, *checks]) or step.instruction}"
    return [p(text, LINE), *[p(f"Caution: {c}", LINE) for c in step.cautions[:2]]]


def _taken(method: Method, setup: RunSetup, step: Step) -> list[Flowable]:
    """Readings as found with room for as left beside them, an adjust table, and the decision; what is read as left has no table of its own."""
    if step.kind == "readings":
        return [] if step.if_needed else _readings(method, setup, step)
    if step.kind == "adjust":
        return _adjusting(method, setup, step)
    if step.kind == "judge":
        return [] if step.if_needed else [p(f"Decision and reason {'_' * 60}", LINE)]
    return _lines(step)


def _readings(method: Method, setup: RunSetup, step: Step) -> list[Flowable]:
    rows = []
    for slot in method.plan(setup, step.key):
        read = next(q for q in method.trial.asks(setup, slot) if q.name == "indicated")
        point = f"{slot.nominal:g} {read.unit if slot.channel else setup.instrument.unit} {slot.direction}".strip()
        rows.append([f"{slot.channel} {point}".strip(), f"{read.expected:.6g} {read.unit}", "", "", "", "", "", ""])
    if not rows:
        return [p(f"{step.title}: {'_' * 70}", LINE)]
    heads = ["Point", "Should read", "Applied", "As found", "At (time)", "Applied", "As left", "At (time)"]
    return [p(step.title, BOLDER), table(heads, rows, [30, 24, 20, 22, 18, 20, 22, 18])]


def _adjusting(method: Method, setup: RunSetup, step: Step) -> list[Flowable]:
    """What is turned, before and after, twice over."""
    targets = method.adjusting.targets(setup, step.variant)[:MOST_BEFORE]
    if not targets or not setup.instrument.is_adjustable:
        return []
    rows = [[t.screw, f"{t.nominal:g}", f"{t.ideal:.6g}", "", "", "", ""] for t in targets]
    return [
        p("Adjusting", BOLDER),
        table(["What", "At", "Should read", "Before", "After", "Before", "After"], rows, [30, 22, 26, 24, 24, 24, 24]),
    ]
