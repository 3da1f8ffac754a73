"""A run played in memory: events admitted by the rules and folded, as the server does it."""

from datetime import UTC, datetime, timedelta

from metrology.judgement.tolerance import Term, Tolerance
from metrology.methods.registry import get_method
from metrology.methods.setup import InstrumentSetup, RunSetup, setup_payload
from metrology.quantities.transfer import Transfer
from metrology.run.events import Event
from metrology.run.progress import make_progress
from metrology.run.rules import admit
from metrology.run.state import apply, fold
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

    def prepare(self):
        self.do("step_confirmed", step="identity", values={"tag": "PT-2101", "serial": "MB-48213"})
        self.do("reference_assigned", role="applied", reference=reference())
        self.do("reference_assigned", role="indicated", reference=meter())
        self.do("step_confirmed", step="references")
        self.do("step_confirmed", step="environment", values={"temperature": "21,5"})
        if self.current == "warm_up":
            self.do("timer_started", step="warm_up")
        return self.make_safe()

    def make_safe(self):
        self.do("step_confirmed", step="operator", values={"operator": "Control room"})
        self.do("hold_placed", step="hold", kind="inhibit", reason="Calibration", minutes="60")
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
