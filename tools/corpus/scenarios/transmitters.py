"""Runs of transmitters, displacers, temperature sensors and loops."""

from __future__ import annotations

from tools.corpus import kit
from tools.corpus.player import Player, instrument
from tools.corpus.scenario import EIGHTH, ELEVENTH, FIRST, NINTH, SECOND, SIXTH, TENTH, scenario, targets


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


@scenario("tx-multipoint", "3", "returned", SIXTH)
def _() -> Player:
    p = transmitter("3", transfer="sqrt", tolerance=1.0, policy={"pass_rule": "guard-u", "minimum_tur": 1.0}, cycles=2)
    p.errors(0.3).decide("adjust").turn(("zero", "4.048", "4.000"), ("span", "20.048", "20.0"), ("zero", "4.0", ""), ("span", "20.0", ""))
    p.errors(0.02, 0.03, -0.01).decide("leave").forward().sign("first")
    p.send_back("the note on the manifold is missing")
    p.do("note_added", text="Manifold found closed at the low side")
    return p.sign("second").review()


@scenario("tx-multipoint", "3", "override", SIXTH)
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


@scenario("tx-multipoint", "3", "captured", SIXTH)
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


@scenario("tx-multipoint", "3", "voided-on-hold", SIXTH)
def _() -> Player:
    p = transmitter("3", is_adjustable=False)
    p.do("reading_taken", step="as_found", slot=0, indicated="4.01")
    p.do("hold_extended", hold=p.state.open_holds[0].id, minutes="30", reason="waiting for the crane")
    p.do("voided", reason="wrong manifold", keeps_hold=True)
    return p


@scenario("tx-multipoint", "3", "sealed", SIXTH)
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


@scenario("tx-configure", "2", "trimmed", SIXTH)
def _() -> Player:
    return _sent(_configured("2")).review()


@scenario("tx-configure", "3", "trimmed-after-it-was-left-and-proved", ELEVENTH)
def _() -> Player:
    return _left_and_proved("3")


def _left_and_proved(revision: str) -> Player:
    p = Player("tx-configure", revision, instrument=instrument({}), points_percent=(0.0, 50.0, 100.0))
    p.refs = kit.METER
    p.forward().do("parameters_captured", step="read_device", kind="before", values=BEFORE)
    p.do("step_confirmed", step="read_device")
    p.errors(0.02).decide("leave")
    p.do(
        "device_acted",
        step="configure",
        act="trim_output_high",
        words="trimmed the output's high end, measured 20.003 mA",
        values={"value": "20.003"},
    )
    p.do("step_confirmed", step="configure")
    p.errors(0.01).decide("leave")
    p.do("parameters_captured", step="read_after", kind="after", values=BEFORE)
    p.do("step_confirmed", step="read_after")
    return p.forward().sign().review()


@scenario("level-displacer", "1", "dry-and-wet", EIGHTH)
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


@scenario("temp-sensor", "1", "coefficients", EIGHTH)
def _() -> Player:
    from metrology.quantities.temperature import pt_resistance

    p = _element({"matches_coefficients": True})
    seen = [{"applied": f"{t + 0.1:.2f}", "indicated": f"{1.004 * pt_resistance(t + 0.1):.4f}"} for t in (0, 75, 150)]
    return p.take(seen).decide("coefficients").forward().take(seen).decide("leave").forward().sign()


@scenario("temp-sensor", "1", "round", EIGHTH)
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


@scenario("temp-sensor", "1", "thermocouple", EIGHTH)
def _() -> Player:
    from metrology.quantities.temperature import thermocouple_emf

    made = instrument({"sensor": "tc-k", "sensor_class": "tc-k-2"}, unit="C", lrv=0.0, urv=600.0)
    p = Player("temp-sensor", "1", instrument=made, points_percent=(0.0, 50.0, 100.0))
    p.refs = kit.MILLIVOLT
    p.forward(cold_junction_c="23.5")
    p.take([{"indicated": f"{thermocouple_emf('K', t + e, cold_junction_c=23.5):.3f}"} for t, e in ((0, 0.8), (300, 3.5), (600, 9.0))])
    return p.decide("replace", "aged in the crystalliser").forward().sign()


@scenario("loop-check", "1", "displays-and-alarms", SIXTH)
def _() -> Player:
    details = {"displays": "Isolator mA 4 20; Control system kPa 0 400", "alarms": "High 380 rising; Low 20 falling"}
    p = Player("loop-check", "1", instrument=instrument(details))
    p.refs = kit.SOURCE
    p.forward()

    def off(slot: dict[str, object]) -> str:
        return f"{float(str(slot['ideal'])) + (4.0 if slot['channel'] == 'Control system' else 0.0):.3f}"

    p.take(off).decide("repair").forward()
    return p.take(lambda s: s["ideal"]).decide("leave").forward(reading="200").sign()


LOOP = {"supply_v": "24", "loop_ohm": "250"}  # the lift-off voltage is not known, and asked


@scenario("tx-multipoint", "4", "loop-at-its-alarm-current", NINTH)
def _() -> Player:
    p = Player("tx-multipoint", "4", instrument=instrument(LOOP), points_percent=(0.0, 50.0, 100.0))
    p.refs = kit.PRESSURE
    p.forward(supply_v="24", ohms="250", lift_off_v="10.5", max_ma="22")
    return p.errors(0.1).decide("leave").forward(reading="212").sign().review()


@scenario("loop-check", "2", "loop-at-its-alarm-current", TENTH)
def _() -> Player:
    p = Player("loop-check", "2", instrument=instrument({**LOOP, "displays": "Control system kPa 0 400"}), points_percent=(0.0, 100.0))
    p.refs = kit.SOURCE
    p.forward(supply_v="24", ohms="250", lift_off_v="12", max_ma="23")
    return p.take(lambda slot: slot["ideal"]).decide("leave").forward(reading="212").sign()


@scenario("temp-sensor", "2", "independent-point", NINTH)
def _() -> Player:
    from metrology.quantities.temperature import pt_resistance

    details = {"sensor": "pt", "sensor_class": "pt-a", "matches_coefficients": True}
    p = Player("temp-sensor", "2", instrument=instrument(details, unit="°C", lrv=0.0, urv=150.0), points_percent=(0.0, 50.0, 100.0))
    p.refs = kit.OHM
    p.forward()

    def seen(*points: float) -> list[dict[str, str]]:
        return [{"applied": f"{t + 0.1:.2f}", "indicated": f"{1.004 * pt_resistance(t + 0.1):.4f}"} for t in points]

    return p.take(seen(0, 75, 150)).decide("coefficients").forward().take(seen(0, 37.5, 75, 150)).decide("leave").forward().sign()


@scenario("level-displacer", "2", "tray-and-filling", NINTH)
def _() -> Player:
    details = {
        "displacer_weight": "2", "displacer_volume": "1000", "density": "0.0008", "weights_on_hand": "1 0.5 0.2 0.2 0.1 0.05 0.02 0.02",
        "has_column": True, "tray_weight": "0.05",
    }  # fmt: skip
    p = Player("level-displacer", "2", instrument=instrument(details, unit="%", lrv=0.0, urv=100.0))
    p.refs = kit.WEIGHTS
    p.forward(weights_on_hand="1 0.5 0.2 0.2 0.1 0.05 0.02 0.02").errors(0.05).decide("leave")
    return p.forward(filling_density="0.001").errors(0.1).decide("leave").forward(reading="44").sign().review()


NEW = {"device_serial": "NEW-77", "device_model": "P4", "old_went_to": "scrapped"}


@scenario("tx-multipoint", "5", "exchanged", ELEVENTH)
def _() -> Player:
    p = transmitter("5", points_percent=(0.0, 50.0, 100.0)).errors(0.4, 2.9, 6.1).decide("exchange", "bowed, and a spare is here")
    return p.forward(**NEW).errors(0.05, 0.02, 0.04).decide("leave").forward(reading="212").sign().review()


@scenario("temp-sensor", "3", "exchanged", ELEVENTH)
def _() -> Player:
    from metrology.quantities.temperature import pt_resistance

    details = {"sensor": "pt", "sensor_class": "pt-a", "matches_coefficients": True}
    p = Player("temp-sensor", "3", instrument=instrument(details, unit="°C", lrv=0.0, urv=150.0), points_percent=(0.0, 50.0, 100.0))
    p.refs = kit.OHM
    p.forward()

    def seen(ratio: float) -> list[dict[str, str]]:
        return [{"applied": f"{t:.2f}", "indicated": f"{ratio * pt_resistance(t):.4f}"} for t in (0.0, 75.0, 150.0)]

    p.take(seen(1.02)).decide("exchange", "aged in the crystalliser")
    return p.forward(**NEW).take(seen(1.0001)).decide("leave").forward(reading="88").sign()


@scenario("level-displacer", "3", "exchanged", ELEVENTH)
def _() -> Player:
    return _displacer_exchanged("3")


def _displacer_exchanged(revision: str) -> Player:
    details = {
        "displacer_weight": "2",
        "displacer_volume": "1000",
        "density": "0.0008",
        "weights_on_hand": "1 0.5 0.2 0.2 0.1 0.05 0.02 0.02",
    }
    p = Player("level-displacer", revision, instrument=instrument(details, unit="%", lrv=0.0, urv=100.0), points_percent=(0.0, 50.0, 100.0))
    p.refs = kit.WEIGHTS
    p.forward(weights_on_hand="1 0.5 0.2 0.2 0.1 0.05 0.02 0.02").errors(0.5, 2.5, 3.0).decide(
        "exchange", "torque tube bent, a spare is here"
    )
    return p.forward(**NEW).errors(0.05).decide("leave").forward(reading="44").sign()


@scenario("loop-check", "3", "displays-and-alarms", ELEVENTH)
def _() -> Player:
    return _displays("3")


def _displays(revision: str) -> Player:
    details = {"displays": "Isolator mA 4 20; Control system kPa 0 400; Panel % 0 100", "alarms": "High 380 rising"}
    p = Player("loop-check", revision, instrument=instrument(details))
    p.refs = kit.SOURCE
    p.forward()

    def off(slot: dict[str, object]) -> str:
        ideal, channel = float(str(slot["ideal"])), str(slot["channel"])
        wrong = {"Control system": ideal + 4.0, "Panel": 1.03 * ideal, "Alarm High": ideal + 0.4}
        return f"{wrong.get(channel, ideal):.3f}"

    p.take(off).decide("repair").forward()
    return p.take(lambda s: s["ideal"]).decide("leave").forward(reading="200").sign()


@scenario("tx-multipoint", "6", "scatter-then-adjusted")
def _() -> Player:
    p = transmitter("6", points_percent=(0.0, 50.0, 100.0)).errors(0.4, 2.9, 6.1).decide("repeat")
    return (
        p.errors(0.9)
        .decide("adjust")
        .turn(("zero", "4.144", "4.000"), ("span", "20.144", "20.001"), ("zero", "4.001", ""), ("span", "20.001", ""))
        .errors(0.05)
        .decide("leave")
        .forward(reading="212")
        .sign()
        .review()
    )


@scenario("tx-configure", "4", "trimmed-after-it-was-left-and-proved")
def _() -> Player:
    return _left_and_proved("4")


@scenario("level-displacer", "4", "exchanged")
def _() -> Player:
    return _displacer_exchanged("4")


@scenario("loop-check", "4", "displays-and-alarms")
def _() -> Player:
    return _displays("4")


@scenario("temp-sensor", "4", "not-deep-enough")
def _() -> Player:
    from metrology.quantities.temperature import pt_resistance

    details = {"sensor": "pt", "sensor_class": "pt-a"}
    p = Player("temp-sensor", "4", instrument=instrument(details, unit="°C", lrv=0.0, urv=150.0), points_percent=(0.0, 50.0, 100.0))
    p.refs = kit.OHM
    p.forward()

    def seen(conducted: float) -> list[dict[str, str]]:
        return [{"applied": f"{t:.2f}", "indicated": f"{pt_resistance(t - conducted * (t - 22.0)):.4f}"} for t in (0.0, 75.0, 150.0)]

    p.take(seen(0.006)).decide("repeat", "not deep enough in the well: pushed down").take(seen(0.0004)).decide("leave")
    return p.forward(reading="88").sign()


@scenario("tx-multipoint", "6", "countersigned")
def _() -> Player:
    p = transmitter("6", points_percent=(0.0, 50.0, 100.0)).errors(0.05).decide("leave").forward(reading="212").sign("with the inspector")
    return p.countersign("tomas", "witness", "for the insurer").review()
