"""Plays a run with the core that is on the path, today's or that of an older commit: only what all of them have is used."""

from __future__ import annotations

import importlib
import uuid
from collections.abc import Callable, Mapping, Sequence
from datetime import UTC, datetime, timedelta
from typing import Any

from metrology import CORE_VERSION
from metrology.methods.registry import get_method
from metrology.methods.setup import InstrumentSetup, RunSetup, setup_payload
from metrology.quantities.transfer import Transfer
from metrology.run.events import GENESIS, Event, link, moment_text
from metrology.run.progress import make_progress
from metrology.run.rules import admit
from metrology.run.view import make_view

START = datetime(2026, 11, 2, 8, 0, tzinfo=UTC)
PEOPLE = {"ines": "Ines Calder", "tomas": "Tomas Wick", "marta": "Marta Flood"}
PLAIN = {
    "operator": "Control room", "temperature": "21.5", "humidity": "55", "exposed_to": "none", "condition": "clean", "ma": "3.0", "purged": "0.5",
    "reading": "0.2", "latches": "none", "pressure_kpa": "99.2", "windows": "clean", "obscuration": "4", "flow_alarm": "4",
    "battery": "full", "work": "Cleaned and freed", "why": "set for the last bottle", "sensor_serial": "SN-1",
    "reading:A": "0.2", "reading:B": "0.1", "reading:LEL": "0.0", "reading:O2": "20.9", "reminder": "reset", "how": "dock", "signals": "all",
}  # fmt: skip


def optional(module: str, name: str) -> Any:
    """Something that older cores may not have."""
    try:
        return getattr(importlib.import_module(module), name)
    except (ImportError, AttributeError):
        return None


def _of_folding(name: str) -> Any:
    return optional("metrology.run.folding", name) or optional("metrology.run.state", name)  # where it was before


apply, fold = _of_folding("apply"), _of_folding("fold")


def instrument(details: Mapping[str, Any] | None = None, **given: Any) -> Callable[[str], InstrumentSetup]:
    """A 0-400 kPa transmitter with 0.5 % of span, or one changed, for whatever method it is run by."""
    return lambda method: _instrument(method, details, given)


def _instrument(method: str, details: Mapping[str, Any] | None, given: Mapping[str, Any]) -> InstrumentSetup:
    tolerance, term = optional("metrology.judgement.tolerance", "Tolerance"), optional("metrology.judgement.tolerance", "Term")
    data = {
        "tag": "PT-2101", "serial": "MB-48213", "service": "RO feed pressure", "area": "RO hall", "unit": "kPa", "lrv": 0.0, "urv": 400.0,
        "output_lo": 4.0, "output_hi": 20.0, "output_unit": "mA", "transfer": Transfer(), "tolerance": tolerance((term(0.5, "span"),)),
        **given,
    }  # fmt: skip
    if isinstance(data["tolerance"], int | float):
        data["tolerance"] = tolerance((term(float(data["tolerance"]), "span"),))
    if isinstance(data["transfer"], str):
        data["transfer"] = Transfer(data["transfer"])
    if details is not None:
        older = optional("metrology.methods.details", "details_from")
        data["details"] = older(details) if older else read_details(method, details)
    return InstrumentSetup(**data)


def read_details(method: str, details: Mapping[str, Any]) -> Any:
    """The details in the method's own settings."""
    settings = optional("metrology.methods.registry", "settings_of")(method)
    return optional("metrology.methods.settings", "read_settings")(settings, details)


class Player:
    """A run being played, by the revision that is named or, where none is, by whichever core is on the path.

    Each call adds events a minute apart, admitted by the rules as the server does it."""

    def __init__(self, method: str, revision: str, *, policy: Mapping[str, Any] | None = None, **setup: Any) -> None:
        if policy:
            setup["policy"] = optional("metrology.judgement.policy", "resolve_policy")(policy)
        self.method = get_method(method)
        revision = revision or self.method.revision
        if self.method.revision != revision:
            raise AssertionError(f"{method} is at revision {self.method.revision}, not {revision}")
        setup["instrument"] = setup["instrument"](method)
        chosen = RunSetup(method, revision, **setup)
        self.run_id = uuid.uuid5(uuid.NAMESPACE_URL, f"{method}/{revision}/{chosen.instrument.tag}/{chosen.cycles}")
        self.now, self.by, self.refs, self.gases, self.items = START, "ines", {}, {}, {}
        self.events = [Event(1, self._id(1), "run_started", setup_payload(chosen), "ines", PEOPLE["ines"], self.now)]
        self.state = fold(self.events)

    def _id(self, n: int) -> str:
        return str(uuid.uuid5(self.run_id, str(n)))

    def do(self, event_type: str, /, after_min: float = 1.0, **payload: Any) -> Event:
        """One event; a Fault when the rules refuse it."""
        self.now += timedelta(minutes=after_min)
        full = admit(self.state, self.method, event_type, payload=payload, now=self.now)
        n = len(self.events) + 1
        event = Event(n, self._id(n), event_type, full, self.by, PEOPLE[self.by], self.now)
        self.events.append(event)
        apply(self.state, event)
        return event

    @property
    def step(self) -> Any:
        """The current step."""
        return make_progress(self.state, self.method).current

    @property
    def view(self) -> Mapping[str, Any]:
        """What the screen shows now."""
        return make_view(self.state, self.method, self.now)

    def forward(self, stop: str = "", **values: Any) -> Player:
        """Confirm step after step until something is decided, read, turned or compared, or the step of that key comes."""
        given = {**PLAIN, **values}
        for _ in range(60):
            step = self.step
            if step is None or step.kind in ("readings", "judge", "adjust", "compare", "sign") or step.key == stop:
                return self
            self._pass(step, given)
        raise AssertionError(f"stuck at {self.step.key}")

    def _pass(self, step: Any, given: Mapping[str, Any]) -> None:
        mine = {
            f.name: f.expected or given.get(f.name, "") for f in step.fields if getattr(f, "kind", "") not in ("reference", "gas", "item")
        }
        if step.kind == "timer":
            self.do("timer_started", step=step.key)
            self.now += timedelta(minutes=step.minutes)
        elif step.kind == "hold":
            kind = "inhibit" if len(step.options) > 1 else step.options[0][0]
            self.do("hold_placed", step=step.key, kind=kind, reason="Calibration", minutes="60")
        elif step.kind == "release" and self.state.open_holds:
            for hold in [h for h in self.state.open_holds if getattr(h, "own", "") == getattr(step, "of", "")]:
                self.do("hold_released", hold=hold.id, values=mine)
        elif step.kind == "count":
            self.do("counted", after_min=0.5, step=step.key, count=self.state.counts.get(step.key, 0) + 1)
        elif step.kind == "clock":
            self.do("timer_started", step=step.key)
            self.do("timer_ended", after_min=0.3, step=step.key)
        elif step.kind == "checkpairs":
            out = {p.key for p in self.state.pairs_out}
            for n, p in enumerate(step.pairs, 41):
                if step.variant != "back" or p.key in out:
                    wire = {"terminal": str(n)} if getattr(p, "has_terminal", False) else {}
                    self.do("pair_moved", step=step.key, pair=p.key, to="back" if step.variant == "back" else "out", **wire)
            self.do("step_confirmed", step=step.key)
        else:
            if step.key == "references":
                for role, (ref, reason) in self.refs.items():
                    self.do("reference_assigned", role=role, reference=ref, reason=reason)
            for f in step.fields:
                if getattr(f, "kind", "") == "gas" and f.name not in self.state.gases:
                    self.do("gas_assigned", role=f.name, **self.gases[f.name])
            for f in step.fields:
                if getattr(f, "kind", "") == "item" and f.name not in self.state.items:
                    self.do("standard_assigned", role=f.name, item=self.items[f.name], reason="")
            if step.key.startswith(("coefficients", "accept")):
                mine = {f["name"]: f["suggested"] for f in self.view["step"]["fields"]}
            sure = {"confirmed": given["confirmed"]} if given.get("confirmed") in mine else {}
            self.do("step_confirmed", step=step.key, values={**mine, **sure}, checks=[c.key for c in step.checks])

    def take(self, told: Callable[[Mapping[str, Any]], str | Mapping[str, Any]] | Sequence[Any]) -> Player:
        """All readings of the current set: from a list of texts or payloads, or from what each slot expects."""
        key, n = self.step.key, 0
        while self.step is not None and self.step.key == key and self.step.kind == "readings":
            slot = self.view["step"]["readings"]["next"]
            given = told(slot) if callable(told) else told[n]
            self.do("reading_taken", step=key, slot=slot["slot"], **(given if isinstance(given, Mapping) else {"indicated": str(given)}))
            n += 1
        return self

    def errors(self, *percent: float, span: float = 16.0) -> Player:
        """Readings off by these shares of `span`, one a slot, the last repeated."""
        made = iter([*percent, *[percent[-1]] * 60])
        return self.take(lambda slot: f"{float(slot['ideal']) + span * next(made) / 100:.4f}")

    def act(self, act: str, words: str, values: Mapping[str, str]) -> Player:
        """Something read from the instrument, or told to it, at the current step."""
        self.do("device_acted", step=self.step.key, act=act, words=words, values=dict(values))
        return self

    def strike(self, slot: int, reason: str) -> Player:
        """Strike the reading of a slot of the current or last set."""
        reading = [r for r in self.state.readings if r.slot == slot and not r.struck_reason][-1]
        self.do("reading_struck", reading=reading.id, reason=reason)
        return self

    def decide(self, choice: str, reason: str = "seen and agreed") -> Player:
        """Choose at the judge step."""
        self.do("decision_made", step=self.step.key, choice=choice, reason=reason)
        return self

    def turn(self, *looks: tuple[str, str, str], **more: Any) -> Player:
        """(screw, before, after) one after the other, then the end of adjusting."""
        key = self.step.key
        for screw, before, after in looks:
            if self.view["step"]["adjust"]["is_converged"]:
                break
            self.do("adjustment_made", step=key, screw=screw, before=before, after=after, **more)
        self.do("step_confirmed", step=key, reason="the ends are as near as they come")
        return self

    def sign(self, note: str = "") -> Player:
        """Go on to the end and sign."""
        self.do("signed", note=note)
        return self

    def countersign(self, by: str, capacity: str, note: str = "") -> Player:
        """Somebody else's name under it."""
        self.by = by
        self.do("countersigned", capacity=capacity, note=note)
        return self

    def review(self, by: str = "marta") -> Player:
        """Accepted by somebody else."""
        self.by = by
        self.do("reviewed", note="Read in full")
        return self

    def send_back(self, reason: str) -> Player:
        """Returned by the reviewer; the technician goes on."""
        self.by = "marta"
        self.do("returned", reason=reason)
        self.by = "ines"
        return self

    def export(self, number: int) -> dict[str, Any]:
        """The run as the server exports it."""
        head, rows = GENESIS, []
        for e in self.events:
            made = link(e, run_id=str(self.run_id), previous=head)
            rows.append(
                {
                    "seq": e.seq, "id": e.id, "type": e.type, "payload": e.payload, "author": e.author, "author_name": e.author_name,
                    "at": moment_text(e.at), "device_at": None, "previous": head, "link": made,
                }
            )  # fmt: skip
            head = made
        return {
            "format": "verify-loop-run", "version": 1, "core": CORE_VERSION, "run": str(self.run_id), "number": f"VL-{number:06d}",
            "method": self.state.setup.method, "revision": self.state.setup.revision, "head": head, "events": rows,
        }  # fmt: skip
