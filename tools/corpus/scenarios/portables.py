"""Runs whose subject is an item of the kit: portables checked in."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from metrology.judgement.tolerance import Term, Tolerance
from metrology.methods.setup import InstrumentSetup
from tools.corpus import kit
from tools.corpus.player import Player, instrument
from tools.corpus.scenario import FIFTEENTH, scenario

GOOD = {
    "certificate": "yes", "accessories": "yes", "self_test": "yes", "no_readings": "yes", "memory_clear": "yes", "threshold": "60", "alarm_s": "6",
    "samples": "3060", "interval_s": "10", "longest_gap_s": "10",
}  # fmt: skip


def _portable(measures: str, unit: str, top: float) -> Any:
    about = {"tag": "MB-D01", "serial": "SN-77", "service": "Portable detector", "area": "Kit", "unit": unit, "lrv": 0.0, "urv": top}
    made = instrument({}, **about, output_lo=0.0, output_hi=top, output_unit=unit, tolerance=Tolerance((Term(2.0, "span"),)), subject="kit")

    def build(method: str) -> InstrumentSetup:
        built = made(method)
        return replace(built, details=replace(built.details, measures=measures))

    return build


@scenario("kit-incoming", "2", "set-and-accepted", earlier={"1": FIFTEENTH})
def _() -> Player:
    p = Player("kit-incoming", "", instrument=_portable("methane", "%LEL", 100.0), points_percent=())
    p.gases = {"zero": kit.gas("G-AIR"), "span": kit.gas("G-CH4", "methane", 50.0)}
    p.forward(**GOOD).take(["0.5", "43.0"]).forward(**GOOD).decide("set").forward(**GOOD).take(["0.0", "50.2"])
    return p.decide("accept").sign().review()


@scenario("kit-incoming", "2", "alarm-lowered-log-with-a-gap-quarantined", earlier={"1": FIFTEENTH})
def _() -> Player:
    p = Player("kit-incoming", "", instrument=_portable("oxygen", "% vol", 25.0), points_percent=())
    p.gases = {"zero": kit.gas("G-N2", balance="nitrogen", oxygen=0.0), "air": kit.gas("G-AIR")}
    tries = {"threshold": "80", "alarm_s": "", "threshold_2": "70", "alarm_s_2": "14", "threshold_3": "60", "alarm_s_3": "9.5"}
    p.forward(**{**GOOD, **tries}).take(["0.1", "20.7"]).forward(**{**GOOD, **tries, "longest_gap_s": "600"})
    return p.decide("quarantine").sign()


@scenario("kit-incoming", "2", "oxygen-in-ambient-air")
def _() -> Player:
    p = Player("kit-incoming", "", instrument=_portable("oxygen", "% vol", 25.0), points_percent=())
    p.gases = {
        "zero": kit.gas("G-N2", balance="nitrogen", oxygen=0.0),
        "air": {**kit.gas("AMBIENT"), "reason": "outdoors, away from the stacks"},
    }
    return p.forward(**GOOD).take(["0.1", "20.6"]).forward(**GOOD).decide("accept").sign()
