"""The engine of an auto-capture: sets each lane's stimulus, waits until all stands still, soaks, captures, goes on."""

from __future__ import annotations

import threading
import time
import uuid
from dataclasses import dataclass, field
from typing import Any

from django.db import close_old_connections, connection
from django.utils import timezone

from apps.bench.capture import capture_reading, live_of
from apps.bench.hub import HUB
from apps.bench.lease import LEASE
from apps.bench.live import RunLive
from apps.bench.models import DONE, RUNNING, STOPPED, AutoCapture
from apps.bench.selectors import find_signal
from apps.bench.sources.base import SourceFault
from apps.bench.stimulus import give_back, shut
from config.failures import Missing, NotAllowed
from metrology.faults import Fault
from metrology.judgement.settling import UNSTABLE
from metrology.methods.registry import get_method
from metrology.methods.slots import Quantity
from metrology.quantities.units import convert

TICK_S = 0.2
OVERSHOOT = 0.02  # of span, at the top, so that the way down starts from above
LOST_LIMIT_S = 300.0
SET_TRIES = 10
ASK_AGAIN_S = 2.0


class LaneStopped(Exception):
    """A lane can't go on; the message says why."""


@dataclass
class Lane:
    """One stimulus with the runs it feeds."""

    stimulus: str
    runs: list[uuid.UUID]
    target: float | None = None
    slot_key: tuple[str, int] | None = None
    is_over: bool = False
    says: str = "Starting."
    passing: float | None = None  # where it goes first, beyond the point
    settled_at: float | None = None
    label: str = ""
    unit: str = ""
    steps: dict[uuid.UUID, str] = field(default_factory=dict)
    given: str = ""  # how what it drove was given back, once it was
    was_lost: bool = False  # the source was away: it may have started anew, without its set point
    ask_again_at: float = 0.0  # when a capture that had to wait is tried again

    def tick(self, engine: Engine) -> None:
        """One look: set, wait, soak or capture."""
        lives = {run_id: engine.live(run_id) for run_id in self.runs}
        lost = next((live.lost_hold for live in lives.values() if live.lost_hold), "")
        if lost:
            self.target, self.given = None, give_back(self.stimulus)  # whoever drove it: nobody may without a hold
            raise LaneStopped(lost)
        for run_id, live in lives.items():
            self.steps.setdefault(run_id, live.step)
        active = {r: v for r, v in lives.items() if v.slot is not None and v.step == self.steps[r] and "applied" in v.quantities}
        reading = [v for r, v in lives.items() if v.slot is not None and v.step == self.steps[r]]
        if len(active) < len(reading):
            raise LaneStopped("A source was changed to typed by hand. What was captured is kept; choose the sources and start again.")
        if not active:
            self.is_over, self.says = True, "All points are taken."
            return
        first = (
            min(active.values(), key=lambda v: v.quantities["applied"].quantity.expected)
            if len(active) > 1
            else next(iter(active.values()))
        )
        if first.slot is None:
            return
        if "indicated" not in first.quantities:
            self.is_over, self.says = True, f"What can be read live is taken; {first.slot.channel or 'the rest'} is next and is typed."
            return
        if first.stimulus and first.stimulus != self.stimulus:
            self._turn_to(first.stimulus)
        wanted = first.quantities["applied"].quantity
        here = {
            r: v
            for r, v in active.items()
            if abs(v.quantities["applied"].quantity.expected - wanted.expected) < 1e-6 * max(1.0, wanted.span)
        }
        key = (f"{len(here)} {first.step}", first.slot.index)
        if self.target is None or abs(self.target - wanted.expected) > 1e-9 or key != self.slot_key:
            self._head_for(first, wanted, key, here)
            return
        if self.passing is not None:
            self._pass(first, wanted, here)
            return
        self._wait(here, wanted, engine)

    def _turn_to(self, stimulus: str) -> None:
        """Another channel is next, with a stimulus of its own: what stood at the one before is shut where that can be done."""
        try:
            shut(self.stimulus)
        except SourceFault as fault:
            raise LaneStopped(f"{fault.message} What was captured is kept.") from fault
        self.stimulus, self.target = stimulus, None

    def rest(self) -> str:
        """What was driven is given back, once; as a sentence."""
        if self.target is not None:
            self.target, self.given = None, give_back(self.stimulus)
        return self.given

    def _set(self, value: float, unit: str) -> None:
        device, signal = find_signal(self.stimulus)
        self.label, self.unit = device.label, unit
        for attempt in range(SET_TRIES):
            try:
                HUB.poller(device).write(signal, convert(value, unit, to_unit=signal["unit"]))
                return
            except SourceFault as fault:
                # A device that was slow once is asked again; one that refuses is not.
                if fault.code == "refused" or attempt == SET_TRIES - 1:
                    raise LaneStopped(f"{fault.message} What was captured is kept.") from fault
                time.sleep(1.0)

    def _head_for(self, live: RunLive, q: Quantity, key: tuple[str, int], here: dict[uuid.UUID, RunLive]) -> None:
        same_value = self.target is not None and abs(self.target - q.expected) < 1e-9 and not q.begins_anew
        turns_round = same_value and live.slot is not None and live.slot.direction == "down" and len(here) == 1
        self.target, self.slot_key, self.settled_at = q.expected, key, None
        self.passing = q.expected + OVERSHOOT * q.span if turns_round else None
        if self.passing is not None or not same_value:
            self._set(self.passing if self.passing is not None else q.expected, q.unit)
            for each in here.values():
                each.mark(told=True)
        self.says = f"{self.label} heads for {q.expected:.5g} {q.unit}."

    def _pass(self, live: RunLive, q: Quantity, here: dict[uuid.UUID, RunLive]) -> None:
        """Above the top, then back down to it."""
        settle, seen = live.judge("applied")
        if seen.last and self.passing is not None and abs(seen.last[1] - self.passing) < 0.25 * OVERSHOOT * q.span:
            self.passing = None
            self._set(q.expected, q.unit)
            for each in here.values():
                each.mark()
        elif settle.status == UNSTABLE:
            raise LaneStopped(f"{self.label} does not pass the top. Check the stimulus.")
        self.says = f"{self.label} goes a little above {q.expected:.5g} {q.unit} and comes back."

    def _wait(self, here: dict[uuid.UUID, RunLive], q: Quantity, engine: Engine) -> None:
        for live in here.values():
            self._require_present(live)
        self._set_again(here, q)
        if not all(live.is_settled() for live in here.values()):
            self._require_hope(here, q)
            self.settled_at = None
            doing = "runs the test over" if q.begins_anew else "at"
            still = "" if q.begins_anew else ": waiting until all stands still"
            self.says = f"{self.label} {doing} {q.expected:.5g} {q.unit}{still}."
            return
        at = [live.judge("applied")[0].mean for live in here.values()]
        if any(not q.low <= mean <= q.high for mean in at):
            self._require_hope(here, q, mean=at[0])
            self.says = f"{self.label} stands at {at[0]:.5g} {q.unit} and heads for {q.expected:.5g} {q.unit}."
            return
        now = time.time()
        self.settled_at = self.settled_at or now
        dwell = max(engine.dwell_s(r) for r in here)
        if now - self.settled_at < dwell:
            self.says = f"{self.label} at {q.expected:.5g} {q.unit}: soaking, {dwell - (now - self.settled_at):.0f} s to go."
            return
        if now < self.ask_again_at:
            return
        waits = [told for told in (engine.capture(run_id) for run_id in here) if told]
        if waits:
            self.says, self.ask_again_at = waits[0], now + ASK_AGAIN_S

    def _set_again(self, here: dict[uuid.UUID, RunLive], q: Quantity) -> None:
        """A source that was away and answers again gets its set point once more."""
        if any(live.quantities["applied"].trace.lost for live in here.values()):
            self.was_lost = True
        elif self.was_lost:
            self.was_lost = False
            self._set(q.expected, q.unit)
            for live in here.values():
                live.mark()

    def _require_present(self, live: RunLive) -> None:
        for each in live.quantities.values():
            if each.trace.lost and time.time() - each.trace.lost_at > LOST_LIMIT_S:
                raise LaneStopped(f"{each.trace.lost} It stayed away for {LOST_LIMIT_S / 60:.0f} min; what was captured is kept.")

    def _require_hope(self, here: dict[uuid.UUID, RunLive], q: Quantity, mean: float | None = None) -> None:
        """Give up at the time limit, saying what never came."""
        for live in here.values():
            for name, each in live.quantities.items():
                if each.trace.lost:
                    return
                settle, _ = live.judge(name)
                late = settle.waited_s > each.rule.time_limit_s
                if late and mean is not None:
                    told = f"{self.label} never reached {q.expected:.5g} {q.unit}: {mean:.5g} {q.unit} after {settle.waited_s:.0f} s."
                    raise LaneStopped(f"{told} What was captured is kept.")
                if late and settle.status == UNSTABLE:
                    raise LaneStopped(
                        f"{each.quantity.label} did not settle at {q.expected:.5g} {q.unit} in {settle.waited_s:.0f} s: unstable."
                    )


class Engine(threading.Thread):
    """Runs the lanes of one auto-capture until all are over or one can't go on."""

    def __init__(self, auto_id: uuid.UUID, lanes: list[Lane]) -> None:
        super().__init__(name=f"auto {auto_id}", daemon=True)
        self.auto_id, self.lanes = auto_id, lanes
        self._ended = threading.Event()
        self.gives_back, self._given_back = False, ""
        self._lives: dict[uuid.UUID, RunLive] = {}
        self._dwell: dict[uuid.UUID, float] = {}
        self._told: list[dict[str, Any]] = []
        self._told_at = 0.0

    def stop(self, *, gives_back: bool = False) -> str:
        """End soon; the thread is waited for. gives_back: what was driven goes back to rest, told as a sentence; not where it is to go on later."""
        self.gives_back = gives_back
        self._ended.set()
        if threading.current_thread() is not self:
            self.join(5)
        return self._given_back

    def live(self, run_id: uuid.UUID) -> RunLive:
        """The live side of a run, kept wanted while the engine runs."""
        found = self._lives.get(run_id)
        if found is None:
            found, state = live_of(run_id)
            self._dwell[run_id] = get_method(state.setup.method).watching.dwell_s(state.setup)
            self._lives[run_id] = found
        for each in found.quantities.values():
            each.trace.wanted_at = time.time()
        return found

    def dwell_s(self, run_id: uuid.UUID) -> float:
        """Soak of a run's sensor, s."""
        return self._dwell[run_id]

    def capture(self, run_id: uuid.UUID) -> str:
        """Capture one reading as the one who started it; what it still waits for, when that comes by itself."""
        auto = AutoCapture.objects.select_related("started_by").get(pk=self.auto_id)
        try:
            capture_reading(actor=auto.started_by, run_id=run_id, typed={}, now=timezone.now())
        except Fault as fault:
            if fault.code == "warming_up":
                return f"Settled, and waiting: {fault.context['left']} of the warm-up to go. It goes on by itself then."
            if fault.code not in ("not_settled", "source_lost", "wrong_slot"):
                raise LaneStopped(fault.message) from fault
        return ""

    def run(self) -> None:
        """Look at the lanes until they are over."""
        try:
            while not self._ended.wait(TICK_S):
                for lane in self.lanes:
                    if not lane.is_over:
                        lane.tick(self)
                        if lane.is_over:
                            lane.says += lane.rest()
                self._tell()
                if all(lane.is_over for lane in self.lanes):
                    self._finish(DONE, f"Finished: all points are taken.{self._all_rest()}")
                    return
            if self.gives_back:
                self._given_back = self._all_rest()
        except LaneStopped as stopped:
            self._finish(STOPPED, f"{stopped}{self._all_rest()}")
        except (Fault, Missing, NotAllowed) as fault:
            self._finish(STOPPED, f"{fault.message}{self._all_rest()}")
        except Exception as error:  # whatever it was, it must be told on the page and not die unseen
            self._finish(STOPPED, f"Stopped by a fault of the server: {error}. What was captured is kept.{self._all_rest()}")
            raise
        finally:
            close_old_connections()
            connection.close()

    def _all_rest(self) -> str:
        """Every lane that drives something gives it back."""
        return "".join(lane.rest() for lane in self.lanes)

    def _tell(self) -> None:
        rows = [{"label": lane.label, "says": lane.says, "is_over": lane.is_over} for lane in self.lanes]
        if rows != self._told and time.time() - self._told_at > 0.5:
            self._told, self._told_at = rows, time.time()
            AutoCapture.objects.filter(pk=self.auto_id).update(progress=rows, says=next((r["says"] for r in rows if not r["is_over"]), ""))

    def _finish(self, status: str, says: str) -> None:
        if not LEASE.is_here:  # whoever holds the bench now goes on with it
            return
        rows = [{"label": lane.label, "says": lane.says, "is_over": lane.is_over} for lane in self.lanes]
        AutoCapture.objects.filter(pk=self.auto_id, status=RUNNING).update(
            status=status, says=says[:400], progress=rows, ended_at=timezone.now()
        )
