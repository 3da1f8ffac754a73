"""An injected-sample analyzer played in memory, and chromatograms made for it."""

import math
import random
from dataclasses import replace

from metrology.judgement.tolerance import Term, Tolerance
from metrology.methods.analytes import InjectionSettings
from metrology.methods.settings import read_settings
from metrology.run.chromatograms import readings_of
from metrology.tests.gases import GasPlay, detector, plain
from metrology.tests.mixtures import STEEL, mixture

ANALYTES = (
    "H2, hydrogen, 2000, ppm, 5, at 48, within 3, factor 2; CH4, methane, 1000, ppm, 5, at 96, within 5, factor 4; "
    "C2H4, ethylene, 500, ppm, 5, at 130, within 4, factor 8; C2H6, ethane, 500, ppm, 5, at 142, within 4, factor 8; "
    "CO2, carbon dioxide, 5000, ppm, 5, at 190, within 8, factor 3, air 60"
)
STANDARD = (("hydrogen", 1000.0), ("methane", 500.0), ("ethylene", 250.0), ("ethane", 260.0), ("carbon dioxide", 2500.0))
AT = {"H2": 48.0, "CH4": 96.0, "C2H4": 130.0, "C2H6": 142.0, "CO2": 190.0}
FACTOR = {"H2": 2.0, "CH4": 4.0, "C2H4": 8.0, "C2H6": 8.0, "CO2": 3.0}
VALUE = dict(zip(AT, (v for _, v in STANDARD), strict=True))


def curve(values, at=None, *, width=1.4, noise=0.2, seed=1, seconds=260.0, hz=10):
    """A chromatogram: times and signal, a Gaussian a component with the area that its value and factor make; a slow drift under it."""
    rng = random.Random(seed)
    at = {**AT, **(at or {})}
    times = [n / hz for n in range(round(seconds * hz))]
    peaks = [(at[n], width * (0.8 + at[n] / 400), v * FACTOR[n]) for n, v in values.items() if v > 0]
    signal = [
        50
        + t / 40
        + rng.gauss(0, noise)
        + sum(area / (s * math.sqrt(2 * math.pi)) * math.exp(-0.5 * ((t - c) / s) ** 2) for c, s, area in peaks)
        for t in times
    ]
    return times, signal


class InjectionPlay(GasPlay):
    """A run of a transformer-oil gas analyzer; every component is in its standard."""

    def __init__(self, details=None, gases=None, policy=None, **changes):
        given = {"analytes": ANALYTES, "pair": "C2H4 C2H6", "flow_l_min": "1", "wait_min": "0", **(details or {})}
        made = replace(detector(details={}), details=read_settings(InjectionSettings, given), unit="ppm", urv=2000.0, output_unit="ppm",
                       output_lo=0.0, output_hi=2000.0, tolerance=Tolerance((Term(5.0, "span"),)))  # fmt: skip
        standard = mixture("B-STD", tuple((g, v, "ppm") for g, v in STANDARD))
        super().__init__("an-duplicate-blank", instrument=made, gases={"mix:A": standard, **(gases or {})}, policy=policy)

    def assign(self, role, made, **more):
        return super().assign(role, made, **{"regulator": plain(STEEL), "line": None, **more})

    def at_readings(self):
        self.forward()
        return self

    def inject(self, values=None, leak="0", **more):
        """One injection typed: by component, or as the standard should read."""
        key = self.step.key
        blank = key.startswith("blank")
        shows = {**(dict.fromkeys(AT, 0.0) if blank else VALUE), **(values or {})}
        for n, name in enumerate(AT):
            extra = {"leak": leak} if n == 0 else {}
            extra |= {k: v[name] for k, v in more.items() if name in v}
            slot = len(self.state.active_readings(key))
            self.do("reading_taken", step=key, slot=slot, indicated=f"{shows[name]:.2f}", confirmed_unlikely=True, **extra)
        return self

    def chromatogram(self, values=None, at=None, leak="0", **more):
        """One injection by its chromatogram."""
        step = self.step
        blank = step.key.startswith("blank")
        times, signal = curve({**(dict.fromkeys(AT, 0.0) if blank else VALUE), **(values or {})}, at, **more)
        self.do("chromatogram_taken", step=step.key, times=times, signal=signal)
        for payload in readings_of(self.state, self.method, step, self.state.chromatograms[-1], typed={"leak": leak}):
            self.do("reading_taken", **payload)
        return self
