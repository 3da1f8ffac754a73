"""Runs of belts and scales."""

from __future__ import annotations

from metrology.judgement.tolerance import Term, Tolerance
from tools.corpus import kit
from tools.corpus.player import Player, instrument, optional
from tools.corpus.scenario import THIRTEENTH, TWELFTH, scenario


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


def _scale(method: str, top: float, details: dict[str, str], weights: float, revision: str = "", **more: object) -> Player:
    about = {"unit": "kg", "lrv": 0.0, "urv": top, "output_lo": 0.0, "output_hi": top, "output_unit": "kg"}
    i = instrument(details, **about, tolerance=Tolerance((Term(0.2, "span"),)))
    p = Player(method, revision, instrument=i, points_percent=(), **more)
    p.refs = {"weights": (kit.reference("REF-W", "kg", 0, weights, 0.0, u_percent_reading=0.005, resolution=0), "")}
    return p


HOPPER = {"factor_found": "1.0004", "lock_found": "open", "factor_now": "1.0037", "reading": "0"}


@scenario("weigh-indicator", "2", "set-and-locked-again", earlier={"1": THIRTEENTH})
def _() -> Player:
    past = optional("metrology.methods.setup", "Past")
    history = tuple(past("span_percent", on, v, "%", "as found") for on, v in (("2024-11-01", 0.02), ("2025-10-20", 0.11)))
    p = _scale("weigh-indicator", 60.0, {"division": "0.02", "known_load": "50"}, 60, history=history).forward(**HOPPER)
    p.take(["0.00", {"indicated": "50.16"}, "0.00"]).decide("adjust").forward(**HOPPER, known_load="50")
    return p.take(["0.00", {"indicated": "50.00"}, "0.00"]).decide("leave").forward(**HOPPER).sign().review()


SILO = {
    "division": "20", "supports": "3", "cell_capacity": "22000", "sensitivities": "2.0012 1.9996 2.0003", "dead_load": "12000", "latitude": "54",
}  # fmt: skip
READ = {
    "weights_kg": "10000", "can_fill": "yes", "way": "weights", "p_zero": "0.3640", "p_span": "1.5772", "p_max": "40000", "p_division": "20",
    "support_test": "no", "creep_test": "no", "weights_stored": "10000", "backup": "WT-3301", "clear": "Tomas", "locks": "Ines", "reading": "0",
    "p_zero_now": "0.3640", "p_span_now": "1.5772", "p_max_now": "40000", "p_division_now": "20",
}  # fmt: skip


@scenario("weigh-vessel", "1", "a-leg-binds-and-is-freed", TWELFTH)
def _() -> Player:
    looked = {**READ, "support_test": "yes", "creep_test": "yes", "creep_0": "9880", "creep_15": "9880", "creep_30": "9880"}
    looked |= {f"empty_{n}": "0.364" for n in (1, 2, 3)} | {"loaded_1": "0.667", "loaded_2": "0.668", "loaded_3": "0.595"}
    up = ["0", "2470", "4940", "7410", "9880", "7410", "4940", "2470", "0"]
    p = _scale("weigh-vessel", 40_000.0, SILO, 10_000).forward(**looked).take(up).forward(**looked).decide("repair").forward(**looked)
    p.take(["0", "2500", "5000", "7500", "10000", "7500", "5000", "2500", "0"]).decide("leave")
    return p.forward(**looked).sign().review()


@scenario("weigh-vessel", "1", "by-substitution", TWELFTH)
def _() -> Player:
    p = _scale("weigh-vessel", 40_000.0, {**SILO, "scheme": "r76-iii"}, 10_000).forward(**{**READ, "way": "substitution"})
    p.take(["0", "10000", "10020", "20020", "20020", "30040", "30020", "40020", "0"]).forward(**READ)
    return p.decide("leave").forward(**READ).sign()


@scenario("weigh-vessel", "1", "worked-out-and-proved", TWELFTH)
def _() -> Player:
    way = {**READ, "way": "computed"}
    p = _scale("weigh-vessel", 40_000.0, SILO, 10_000).forward(**way).take(["0", "10150", "0"]).forward(**way).decide("computed")
    return p.forward(**way).take(["0", "10000", "0"]).decide("leave").forward(**way).sign()


@scenario("weigh-vessel", "3", "file-sent-and-proved", earlier={"2": THIRTEENTH})
def _() -> Player:
    past = optional("metrology.methods.setup", "Past")
    file = {"p_zero": 0.364, "p_span": 1.5772, "p_max": 40_000.0, "p_division": 20.0}
    history = tuple(past(name, "2025-11-03", value, "", "as left") for name, value in file.items())
    way = {**READ, "p_span": "1.5972", "confirmed": "p_span", **{f"{name}_file": f"{value:g}" for name, value in file.items()}}
    p = _scale("weigh-vessel", 40_000.0, SILO, 10_000, history=history).forward("stored", **way)
    p.act(
        "read",
        "read from Silo indicator: Signal at Max 1.5972 mV/V",
        {"p_zero": "0.364", "p_span": "1.5972", "p_max": "40000", "p_division": "20"},
    )
    p.forward(**way).take(["0", "2460", "4920", "7380", "9840", "7380", "4920", "2460", "0"]).forward(**way).decide("restore").forward(
        "send", **way
    )
    back = {f"{name}_now": f"{value:g}" for name, value in file.items()}
    p.act("sent", "sent to Silo indicator: Signal at Max 1.5772; read back: Signal at Max 1.5772 mV/V", back).forward(**way)
    return p.take(["0", "2500", "5000", "7500", "10000", "7500", "5000", "2500", "0"]).decide("leave").forward(**way).sign()
