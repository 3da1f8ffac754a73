"""Scales for tests, and their runs played in memory."""

from metrology.judgement.tolerance import Term, Tolerance
from metrology.methods.registry import get_method
from metrology.methods.settings import read_settings
from metrology.run.progress import make_progress
from metrology.tests.runs import Play, instrument, reference


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


class ScalePlay(Play):
    """A run on a scale; `forward` does what asks nothing of the judgement."""

    answers = ANSWERS

    def __init__(self, method="weigh-indicator", top=60, details=None, changes=None, **setup):
        super().__init__(method, instrument=scale(method, top, details, **(changes or {})), points_percent=(), **setup)

    @property
    def step(self):
        return make_progress(self.state, self.method).current

    def forward(self, *stops, **answers):
        given = {**self.answers, **answers}
        while self.step is not None and self.step.kind not in ("readings", "judge", "sign") and self.step.key not in stops:
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
                    self.do("reference_assigned", role=f.name, reference=given.get("reference_" + f.name) or weights())
            suggested = {f["name"]: f["suggested"] for f in self.view["step"]["fields"]}
            values = {f.name: given.get(f.name) or suggested.get(f.name) or "" for f in step.fields}
            self.do("step_confirmed", step=step.key, values=values, checks=[c.key for c in step.checks])

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
        from metrology.run.raw import raw_readings

        return raw_readings(self.state, self.method, key)

    def decide(self, choice, reason="seen and agreed"):
        self.do("decision_made", step=self.step.key, choice=choice, reason=reason)
        return self

    def proposal(self):
        return self.view["step"]["judge"]["proposal"]
