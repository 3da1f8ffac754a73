"""What a live run shows and captures: each live quantity's trace in the run's own unit, judged for settling."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import asdict, dataclass
from typing import Any

from apps.bench.poller import Trace
from metrology.faults import Fault
from metrology.judgement.settling import NO_DATA, SETTLED, Settle, SettleRule, classify_response, judge_settling, settle_words
from metrology.methods.base import Method, Quantity, Slot
from metrology.quantities.units import convert
from metrology.quantities.words import number
from metrology.run.progress import current_slot, make_progress
from metrology.run.state import RunState, source_key

BACKLOG_S = 120.0
ACCEPTANCE = 0.25  # of span: further off, it is not an error to be adjusted
Sample = tuple[float, float]


@dataclass
class Live:
    """One quantity read live at the present slot."""

    quantity: Quantity
    trace: Trace
    rule: SettleRule
    settled_at: float | None = None

    def samples(self, since: float) -> list[Sample]:
        """Samples from a time on, in the quantity's unit."""
        own, unit = self.trace.signal["unit"], self.quantity.unit
        rows = self.trace.since(since)
        return rows if own == unit else [(t, convert(v, own, to_unit=unit)) for t, v in rows]


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
        self.faults: dict[str, str] = {}
        self._frame: tuple[float, dict[str, Any]] = (0.0, {})

    def refresh(self, state: RunState, method: Method) -> None:
        """Take in the state: which slot is next, which quantities are live, and by which rule they settle."""
        with self.lock:
            step = make_progress(state, method).current
            is_reading = step is not None and step.kind == "readings"
            slot = current_slot(state, method, step.key) if step and is_reading else None
            moved = (step.key if step else "", slot.index if slot else -1) != (self.step, self.slot.index if self.slot else -1)
            before = {n: live.trace for n, live in self.quantities.items()}
            self.seq, self.step, self.slot = state.seq, step.key if step else "", slot
            self.quantities, self.faults = self._wanted(state, method, slot)
            if slot:
                plan = method.plan(state.setup, self.step)
                self.step_up = slot.ideal - plan[slot.index - 1].ideal if slot.index else 0.0
                indicated = next(q for q in method.quantities(state.setup, slot) if q.name == "indicated")
                self.acceptance = ACCEPTANCE * indicated.span
            if moved or before != {n: live.trace for n, live in self.quantities.items()}:
                self.mark()

    def _wanted(self, state: RunState, method: Method, slot: Slot | None) -> tuple[dict[str, Live], dict[str, str]]:
        found: dict[str, Live] = {}
        faults: dict[str, str] = {}
        if slot is None:
            return found, faults
        p = state.setup.policy
        for q in method.quantities(state.setup, slot):
            source = state.sources.get(source_key(q.name, slot.channel))
            if source is None:
                continue
            limit = p.settle_percent / 100 * method.tolerance_at(state.setup, slot) / 100 * q.span
            rule = SettleRule(p.settle_window_s, limit, p.settle_limit_s * method.patience)
            try:
                convert(0.0, str(source["unit"]), to_unit=q.unit)
                found[q.name] = Live(q, self._find_trace(str(source["signal"])), rule)
            except Fault as fault:
                faults[q.name] = f"{source['label']} can't stand for {q.label.lower()}: {fault.message}"
        return found, faults

    def mark(self) -> None:
        """The stimulus changed now: settling is judged from here."""
        with self.lock:
            self.since = time.time()
            for live in self.quantities.values():
                live.settled_at = None

    def judge(self, name: str) -> tuple[Settle, list[Sample]]:
        """How a quantity stands, with the samples it was judged by."""
        live = self.quantities[name]
        samples = live.samples(self.since)
        settle = judge_settling(samples, live.rule, since=self.since, until_settled=live.settled_at)
        if settle.status != SETTLED:
            live.settled_at = None
        elif live.settled_at is None:
            live.settled_at = samples[-1][0]
        return settle, samples

    def response(self, settle: Settle, samples: list[Sample], expected: float) -> str:
        """Class of what the output did after the stimulus."""
        moved = settle.mean - samples[0][1] if samples else 0.0
        is_settled = settle.status == SETTLED
        return classify_response(moved, self.step_up, error=settle.mean - expected, acceptance=self.acceptance, is_settled=is_settled)

    def frame(self) -> dict[str, Any]:
        """What every watcher is shown now; made once for all of them."""
        with self.lock:
            now = time.time()
            if now - self._frame[0] >= 0.08:
                self._frame = (now, self._make_frame(now))
            return self._frame[1]

    def _make_frame(self, now: float) -> dict[str, Any]:
        rows = {}
        for name, live in self.quantities.items():
            live.trace.wanted_at = now
            settle, samples = self.judge(name)
            last = samples[-1] if samples else None
            q = live.quantity
            away = name == "applied" and settle.status == SETTLED and not q.low <= settle.mean <= q.high
            says = f"It stands still, away from this point: bring it to {number(q.expected, q.decimals)} {q.unit}." if away else ""
            rows[name] = {
                "label": live.trace.signal["label"],
                "unit": live.quantity.unit,
                "t": last[0] if last else None,
                "v": last[1] if last else None,
                "text": number(last[1], live.quantity.decimals) if last else "",
                "status": "lost" if live.trace.lost else "away" if away else settle.status,
                "says": live.trace.lost or says or settle_words(settle, live.rule, live.quantity.unit),
                "mean": settle.mean if settle.status != NO_DATA else None,
                "limit": live.rule.limit,
                "expected": live.quantity.expected,
                "response": self.response(settle, samples, live.quantity.expected) if name == "indicated" and samples else "",
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
        window = max((live.rule.window_s for live in self.quantities.values()), default=0.0)
        return {
            "now": now,
            "seq": self.seq,
            "slot": self.slot.index if self.slot else None,
            "since": self.since,
            "window_s": window,
            "rows": rows,
        }

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

    def capture(self) -> dict[str, dict[str, Any]]:
        """Mean and statistics of every live quantity; raises a Fault while one is lost or has not settled."""
        with self.lock:
            out = {}
            for name, live in self.quantities.items():
                if live.trace.lost:
                    told = f"{live.trace.lost} Nothing was captured and nothing is lost: type the reading, or capture when it is back."
                    raise Fault("source_lost", told, field=name)
                settle, samples = self.judge(name)
                if settle.status != SETTLED:
                    words = settle_words(settle, live.rule, live.quantity.unit)
                    raise Fault("not_settled", f"{live.quantity.label} is not captured. {words}", field=name, status=settle.status)
                told_all = {k: v for k, v in asdict(settle).items() if k not in ("status", "waited_s")}
                out[name] = {
                    **told_all,
                    "label": live.trace.signal["label"],
                    "unit": live.quantity.unit,
                    "limit": live.rule.limit,
                    "text": number(settle.mean, max(live.quantity.decimals, 3)),
                    **({"response": self.response(settle, samples, live.quantity.expected)} if name == "indicated" else {}),
                }
            return out
