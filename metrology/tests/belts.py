"""A belt weigher for tests, and its run played in memory."""

from metrology.judgement.tolerance import Term, Tolerance
from metrology.methods.catalogue.weigh_belt import BeltSettings
from metrology.methods.settings import read_settings
from metrology.tests.runs import StepPlay, instrument, reference

CLASS_1 = {"belt_class": "r50-1", "belt_length_m": "60", "belt_speed": "1.5", "test_weight": "50", "weight_count": "2"}
ANSWERS = {
    "tag": "WT-1", "serial": "MB-48213", "operator": "Control room", "first": "no", "zero_now": "50000", "span_now": "81000",
    "reason": "Isolator 4, lock of Ines",
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


class BeltPlay(StepPlay):
    """A run on a belt weigher."""

    answers = ANSWERS
    prefers_suggested = True

    def __init__(self, details=None, **setup):
        super().__init__("weigh-belt", instrument=weigher(details), points_percent=(), **setup)

    def standard(self, role, given):
        return reference(code="REF-W", name="Belt weights", unit="kg", high=30.0, u_absolute=0.005)

    def take(self, *counts, **more):
        key = self.step.key
        for count in counts:
            slot = len(self.state.active_readings(key))
            self.do("reading_taken", step=key, slot=slot, indicated=str(count), **{"applied": "15", **more})
        return self

    def both(self, zero=(50_000, 50_000), span=(81_000,), **more):
        """Zero, weights on, span."""
        return self.forward().take(*zero).forward().take(*span, **more)
