"""A belt weigher for tests, and its run played in memory."""

from metrology.judgement.tolerance import Term, Tolerance
from metrology.methods.catalogue.weigh_belt import BeltSettings
from metrology.methods.settings import read_settings
from metrology.run.progress import make_progress
from metrology.tests.runs import Play, instrument, reference

CLASS_1 = {"belt_class": "r50-1", "belt_length_m": "60", "belt_speed": "1.5", "test_weight": "50", "weight_count": "2"}
ANSWERS = {
    "tag": "WT-1", "serial": "MB-48213", "operator": "Control room", "first": "no", "zero_now": "50000", "span_now": "81000",
    "clear": "Tomas", "locks": "Ines and Tomas", "weights_stored": "2", "reading": "0", "material": "yes", "cause": "belt", "work": "New splice",
}  # fmt: skip


def weigher(details=None, **changes):
    """A belt weigher of class 1 to 120 t/h, or one changed."""
    settings = read_settings(BeltSettings, {**CLASS_1, **(details or {})})
    return instrument(
        **{
            "tag": "WT-1",
            "unit": "t/h",
            "lrv": 0.0,
            "urv": 120.0,
            "tolerance": Tolerance((Term(1.0, "span"),)),
            "details": settings,
            **changes,
        }
    )


class BeltPlay(Play):
    """A run on a belt weigher; `forward` does what asks nothing of the judgement."""

    def __init__(self, details=None, **setup):
        super().__init__("weigh-belt", instrument=weigher(details), points_percent=(), **setup)

    @property
    def step(self):
        return make_progress(self.state, self.method).current

    def forward(self, until=("readings", "judge", "sign"), **answers):
        given = {**ANSWERS, **answers}
        while self.step is not None and self.step.kind not in until and self.step.key not in until:
            self.pass_step(given)
        return self

    def pass_step(self, given):
        step = self.step
        if step.kind == "hold":
            self.do("hold_placed", step=step.key, kind=step.options[0][0], reason="Isolator 4, lock of Ines", minutes="60")
        elif step.kind == "checkpairs":
            self.do("pair_moved", step=step.key, pair="weights", to="back" if step.variant == "back" else "out")
            self.do("step_confirmed", step=step.key)
        elif step.kind == "release":
            values = {f.name: given[f.name] for f in step.fields}
            for hold in [h for h in self.state.open_holds if h.own == step.of]:
                self.do("hold_released", step=step.key, hold=hold.id, values=values)
        else:
            if step.key == "references":
                weights = reference(code="REF-W", name="Belt weights", unit="kg", high=30.0, u_absolute=0.005)
                self.do("reference_assigned", role="weights", reference=weights)
            suggested = {f["name"]: f["suggested"] for f in self.view["step"]["fields"]}
            values = {f.name: suggested.get(f.name) or given.get(f.name, "") for f in step.fields}
            self.do("step_confirmed", step=step.key, values=values, checks=[c.key for c in step.checks])

    def take(self, *counts, **more):
        key = self.step.key
        for count in counts:
            slot = len(self.state.active_readings(key))
            self.do("reading_taken", step=key, slot=slot, indicated=str(count), **{"applied": "15", **more})
        return self

    def both(self, zero=(50_000, 50_000), span=(81_000,), **more):
        """Zero, weights on, span."""
        return self.forward().take(*zero).forward().take(*span, **more)

    def decide(self, choice, reason="seen and agreed"):
        self.do("decision_made", step=self.step.key, choice=choice, reason=reason)
        return self
