"""An analyzer of several components played in memory: a bottle with several components, zero gas, and what it shows of them."""

from dataclasses import replace

from metrology.judgement.gas_kit import Bottle, BottleGas, Fitting
from metrology.judgement.tolerance import Term, Tolerance
from metrology.methods.components import MixtureSettings
from metrology.methods.settings import read_settings
from metrology.tests.gases import GasPlay, detector, plain

COMPONENTS = "CO2, carbon dioxide, 20, % vol, 2, A; CO, carbon monoxide, 500, ppm, 2, A; NO, nitric oxide, 1000, ppm, 2, A; O2, oxygen, 25, % vol, 1, B"
EFFECTS = "CO2 on CO 0.5; CO2 on NO 1.5; NO on CO 0.004"
MIXTURE = (("carbon dioxide", 12.0, "% vol"), ("carbon monoxide", 400.0, "ppm"), ("nitric oxide", 800.0, "ppm"))
STEEL = Fitting("R-S", "regulator", "stainless steel", flow_l_min=1.0)


def mixture(code="B-A", gases=MIXTURE, *, u=1.0, **changes):
    made = {"name": "Mixture", "balance": "nitrogen", "oxygen": 0.0, "litres_left": 400.0, "expires_on": "2027-06-30", **changes}
    return Bottle(code, gases=tuple(BottleGas(g, v, unit, u) for g, v, unit in gases), **made)


def nitrogen(gases=(), **changes):
    return mixture("B-N2", gases, **{"name": "Nitrogen", **changes})


class MixturePlay(GasPlay):
    """A run of an extractive analyzer; its gases are nitrogen, mixture A and oxygen in nitrogen as mixture B."""

    def __init__(self, details=None, gases=None, policy=None, **changes):
        told = read_settings(
            MixtureSettings, {"components": COMPONENTS, "effects": EFFECTS, "flow_l_min": "1", "t90_s": "20", **(details or {})}
        )
        made = replace(detector(details={}), details=told, unit="% vol", urv=20.0, output_unit="% vol", output_lo=0.0, output_hi=20.0,
                       tolerance=Tolerance((Term(2.0, "span"),)), **changes)  # fmt: skip
        bottles = {
            "zero": nitrogen(),
            "mix:A": mixture(),
            "mix:B": mixture("B-B", (("oxygen", 20.0, "% vol"),), oxygen=20.0),
            **(gases or {}),
        }
        super().__init__("an-multigas", instrument=made, gases=bottles, policy=policy)

    def assign(self, role, made, **more):
        return super().assign(role, made, **{"regulator": plain(STEEL), "line": None, **more})

    def forward(self, to="readings", **values):
        given = {"mode": "continuous", "flow": "1.0", "cell_c": "60", **values}
        return super().forward(to, **given)

    def at_readings(self, **values):
        self.forward(**values)
        return self

    @property
    def slots(self):
        return self.method.trial.plan(self.state.setup, self.step.key).slots

    def read(self, shows=None, **more):
        """Read every slot as it should be, or as shows(slot) tells."""
        for slot in self.slots[len(self.state.active_readings(self.step.key)) :]:
            value = shows(slot) if shows else None
            self.do(
                "reading_taken",
                step=self.step.key,
                slot=slot.index,
                indicated=f"{slot.ideal if value is None else value:.3f}",
                confirmed_unlikely=True,
                **more,
            )
        return self

    def set(self, screw, before, after=""):
        return self.do("adjustment_made", step=self.step.key, screw=screw, before=str(before), after=str(after))
