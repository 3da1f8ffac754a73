"""The current step as a screen needs it, by its kind."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, cast

from metrology.judgement.voting import vote_words
from metrology.methods.adjusting.base import REFUSALS, AdjustTarget
from metrology.methods.method import Method
from metrology.methods.parameters import ACTS, TRIM_ACTS
from metrology.methods.setup import RunSetup
from metrology.methods.slots import Quantity, Slot
from metrology.methods.steps import UNHELD, Step
from metrology.quantities.words import decimals_for, iso, number, percent
from metrology.run.beside import names_screen, steps_beside
from metrology.run.chromatograms import chromatogram_step
from metrology.run.counting import clock_step, count_step
from metrology.run.holds import lost_words
from metrology.run.hookups import hookup_of
from metrology.run.kept import kept
from metrology.run.pairs import pair_rows
from metrology.run.progress import (
    Progress,
    current_slot,
    evaluate_together,
    found_step,
    passes_of,
    ready_at,
)
from metrology.run.proposing import proposal_at, reason_asked
from metrology.run.raw import raw_readings
from metrology.run.state import RunState
from metrology.run.step_types import (
    AdjustStep,
    BesideData,
    JudgeStep,
    LiveQuantity,
    NextReading,
    PassData,
    PointData,
    ReadingsStep,
    StepData,
    TrimOffered,
)
from metrology.run.step_views import compare_step, compute_step

ENDED = ("signed", "accepted", "voided")
Show = Callable[[RunState, Method, Step], Any]
Asks = tuple[Slot, Sequence[Quantity]]  # a point with what it asks for
MOST_AHEAD = 21  # points that may be entered before the first of them is stored


def current_step(state: RunState, method: Method, progress: Progress) -> StepData | None:
    """The step that the run is at, with what its kind shows; None when nothing more is to be done."""
    step = progress.current
    if step is None or state.status in ENDED:
        return None
    return _step(state, method, step)


def beside(state: RunState, method: Method, progress: Progress) -> list[BesideData]:
    """The steps that are asked for on the same screen as the current one."""
    if state.status in ENDED:
        return []
    shown = ((s, _step(state, method, s, is_beside=True)) for s in steps_beside(state, method, progress))
    return [
        cast(BesideData, {**{k: v for k, v in data.items() if k in BesideData.__annotations__}, "names_screen": names_screen(s)})
        for s, data in shown
    ]


def _step(state: RunState, method: Method, step: Step, *, is_beside: bool = False) -> StepData:
    suggested = (
        method.trial.suggest(state.setup, raw_readings(state, method, step.set_name or found_step(state, method)), step)
        if step.enters
        else {}
    )
    lets_go = [h.id for h in state.holds_of(step.of) if h.released_at is None] if step.kind == "release" else []
    data: StepData = {
        "key": step.key,
        "kind": step.kind,
        "phase": step.phase,
        "title": step.title,
        "instruction": step.instruction,
        "cautions": [*filter(None, ["" if is_beside else lost_words(state), _vote(state, step)]), *step.cautions],
        "confirm_label": step.unheld_label if step.kind == "release" and not lets_go else step.confirm_label,
        "minutes": step.minutes,
        "fields": [
            {
                "name": f.name,
                "label": f.label,
                "kind": f.kind,
                "unit": f.unit,
                "required": f.required,
                "hint": f.hint,
                "options": [{"value": v, "label": t} for v, t in f.options],
                "suggested": suggested.get(f.name, ""),
                "usual": f.usual or (_told_before(state, f.name) if f.as_before else ""),
                "beside": list(f.beside),
                "read": state.read_from_it.get(step.key, {}).get(f.name, ""),
            }
            for f in step.fields
        ],
        "checks": [{"key": c.key, "label": c.label} for c in step.checks],
        "options": [{"value": v, "label": t} for v, t in step.options],
        "readings": None,
        "judge": None,
        "adjust": None,
        "compute": None,
        "compare": None,
        "count": None,
        "clock": None,
        "pairs": pair_rows(state, step) if step.kind == "checkpairs" else [],
        "panels": _panels(state, step),
        "keys": _keys(state, step),
        "variant": step.variant,
        "needs_timer": step.needs_timer,
        "usual": dict(step.usual),
        "lets_go": lets_go,
        "unheld": [
            {"kind": k, "asks": UNHELD[k].asks, "label": UNHELD[k].label} for k, _ in step.options if step.kind == "hold" and k in UNHELD
        ],
        "beside": list(step.beside),
        "readouts": [{"key": r.key, "label": r.label, "fields": [name for name, _ in r.takes]} for r in step.readouts],
        "saves": bool(step.saves),
        "loads": bool(step.loads),
        "sends": bool(step.sends),
        **_watches(state, method, step),  # type: ignore[typeddict-item]
    }
    show = _SHOWN.get(step.kind)
    if show:
        data[step.kind] = show(state, method, step)  # type: ignore[literal-required]
    return data


def _told_before(state: RunState, name: str) -> str:
    """What the first step that asked for something of that name was told."""
    return next(filter(None, (str(c.values.get(name, "")) for c in state.confirmations.values())), "")


def _vote(state: RunState, step: Step) -> str:
    """What placing the hold does to the vote of its group."""
    i = state.setup.instrument
    return vote_words(i.voting, i.voting_group) if step.kind == "hold" and not step.of else ""


SHUT = "off"  # the key of whatever feeds an instrument


def _keys(state: RunState, step: Step) -> list[str]:
    """The keys that belong to a step; where gas may be on that nobody needs any more, the one that shuts it."""
    if step.keys or step.kind not in ("confirm", "judge"):
        return list(step.keys)
    return [SHUT] if _panels(state, step) else []


def _panels(state: RunState, step: Step) -> list[str]:
    """What stands beside the readings or the adjusting: the gas in use with its manifold, and the instrument's own keys."""
    if not state.gases or step.kind not in ("readings", "adjust", "judge", "confirm", "condition"):
        return []
    if step.kind == "confirm" and step.phase in ("prepare", "make safe"):  # nothing flows yet
        return []
    return ["gas", "keys"] if step.kind == "adjust" else ["gas"]


def _readings_step(state: RunState, method: Method, step: Step) -> ReadingsStep:
    i = state.setup.instrument
    plan = method.trial.plan(state.setup, step.key, raw_readings(state, method, step.key)).slots
    slot = current_slot(state, method, step.key)
    asks = [(s, method.trial.asks(state.setup, s)) for s in plan]
    left = asks[slot.index :] if slot else []
    asked = left[0][1] if left else asks[-1][1]
    indicated = next(q for q in asked if q.name == "indicated")
    return {
        "total": len(plan),
        "taken": len(state.active_readings(step.key)),
        "output_unit": indicated.unit,
        "unit": i.unit,
        "next": _next_reading(state, method, step, left[0], _ahead(state, step, left)) if left else None,
        "hookup": hookup_of(state, method),
        "chromatogram": chromatogram_step(state, method, step.key),
        "read_live": _read_live(method, asks),
    }


def _read_live(method: Method, asks: Sequence[Asks]) -> list[LiveQuantity]:
    """What of the whole set can be read live, each once."""
    found: dict[tuple[str, str], LiveQuantity] = {}
    for slot, asked in asks:
        for q in asked:
            channel = method.watching.source_channel(q.name, slot.channel)
            found[q.name, channel] = {"name": q.name, "unit": q.unit, "channel": channel}
    return list(found.values())


def _watches(state: RunState, method: Method, step: Step) -> dict[str, str]:
    slot, asked = method.watching.watched(state.setup, step) or (None, ())
    if slot is None or not asked:
        return {"watches": "", "watches_channel": "", "watches_unit": ""}
    return {
        "watches": asked[0].name,
        "watches_channel": method.watching.source_channel(asked[0].name, slot.channel),
        "watches_unit": asked[0].unit,
    }


def _ahead(state: RunState, step: Step, asks: Sequence[Asks]) -> Sequence[Asks]:
    """The points in a row that are not taken yet, ask for one number each (what is applied stands there already), and wait for nothing."""
    taken = state.active_readings(step.key)
    count = 0
    for slot, asked in asks[:MOST_AHEAD]:
        typed = [q for q in asked if q.name != "applied" and not q.is_live_only]
        if slot.index in taken or len(typed) != 1 or (count and slot.after_min):
            break
        count += 1
    return asks[:count]


def _point(state: RunState, method: Method, step_key: str, slot: Slot, asked: Sequence[Quantity]) -> PointData:
    """A point as it is asked for; the same as long as nothing is entered that changes it."""
    made_of = (method, state.setup, slot)
    return kept(state, f"point {step_key} {slot.index}", made_of, lambda: _point_words(state.setup, method, slot, asked))


def _point_words(setup: RunSetup, method: Method, slot: Slot, asked: Sequence[Quantity]) -> PointData:
    told = method.trial.columns(setup)
    indicated = next(q for q in asked if q.name == "indicated")
    applied = next((q for q in asked if q.name == "applied"), None)
    decimals = applied.decimals if applied else decimals_for(setup.instrument.urv - setup.instrument.lrv)
    return {
        "slot": slot.index,
        "number": slot.index + 1,
        "direction": slot.direction,
        "cycle": slot.cycle,
        "percent": f"{slot.percent:.4g} %" if told.by_percent else "",
        "direction_word": slot.direction if told.has_direction else "",
        "nominal": "" if slot.is_open or not told.applied else number(slot.nominal, decimals),
        "ideal": "" if slot.is_open else number(indicated.expected, indicated.decimals),
        "how": slot.how,
        "channel": slot.channel,
        "quantities": [
            {
                "name": q.name,
                "label": q.label,
                "unit": q.unit,
                "source_channel": method.watching.source_channel(q.name, slot.channel),
                "expected": number(q.expected, q.decimals),
                "hint": q.hint,
                "required": q.required,
                "is_live_only": q.is_live_only,
                "counts_up": q.begins_anew,
                "believable": f"{q.low:g} to {q.high:g} {q.unit}",
            }
            for q in asked
        ],
    }


def _next_reading(state: RunState, method: Method, step: Step, at: Asks, ahead: Sequence[Asks]) -> NextReading:
    return {
        **_point(state, method, step.key, *at),
        "ahead": len(ahead),
        "coming": [_point(state, method, step.key, *coming) for coming in ahead[1:]],
        "ready_at": iso(ready_at(state, at[0])) or "",
    }


def _judge_step(state: RunState, method: Method, step: Step) -> JudgeStep:
    result = evaluate_together(state, method, step.set_name)
    proposal = proposal_at(state, method, step, result)
    return {
        "proposal": proposal.choice,
        "reason": proposal.reason,
        "reasons": {choice: asked for choice, _ in step.options if (asked := reason_asked(choice, proposal.choice))},
        "verdict": result.verdict,
        "share": f"{100 * result.share:.0f} %",
    }


def _adjust_step(state: RunState, method: Method, step: Step) -> AdjustStep:
    progress = method.adjusting.progress(state.setup, passes_of(state, step.key), step.variant)
    targets = method.adjusting.targets(state.setup, step.variant)
    target = next((t for t in targets if t.screw == progress.next_screw), None)
    decimals = decimals_for((target or targets[0]).span)
    return {
        "screw": progress.next_screw,
        "label": target.words if target else "",
        "act": method.adjusting.act,
        "keys": [*target.keys, *([SHUT] if target.keys and state.gases else [])] if target else [],
        "can_refuse": method.adjusting.act == "accept",
        "refusals": list(REFUSALS) if method.adjusting.act == "accept" else [],
        "variant": step.variant,
        "pass_number": progress.pass_number,
        "is_converged": progress.is_converged,
        "is_stuck": progress.is_stuck,
        "says": progress.says,
        "output_unit": (target or targets[0]).unit,
        "max_passes": state.setup.policy.max_passes,
        "target": {
            "apply": target.apply,
            "ideal": number(target.ideal, decimals),
            "aim": f"±{number(target.aim, decimals)} {target.unit}",
        }
        if target
        else None,
        "acts": _trims(state, step, target, decimals),
        "passes": pass_rows(state, method, step.key, step.variant),
        "aim_percent": max((100 * t.aim / t.span for t in targets), default=0.0),
    }


def _trims(state: RunState, step: Step, target: AdjustTarget | None, decimals: int) -> list[TrimOffered]:
    """What a smart transmitter can be told at an adjusting step, with the number that belongs to it."""
    if target is None or step.variant not in TRIM_ACTS:
        return []
    values = {"applied": f"{target.nominal:g}", "ideal": number(target.ideal, decimals)}
    unit = {"mA": "mA", "pv": state.setup.instrument.unit}
    return [
        {"act": a.key, "label": a.label, "unit": unit.get(a.asks, ""), "warns": a.warns, "value": values.get(what, "")}
        for a, what in ((ACTS[key], what) for key, what in TRIM_ACTS[step.variant].get(target.screw, ()))
    ]


# What a kind of step shows beyond its fields and checks; kinds that are not here need nothing more.
_SHOWN: dict[str, Show] = {
    "compute": lambda state, _method, step: compute_step(state, step),
    "compare": lambda state, _method, step: compare_step(state, step),
    "readings": _readings_step,
    "judge": lambda state, method, step: _judge_step(state, method, step),
    "adjust": lambda state, method, step: _adjust_step(state, method, step),
    "count": lambda state, _method, step: count_step(state, step),
    "clock": lambda state, _method, step: clock_step(state, step),
}


def pass_rows(state: RunState, method: Method, step_key: str, variant: str) -> list[PassData]:
    """Each look at what is set, with what it read in the unit that is looked at."""
    made = passes_of(state, step_key)
    errors = method.adjusting.progress(state.setup, made, variant).errors
    units = {t.screw: t.unit for t in method.adjusting.targets(state.setup, variant)}
    worst = max((abs(v) for _, b, a in errors for v in (b, a) if v is not None), default=0.0)
    in_pairs = method.adjusting.in_pairs
    return [
        {
            "pass_number": n // 2 + 1 if in_pairs else sum(s == screw for s, _, _ in errors[: n + 1]),
            "screw": screw,
            "before": before,
            "after": after,
            "scale": worst,
            "before_read": made[n][1],
            "after_read": made[n][2],
            "unit": units.get(screw, ""),
            "before_text": percent(before),
            "after_text": percent(after) if after is not None else "left alone",
        }
        for n, (screw, before, after) in enumerate(errors)
    ]
