"""The runs of the corpus: what was done in each, by method and revision, and the commit whose core plays it (empty: today's)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from metrology.judgement.tolerance import Term, Tolerance
from metrology.methods.registry import get_method
from tools.corpus import kit
from tools.corpus.player import Player, instrument, optional

# The last commits with the rules of the first revisions, of the second, of the heads released by one channel, and of alarms shared by sets.
FIRST, SECOND, THIRD, FOURTH = "75fe369", "195961e", "27cfc9e", "99d456e"


@dataclass(frozen=True)
class Scenario:
    """One run of the corpus."""

    name: str
    method: str
    revision: str
    commit: str
    play: Callable[[], Player]


ALL: list[Scenario] = []


def scenario(method: str, revision: str, name: str, commit: str = "") -> Callable[[Callable[[], Player]], Callable[[], Player]]:
    """Register what follows as a run of the corpus."""

    def register(play: Callable[[], Player]) -> Callable[[], Player]:
        ALL.append(Scenario(f"{method}-r{revision}-{name}", method, revision, commit, play))
        return play

    return register


def targets(p: Player) -> Any:
    """What is set in a run; older cores have it elsewhere."""
    made = getattr(p.method, "adjusting", None)
    return made.targets(p.state.setup, "adjust") if made else p.method.adjust_targets(p.state.setup, "adjust")


def transmitter(revision: str, details: dict[str, object] | None = None, refs: object = None, **more: object) -> Player:
    """A pressure transmitter's run at its first readings."""
    of = {k: more.pop(k) for k in ("policy", "points_percent", "cycles") if k in more}
    p = Player("tx-multipoint", revision, instrument=instrument(details, **more), **of)  # type: ignore[arg-type]
    p.refs = refs or kit.PRESSURE  # type: ignore[assignment]
    return p.forward()


@scenario("tx-multipoint", "1", "adjusted", FIRST)
def _() -> Player:
    p = transmitter("1").errors(0.05, 0.3, 0.5, 0.6, 0.8, 0.8, 0.6, 0.45, 0.3, 0.05).decide("adjust")
    p.turn(("zero", "4.008", "4.000"), ("span", "20.128", "20.001"), ("zero", "4.001", ""), ("span", "20.001", ""))
    p.errors(0.01).decide("leave").forward().sign().review()
    return p


@scenario("tx-multipoint", "1", "struck", FIRST)
def _() -> Player:
    p = transmitter("1", points_percent=(0.0, 50.0, 100.0))
    p.do("reading_taken", step="as_found", slot=0, indicated="4.10")
    p.strike(0, "valve was not open").errors(0.02).decide("leave").forward(reading="212")
    p.do("note_added", text="Vibration on the line")
    return p.sign("all well")


@scenario("tx-multipoint", "2", "repeat", SECOND)
def _() -> Player:
    p = transmitter("2").errors(0.1, 0.1, 2.9, 0.1).decide("repeat", "one point out of line")
    return p.errors(0.1).decide("leave").forward().sign().review()


@scenario("tx-multipoint", "2", "digital", SECOND)
def _() -> Player:
    p = transmitter("2", {"has_digital": True}, points_percent=(0.0, 50.0, 100.0))

    def off(slot: dict[str, object]) -> dict[str, str]:
        return {"indicated": f"{float(str(slot['ideal'])) + 0.12:.3f}", "pv": f"{float(str(slot['nominal'])) + 3.0:.2f}"}

    p.take(off).decide("trim_sensor").turn(("zero", "3.0", "0.0"), ("span", "403.0", "400.0"), ("zero", "0.0", ""), ("span", "400.0", ""))
    return p.take(lambda s: {"indicated": s["ideal"], "pv": s["nominal"]}).decide("leave").forward().sign()


@scenario("tx-multipoint", "3", "returned")
def _() -> Player:
    p = transmitter("3", transfer="sqrt", tolerance=1.0, policy={"pass_rule": "guard-u", "minimum_tur": 1.0}, cycles=2)
    p.errors(0.3).decide("adjust").turn(("zero", "4.048", "4.000"), ("span", "20.048", "20.0"), ("zero", "4.0", ""), ("span", "20.0", ""))
    p.errors(0.02, 0.03, -0.01).decide("leave").forward().sign("first")
    p.send_back("the note on the manifold is missing")
    p.do("note_added", text="Manifold found closed at the low side")
    return p.sign("second").review()


@scenario("tx-multipoint", "3", "override")
def _() -> Player:
    p = Player("tx-multipoint", "3", instrument=instrument(tolerance=1.0))
    old = kit.reference("REF-OLD", due_on="2026-10-01")
    p.refs = kit.METER
    while p.step.key != "references":
        p.do("step_confirmed", step=p.step.key, values={f.name: f.expected for f in p.step.fields})
    vouched = {"by": "marta", "name": "Marta Flood", "reason": "checked against REF-P1 this morning"}
    p.do("reference_assigned", role="applied", reference=old, override=vouched, reason=vouched["reason"])
    p.forward().do("reading_taken", step="as_found", slot=0, indicated="4.6", confirmed_unlikely=True)
    return p.errors(0.4, 0.3).decide("replace", "corroded").forward().sign()


@scenario("tx-multipoint", "3", "captured")
def _() -> Player:
    details = {"sensor": "tc-k"}
    p = Player("tx-multipoint", "3", instrument=instrument(details, unit="C", lrv=0.0, urv=600.0), points_percent=(0.0, 50.0, 100.0))
    p.refs = kit.SIGNAL
    p.forward(cold_junction_c="23.5")
    seen = {
        "label": "Loop meter",
        "unit": "mA",
        "mean": 12.01,
        "sd": 0.002,
        "slope": 0.0001,
        "n": 50,
        "window_s": 5.0,
        "settle_s": 7.2,
        "peak": 12.1,
    }
    p.take(lambda s: {"indicated": f"{float(s['ideal']) + 0.01:.3f}", "captured": {"indicated": seen}})
    return p.decide("leave").forward(reading="220").sign()


@scenario("tx-multipoint", "3", "voided-on-hold")
def _() -> Player:
    p = transmitter("3", is_adjustable=False)
    p.do("reading_taken", step="as_found", slot=0, indicated="4.01")
    p.do("hold_extended", hold=p.state.open_holds[0].id, minutes="30", reason="waiting for the crane")
    p.do("voided", reason="wrong manifold", keeps_hold=True)
    return p


@scenario("tx-multipoint", "3", "sealed")
def _() -> Player:
    p = transmitter("3", policy={"pass_rule": "guard-u"}).errors(0.2, 0.3, 0.4, 0.5, 0.6, 0.6, 0.5, 0.4, 0.3, 0.2).decide("adjust")
    p.turn(("zero", "4.032", "4.000"), ("span", "20.064", "20.0"), ("zero", "4.0", ""), ("span", "20.0", ""))
    return p.errors(0.02).decide("leave").forward(reading="212").sign("sealed").review()


BEFORE = {
    "tag": "PT2101", "unit": "kPa", "lrv": "0", "urv": "400", "damping": "1", "lrl": "-100", "url": "1000", "min_span": "11",
    "transfer": "linear", "write_protect": "off",
}  # fmt: skip


def _configured(revision: str) -> Player:
    p = Player("tx-configure", revision, instrument=instrument({}), points_percent=(0.0, 50.0, 100.0))
    p.refs = kit.METER
    p.forward().do("parameters_captured", step="read_device", kind="before", values=BEFORE)
    p.do("step_confirmed", step="read_device")
    return p.errors(0.6).decide("trim_output")


def _sent(p: Player) -> Player:
    p.do("parameters_captured", step="configure", kind="pending", values={"damping": "2"})
    p.do("parameters_captured", step="configure", kind="sent", values={})
    p.do("parameters_captured", step="configure", kind="read back", values={**BEFORE, "damping": "2"})
    p.do("device_acted", step="configure", act="zero_trim", words="trimmed zero", values={})
    p.do("step_confirmed", step="configure")
    p.turn(("zero", "4.096", "4.0"), ("span", "20.096", "20.0"), ("zero", "4.0", ""), ("span", "20.0", ""))
    p.errors(0.01).decide("leave")
    p.do("parameters_captured", step="read_after", kind="after", values={**BEFORE, "damping": "2"})
    p.do("step_confirmed", step="read_after")
    return p.forward().sign()


@scenario("tx-configure", "1", "trimmed", SECOND)
def _() -> Player:
    return _sent(_configured("1"))


@scenario("tx-configure", "2", "trimmed")
def _() -> Player:
    return _sent(_configured("2")).review()


@scenario("level-displacer", "1", "dry-and-wet")
def _() -> Player:
    details = {
        "displacer_weight": "2", "displacer_volume": "1000", "density": "0.001", "weights_on_hand": "1 0.5 0.2 0.2 0.1 0.05",
        "has_column": True,
    }  # fmt: skip
    p = Player("level-displacer", "1", instrument=instrument(details, unit="%", lrv=0.0, urv=100.0))
    p.refs = kit.WEIGHTS
    p.forward(weights_on_hand="1 0.5 0.2 0.2 0.1").errors(0.8).decide("adjust")
    ends = [t.ideal for t in targets(p)]
    looks = [("zero", f"{ends[0] + 0.1:.3f}", f"{ends[0]:.3f}"), ("span", f"{ends[1] + 0.1:.3f}", f"{ends[1]:.3f}")]
    p.turn(*looks, ("zero", f"{ends[0]:.3f}", ""), ("span", f"{ends[1]:.3f}", ""))
    return p.errors(0.05).decide("leave").forward().errors(0.1).decide("leave").forward(reading="44").sign().review()


def _element(method_details: dict[str, object]) -> Player:
    made = instrument({"sensor": "pt", "sensor_class": "pt-a", **method_details}, unit="C", lrv=0.0, urv=150.0)
    p = Player("temp-sensor", "1", instrument=made, points_percent=(0.0, 50.0, 100.0))
    p.refs = kit.OHM
    return p.forward()


@scenario("temp-sensor", "1", "coefficients")
def _() -> Player:
    from metrology.quantities.temperature import pt_resistance

    p = _element({"matches_coefficients": True})
    seen = [{"applied": f"{t + 0.1:.2f}", "indicated": f"{1.004 * pt_resistance(t + 0.1):.4f}"} for t in (0, 75, 150)]
    return p.take(seen).decide("coefficients").forward().take(seen).decide("leave").forward().sign()


@scenario("temp-sensor", "1", "round")
def _() -> Player:
    from metrology.quantities.temperature import pt_resistance

    p = _element({})
    told = {
        "label": "Scanner 2",
        "unit": "ohm",
        "mean": 100.0,
        "sd": 0.001,
        "slope": 0.00001,
        "n": 300,
        "window_s": 30.0,
        "settle_s": 240.0,
        "peak": 100.1,
    }
    for t in (0, 75, 150):
        seen = {
            "applied": {**told, "label": "Probe", "unit": "C", "mean": t + 0.02},
            "indicated": {**told, "mean": pt_resistance(t + 0.02)},
        }
        slot = len(p.state.active_readings("as_found"))
        p.do("reading_taken", after_min=30, step="as_found", slot=slot, applied=f"{t + 0.02:.3f}",
             indicated=f"{pt_resistance(t + 0.05):.4f}", captured=seen)  # fmt: skip
    return p.decide("leave").forward().sign().review()


@scenario("temp-sensor", "1", "thermocouple")
def _() -> Player:
    from metrology.quantities.temperature import thermocouple_emf

    made = instrument({"sensor": "tc-k", "sensor_class": "tc-k-2"}, unit="C", lrv=0.0, urv=600.0)
    p = Player("temp-sensor", "1", instrument=made, points_percent=(0.0, 50.0, 100.0))
    p.refs = kit.MILLIVOLT
    p.forward(cold_junction_c="23.5")
    p.take([{"indicated": f"{thermocouple_emf('K', t + e, cold_junction_c=23.5):.3f}"} for t, e in ((0, 0.8), (300, 3.5), (600, 9.0))])
    return p.decide("replace", "aged in the crystalliser").forward().sign()


@scenario("loop-check", "1", "displays-and-alarms")
def _() -> Player:
    details = {"displays": "Isolator mA 4 20; Control system kPa 0 400", "alarms": "High 380 rising; Low 20 falling"}
    p = Player("loop-check", "1", instrument=instrument(details))
    p.refs = kit.SOURCE
    p.forward()

    def off(slot: dict[str, object]) -> str:
        return f"{float(str(slot['ideal'])) + (4.0 if slot['channel'] == 'Control system' else 0.0):.3f}"

    p.take(off).decide("repair").forward()
    return p.take(lambda s: s["ideal"]).decide("leave").forward(reading="200").sign()


HYDROGEN = {"gas": "hydrogen", "basis": "iec", "technology": "catalytic", "t90_s": "10", "signal_unit": "mV", "new_sensitivity": "0.5"}
HEAD = {
    "technology": "catalytic", "basis": "iec", "inhibit_ma": "3", "channels": "A, hydrogen, 100, %LEL, 2.5; B, methane, 100, %LEL, 2.5",
}  # fmt: skip
OXYGEN = {"gas": "oxygen", "technology": "oxygen", "proves_zero": True, "alarms": "Low 19.5 falling; High 23 rising"}


def detector(
    method: str, details: dict[str, object], gases: object, *, revision: str = "1", policy: object = None, **more: object
) -> Player:
    """A gas run at its first exposure."""
    plain = {"tag": "AE-1", "serial": "S-1", "service": "Hydrogen", "area": "Cells", "unit": "%LEL", "urv": 100.0, "tolerance": 5.0}
    made = instrument(details, **{**plain, **more})
    p = Player(method, revision, instrument=made, points_percent=(0.0, 50.0), policy=policy or {})  # type: ignore[arg-type]
    p.gases = gases  # type: ignore[assignment]
    return p.forward(**{f"{k}:{c}": "2.5" for k in ("found_v", "set_v") for c in "AB"})


def _bump(revision: str, found: str = "alarm:as_found:Low", left: str = "alarm:as_left:Low") -> Player:
    p = detector("gas-bump", {**HYDROGEN, "alarms": "Low 20 rising latching"}, kit.HYDROGEN, revision=revision).take(["33"])
    p.forward(**{found: "20.4"}).decide("calibrate").forward().turn(("zero", "0", ""), ("span", "33", "50"))
    p.take(["0", "50"]).forward(**{left: "20.1"}).decide("leave").take(["49"]).decide("leave")
    return p.forward().sign()


@scenario("gas-bump", "1", "becomes-calibration", FOURTH)
def _() -> Player:
    return _bump("1", "alarm:Low", "alarm:Low")


@scenario("gas-bump", "2", "becomes-calibration")
def _() -> Player:
    return _bump("2")


@scenario("gas-zero-span", "2", "alarm-late-span-struck")
def _() -> Player:
    p = detector("gas-zero-span", {**HYDROGEN, "alarms": "Low 20 rising latching; High 40 rising"}, kit.HYDROGEN, revision="2")
    p.take(["0", "42"]).forward(**{"alarm:as_found:Low": "20.2", "alarm:as_found:High": ""})
    p.do("reading_struck", reading=p.state.readings[-1].id, reason="the adapter leaked")
    p.take(["50"]).forward(**{"alarm:as_found:Low": "20.2", "alarm:as_found:High": "46"})
    p.decide("repair").forward(work="set point of 'High' corrected")
    p.take(["0", "50"]).forward(**{"alarm:as_left:Low": "20.2", "alarm:as_left:High": "40.3"}).decide("leave")
    if p.step.kind == "readings":
        p.take(["50"]).decide("leave")
    return p.forward().sign()


@scenario("gas-zero-span", "1", "forced-and-exchanged", FOURTH)
def _() -> Player:
    p = detector("gas-zero-span", {**HYDROGEN, "inhibit_ma": "3.0"}, kit.HYDROGEN)
    seen = {
        "label": "Display", "unit": "%LEL", "mean": 38.0, "sd": 0.1, "slope": 0.001, "n": 400, "window_s": 40.0, "settle_s": 52.0, "peak": 38.6,
        "t90_s": 22.0, "response": "ok", "remarks": [],
    }  # fmt: skip
    p.take([{"indicated": "8", "ma": "3.0"}, {"indicated": "38", "ma": "3.0", "signal": "19.5", "captured": {"indicated": seen}}])
    p.decide("adjust")
    p.do("adjustment_made", step="adjust", screw="zero", before="8", after="0", force_reason="bottled zero gas, proved clean twice")
    p.turn(("span", "31", "50")).take([{"indicated": "0"}, {"indicated": "41", "t90_s": "30", "signal": "20"}])
    p.decide("exchange").forward(new_serial="SN-2").turn(("zero", "0.4", "0.0"), ("span", "46", "50"))
    p.take([{"indicated": "0"}, {"indicated": "50", "t90_s": "9", "signal": "25.2"}]).decide("leave").take(["49"]).decide("leave")
    return p.forward().sign().review()


@scenario("gas-zero-span", "1", "left-and-agreed", FOURTH)
def _() -> Player:
    p = Player(
        "gas-zero-span", "1", instrument=instrument(HYDROGEN, tag="AE-2", unit="%LEL", urv=100.0, tolerance=5.0), points_percent=(0.0, 50.0)
    )
    p.gases = kit.HYDROGEN
    while p.step.key != "hold":
        p._pass(p.step, {"operator": "Control", "temperature": "20", "exposed_to": "silicone"})
    others = [{"tag": "AE-3", "shares": "voting group V1", "by": "Tomas Wick"}]
    p.do("hold_placed", step="hold", kind="inhibit", reason="Calibration", minutes="60", others=others, agreement="Holt: monitor stands in")
    return p.forward().take(["0.3", "51"]).decide("leave").forward().sign()


def _two_channels(revision: str) -> Player:
    gases = {**kit.HYDROGEN, "span:A": kit.gas("B-H2", "hydrogen", 50.0), "span:B": kit.gas("B-CH4", "methane", 50.0)}
    p = detector("gas-multichannel", HEAD, gases, revision=revision).take(["0", "44", "0", "51"]).decide("adjust")
    p.turn(("A zero", "0", ""), ("A span", "44", "50"), ("B zero", "0", ""), ("B span", "51", "50"))
    p.take(["0", "50", "0", "50"]).decide("leave").take(["49", "48"]).decide("leave")
    return p.forward().sign()


@scenario("gas-multichannel", "1", "two-channels", THIRD)
def _() -> Player:
    return _two_channels("1")


@scenario("gas-multichannel", "2", "every-channel-released", FOURTH)
def _() -> Player:
    return _two_channels("2")


@scenario("gas-multichannel", "3", "every-channel-released")
def _() -> Player:
    return _two_channels("3")


def _optical(revision: str) -> Player:
    details = {"gas": "methane", "basis": "iec", "technology": "optical", "t90_s": "8", "path_l": "0.3"}
    gases = {"zero": kit.gas("B-AIR"), "span": kit.gas("B-CH4", "methane", 50.0)}
    p = detector("gas-ir-zero", details, gases, revision=revision).take(["2.5", "56"]).decide("adjust").turn(("zero", "2.5", "0"))
    return p.take(["0", "51"]).decide("leave").take(["50"]).decide("leave").forward().sign()


@scenario("gas-ir-zero", "1", "zeroed", FOURTH)
def _() -> Player:
    return _optical("1")


@scenario("gas-ir-zero", "2", "zeroed")
def _() -> Player:
    return _optical("2")


def _oxygen(revision: str) -> Player:
    gases = {"air": kit.gas("B-AIR"), "zero": kit.gas("B-N2", balance="nitrogen", oxygen=0.0)}
    more = {"unit": "% vol", "urv": 25.0, "service": "Oxygen"}
    return detector("gas-oxygen", OXYGEN, gases, revision=revision, **more)  # type: ignore[arg-type]


@scenario("gas-oxygen", "1", "adjusted", SECOND)
def _() -> Player:
    p = _oxygen("1").take(["18.9", "0.1"]).forward(**{"alarm:Low": "19.5"}).decide("adjust").turn(("air", "18.9", "20.9"))
    return p.take(["20.9", "0.1"]).forward(**{"alarm:Low": "19.4"}).decide("leave").forward(reading="20.9").sign()


@scenario("gas-oxygen", "2", "adjusted", FOURTH)
def _() -> Player:
    p = _oxygen("2").take(["18.9", "0.1"]).forward(**{"alarm:Low": "19.5"}).decide("adjust").turn(("air", "18.9", "20.9"))
    return p.take(["20.9", "0.1"]).forward(**{"alarm:Low": "19.4"}).decide("leave").forward(reading="20.9").sign()


@scenario("gas-oxygen", "3", "set-in-air")
def _() -> Player:
    p = _oxygen("3").take(["18.9", "0.1"]).forward(**{"alarm:as_found:Low": "19.5"}).decide("adjust").turn(("air", "18.9", "20.9"))
    return p.take(["20.9", "0.1"]).forward(**{"alarm:as_left:Low": "19.4"}).decide("leave").forward(reading="20.9").sign()


def _two_ranges(revision: str) -> Player:
    details = {"basis": "iec", "technology": "catalytic", "channels": "LEL, methane, 100, %LEL; O2, oxygen, 25, % vol"}
    gases = {
        "zero": kit.gas("B-AIR"), "span:LEL": kit.gas("B-CH4", "methane", 50.0), "air": kit.gas("B-AIR"),
        "nitrogen": kit.gas("B-N2", balance="nitrogen", oxygen=0.0),
    }  # fmt: skip
    p = detector("gas-portable", details, gases, revision=revision)
    p.take(lambda s: f"{float(s['ideal']) + 1.0:.2f}" if s["channel"] == "LEL" else s["ideal"]).decide("adjust")
    looks = []
    for t in targets(p):
        looks.append((t.screw, f"{t.ideal + 0.02:.2f}", f"{t.ideal:.2f}"))
    p.turn(*looks).take(lambda s: s["ideal"]).decide("leave")
    if p.step.kind == "readings":
        p.take(lambda s: s["ideal"]).decide("leave")
    return p.forward().sign()


@scenario("gas-portable", "1", "two-ranges", THIRD)
def _() -> Player:
    return _two_ranges("1")


@scenario("gas-portable", "2", "every-range-released", FOURTH)
def _() -> Player:
    return _two_ranges("2")


@scenario("gas-portable", "3", "every-range-released")
def _() -> Player:
    return _two_ranges("3")


def _ph(**details: object) -> Player:
    given = {"place": "in-line", "shows_impedance": True, "has_grab": True, "process_ph": "6.2", "sensor_serial": "E-100", **details}
    past = [("2026-08-03", 98.1, 3.0), ("2026-09-02", 97.4, 5.0), ("2026-10-01", 96.2, 8.0)]
    history = tuple(
        optional("metrology.methods.setup", "Past")(name, on, value, unit, "as found", "E-100")
        for on, slope, offset in past
        for name, value, unit in (("slope_percent", slope, "%"), ("offset_mv", offset, "mV"))
    )
    made = instrument(given, unit="pH", lrv=0.0, urv=14.0, tolerance=Tolerance((Term(0.1, "unit"),)))
    p = Player("an-ph", "1", instrument=made, points_percent=(), history=history)
    p.items = dict(kit.BUFFERS)
    return p.forward(buffer_c="22", slope_now="96.5", offset_now="7", grab_read="6.31", grab_ph="6.25")


FIRST_BUFFER = {"indicated": "6.96", "mv": "-4.1", "response_s": "35", "glass_mohm": "180", "ref_kohm": "6"}
SECOND_BUFFER = {"indicated": "4.16", "mv": "156.2", "response_s": "60", "buffer_c": "22.4"}


@scenario("an-ph", "1", "cleaned-and-adjusted")
def _() -> Player:
    p = _ph().take([FIRST_BUFFER, {**SECOND_BUFFER, "indicated": "4.61"}]).strike(1, "drops of the first buffer were still on it")
    p.take([SECOND_BUFFER]).decide("adjust").forward()
    p.turn(("offset", "6.94", "6.88"), ("slope", "4.13", "4.00")).forward(slope_now="95.1", offset_now="3")
    p.take([{"indicated": "6.88", "mv": "-4.0", "response_s": "30"}, {"indicated": "4.00", "mv": "156.4", "response_s": "45"}])
    return p.decide("leave").forward(reading="6.3").sign().review()


@scenario("an-ph", "1", "another-buffer-in-the-middle")
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
    p = Player("an-conductivity", "1", instrument=made, points_percent=(), history=history)
    p.items = {"solution": kit.solution("SOL-1413", 1413.0)}
    return p.forward(solution_c="20", cell_now="1.021", coefficient_now="2")


RESISTOR, DRY = {"ohm": "1000", "indicated": "1021.3"}, {"indicated": "0.3"}


@scenario("an-conductivity", "1", "cleaned-and-set")
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


@scenario("an-conductivity", "1", "another-compensation")
def _() -> Player:
    p = _cell(checks_cable=False).take([DRY, {"indicated": "1277.0", "referred": "1277.0", "analyzer_c": "20.0"}])
    p.decide("repair").forward(work="compensation was off; set to linear, 2 %/C")
    return p.take([DRY, {"indicated": "1277.4", "referred": "1419.3", "analyzer_c": "20.0"}]).decide("leave").forward(reading="420").sign()


def _trace(**details: object) -> Player:
    given = {"target_ppm": "2", "sensor_serial": "O2-1", "t90_s": "30", "signal_unit": "uA", "new_sensitivity": "0.5", **details}
    made = instrument(
        given, unit="ppm", lrv=0.0, urv=100.0, output_lo=0.0, output_hi=100.0, output_unit="ppm", tolerance=Tolerance((Term(2.0, "span"),))
    )
    p = Player("an-trace-o2", "1", instrument=made, points_percent=())
    gas = kit.gas("B-O2N2", "oxygen", 80.0, "ppm", balance="nitrogen", oxygen=0.0)
    gas["regulator"] = {**kit.REGULATOR, "stays_on": "", "purged_on": ""}
    gas["line"] = {**kit.LINE, "material": "stainless steel"}
    p.gases = {"span": gas}
    return p.forward()


@scenario("an-trace-o2", "1", "a-leak-then-a-new-sensor")
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


@scenario("an-duplicate-blank", "1", "one-more-injection-accepted-second-blank")
def _() -> Player:
    details = {
        "analytes": "H2, hydrogen, 2000, ppm, 5, at 48, within 3, factor 2; C2H4, ethylene, 500, ppm, 5, at 130, within 4, factor 2; "
        "CO2, carbon dioxide, 5000, ppm, 5, at 190, within 8, factor 2, air 60",
        "pair": "C2H4 CO2", "flow_l_min": "0.5", "sensor_serial": "COL-1",
    }  # fmt: skip
    made = instrument(details, unit="ppm", lrv=0.0, urv=2000.0, output_lo=0.0, output_hi=2000.0, output_unit="ppm", tolerance=5.0)
    past = optional("metrology.methods.setup", "Past")
    history = tuple(past("pair resolution", f"2026-0{m}-04", 2.7 - 0.06 * m, "", "as found", "COL-1") for m in (2, 4, 6, 8))
    p = Player("an-duplicate-blank", "1", instrument=made, points_percent=(), history=history)
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


def plays_here(s: Scenario) -> bool:
    """Whether the core on the path has the rules of that scenario."""
    try:
        return get_method(s.method).revision == s.revision
    except Exception:  # an older core knows fewer methods
        return False
