"""Scales for tests, and their runs played in memory."""

from metrology.judgement.tolerance import Term, Tolerance
from metrology.methods.registry import get_method
from metrology.methods.settings import read_settings
from metrology.run.raw import raw_readings
from metrology.tests.runs import StepPlay, instrument, reference


def weights(**changes):
    """Weights of class M1, 5e-5 of what they are (k = 2), or others."""
    return reference(
        **{
            "code": "REF-W",
            "name": "Test weights",
            "unit": "kg",
            "low": 0.0,
            "high": 50_000.0,
            "u_absolute": 0.0,
            "u_percent_reading": 0.005,
            **changes,
        }
    )


def scale(method, top, details=None, **changes):
    """A scale to `top` kg with 0.1 % of Max."""
    settings = read_settings(get_method(method).settings, details or {})
    about = {
        "tag": "WT-1", "unit": "kg", "lrv": 0.0, "urv": float(top), "output_lo": 0.0, "output_hi": float(top), "output_unit": "kg",
        "tolerance": Tolerance((Term(0.1, "span"),)), "details": settings,
    }  # fmt: skip
    return instrument(**{**about, **changes})


ANSWERS = {
    "tag": "WT-1", "serial": "MB-48213", "operator": "Control room", "reading": "0", "work": "Hose taken off", "factor_found": "1.0000",
    "lock_found": "locked", "factor_now": "1.0021", "reason": "Isolator 4, lock of Ines", "clear": "Tomas", "locks": "Ines and Tomas",
}  # fmt: skip


class ScalePlay(StepPlay):
    """A run on a scale."""

    answers = ANSWERS

    def __init__(self, method="weigh-indicator", top=60, details=None, changes=None, **setup):
        super().__init__(method, instrument=scale(method, top, details, **(changes or {})), points_percent=(), **setup)

    def standard(self, role, given):
        return given.get("reference_" + role) or weights()

    def take(self, *shown, **more):
        for text in shown:
            key = self.step.key
            slot = len(self.state.active_readings(key))
            on = self.method.trial.plan(self.state.setup, key, self.taken(key)).slots[slot]
            applied = (
                {"applied": f"{on.nominal:g}"} if any(q.name == "applied" for q in self.method.trial.asks(self.state.setup, on)) else {}
            )
            self.do("reading_taken", step=key, slot=slot, indicated=str(text), **{**applied, **more})
        return self

    def taken(self, key):
        return raw_readings(self.state, self.method, key)

    def proposal(self):
        return self.view["step"]["judge"]["proposal"]
