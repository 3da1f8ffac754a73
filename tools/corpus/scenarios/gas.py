"""Runs of gas detectors and portables."""

from __future__ import annotations

from tools.corpus import kit
from tools.corpus.player import Player, instrument
from tools.corpus.scenario import FIFTH, FOURTEENTH, FOURTH, SECOND, THIRD, scenario, targets

HYDROGEN = {"gas": "hydrogen", "basis": "iec", "technology": "catalytic", "t90_s": "10", "signal_unit": "mV", "new_sensitivity": "0.5"}
HEAD = {
    "technology": "catalytic", "basis": "iec", "inhibit_ma": "3", "channels": "A, hydrogen, 100, %LEL, 2.5; B, methane, 100, %LEL, 2.5",
}  # fmt: skip
OXYGEN = {"gas": "oxygen", "technology": "oxygen", "proves_zero": True, "alarms": "Low 19.5 falling; High 23 rising"}


def detector(
    method: str, details: dict[str, object], gases: object, *, revision: str = "", policy: object = None, **more: object
) -> Player:
    """A gas run at its first exposure."""
    plain = {"tag": "AE-1", "serial": "S-1", "service": "Hydrogen", "area": "Cells", "unit": "%LEL", "urv": 100.0, "tolerance": 5.0}
    made = instrument(details, **{**plain, **more})
    p = Player(method, revision, instrument=made, points_percent=(0.0, 50.0), policy=policy or {})  # type: ignore[arg-type]
    p.gases = gases  # type: ignore[assignment]
    return p.forward(**{f"{k}:{c}": "2.5" for k in ("found_v", "set_v") for c in "AB"})


def _bump(found: str = "alarm:as_found:Low", left: str = "alarm:as_left:Low") -> Player:
    p = detector("gas-bump", {**HYDROGEN, "alarms": "Low 20 rising latching"}, kit.HYDROGEN).take(["33"])
    p.forward(**{found: "20.4"}).decide("calibrate").forward().turn(("zero", "0", ""), ("span", "33", "50"))
    p.take(["0", "50"]).forward(**{left: "20.1"}).decide("leave")
    if p.step.kind == "readings":
        p.take(["49"]).decide("leave")
    return p.forward().sign()


@scenario("gas-bump", "1", "becomes-calibration", FOURTH)
def _() -> Player:
    return _bump("alarm:Low", "alarm:Low")


@scenario("gas-bump", "3", "becomes-calibration", earlier={"2": FIFTH})
def _() -> Player:
    return _bump()


@scenario("gas-zero-span", "3", "seen-and-proved-at-the-control-room")
def _() -> Player:
    details = {**HYDROGEN, "alarms": "Low 20 rising latching; High 40 rising"}
    p = detector("gas-zero-span", details, kit.HYDROGEN, revision="3", policy={"loop_proof": "always", "proof": "always"})
    p.take(["0.5", "42"]).forward(**{"alarms_came:as_found": "all"}).decide("adjust").turn(("zero", "0.5", "0"), ("span", "42", "50"))
    p.take(["0", "50"]).forward(**{"alarm:as_left:Low": "20.2", "alarm:as_left:High": "40.1"}).decide("leave").take(["49"]).decide("leave")
    return p.forward(loop_4="4.01", loop_20="19.98", loop_alarm="yes", loop_seen_by="Holt").sign()


@scenario("gas-zero-span", "2", "alarm-late-span-struck", FIFTH)
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


def _two_channels() -> Player:
    gases = {**kit.HYDROGEN, "span:A": kit.gas("B-H2", "hydrogen", 50.0), "span:B": kit.gas("B-CH4", "methane", 50.0)}
    p = detector("gas-multichannel", HEAD, gases).take(["0", "44", "0", "51"]).decide("adjust")
    p.turn(("A zero", "0", ""), ("A span", "44", "50"), ("B zero", "0", ""), ("B span", "51", "50"))
    p.take(["0", "50", "0", "50"]).decide("leave")
    if p.step.kind == "readings":
        p.take(["49", "48"]).decide("leave")
    return p.forward().sign()


@scenario("gas-multichannel", "1", "two-channels", THIRD)
def _() -> Player:
    return _two_channels()


@scenario("gas-multichannel", "5", "every-channel-released", earlier={"2": FOURTH, "3": FIFTH, "4": FOURTEENTH})
def _() -> Player:
    return _two_channels()


@scenario("gas-head-check", "2", "one-channel-repaired", earlier={"1": FOURTEENTH})
def _() -> Player:
    gases = {"span:A": kit.gas("B-H2", "hydrogen", 50.0), "span:B": kit.gas("B-CH4", "methane", 50.0)}
    p = detector("gas-head-check", HEAD, gases).take(["50", "31"]).decide("repair").forward(work="filter of B changed")
    return p.take(["49", "48"]).decide("leave").forward().sign()


def _optical() -> Player:
    details = {"gas": "methane", "basis": "iec", "technology": "optical", "t90_s": "8", "path_l": "0.3"}
    gases = {"zero": kit.gas("B-AIR"), "span": kit.gas("B-CH4", "methane", 50.0)}
    p = detector("gas-ir-zero", details, gases).take(["2.5", "56"]).decide("adjust").turn(("zero", "2.5", "0"))
    p.take(["0", "51"]).decide("leave")
    if p.step.kind == "readings":
        p.take(["50"]).decide("leave")
    return p.forward().sign()


@scenario("gas-ir-zero", "3", "zeroed", earlier={"1": FOURTH, "2": FIFTH})
def _() -> Player:
    return _optical()


def _oxygen() -> Player:
    gases = {"air": kit.gas("B-AIR"), "zero": kit.gas("B-N2", balance="nitrogen", oxygen=0.0)}
    more = {"unit": "% vol", "urv": 25.0, "service": "Oxygen"}
    return detector("gas-oxygen", OXYGEN, gases, **more)  # type: ignore[arg-type]


@scenario("gas-oxygen", "1", "adjusted", SECOND)
def _() -> Player:
    p = _oxygen().take(["18.9", "0.1"]).forward(**{"alarm:Low": "19.5"}).decide("adjust").turn(("air", "18.9", "20.9"))
    return p.take(["20.9", "0.1"]).forward(**{"alarm:Low": "19.4"}).decide("leave").forward(reading="20.9").sign()


@scenario("gas-oxygen", "2", "adjusted", FOURTH)
def _() -> Player:
    p = _oxygen().take(["18.9", "0.1"]).forward(**{"alarm:Low": "19.5"}).decide("adjust").turn(("air", "18.9", "20.9"))
    return p.take(["20.9", "0.1"]).forward(**{"alarm:Low": "19.4"}).decide("leave").forward(reading="20.9").sign()


@scenario("gas-oxygen", "3", "set-in-air", FIFTH)
def _() -> Player:
    p = _oxygen().take(["18.9", "0.1"]).forward(**{"alarm:as_found:Low": "19.5"}).decide("adjust").turn(("air", "18.9", "20.9"))
    return p.take(["20.9", "0.1"]).forward(**{"alarm:as_left:Low": "19.4"}).decide("leave").forward(reading="20.9").sign()


@scenario("gas-oxygen", "5", "set-in-air", earlier={"4": FOURTEENTH})
def _() -> Player:
    p = _oxygen().take(["18.9", "0.1"]).forward(**{"alarm:as_found:Low": "19.5"}).decide("adjust").turn(("air", "18.9", "20.9"))
    return p.take(["20.9", "0.1"]).forward(**{"alarm:as_left:Low": "19.4"}).decide("leave").forward(reading="20.9").sign()


@scenario("gas-oxygen", "5", "in-ambient-air")
def _() -> Player:
    gases = {
        "air": {**kit.gas("AMBIENT"), "reason": "the bottle of air is empty"},
        "zero": kit.gas("B-N2", balance="nitrogen", oxygen=0.0),
    }
    p = detector("gas-oxygen", OXYGEN, gases, unit="% vol", urv=25.0, service="Oxygen")
    p.take(["20.7", "0.1"]).forward(**{"alarm:as_found:Low": "19.4"})
    return p.decide("leave").forward(reading="20.8").sign()


@scenario("gas-oxygen-check", "2", "set-after-all", earlier={"1": FOURTEENTH})
def _() -> Player:
    gases = {"air": kit.gas("B-AIR"), "zero": kit.gas("B-N2", balance="nitrogen", oxygen=0.0)}
    p = detector("gas-oxygen-check", OXYGEN, gases, unit="% vol", urv=25.0, service="Oxygen")
    p.take(["18.9", "0.1"]).forward(**{"alarm:as_found:Low": "19.5"}).decide("calibrate").forward().turn(("air", "18.9", "20.9"))
    return p.take(["20.9", "0.1"]).forward(**{"alarms_came:as_left": "all"}).decide("leave").forward(reading="20.9").sign()


def _two_ranges() -> Player:
    details = {"basis": "iec", "technology": "catalytic", "channels": "LEL, methane, 100, %LEL; O2, oxygen, 25, % vol"}
    gases = {
        "zero": kit.gas("B-AIR"), "span:LEL": kit.gas("B-CH4", "methane", 50.0), "air": kit.gas("B-AIR"),
        "nitrogen": kit.gas("B-N2", balance="nitrogen", oxygen=0.0),
    }  # fmt: skip
    p = detector("gas-portable", details, gases)
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
    return _two_ranges()


@scenario("gas-portable", "5", "every-range-released", earlier={"2": FOURTH, "3": FIFTH, "4": FOURTEENTH})
def _() -> Player:
    return _two_ranges()


@scenario("gas-portable-check", "2", "one-mixture", earlier={"1": FOURTEENTH})
def _() -> Player:
    details = {
        "basis": "iec",
        "technology": "catalytic",
        "channels": "LEL, methane, 100, %LEL; CO, carbon monoxide, 300, ppm; O2, oxygen, 25, % vol",
    }
    mixed = kit.gas("B-MIX", "methane", 50.0, balance="nitrogen", oxygen=18.0)
    mixed["bottle"]["gases"] += [
        {"gas": "carbon monoxide", "value": 100.0, "unit": "ppm", "u_percent": 2.0, "basis": ""},
        {"gas": "oxygen", "value": 18.0, "unit": "% vol", "u_percent": 1.0, "basis": ""},
    ]
    p = detector("gas-portable-check", details, {"mixed": mixed}, output_unit="")
    return p.take(["48", "97", "18.1"]).decide("leave").forward().sign()
