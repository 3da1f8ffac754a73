"""Bottles, fittings and detectors for tests, and a gas run played in memory."""

from datetime import timedelta
from unittest import TestCase

from metrology.faults import Fault
from metrology.judgement.gas_kit import Bottle, BottleGas, Fitting
from metrology.judgement.policy import resolve_policy
from metrology.judgement.tolerance import Term, Tolerance
from metrology.methods.detector import DetectorSettings
from metrology.methods.settings import read_settings
from metrology.methods.setup import InstrumentSetup
from metrology.quantities.transfer import Transfer
from metrology.run.progress import make_progress
from metrology.tests.runs import Play


def bottle(code="B-H2", gas="hydrogen", value=50.0, unit="%LEL", **changes):
    made = {
        "code": code,
        "name": "Span gas",
        "gases": (BottleGas(gas, value, unit, 2.0, "iec" if unit == "%LEL" else ""),) if gas else (),
        "balance": "air",
        "oxygen": 20.9,
        "litres_left": 80.0,
        "expires_on": "2027-06-30",
        **changes,
    }
    return Bottle(**made)


def zero_air(**changes):
    return bottle("B-AIR", gas="", name="Zero air", **changes)


def plain(made):
    """A bottle or fitting as the server freezes it."""
    if made is None:
        return None
    data = dict(made.__dict__)
    if "gases" in data:
        data["gases"] = [dict(g.__dict__) for g in data["gases"]]
    return data


REGULATOR = Fitting("R-1", "regulator", "stainless steel", flow_l_min=0.5)
LINE = Fitting("L-1", "line", "PTFE-lined", length_m=1.0, is_conditioned=True)
HYDROGEN = {"gas": "hydrogen", "basis": "iec", "technology": "catalytic", "t90_s": "10", "signal_unit": "mV", "new_sensitivity": "0.5"}


def detector(details=None, **changes):
    """A hydrogen detector 0-100 %LEL with 5 % of span, or one changed."""
    return InstrumentSetup(
        **{
            "tag": "AE-1",
            "serial": "S-1",
            "service": "Hydrogen",
            "area": "Cells",
            "unit": "%LEL",
            "lrv": 0.0,
            "urv": 100.0,
            "output_lo": 4.0,
            "output_hi": 20.0,
            "output_unit": "mA",
            "transfer": Transfer(),
            "tolerance": Tolerance((Term(5.0, "span"),)),
            "details": read_settings(DetectorSettings, HYDROGEN if details is None else details),
            **changes,
        }
    )


class RefusingCase(TestCase):
    """A case that says which refusal it expects."""

    def assertRefused(self, code, act, *args, **kwargs):
        with self.assertRaises(Fault) as caught:
            act(*args, **kwargs)
        fault = getattr(caught.exception, "faults", [caught.exception])[0]
        self.assertEqual(fault.code, code, fault.message)
        return fault.message


class GasPlay(Play):
    """A gas run; `forward` confirms all that needs no decision, with what it is given."""

    def __init__(self, method="gas-zero-span", *, policy=None, instrument=None, gases=None):
        super().__init__(method, instrument=instrument or detector(), points_percent=(0.0, 50.0), policy=resolve_policy(policy or {}))
        self.gases = {"zero": zero_air(), "span": bottle(), **(gases or {})}

    def assign(self, role, made, **more):
        fittings = {"regulator": plain(REGULATOR), "line": plain(LINE), **more}
        return self.do("gas_assigned", role=role, bottle=plain(made), **fittings)

    @property
    def step(self):
        return make_progress(self.state, self.method).current

    def forward(self, to="readings", **values):
        """Go on to the first step of that kind or key."""
        given = {"operator": "Control", "temperature": "20", "exposed_to": "none", "condition": "clean", "ma": "3.0", "purged": "0.5", "reading": "0.2",
                 "latches": "none", "pressure_kpa": "101.325", "reading:A": "0", "reading:B": "0", "reading:LEL": "0",
                 "reading:O2": "20.9", "windows": "clean", "flow_alarm": "4", "battery": "full",
                 "work": "done", "why": "another bottle", "reminder": "none", "how": "hand", "signals": "all", **values}  # fmt: skip
        for _ in range(40):
            step = self.step
            if step is None or to in (step.kind, step.key):
                return step
            if step.kind in ("readings", "judge", "adjust"):
                raise AssertionError(f"stopped at {step.key}")
            mine = {f.name: f.expected or given.get(f.name, "") for f in step.fields}
            if step.kind == "timer":
                self.do("timer_started", step=step.key)
                self.now += timedelta(minutes=step.minutes)
            elif step.kind == "hold":
                self.do("hold_placed", step=step.key, kind="inhibit", reason="Calibration", minutes="60")
            elif step.kind == "release":
                for hold in self.state.open_holds:
                    self.do("hold_released", hold=hold.id, values=mine)
            elif step.kind == "sign":
                self.do("signed", note="")
            else:
                for f in step.fields:
                    if f.kind == "gas" and f.name not in self.state.gases:
                        self.assign(f.name, self.gases[f.name])
                if step.key == "selector_back":
                    self.move_back(step)
                self.do("step_confirmed", step=step.key, values=mine, checks=[c.key for c in step.checks])
        raise AssertionError(f"stuck at {self.step.key}")

    def move_back(self, step):
        """What is out of a step's pairs is moved back."""
        for pair in step.pairs:
            if pair.key in {p.key for p in self.state.pairs_out}:
                self.do("pair_moved", step=step.key, pair=pair.key, to="back")

    def expose(self, *texts, **more):
        """One reading a slot of the current set."""
        key = self.step.key
        for text in texts:
            self.do("reading_taken", step=key, slot=len(self.state.active_readings(key)), indicated=str(text), **more)
        return self

    def decide(self, choice, reason="because"):
        return self.do("decision_made", step=self.step.key, choice=choice, reason=reason)
