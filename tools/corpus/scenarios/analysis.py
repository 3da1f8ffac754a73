"""Runs of analyzers: pH, conductivity, oxygen traces, product gas, gas in oil."""

from __future__ import annotations

from metrology.judgement.tolerance import Term, Tolerance
from tools.corpus import kit
from tools.corpus.player import Player, instrument, optional
from tools.corpus.scenario import SEVENTH, THIRTEENTH, scenario


def _ph(**details: object) -> Player:
    given = {"place": "in-line", "shows_impedance": True, "has_grab": True, "process_ph": "6.2", "sensor_serial": "E-100", **details}
    past = [("2026-08-03", 98.1, 3.0), ("2026-09-02", 97.4, 5.0), ("2026-10-01", 96.2, 8.0)]
    history = tuple(
        optional("metrology.methods.setup", "Past")(name, on, value, unit, "as found", "E-100")
        for on, slope, offset in past
        for name, value, unit in (("slope_percent", slope, "%"), ("offset_mv", offset, "mV"))
    )
    made = instrument(given, unit="pH", lrv=0.0, urv=14.0, tolerance=Tolerance((Term(0.1, "unit"),)))
    p = Player("an-ph", "", instrument=made, points_percent=(), history=history)
    p.items = dict(kit.BUFFERS)
    return p.forward(buffer_c="22", slope_now="96.5", offset_now="7", grab_read="6.31", grab_ph="6.25")


FIRST_BUFFER = {"indicated": "6.96", "mv": "-4.1", "response_s": "35", "glass_mohm": "180", "ref_kohm": "6"}
SECOND_BUFFER = {"indicated": "4.16", "mv": "156.2", "response_s": "60", "buffer_c": "22.4"}


@scenario("an-ph", "2", "cleaned-and-adjusted", earlier={"1": THIRTEENTH})
def _() -> Player:
    p = _ph().take([FIRST_BUFFER, {**SECOND_BUFFER, "indicated": "4.61"}]).strike(1, "drops of the first buffer were still on it")
    p.take([SECOND_BUFFER]).decide("adjust").forward()
    p.turn(("offset", "6.94", "6.88"), ("slope", "4.13", "4.00")).forward(slope_now="95.1", offset_now="3")
    p.take([{"indicated": "6.88", "mv": "-4.0", "response_s": "30"}, {"indicated": "4.00", "mv": "156.4", "response_s": "45"}])
    return p.decide("leave").forward(reading="6.3").sign().review()


@scenario("an-ph", "2", "another-buffer-in-the-middle", earlier={"1": THIRTEENTH})
def _() -> Player:
    p = _ph()
    p.do("reading_taken", step="as_found", slot=0, **FIRST_BUFFER)
    p.do("step_reopened", step="buffers", reason="the second bottle was knocked over")
    p.do("standard_assigned", role="second", item=kit.buffer("BUF-4B", 4.005, lot="L-NEW"), reason="a new bottle")
    p.do("step_confirmed", step="buffers", values={"buffer_c": "21.5"})
    return p.take([SECOND_BUFFER]).decide("replace", "the glass is scratched").forward(new_serial="E-101", work="scratched")


def _cell(**details: object) -> Player:
    past = [("2026-02-03", 1.004), ("2026-05-02", 1.012), ("2026-08-01", 1.021)]
    history = tuple(optional("metrology.methods.setup", "Past")("cell_constant", on, v, "/cm", "as found", "CC-1") for on, v in past)
    given = {"cell_constant": "1", "coefficient": "2", "sensor_serial": "CC-1", **details}
    made = instrument(given, unit="uS/cm", lrv=0.0, urv=2000.0, tolerance=Tolerance((Term(2.0, "span"),)))
    p = Player("an-conductivity", "", instrument=made, points_percent=(), history=history)
    p.items = {"solution": kit.solution("SOL-1413", 1413.0)}
    return p.forward(solution_c="20", cell_now="1.021", coefficient_now="2")


RESISTOR, DRY = {"ohm": "1000", "indicated": "1021.3"}, {"indicated": "0.3"}


@scenario("an-conductivity", "2", "cleaned-and-set", earlier={"1": THIRTEENTH})
def _() -> Player:
    p = _cell().take([RESISTOR, DRY, {"indicated": "1221.0", "referred": "1356.0", "analyzer_c": "20.1"}])
    p.strike(2, "a bubble hung in the cell").take([{"indicated": "1231.0", "referred": "1367.8", "analyzer_c": "20.1"}]).decide(
        "clean"
    ).forward()
    p.take([RESISTOR, DRY, {"indicated": "1249.0", "referred": "1387.8", "analyzer_c": "20.1"}]).decide("adjust", "it stays low").forward()
    p.turn(("zero", "0.3", "0.1"), ("constant", "1249.0", "1278.2")).forward(cell_now="1.045")
    p.take(
        [{"ohm": "1000", "indicated": "1045.2"}, {"indicated": "0.1"}, {"indicated": "1278.1", "referred": "1420.2", "analyzer_c": "20.1"}]
    )
    return p.decide("leave").forward(reading="420").sign().review()


@scenario("an-conductivity", "2", "another-compensation", earlier={"1": THIRTEENTH})
def _() -> Player:
    p = _cell(checks_cable=False).take([DRY, {"indicated": "1277.0", "referred": "1277.0", "analyzer_c": "20.0"}])
    p.decide("repair").forward(work="compensation was off; set to linear, 2 %/°C")
    return p.take([DRY, {"indicated": "1277.4", "referred": "1419.3", "analyzer_c": "20.0"}]).decide("leave").forward(reading="420").sign()


def _trace(**details: object) -> Player:
    given = {"target_ppm": "2", "sensor_serial": "O2-1", "t90_s": "30", "signal_unit": "uA", "new_sensitivity": "0.5", **details}
    made = instrument(
        given, unit="ppm", lrv=0.0, urv=100.0, output_lo=0.0, output_hi=100.0, output_unit="ppm", tolerance=Tolerance((Term(2.0, "span"),))
    )
    p = Player("an-trace-o2", "", instrument=made, points_percent=())
    gas = kit.gas("B-O2N2", "oxygen", 80.0, "ppm", balance="nitrogen", oxygen=0.0)
    gas["regulator"] = {**kit.REGULATOR, "stays_on": "", "purged_on": ""}
    gas["line"] = {**kit.LINE, "material": "stainless steel"}
    p.gases = {"span": gas}
    return p.forward()


@scenario("an-trace-o2", "2", "a-leak-then-a-new-sensor", earlier={"1": SEVENTH})
def _() -> Player:
    p = _trace().take([{"indicated": "91", "signal": "33"}, {"indicated": "85.5", "signal": "33"}]).decide("repeat").forward()
    p.take([{"indicated": "61", "signal": "31"}]).decide("exchange").forward(
        new_serial="O2-2", work="its signal had fallen", come_down="1.6"
    )
    p.turn(("span", "72", "80")).forward().take([{"indicated": "80.2", "signal": "41"}]).decide("leave")
    return p.forward(regulator_left="on", reading="0.9").sign().review()


def _mixture(**more: object) -> Player:
    components = "CO2, carbon dioxide, 20, % vol, 2, A; CO, carbon monoxide, 500, ppm, 2, A, slow; CO high, carbon monoxide, 5000, ppm, 3, B, from 4500"
    details = {"components": components, "effects": "CO on CO2 0.004", "flow_l_min": "0.5", "t90_s": "20", "cell_c": "60"}
    made = instrument(details, unit="% vol", lrv=0.0, urv=20.0, output_lo=0.0, output_hi=20.0, output_unit="% vol", tolerance=2.0)
    p = Player("an-multigas", "1", instrument=made, points_percent=())
    p.gases = {
        "zero": kit.gas("B-N2", balance="nitrogen", oxygen=0.0),
        "mix:A": kit.mixture("B-MIX", {"carbon dioxide": (15.0, "% vol"), "carbon monoxide": (400.0, "ppm")}),
        "mix:B": kit.mixture("B-CO", {"carbon monoxide": (4000.0, "ppm")}),
    }
    return p.forward(mode="continuous", flow="0.5", cell_c="60.2", **more)


@scenario("an-multigas", "1", "round-twice-barred-left-above-zero")
def _() -> Player:
    p = _mixture().take(["0.02", "1", "4", "15.1", "425", "431", "0.1", "3990"]).strike(6, "its flow had fallen")
    p.take(["0.01"]).decide("adjust")
    p.turn(("CO2 zero", "0.02", ""), ("CO zero", "1", ""), ("CO high zero", "4", ""), ("CO span", "425", "400"), ("CO2 span", "15.4", "15"),
           ("CO span", "396", "400"), ("CO2 span", "15.02", "")).forward()  # fmt: skip
    p.take(["0", "0", "1", "15.01", "400", "404", "0", "3995"]).decide("leave")
    p.forward(
        **{
            "fall_1:CO": "60",
            "fall_2:CO": "50",
            "fall_3:CO": "45",
            "left:CO": "41",
            "why:CO": "a day's run clears it",
            "reading": "14.8",
        }
    )
    return p.sign().review()


INJECTED = {"H2": 1000.0, "C2H4": 250.0, "CO2": 2500.0}


def _injected(p: Player, share: float = 1.0, **more: object) -> list[dict[str, str]]:
    """One injection typed, as the standard should show or a share of it."""
    at = {"H2": "47.9", "C2H4": "129.6", "CO2": "189.5"}
    rows = [{"indicated": f"{v * share:.1f}", "area": f"{v * share * 2.05:.1f}", "retention": at[n]} for n, v in INJECTED.items()]
    rows[0]["leak"] = "0.05"
    rows[-1]["resolution"] = str(more.get("resolution", "2.1"))
    return rows


@scenario("an-duplicate-blank", "2", "one-more-injection-accepted-second-blank", earlier={"1": THIRTEENTH})
def _() -> Player:
    details = {
        "analytes": "H2, hydrogen, 2000, ppm, 5, at 48, within 3, factor 2; C2H4, ethylene, 500, ppm, 5, at 130, within 4, factor 2; "
        "CO2, carbon dioxide, 5000, ppm, 5, at 190, within 8, factor 2, air 60",
        "pair": "C2H4 CO2", "flow_l_min": "0.5", "sensor_serial": "COL-1",
    }  # fmt: skip
    made = instrument(details, unit="ppm", lrv=0.0, urv=2000.0, output_lo=0.0, output_hi=2000.0, output_unit="ppm", tolerance=5.0)
    past = optional("metrology.methods.setup", "Past")
    history = tuple(past("pair resolution", f"2026-0{m}-04", 2.7 - 0.06 * m, "", "as found", "COL-1") for m in (2, 4, 6, 8))
    p = Player("an-duplicate-blank", "", instrument=made, points_percent=(), history=history)
    names = {"H2": "hydrogen", "C2H4": "ethylene", "CO2": "carbon dioxide"}
    p.items = {
        "syringe": kit.worn("SYR-1", "Gas-tight, 1 ml"),
        "trap": kit.worn("TRAP-1", "Carbon dioxide", is_capped="no", good_until="2026-11-04"),
    }
    p.gases = {"mix:A": kit.mixture("B-STD", {names[n]: (v, "ppm") for n, v in INJECTED.items()})}
    p.forward()
    p.take([*_injected(p, 1.08), *_injected(p, 1.0), *_injected(p, 1.004)]).strike(7, "read from the wrong line")
    p.take([{"indicated": "251.1", "area": "515", "retention": "129.5"}]).decide("adjust", "the factors are two years old")
    p.forward(**{"factor:H2": "2.054", "factor:C2H4": "2.05", "factor:CO2": "2.054"})
    p.take([*_injected(p, 0.999, resolution="1.7"), *_injected(p, 1.001, resolution="1.72")]).decide("leave").forward()
    p.take([{"indicated": "2", "leak": "0"}, "0.4", "22"]).decide("again", "to see whether it repeats")
    p.take([{"indicated": "3", "leak": "0.02"}, "0.5", "41"]).decide("keep_1", "air had come in with the second")
    return p.forward(reading="60").sign().review()
