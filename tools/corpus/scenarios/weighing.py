"""Runs of belts."""

from __future__ import annotations

from metrology.judgement.tolerance import Term, Tolerance
from tools.corpus import kit
from tools.corpus.player import Player, instrument, optional
from tools.corpus.scenario import scenario


def _belt(**more: object) -> Player:
    details = {"belt_class": "r50-1", "tests_material": True, "test_weight": "50", "weight_count": "2"}
    past = [
        ("2026-05-04", 50_000.0),
        ("2026-06-03", 50_021.0),
        ("2026-07-02", 50_044.0),
        ("2026-08-05", 50_063.0),
        ("2026-09-03", 50_085.0),
    ]
    made = optional("metrology.methods.setup", "Past")
    history = tuple(made("zero_count", on, count, "counts", "as found", "first") for on, count in past)
    i = instrument(details, unit="t/h", lrv=0.0, urv=120.0, tolerance=Tolerance((Term(1.0, "span"),)))
    p = Player("weigh-belt", "1", instrument=i, points_percent=(), history=history)
    p.refs = {"weights": (kit.reference("REF-BW", "kg", 0, 30, 0.005), "")}
    return p.forward(
        **{"first": "no", "zero_now": "50050", "span_now": "80905", "weights_stored": "2", "clear": "Tomas", "locks": "Ines", **more}
    )


@scenario("weigh-belt", "1", "accepted-and-proved-with-material")
def _() -> Player:
    lock = {"clear": "Tomas", "locks": "Ines, Tomas", "weights_stored": "2", "material": "yes", "cause": "build-up"}
    p = (
        _belt()
        .take(["50260", "50370", "50366"])
        .forward(**lock)
        .take([{"indicated": "81010", "total": "45052"}])
        .decide("cause")
        .forward(**lock)
    )
    p.take(["50366", "50369"]).forward(**lock).take([{"indicated": "81004", "total": "44990", "seconds": "604"}]).decide("leave").forward(
        **lock
    )
    return p.take([{"indicated": "12034", "true_mass": "12000"}]).decide("leave").forward(**lock).sign().review()
