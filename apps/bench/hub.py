"""The live side of this server: pollers by device, live runs by id. One in a process, made when it is first needed."""

from __future__ import annotations

import threading

from apps.bench.lease import LEASE
from apps.bench.live import RunLive
from apps.bench.models import Device
from apps.bench.poller import Poller, Trace
from apps.bench.selectors import find_signal
from apps.bench.sources.base import SourceFault
from metrology.methods.method import Method
from metrology.run.state import RunState

KEEP_RUNS = 100


class Hub:
    """Pollers and live runs, shared by every watcher."""

    def __init__(self) -> None:
        self._lock = threading.RLock()
        self._pollers: dict[str, Poller] = {}
        self._runs: dict[str, RunLive] = {}

    def poller(self, device: Device) -> Poller:
        """The poller of a device; a new one when its address has changed. Raises a SourceFault where another process reads the devices."""
        if not LEASE.is_here:
            raise SourceFault("The devices are read by another process of the server.", code="elsewhere")
        with self._lock:
            key = (device.protocol, device.host, device.port, device.timeout_s)
            found = self._pollers.get(device.code)
            if found is None or found.key != key:
                if found:
                    found.stop()
                found = Poller(protocol=device.protocol, host=device.host, port=device.port, timeout_s=device.timeout_s)
                self._pollers[device.code] = found
            return found

    def trace(self, signal_id: str) -> Trace:
        """The trace of a signal, being read from now on."""
        device, signal = find_signal(signal_id)
        return self.poller(device).trace(signal)

    def run(self, run_id: str, state: RunState, method: Method) -> RunLive:
        """The live side of a run, refreshed to its state."""
        with self._lock:
            live = self._runs.get(run_id)
            if live is None:
                live = self._runs[run_id] = RunLive(run_id, self.trace)
                while len(self._runs) > KEEP_RUNS:
                    del self._runs[next(iter(self._runs))]  # made anew when somebody looks again
        if live.seq != state.seq:
            live.refresh(state, method)
        return live

    def moved_on(self, run_id: str, state: RunState, method: Method) -> None:
        """A run was appended to; its live side, if it has one, follows."""
        live = self._runs.get(run_id)
        if live is not None:
            live.refresh(state, method)

    def silent(self) -> dict[str, float]:
        """Devices that somebody wants to read and that do not answer, each with the time since when."""
        with self._lock:
            found = {code: poller.silent_since() for code, poller in self._pollers.items()}
        return {code: since for code, since in found.items() if since is not None}

    def stop(self) -> None:
        """End every poller and forget every run."""
        with self._lock:
            for poller in self._pollers.values():
                poller.stop()
            self._pollers.clear()
            self._runs.clear()


HUB = Hub()
