"""One thread a device: it reads the signals that somebody wants, ten times a second, and keeps their traces."""

from __future__ import annotations

import math
import threading
import time
from collections import deque
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from itertools import takewhile
from typing import Any

from apps.bench.sources.base import OUT_OF_STEP, ReadingSource, SourceFault
from apps.bench.sources.protocols import PROTOCOLS

PERIOD_S = 0.1
RETRY_S = 1.0
CLOCK_OFF_S = 2.0  # further apart from ours than it was, a clock has been set anew
KEEP_SAMPLES = 12_000  # ten minutes of a fast one
FORGET_S = 600.0
DOUBTED_S = 1.0


class Trace:
    """The samples of one signal, newest last, and what is wrong with it now."""

    def __init__(self, signal: Mapping[str, Any]) -> None:
        self.signal = dict(signal)
        self.samples: deque[tuple[float, float]] = deque(maxlen=KEEP_SAMPLES)
        self.lost = ""
        self.lost_at = 0.0
        self.is_silent = False  # nothing believable comes of it because nothing comes
        self.wanted_at = time.time()
        self.doubted = 0  # how often samples were taken back
        self.is_buffered = isinstance(signal["read"], Mapping) and bool(signal["read"].get("buffer"))
        self._clock: tuple[float, float] | None = None  # ours less its own, and where it stood last

    def take(self, now: float, latest: Sequence[tuple[float, float]]) -> None:
        """What a device kept since it was asked last, each sample at its own time, so that one asked late leaves no hole.

        Its clock is set against ours once, and again when it has begun anew.
        """
        newest = latest[-1][0]
        behind, taken = self._clock or (now - newest, -math.inf)
        if newest < taken:  # it has begun anew: what stands before its first sample is of its old time
            behind, taken, latest = now - newest, -math.inf, latest[-1:]
        elif abs(now - newest - behind) > CLOCK_OFF_S:
            behind = now - newest
        for clock, value in latest:
            if clock > taken and (not self.samples or behind + clock > self.samples[-1][0]):
                self.samples.append((behind + clock, value))
        self._clock = (behind, newest)

    def since(self, at: float) -> list[tuple[float, float]]:
        """Samples from a time on; it costs what they are many, not what there is."""
        while True:
            with suppress(RuntimeError):  # one came in while it was looked through
                return [*takewhile(lambda sample: sample[0] >= at, reversed(self.samples))][::-1]

    def doubt(self, at: float) -> None:
        """Take back what came from a time on."""
        while self.samples and self.samples[-1][0] > at:
            self.samples.pop()
        self.doubted += 1


class Poller:
    """Reads one device. Values and complaints go to the traces; nothing raises."""

    def __init__(self, *, protocol: str, host: str, port: int, timeout_s: float) -> None:
        self.key = (protocol, host, port, timeout_s)
        self._source: ReadingSource = PROTOCOLS[protocol](host, port, timeout_s=timeout_s)
        self._traces: dict[str, Trace] = {}
        self._lock = threading.Lock()  # one conversation with the device at a time
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None

    def trace(self, signal: Mapping[str, Any]) -> Trace:
        """The trace of a signal; asking for it keeps it being read."""
        found = self._traces.get(signal["key"])
        if found is None or found.signal != dict(signal):
            found = self._traces[signal["key"]] = Trace(signal)
        found.wanted_at = time.time()
        if self._thread is None or not self._thread.is_alive():
            self._stop.clear()
            self._thread = threading.Thread(target=self._poll, name=f"poll {self.key[1]}:{self.key[2]}", daemon=True)
            self._thread.start()
        return found

    def silent_since(self) -> float | None:
        """Since when the device answers to nothing that is wanted of it; None where it answers, be it with what can't be believed."""
        wanted = self._wanted()
        silent = [t.lost_at for t in wanted if t.is_silent]
        return max(silent) if wanted and len(silent) == len(wanted) else None

    def _wanted(self) -> list[Trace]:
        """What somebody has asked for lately."""
        now = time.time()
        return [t for t in list(self._traces.values()) if now - t.wanted_at < FORGET_S]

    def write(self, signal: Mapping[str, Any], value: float) -> None:
        """Set a stimulus; raises a SourceFault."""
        with self._talking():
            self._source.write(signal, value)

    def read_once(self, signal: Mapping[str, Any]) -> float:
        """What a signal reads now, asked for by itself; raises a SourceFault."""
        with self._talking():
            value = self._source.read(signal)
            self._source.confirm(signal)
            return value

    @contextmanager
    def _talking(self) -> Iterator[None]:
        """A conversation with the device; where it was out of step, what was read last may have been the answer to another question, and goes."""
        with self._lock:
            try:
                yield
            except SourceFault as fault:
                if fault.code == OUT_OF_STEP:
                    since = time.time() - DOUBTED_S
                    for trace in self._traces.values():
                        trace.doubt(since)
                raise

    def stop(self) -> None:
        """End the thread and let the device go."""
        self._stop.set()
        if self._thread:
            self._thread.join(3)

    def _poll(self) -> None:
        due = time.monotonic()
        while not self._stop.is_set():
            wanted = self._wanted()
            if not wanted:
                break
            good = True
            for trace in wanted:
                good = self._read(trace) and good
            due = max(due + PERIOD_S, time.monotonic() - PERIOD_S)
            self._stop.wait(max(0.01, due - time.monotonic()) if good else RETRY_S)
        with self._lock:
            self._source.close()

    def _read(self, trace: Trace) -> bool:
        try:
            with self._talking():
                latest = self._source.read_latest(trace.signal) if trace.is_buffered else []
                value = latest[-1][1] if latest else self._source.read(trace.signal)
        except SourceFault as fault:
            return self._lose(trace, fault.message, answered=fault.code in ("open_circuit", "absurd", "exception"))
        except Exception as error:  # a source must never take the poller down
            return self._lose(trace, f"{trace.signal['label']} can't be read: {error}.", answered=False)
        if latest:
            trace.take(time.time(), latest)
        else:
            trace.samples.append((time.time(), value))
        trace.lost, trace.is_silent = "", False
        return True

    @staticmethod
    def _lose(trace: Trace, says: str, *, answered: bool) -> bool:
        """Nothing believable came; whether the device answered."""
        if not trace.lost:
            trace.lost_at = time.time()
        trace.lost, trace.is_silent = says, not answered
        return answered
