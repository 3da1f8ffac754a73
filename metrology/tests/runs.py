"""A run played in memory: events admitted by the rules and folded, as the server does it."""

from abc import ABC, abstractmethod
from datetime import UTC, datetime, timedelta

from metrology.judgement.tolerance import Term, Tolerance
from metrology.methods.registry import get_method
from metrology.methods.setup import InstrumentSetup, RunSetup, setup_payload
from metrology.quantities.transfer import Transfer
from metrology.run.events import Event
from metrology.run.fields import CONFIRMED
from metrology.run.folding import apply, fold
from metrology.run.progress import make_progress
from metrology.run.rules import admit
from metrology.run.view import make_view

START = datetime(2026, 11, 2, 8, 0, tzinfo=UTC)
CHECKS = {
    "cautions": ["isolated", "safe", "untouched"],
    "restore": ["test_gear", "valves", "write_lock", "covers", "tidy"],
}


def reference(**changes):
    """A good pressure calibrator, or one changed."""
    return {
        "code": "REF-P1",
        "name": "Pressure calibrator",
        "serial": "S1",
        "unit": "kPa",
        "low": 0.0,
        "high": 1000.0,
        "u_absolute": 0.05,
        "u_percent_reading": 0.0,
        "u_percent_span": 0.0,
        "k": 2.0,
        "resolution": 0.01,
        "certificate": "C-1",
        "laboratory": "Lab",
        "traceability": "SI through a national institute",
        "calibrated_on": "2026-01-10",
        "due_on": "2027-01-10",
        "state": "in service",
        **changes,
    }


def meter(**changes):
    """A good milliammeter, or one changed."""
    return reference(code="REF-I1", name="Loop meter", unit="mA", low=0.0, high=24.0, u_absolute=0.002, resolution=0.001, **changes)


def instrument(**changes):
    """A 0-400 kPa transmitter with 0.5 % of span, or one changed."""
    return InstrumentSetup(
        **{
            "tag": "PT-2101",
            "serial": "MB-48213",
            "service": "RO feed pressure",
            "area": "RO hall",
            "unit": "kPa",
            "lrv": 0.0,
            "urv": 400.0,
            "output_lo": 4.0,
            "output_hi": 20.0,
            "output_unit": "mA",
            "transfer": Transfer(),
            "tolerance": Tolerance((Term(0.5, "span"),)),
            **changes,
        }
    )


class Play:
    """A run being played; `do` adds one event at the current time."""

    def __init__(self, method="tx-multipoint", **setup):
        chosen = RunSetup(method, "1", **{"instrument": instrument(), **setup})
        self.method = get_method(method)
        self.now = START
        self.events = [Event(1, "e1", "run_started", setup_payload(chosen), "ines", "Ines", self.now)]
        self.state = fold(self.events)

    def do(self, event_type, /, **payload):
        self.now += timedelta(minutes=1)
        full = admit(self.state, self.method, event_type, payload=payload, now=self.now)
        n = len(self.events) + 1
        event = Event(n, f"e{n}", event_type, full, "ines", "Ines", self.now)
        self.events.append(event)
        apply(self.state, event)
        return event

    @property
    def current(self):
        step = make_progress(self.state, self.method).current
        return step.key if step else None

    @property
    def view(self):
        return make_view(self.state, self.method, self.now)

    def prepare(self, **hold):
        self.do("step_confirmed", step="identity", values={"tag": "PT-2101", "serial": "MB-48213"})
        self.do("reference_assigned", role="applied", reference=reference())
        self.do("reference_assigned", role="indicated", reference=meter())
        self.do("step_confirmed", step="references")
        self.do("step_confirmed", step="environment", values={"temperature": "21,5"})
        if self.current == "warm_up":
            self.do("timer_started", step="warm_up")
        return self.make_safe(**hold)

    def make_safe(self, kind="inhibit", reason="Calibration"):
        self.do("step_confirmed", step="operator", values={"operator": "Control room"})
        self.do("hold_placed", step="hold", kind=kind, reason=reason, minutes="60")
        self.do("step_confirmed", step="cautions", checks=CHECKS["cautions"])
        return self

    def read(self, step, texts):
        for text in texts:
            self.do("reading_taken", step=step, slot=len(self.state.active_readings(step)), indicated=text)
        return self

    def read_errors(self, step, errors):
        """Readings with the given errors in percent of span, one a slot."""
        plan = self.method.plan(self.state.setup, step)
        return self.read(step, [f"{s.ideal + 0.16 * e:.4f}" for s, e in zip(plan, errors, strict=True)])

    def finish(self):
        self.do("step_confirmed", step="restore", checks=CHECKS["restore"])
        for hold in self.state.open_holds:
            self.do("hold_released", hold=hold.id, values={"reading": "212 kPa", "operator": "Control room"})
        self.do("signed", note="")
        return self


class StepPlay(Play, ABC):
    """A run walked through step by step; `forward` does what asks nothing of the judgement. answers: by the names of fields."""

    answers: dict[str, str] = {}
    prefers_suggested = False

    @abstractmethod
    def standard(self, role, given):
        """What stands for the truth in a role."""

    @property
    def step(self):
        return make_progress(self.state, self.method).current

    def forward(self, *stops, **answers):
        """On to readings, a judgement, the signature, or a step of one of these keys or kinds."""
        given = {**self.answers, **answers}
        stops = {"readings", "judge", "sign", *stops}
        while self.step is not None and stops.isdisjoint((self.step.kind, self.step.key)):
            self.pass_step(given)
        return self

    def pass_step(self, given):
        step = self.step
        if step.kind == "hold":
            self.do("hold_placed", step=step.key, kind=step.options[0][0], reason=given["reason"], minutes="60")
        elif step.kind == "checkpairs":
            out = {k for k, p in self.state.pairs.items() if p.to == "out"}
            back = step.variant == "back"
            for pair in step.pairs:
                if back == (pair.key in out):
                    self.do("pair_moved", step=step.key, pair=pair.key, to="back" if back else "out", terminal=given.get(pair.key, "7"))
            self.do("step_confirmed", step=step.key)
        elif step.kind == "timer":
            self.do("timer_started", step=step.key)
            self.do("timer_ended", step=step.key, reason="Was under power all night")
        elif step.kind == "release":
            values = {f.name: given[f.name] for f in step.fields}
            for hold in [h for h in self.state.open_holds if h.own == step.of]:
                self.do("hold_released", step=step.key, hold=hold.id, values=values)
        else:
            if step.key == "references":
                for f in step.fields:
                    self.do("reference_assigned", role=f.name, reference=self.standard(f.name, given))
            suggested = {f["name"]: f["suggested"] for f in self.view["step"]["fields"]}
            first, then = (suggested, given) if self.prefers_suggested else (given, suggested)
            values = {f.name: first.get(f.name) or then.get(f.name) or "" for f in step.fields}
            values |= {CONFIRMED: given[CONFIRMED]} if given.get(CONFIRMED) else {}
            self.do("step_confirmed", step=step.key, values=values, checks=[c.key for c in step.checks])

    def decide(self, choice, reason="seen and agreed"):
        self.do("decision_made", step=self.step.key, choice=choice, reason=reason)
        return self
