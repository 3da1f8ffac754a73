"""What takes a run on where nothing needs a decision: the event of its current step, made of what is known once for many instruments.

A round of function checks says permit, operator, air and gas once, and by a tap that what is usual was found and what is to be ticked was done. Each of it
is stored as the event of its own step, by the rules that hold for one typed alone, and what a tap says can be read before it is said (`Tap`). Where
something must be said first, nothing is made up.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from itertools import takewhile
from typing import Any

from metrology.judgement.decision import FAIL
from metrology.judgement.voting import vote_words
from metrology.methods.method import Method
from metrology.methods.setup import RunSetup
from metrology.methods.steps import CHOSEN, Field, Step
from metrology.run.fields import CONFIRMED
from metrology.run.progress import CURRENT, LATER, evaluate_together, make_progress
from metrology.run.proposing import proposal_at
from metrology.run.raw import raw_readings
from metrology.run.state import RunState

Said = Mapping[str, str]
Event = tuple[str, dict[str, Any]]
NOTHING: frozenset[str] = frozenset()
BEFORE, AFTER = frozenset({"prepare", "make safe"}), frozenset({"restore"})  # phases that a tap speaks for: hold on, hold off


@dataclass(frozen=True)
class Tap:
    """What a tap says, so that it can be read before it is said: what to mind, each statement, and what the button is called."""

    label: str
    cautions: tuple[str, ...]
    says: tuple[str, ...]


def onward(state: RunState, method: Method, said: Said, *, now: datetime, speaks_for: frozenset[str] = NOTHING) -> Event | None:
    """The event, as (type, payload), that the current step takes; None where the run waits for somebody, for time, or has ended.

    said: texts by the name of a field; a field of a channel may be said for all channels. "hold" and its "minutes" and "agreement" place the hold,
    of the kind that is usual, else of "hold_kind".
    speaks_for: phases in which what is usual was found and what is to be ticked was done; of the others nothing is said by itself.
    """
    step = make_progress(state, method).current
    make = _BY_KIND.get(step.kind) if step else None
    return make(_At(state, method, step, said, now, step.phase in speaks_for)) if make and step else None


@dataclass(frozen=True)
class _At:
    """Where a run stands and what is known there. speaks: a tap speaks for this step."""

    state: RunState
    method: Method
    step: Step
    said: Said
    now: datetime
    speaks: bool

    @property
    def must_wait(self) -> bool:
        """Whether the timer that the step waits for still runs."""
        timer = self.state.timers.get(self.step.needs_timer) if self.step.needs_timer else None
        return timer is not None and not timer.is_over(self.now)

    @property
    def texts(self) -> dict[str, str | None]:
        """What is said of each field; None where it is asked and nothing is known."""
        offered: Said = {}
        if self.step.set_name:  # what was seen live of what the step asks
            offered = self.method.trial.suggest(self.state.setup, raw_readings(self.state, self.method, self.step.set_name), self.step)
        return {f.name: self._text(f, offered) for f in self.step.fields}

    def _text(self, field: Field, offered: Said) -> str | None:
        if field.kind in CHOSEN:
            return ""
        by_tap = (field.usual or field.nominal or None) if self.speaks else None
        for known in (self.said.get(field.name), offered.get(field.name), self.said.get(field.name.partition(":")[0]), by_tap):
            if known is not None:
                return known
        return None if field.required else ""

    @property
    def values(self) -> dict[str, str] | None:
        """What the step is confirmed with; None where something is asked that nobody has said."""
        texts = self.texts
        asked = [texts[f.name] for f in self.step.fields if f.kind not in CHOSEN]
        is_silent = bool(asked) and not any(asked)  # all of it may be left empty, which says something too: nobody has said it
        sure = {CONFIRMED: self.said[CONFIRMED]} if CONFIRMED in self.said else {}
        return None if is_silent or any(t is None for t in texts.values()) else {name: t or "" for name, t in texts.items()} | sure


def tap_before(setup: RunSetup, method: Method, *, typed: frozenset[str] = NOTHING) -> Tap:
    """What the tap says that begins a run which is not started yet. typed: fields that are said in so many words beside it."""
    return _tap([s for s in method.steps(setup, {}) if not s.left_out], BEFORE, setup, typed)


def tap_now(state: RunState, method: Method) -> Tap:
    """What the next tap of a run says: the one that begins it, or the one that gives it back."""
    progress = make_progress(state, method)
    phases = BEFORE if progress.current and progress.current.phase in BEFORE else AFTER
    return _tap([p.step for p in progress.steps if p.status in (CURRENT, LATER)], phases, state.setup)


def _tap(steps: Iterable[Step], phases: frozenset[str], setup: RunSetup, typed: frozenset[str] = NOTHING) -> Tap:
    mine = list(takewhile(lambda s: s.kind != "sign", (s for s in steps if s.phase in phases)))
    holds = any(s.kind in ("hold", "release") for s in mine)
    label = ("Hold is on" if holds else "It is ready") if phases is BEFORE else ("Hold is off" if holds else "It is back")
    votes = [vote_words(setup.instrument.voting, setup.instrument.voting_group) for s in mine if s.kind == "hold" and not s.of]
    cautions = dict.fromkeys(c for c in (*votes, *(c for s in mine for c in s.cautions)) if c)
    return Tap(label, tuple(cautions), tuple(says for s in mine for says in _told(s, typed)))


def _told(step: Step, typed: frozenset[str]) -> list[str]:
    """What confirming a step with what is usual says."""
    kind = dict(step.usual).get("kind", "")
    out = [f"It is on hold: {dict(step.options)[kind].lower()}"] if step.kind == "hold" and kind else []
    for f in (f for f in step.fields if f.name not in typed):
        text = f.expected if f.kind == "identity" and f.required else f.usual or f.nominal
        if text:
            out.append(f"{f.label}: {dict(f.options).get(text, text)} {f.unit}".strip())
    return [*out, *(c.label for c in step.checks)]


def waits_for(state: RunState, method: Method, said: Said, *, now: datetime, speaks_for: frozenset[str] = NOTHING) -> tuple[Field, ...]:
    """What the current step asks that nobody has said yet."""
    step = make_progress(state, method).current
    if step is None:
        return ()
    texts = _At(state, method, step, said, now, step.phase in speaks_for).texts
    return tuple(f for f in step.fields if f.required and texts[f.name] is None)


def _confirm(at: _At) -> Event | None:
    values, step = at.values, at.step
    is_unticked = bool(step.checks) and not at.speaks
    is_unchosen = any(f.kind in CHOSEN and f.name not in at.state.standing for f in step.fields)
    if values is None or is_unticked or is_unchosen or at.must_wait:
        return None
    return "step_confirmed", {"step": step.key, "values": values, "checks": [c.key for c in step.checks]}


def _hold(at: _At) -> Event | None:
    kind = dict(at.step.usual).get("kind") or at.said.get("hold_kind")
    if "hold" not in at.said or not at.speaks or not kind:
        return None
    told = {k: at.said[k] for k in ("minutes", "agreement", "approval") if k in at.said}
    return "hold_placed", {"step": at.step.key, **dict(at.step.usual), "kind": kind, "reason": at.said["hold"], **told}


def _release(at: _At) -> Event | None:
    values = at.values
    still = [h for h in at.state.holds_of(at.step.of) if h.released_at is None]
    if values is None or not at.speaks or at.must_wait:
        return None
    if not still:  # nothing was held, such as on the bench: the step is done all the same
        return None if at.state.holds_of(at.step.of) else ("step_confirmed", {"step": at.step.key, "values": values})
    return "hold_released", {"step": at.step.key, "hold": still[0].id, "values": values}


def _leave(at: _At) -> Event | None:
    """A set that passed is left as it is, where that is proposed; anything else is somebody's decision."""
    result = evaluate_together(at.state, at.method, at.step.set_name)
    proposal = proposal_at(at.state, at.method, at.step, result)
    if result.verdict == FAIL or proposal.choice != "leave":
        return None
    return "decision_made", {"step": at.step.key, "choice": "leave"}


_BY_KIND: dict[str, Callable[[_At], Event | None]] = {
    "confirm": _confirm,
    "condition": _confirm,
    "timer": lambda at: ("timer_started", {"step": at.step.key}),
    "hold": _hold,
    "release": _release,
    "judge": _leave,
}
