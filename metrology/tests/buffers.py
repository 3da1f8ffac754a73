"""Buffers and a pH analyzer for tests, and a run in two buffers played in memory."""

from metrology.judgement.tolerance import Term, Tolerance
from metrology.methods.catalogue.an_ph import PhSettings
from metrology.methods.settings import read_settings
from metrology.tests.runs import Play, instrument


def buffer(code="B-7", ph=6.865, table="nist", **changes):
    """A buffer as the server freezes it."""
    return {
        "code": code, "name": f"Buffer pH {ph:g}", "ph": ph, "table": table, "points": [], "lot": "L-1", "expires_on": "2027-06-30",
        "opened_on": "", "open_days": 90, "portions_left": 10, "u_ph": 0.01, "certificate": "C-1", "state": "in service",
        "good_until": "2027-06-30", **changes,
    }  # fmt: skip


def analyzer(details=None, **changes):
    """A pH analyzer 0-14 with 0.1 pH, or one changed."""
    settings = read_settings(PhSettings, details or {})
    return instrument(
        **{
            "tag": "AIT-1",
            "unit": "pH",
            "lrv": 0.0,
            "urv": 14.0,
            "tolerance": Tolerance((Term(0.1, "unit"),)),
            "details": settings,
            **changes,
        }
    )


FIRST, SECOND = {"indicated": "6.86", "mv": "8.0"}, {"indicated": "4.01", "mv": "176.0"}


class PhPlay(Play):
    """A run at the as-found readings, the buffers chosen at a temperature."""

    def __init__(self, details=None, first=None, second=None, c="25", **setup):
        super().__init__("an-ph", instrument=analyzer(details), points_percent=(), **setup)
        self.do("step_confirmed", step="identity", values={"tag": "AIT-1", "serial": "MB-48213"})
        self.do("standard_assigned", role="first", item=first or buffer())
        self.do("standard_assigned", role="second", item=second or buffer("B-4", 4.005))
        self.do("step_confirmed", step="buffers", values={"buffer_c": c})
        self.do("step_confirmed", step="shown", values={"slope_now": "98", "offset_now": "2"})
        self.do("step_confirmed", step="operator", values={"operator": "Control room"})
        self.do("hold_placed", step="hold", kind="control in manual", reason="Buffers", minutes="60")
        self.do("step_confirmed", step="cautions", checks=["reach", "safe", "untouched"])

    def take(self, *readings, step="as_found"):
        for reading in readings:
            self.do("reading_taken", step=step, slot=len(self.state.active_readings(step)), confirmed_unlikely=True, **reading)
        return self

    @property
    def set(self):
        return self.view["evidence"][-1]

    def criterion(self, name):
        return next(c for c in self.set["criteria"] if c["name"] == name)

    @property
    def causes(self):
        return [s["code"] for s in self.set["signatures"]]
