"""What a live run shows and captures: each live quantity's trace in the run's own unit, judged for settling."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import asdict, replace
from typing import Any

from apps.bench.poller import Trace
from apps.bench.quantity import Live, SinceThen, counting_words, gone_words, has_run
from metrology.faults import Fault
from metrology.judgement.exposure import ALARM_BIT, Exposure, alarms_seen, inhibit_dropped, purge_seconds
from metrology.judgement.frozen import frozen_s, frozen_words
from metrology.judgement.settling import (
    FROZEN,
    NO_DATA,
    NO_RESPONSE,
    NOT_YET,
    SETTLED,
    UNSTABLE,
    Response,
    Sample,
    Settle,
    classify_response,
    settle_words,
)
from metrology.methods.fragments import alarms_of
from metrology.methods.method import Method
from metrology.methods.setup import RunSetup
from metrology.methods.slots import STREAM, Quantity, Slot, Watched
from metrology.methods.steps import Step
from metrology.methods.trials.exposure import inhibit_of
from metrology.quantities.units import convert
from metrology.quantities.words import number
from metrology.run.holds import lost_words
from metrology.run.progress import current_slot, make_progress, passes_of
from metrology.run.raw import raw_readings
from metrology.run.state import RunState, source_key

BACKLOG_S = 120.0
BEFORE_S = 0.5
JUST_BEFORE_S = 3.0  # how old a reading may be that was before the stimulus
FRAME_S = 0.08
REFUSED = ("warming-up", "exposed-already")  # remarks with which nothing is captured
LATEST_S = 1.0  # of a fast signal: what each frame brings, so that a frame that was late leaves no hole
SPARING = 20.0  # so many times what it took to look at an exposure passes before it is looked at anew, for those who only watch
COURSE_S = 3.0  # how often a course is fitted anew, s
ACCEPTANCE = 0.25  # of span: further off, it is not an error to be adjusted


def same_stream(one: Slot | None, other: Slot | None) -> bool:
    """Whether what flowed at one slot still flows at the other, so that what stood there stands here."""
    return bool(one and other and one.extra.get(STREAM) and one.extra[STREAM] == other.extra.get(STREAM))


def _being_set(state: RunState, method: Method, step: Step) -> tuple[Slot, tuple[Quantity, ...]] | None:
    """What is read where something is set: the slot of its point, as left, and what the instrument shows there."""
    wanted = method.adjusting.progress(state.setup, passes_of(state, step.key), step.variant).next_screw
    target = next((t for t in method.adjusting.targets(state.setup, step.variant) if t.screw == wanted), None)
    plan = method.trial.plan(state.setup, "as_left").slots if target else ()
    slot = next((s for s in plan if target and s.channel == target.channel and abs(s.nominal - target.nominal) < 1e-9), None)
    return (slot, tuple(q for q in method.trial.asks(state.setup, slot) if q.name == "indicated")) if slot else None


class RunLive:
    """The live side of one run. It is refreshed whenever the run moves on, and asked for frames ten times a second."""

    def __init__(self, run_id: str, find_trace: Callable[[str], Trace]) -> None:
        self.run_id, self._find_trace = run_id, find_trace
        self.lock = threading.RLock()
        self.since = time.time()
        self.seq = 0
        self.step = ""
        self.slot: Slot | None = None
        self.step_up = 0.0  # change of the ideal output from the slot before
        self.acceptance = 0.0  # how far a reading may be off and still be adjustable
        self.quantities: dict[str, Live] = {}
        self.asked: set[str] = set()  # names of the numbers asked for at the slot, live or not
        self.faults: dict[str, str] = {}
        self.stimulus = ""  # the signal by which what is applied at this slot can be set
        self.is_condition = False
        self.is_adjusting = False  # only watched: what is set is typed or accepted by a key
        self.lost_hold = ""  # that the hold came off while the run was at work
        self.is_marked = False  # the moment gas came was told, by hand or by the stimulus
        self._setup: RunSetup | None = None
        self._method: Method | None = None
        self._frame: tuple[float, dict[str, Any]] = (0.0, {})
        self.told: tuple[object, object, bytes] = (None, None, b"")  # the frame that was written last, its rows, and as it goes out
        self._step: Step | None = None
        self._told_course: tuple[float, str] = (0.0, "")
        self._exposed: tuple[float, float, object, Exposure | None] = (0.0, 0.0, None, None)
        self._interrupted: tuple[float, tuple[tuple[float, str], ...]] = (0.0, ())

    @property
    def is_only_watched(self) -> bool:
        """Whether no reading of a set is taken here: a condition, or where something is set."""
        return self.is_condition or self.is_adjusting

    def refresh(self, state: RunState, method: Method) -> None:
        """Take in the state: which slot is next, which quantities are live, and by which rule they settle."""
        with self.lock:
            step = make_progress(state, method).current
            self._setup, self._method, self._step = state.setup, method, step
            self.lost_hold = lost_words(state)
            self.is_adjusting = step is not None and step.kind == "adjust"
            self.is_condition = step is not None and step.kind == "condition"
            slot = current_slot(state, method, step.key) if step and step.kind == "readings" else None
            asked: Sequence[Quantity] = method.trial.asks(state.setup, slot) if slot else ()
            watched = method.watching.watched(state.setup, step) if step and self.is_condition else None
            if step and self.is_adjusting:
                watched = _being_set(state, method, step)
            if watched:
                slot, asked = watched
            moved = (step.key if step else "", slot.index if slot else -1) != (self.step, self.slot.index if self.slot else -1)
            flows_on = moved and step is not None and step.key == self.step and same_stream(self.slot, slot)
            before = {n: live.trace for n, live in self.quantities.items()}
            self.seq, self.step, self.slot = state.seq, step.key if step else "", slot
            self.asked = {q.name for q in asked}
            self.quantities, self.faults = self._wanted(state, method, slot, asked)
            channel = method.watching.source_channel("applied", slot.channel) if slot else ""
            self.stimulus = str(state.sources.get(source_key("applied", channel), {}).get("stimulus", ""))
            if slot and not self.is_only_watched:
                plan = method.trial.plan(state.setup, self.step, raw_readings(state, method, self.step)).slots
                self.step_up = slot.ideal - plan[slot.index - 1].ideal if slot.index else 0.0
                indicated = next(q for q in asked if q.name == "indicated")
                self.acceptance = ACCEPTANCE * indicated.span
            if slot and slot.extra.get(STREAM):
                self._trace_all(state)
            if not flows_on and (moved or before != {n: live.trace for n, live in self.quantities.items()}):
                self.mark()

    def _trace_all(self, state: RunState) -> None:
        """What is read next on the same gas is traced from when that came; a source that is gone is told when it is wanted."""
        for source in state.sources.values():
            if source.get("signal"):
                with suppress(Fault):
                    self._find_trace(str(source["signal"]))

    def _wanted(
        self, state: RunState, method: Method, slot: Slot | None, asked: Sequence[Quantity]
    ) -> tuple[dict[str, Live], dict[str, str]]:
        found: dict[str, Live] = {}
        faults: dict[str, str] = {}
        if slot is None:
            return found, faults
        for q in asked:
            source = state.sources.get(source_key(q.name, method.watching.source_channel(q.name, slot.channel)))
            if source is None:
                continue
            rule = method.watching.settle_rule(state.setup, slot, q)
            try:
                convert(0.0, str(source["unit"]), to_unit=q.unit)
                found[q.name] = Live(q, self._find_trace(str(source["signal"])), rule)
            except Fault as fault:
                faults[q.name] = f"{source['label']} can't stand for {q.label.lower()}: {fault.message}"
        return found, faults

    def mark(self, *, told: bool = False, at: float | None = None) -> None:
        """The stimulus changed now, or at a moment just past: settling is judged from there. told: a person or the stimulus said so."""
        with self.lock:
            self.since = time.time() if at is None else at
            self.is_marked = told
            self._told_course = (0.0, "")
            for live in self.quantities.values():
                live.settled_at = None

    def judge(self, name: str) -> tuple[Settle, Response]:
        """How a quantity stands, with what was seen of it. A watcher and an engine may ask at once; each sample is taken in by one of them."""
        with self.lock:
            return self._judge(self.quantities[name])

    def _judge(self, live: Live) -> tuple[Settle, Response]:
        seen = live.seen_since(self.began)
        settle = seen.judge(until_settled=live.settled_at)
        if settle.status == SETTLED and (not has_run(live.quantity, seen) or self._is_as_before(live.quantity, settle)):
            settle = replace(settle, status=NOT_YET)
        live.frozen_s = frozen_s(live.trace.since(time.time() - BACKLOG_S)) if settle.status == SETTLED and not self._is_exposed else 0.0
        if live.frozen_s:
            settle = replace(settle, status=FROZEN)
        if settle.status != SETTLED:
            live.settled_at = None
        elif live.settled_at is None and seen.last:
            live.settled_at = seen.last[0]
        return settle, seen

    @property
    def _is_exposed(self) -> bool:
        """Whether the slot is an exposure, which has rules of its own."""
        return self.slot is not None and bool(self.slot.extra.get("exposure"))

    def interruptions(self) -> tuple[tuple[float, str], ...]:
        """Moments since the stimulus at which what is watched had to begin anew, with why; looked for ten times a second at most."""
        now = time.time()
        if self._method is None or self._setup is None or self.slot is None or self.is_only_watched:
            return ()
        if now - self._interrupted[0] >= FRAME_S or self._interrupted[0] < self.since:
            others = SinceThen({name: each for name, each in self.quantities.items() if name != "indicated"}, self.since)
            self._interrupted = (now, self._method.watching.interrupted(self._setup, self.slot, others))
        return self._interrupted[1]

    @property
    def began(self) -> float:
        """From when on what is read counts: the stimulus, or the last interruption after it."""
        return max([self.since, *(t for t, _ in self.interruptions())])

    def exposure(self) -> Exposure | None:
        """What the exposure at this slot came to so far; None where nothing is exposed."""
        live = self.quantities.get("indicated")
        if (
            live is None
            or self._method is None
            or self._setup is None
            or self.slot is None
            or self.is_only_watched
            or not self.slot.extra.get("exposure")
        ):
            return None
        began = self.began
        samples = SinceThen(self.quantities, began)
        before = [v for t, v in live.samples(began - JUST_BEFORE_S) if t <= began]
        # The least of them: who opens the valve and then says so has seen it rise a little already.
        watched = Watched(samples, live.rule, began, self.is_marked, live.settled_at, min(before, default=None))
        return self._method.watching.watch(self._setup, self.slot, watched)

    def _exposure_lately(self) -> Exposure | None:
        """The exposure as it was found a moment ago: a long one costs more to look through, and is looked at the more seldom."""
        at, took, of, found = self._exposed
        start, now_of = time.perf_counter(), (self.seq, self.began)
        if start - at >= max(FRAME_S, SPARING * took) or of != now_of:
            found = self.exposure()
            self._exposed = (start, time.perf_counter() - start, now_of, found)
        return found

    def purged_s(self) -> float | None:
        """Seconds that the reading has been below the purge limit; None while it is above or nothing is purged."""
        live = self.quantities.get("indicated")
        if not self.is_condition or live is None or self._setup is None:
            return None
        return purge_seconds(live.samples(self.since), below=self._purge_limit(live))

    def _purge_limit(self, live: Live) -> float:
        assert self._setup is not None
        return self._setup.policy.purge_percent / 100 * live.quantity.span

    def response(self, settle: Settle, seen: Response, expected: float) -> str:
        """Class of what the output did after the stimulus; empty where nothing is captured or what should be read is not known."""
        if self.is_only_watched or (self.slot is not None and self.slot.is_open):
            return ""
        moved = settle.mean - seen.first[1] if seen.first else 0.0
        is_settled = settle.status == SETTLED
        return classify_response(moved, self.step_up, error=settle.mean - expected, acceptance=self.acceptance, is_settled=is_settled)

    def frame(self) -> dict[str, Any]:
        """What every watcher is shown now; made once for all of them."""
        with self.lock:
            now = time.time()
            if now - self._frame[0] >= FRAME_S:
                self._frame = (now, self._make_frame(now))
            return self._frame[1]

    def _make_frame(self, now: float) -> dict[str, Any]:
        rows = {}
        for name, live in self.quantities.items():
            live.trace.wanted_at = now
            settle, seen = self.judge(name)
            last = seen.last
            q = live.quantity
            away = name == "applied" and settle.status == SETTLED and not q.low <= settle.mean <= q.high
            says = f"It stands still, away from this point: bring it to {number(q.expected, q.decimals)} {q.unit}." if away else ""
            rows[name] = {
                "label": live.trace.signal["label"],
                "unit": live.quantity.unit,
                "t": last[0] if last else None,
                "v": last[1] if last else None,
                "text": number(last[1], live.quantity.decimals) if last and not live.trace.lost else "",
                "status": "lost" if live.trace.lost else "away" if away else settle.status,
                "says": gone_words(live, now) or says or self._words(live, settle, seen),
                "mean": settle.mean if settle.status != NO_DATA else None,
                **({"more": live.samples(now - LATEST_S)} if live.trace.is_buffered else {}),
                "limit": live.rule.limit,
                "expected": live.quantity.expected,
                "response": self.response(settle, seen, live.quantity.expected) if name == "indicated" and last else "",
            }
        for name, told in self.faults.items():
            rows[name] = {
                "label": name,
                "unit": "",
                "t": None,
                "v": None,
                "text": "",
                "status": "lost",
                "says": told,
                "mean": None,
                "response": "",
            }
        exposed = self._exposure_lately()
        is_step = self.slot is not None and self._method is not None and self._method.watching.is_step(self.slot)
        if exposed and "indicated" in rows:
            rows["indicated"]["response"] = "" if exposed.kind in ("ok", "waiting") else exposed.kind
        window = max((live.rule.window_s for live in self.quantities.values()), default=0.0)
        return {
            "now": now,
            "seq": self.seq,
            "slot": self.slot.index if self.slot else None,
            "since": self.began,
            "is_marked": self.is_marked,
            "interruptions": [{"t": t, "says": says} for t, says in self.interruptions()],
            "window_s": window,
            "exposure": {**exposure_data(exposed), "is_step": is_step} if exposed else None,
            "course": self._course(now),
            "purged_s": self.purged_s(),
            "purge_limit": self._purge_limit(self.quantities["indicated"])
            if self._step is not None and self._step.variant == "purge" and "indicated" in self.quantities and self._setup
            else None,
            "rows": rows,
        }

    def _course(self, now: float) -> str:
        """What the course of what is read says of its end; fitted anew every few seconds."""
        if self._method is None or self._setup is None or self._step is None or self.slot is None or "indicated" not in self.quantities:
            return ""
        if now - self._told_course[0] >= COURSE_S:
            samples = self.quantities["indicated"].samples(self.began)
            self._told_course = (now, self._method.watching.course(self._setup, self._step, self.slot, samples))
        return self._told_course[1]

    def _is_as_before(self, q: Quantity, settle: Settle) -> bool:
        """Whether what is read still belongs to the slot before."""
        if not q.tells_apart or not self.step_up or self.slot is None:
            return False
        return abs(settle.mean - self.slot.ideal) > abs(settle.mean - (self.slot.ideal - self.step_up))

    def _words(self, live: Live, settle: Settle, seen: Response) -> str:
        if self._is_as_before(live.quantity, settle):
            return (
                f"It reads {settle.mean:.2f} {live.quantity.unit}, like the one before. Go on to this one; if it really reads so, type it."
            )
        if live.frozen_s:
            return frozen_words(live.frozen_s, f"{number(settle.mean, live.quantity.decimals)} {live.quantity.unit}")
        if live.quantity.begins_anew and settle.status != SETTLED:
            return counting_words(live.quantity, seen)
        return settle_words(settle, live.rule, live.quantity.unit)

    def backlog(self) -> dict[str, list[Sample]]:
        """The traces of the last two minutes, so that a reload loses nothing of the picture."""
        with self.lock:
            start = time.time() - BACKLOG_S
            return {name: live.samples(start) for name, live in self.quantities.items()}

    def is_settled(self) -> bool:
        """Whether there is something live and all of it has settled."""
        with self.lock:
            states = [(self.judge(n)[0].status, live.trace.lost) for n, live in self.quantities.items()]
            return bool(states) and all(s == SETTLED and not lost for s, lost in states)

    def capture_condition(self) -> tuple[str, dict[str, Any]]:
        """The reading of a condition step as text, with its statistics; raises a Fault while there is none."""
        with self.lock:
            if not self.quantities:
                raise Fault("nothing_live", "No source is live at this step: choose one, or type the value.", field="indicated")
            name, live = next(iter(self.quantities.items()))
            if live.trace.lost:
                raise Fault("source_lost", f"{live.trace.lost} Type the value, or take it when the source is back.", field=name)
            last = live.seen_since(self.began).last
            if last is None:
                raise Fault("not_settled", "No samples yet.", field=name)
            value = last[1]
            told = {"last": value, "label": live.trace.signal["label"], "unit": live.quantity.unit, "purged_s": self.purged_s()}
            return number(value, max(live.quantity.decimals, 2)), told

    def capture(self) -> dict[str, dict[str, Any]]:
        """Mean and statistics of every live quantity; raises a Fault while one is lost or has not settled."""
        with self.lock:
            out = {}
            exposed = self.exposure()
            is_over = exposed is not None and exposed.kind in (NO_RESPONSE, UNSTABLE)
            for code in REFUSED:
                if exposed and exposed.has(code):
                    raise Fault(code.replace("-", "_"), dict(exposed.remarks)[code] + " Nothing was captured.", field="indicated")
            for name, live in self.quantities.items():
                if live.trace.lost:
                    told = f"{live.trace.lost} Nothing was captured and nothing is lost: type the reading, or capture when it is back."
                    raise Fault("source_lost", told, field=name)
                settle, seen = self.judge(name)
                if settle.status != SETTLED and not (is_over and settle.status == UNSTABLE) and name not in ("ma", "status"):
                    words = self._words(live, settle, seen)
                    raise Fault("not_settled", f"{live.quantity.label} is not captured. {words}", field=name, status=settle.status)
                told_all = {k: v for k, v in asdict(settle).items() if k not in ("status", "waited_s")}
                out[name] = {
                    **told_all,
                    "label": live.trace.signal["label"],
                    "unit": live.quantity.unit,
                    "limit": live.rule.limit,
                    "text": number(settle.mean, max(live.quantity.decimals, 3) if live.quantity.decimals else 0),
                    **({"response": self.response(settle, seen, live.quantity.expected)} if name == "indicated" else {}),
                }
            if exposed and "indicated" in out:
                out["indicated"] |= {"response": exposed.kind, "overshoot_percent": exposed.overshoot_percent}
                out["indicated"]["alarms"] = self._alarms()
                anew = [says for _, says in self.interruptions()]
                out["indicated"] |= {"interrupted": anew} if anew else {}
                out["indicated"]["remarks"] = [*anew, *(says for _, says in exposed.remarks), *self._inhibit_remarks()]
            return out

    def _alarms(self) -> dict[str, str]:
        """At which reading each alarm came, by the detector's own status word, whose bits are in the order of the register."""
        status, shown = self.quantities.get("status"), self.quantities.get("indicated")
        if status is None or shown is None or self._setup is None:
            return {}
        alarms = alarms_of(self._setup)
        start = self.since - BEFORE_S  # what was on before gas came did not come with it
        seen = alarms_seen(shown.samples(start), status.samples(start), first_bit=ALARM_BIT, set_points=[a.set_point for a in alarms])
        return {alarms[n].name: number(value, shown.quantity.decimals) for n, value in seen.items()}

    def _inhibit_remarks(self) -> list[str]:
        """What the current at the control system gave away during the exposure."""
        live = self.quantities.get("ma")
        if live is None or self._setup is None:
            return []
        inhibit = inhibit_of(self._setup)
        dropped = inhibit_dropped(live.samples(self.since), inhibit_ma=inhibit, band_ma=self._setup.policy.inhibit_band_ma)
        told = (
            f"The inhibit dropped during the exposure: {dropped:.2f} mA at the control system. The alarm may have tripped."
            if dropped
            else ""
        )
        return [told] if told else []


def exposure_data(seen: Exposure) -> dict[str, Any]:
    """An exposure for the page."""
    return {
        "kind": seen.kind,
        "plateau": seen.plateau,
        "peak": seen.peak,
        "t90_s": seen.t90_s,
        "percent": 100 * seen.fraction,
        "remarks": [says for _, says in seen.remarks],
    }
