"""Function checks of every kind of detector, and a run taken on by what is known once for many."""

from datetime import timedelta

from metrology.judgement.gas_kit import BottleGas
from metrology.methods.detector import DetectorSettings
from metrology.methods.settings import read_settings
from metrology.methods.slots import Watched
from metrology.run.onward import AFTER, BEFORE, NOTHING, onward, tap_before, tap_now, waits_for
from metrology.run.uses import uses_of
from metrology.tests.gases import HYDROGEN, GasPlay, RefusingCase, bottle, detector, plain

OXYGEN = {"gas": "oxygen", "technology": "oxygen", "proves_zero": True, "alarms": "Low 19.5 falling; High 23 rising"}
RANGES = "LEL, methane, 100, %LEL; H2S, hydrogen sulphide, 100, ppm; O2, oxygen, 25, % vol"
SAID = {"tag": "AE-1", "temperature": "14", "operator": "Control", "hold": "Round of checks", "minutes": "30", "reminder": "reset"}


def mixture(**changes):
    """A mixed bottle for a portable: methane, hydrogen sulphide, and less oxygen than air."""
    gases = (
        BottleGas("methane", 50.0, "%LEL", 2.0, "iec"),
        BottleGas("hydrogen sulphide", 40.0, "ppm", 5.0),
        BottleGas("oxygen", 18.0, "% vol", 1.0),
    )
    return bottle("B-MIX", gases=gases, balance="nitrogen", oxygen=18.0, **changes)


def portable(**changes):
    details = {"technology": "electrochemical", "basis": "iec", "channels": RANGES, "t90_s": "15"}
    return GasPlay("gas-portable-check", instrument=detector(details, output_unit="", **changes), gases={"mixed": mixture()})


def rail(p):
    """The steps of a run with their status."""
    return {s["key"]: s["status"] for phase in p.view["rail"] for s in phase["steps"]}


class OfEveryKind(RefusingCase):
    def test_a_portable_is_checked_on_one_mixture_all_ranges_at_once(self):
        p = portable()
        p.forward()
        self.assertNotIn("hold", rail(p))
        self.assertEqual([s.ideal for s in p.method.plan(p.state.setup, "as_found")], [50.0, 40.0, 18.0])
        p.expose("48", "39", "18.1").decide("leave")
        once = uses_of(p.state, p.method)
        self.assertEqual([u.item for u in once], ["B-MIX"])
        alone = p.method.uses(p.state.setup, "mixed", None).amount
        self.assertAlmostEqual(once[0].amount, alone)  # the gas flows once for the three
        self.assertIn("would not warn", self.assertRefused("wrong_choice", self._signals, p, "not all"))
        p.forward("end")
        self.assertEqual(p.state.status, "signed")

    def _signals(self, p, told):
        p.forward("signals")
        p.do("step_confirmed", step="signals", values={"signals": told})

    def test_a_mixture_without_one_of_its_gases_is_refused(self):
        p = portable()
        p.forward("gas")
        lacking = bottle("B-2", gases=mixture().gases[:1], oxygen=20.9)
        self.assertIn("hydrogen sulphide is needed", self.assertRefused("kit_refused", p.assign, "mixed", lacking))

    def test_read_live_oxygen_falls_from_air_and_the_others_rise(self):
        p = portable()
        p.forward()
        slots = {s.channel: s for s in p.method.plan(p.state.setup, "as_found")}
        quantities = {n: next(q for q in p.method.trial.asks(p.state.setup, s) if q.name == "indicated") for n, s in slots.items()}
        for name, before, end, is_refused in (("O2", 20.9, 18.0, False), ("LEL", 0.5, 50.0, False), ("LEL", 9.0, 50.0, True)):
            rule = p.method.watching.settle_rule(p.state.setup, slots[name], quantities[name])
            trace = tuple((n / 2, before if n < 4 else end) for n in range(400))
            seen = p.method.watching.watch(p.state.setup, slots[name], Watched({"indicated": trace}, rule, 0.0, True, None, before))
            self.assertEqual((seen.kind, seen.has("exposed-already")), ("ok", is_refused), name)

    def test_a_range_is_judged_by_the_bump_tolerance_of_its_own_gas(self):
        for read, verdict in (("32", "pass"), ("31.9", "fail")):  # 20 % of 40 ppm
            p = portable()
            p.forward()
            p.expose("50", read, "18")
            self.assertEqual(p.view["step"]["judge"]["verdict"], verdict, read)

    def test_an_oxygen_detector_sees_air_and_nitrogen_and_can_be_set_after_all(self):
        p = GasPlay("gas-oxygen-check", instrument=detector(OXYGEN, unit="% vol", urv=25.0), gases={"air": bottle("B-AIR", gas="", name="Air"),
                    "zero": bottle("B-N2", gas="", balance="nitrogen", oxygen=0.0)})  # fmt: skip
        p.forward()
        self.assertEqual([s.extra["exposure"] for s in p.method.plan(p.state.setup, "as_found")], ["air", "zero"])
        p.expose("18.6", "0.1")
        p.forward("judge", **{"alarm:as_found:Low": "19.4"})
        self.assertEqual(p.view["step"]["judge"]["proposal"], "calibrate")
        p.decide("calibrate")
        self.assertRefused("wrong_instrument", p.do, "step_confirmed", step="plate", values={"serial": "S-2"})
        self.assertEqual(p.forward("adjust").key, "adjust")

    def test_a_head_is_checked_channel_by_channel_and_not_set(self):
        details = {"technology": "catalytic", "basis": "iec", "channels": "A, hydrogen, 100, %LEL, 2.5; B, methane, 100, %LEL, 2.5"}
        p = GasPlay("gas-head-check", instrument=detector(details), gases={"span:A": bottle(), "span:B": bottle("B-CH4", "methane")})
        p.forward()
        self.assertEqual([s.channel for s in p.method.plan(p.state.setup, "as_found")], ["A", "B"])
        p.expose("50", "30")
        self.assertNotIn("calibrate", [o["value"] for o in p.view["step"]["options"]])
        p.decide("repair")
        p.forward()
        p.expose("50", "49").decide("leave")
        p.forward("end")
        self.assertEqual(p.state.status, "signed")

    def test_its_own_reminder_is_noted(self):
        p = GasPlay("gas-bump")
        p.forward()
        p.expose("50").decide("leave")
        p.forward("end", reminder="reset")
        noted = [r for n in p.view["noted"] for r in n["rows"]]
        self.assertIn("Reset", [r["value"] for r in noted])


class LessToSay(RefusingCase):
    def test_no_warm_up_is_asked_of_what_is_powered_all_year(self):
        for cut, status in (("", "left out"), ("It was without power on 3 Nov 2026", "later")):
            p = GasPlay("gas-bump", instrument=detector(warm_up_min=20.0, power_cut=cut))
            self.assertEqual(rail(p)["warm_up"], status)

    def test_the_countdown_is_over_as_far_as_it_was_seen(self):
        for seen, minutes in ((59.0, 1 / 60), (60.0, None), (61.0, None), (20.0, 40 / 60)):
            p = GasPlay("gas-bump")
            p.forward()
            p.expose("50").decide("leave")
            captured = {"last": 0.2, "label": "Display", "unit": "%LEL", "purged_s": seen}
            p.do("step_confirmed", step="purge", values={"purged": "0.2"}, captured=captured)
            self.assertEqual(p.step.minutes if p.step.kind == "timer" else None, minutes, seen)

    def test_the_as_left_span_is_the_proof_unless_policy_wants_another(self):
        for policy, after in (({}, "purge"), ({"proof": "always"}, "proof")):
            p = GasPlay(policy=policy)
            p.forward()
            p.expose("0", "38").decide("adjust")
            for screw, before, then in (("zero", "0", ""), ("span", "38", "50")):
                p.do("adjustment_made", step="adjust", screw=screw, before=before, after=then)
            p.do("step_confirmed", step="adjust")
            p.expose("0", "50").decide("leave")
            self.assertEqual(p.step.key, after)

    def test_a_loop_proof_wants_current_and_alarm_seen_at_the_control_system(self):
        p = GasPlay("gas-bump", policy={"loop_proof": "always"})
        p.forward()
        p.expose("50").decide("leave")
        self.assertEqual(p.step.key, "loop_proof")
        seen = {"loop_4": "4.2", "loop_20": "20.2", "loop_alarm": "yes", "loop_seen_by": "Control"}  # the band is 0.2 mA
        for name, value, code in (
            ("loop_20", "20.21", "out_of_range"),
            ("loop_4", "3.79", "out_of_range"),
            ("loop_alarm", "no", "wrong_choice"),
        ):
            self.assertRefused(code, p.do, "step_confirmed", step="loop_proof", values={**seen, name: value}, checks=["held_again"])
        self.assertRefused("unchecked", p.do, "step_confirmed", step="loop_proof", values=seen)
        p.do("step_confirmed", step="loop_proof", values=seen, checks=["held_again"])
        self.assertEqual(p.step.key, "purge")


class TakenOn(RefusingCase):
    def play(self, **changes):
        return GasPlay("gas-bump", instrument=detector({**HYDROGEN, "alarms": "Low 20 rising latching; High 40 rising"}), **changes)

    def on(self, p, speaks_for=NOTHING, **said):
        """Take it on as far as it goes; returns the kinds of the events."""
        kinds = []
        while event := onward(p.state, p.method, {**SAID, **said}, now=p.now, speaks_for=speaks_for):
            kinds.append(event[0])
            p.do(event[0], **event[1])
        return kinds

    def ready(self, **changes):
        p = self.play(**changes)
        p.do("gas_assigned", role="span", bottle=plain(bottle()), regulator=None, line=None)
        self.on(p, BEFORE)
        return p

    def purged(self, **changes):
        p = self.ready(**changes)
        p.expose("50")
        self.on(p, alarms_came="all")
        self.on(p, purged="0")
        return p

    def test_it_goes_to_its_first_reading_with_the_hold_on(self):
        p = self.ready()
        self.assertEqual(p.step.kind, "readings")
        self.assertEqual([h.reason for h in p.state.open_holds], ["Round of checks"])

    def test_nothing_is_made_up(self):
        p = self.play()
        self.on(p, BEFORE)
        self.assertEqual(p.step.key, "gas")  # no bottle was chosen
        p = self.ready()
        p.expose("50")
        self.on(p, BEFORE)
        self.assertEqual(p.step.key, "alarms")  # nobody said whether they came
        self.assertEqual(waits_for(p.state, p.method, SAID, now=p.now), ())
        self.on(p, alarms_came="all")
        self.assertEqual(p.step.key, "purge")
        self.assertEqual([f.name for f in waits_for(p.state, p.method, SAID, now=p.now)], ["purged"])

    def test_without_a_tap_nothing_usual_is_said_and_nothing_ticked(self):
        p = self.play()
        p.do("gas_assigned", role="span", bottle=plain(bottle()), regulator=None, line=None)
        self.on(p)
        self.assertEqual(p.step.key, "sensor")
        p = self.purged()
        self.assertEqual(p.step.key, "restore")  # nobody said that the adapter is off
        self.on(p, reading="0")
        self.on(p, BEFORE, reading="0")
        self.assertEqual(p.step.key, "restore")

    def test_all_that_a_tap_says_can_be_read_before(self):
        p = self.play()
        before = tap_before(p.state.setup, p.method)
        self.assertEqual(before.label, "Hold is on")
        self.assertIn("Tag on the plate: AE-1", before.says)
        self.assertIn("Sensor, filter and weather guard: Clean and dry", before.says)
        ticked = [c.label for s in p.method.steps(p.state.setup, {}) if s.phase in BEFORE for c in s.checks]
        self.assertTrue(ticked and set(ticked) <= set(before.says))
        self.assertTrue(any("nobody is warned" in c for c in before.cautions))
        p = self.purged()
        back = tap_now(p.state, p.method)
        self.assertEqual(back.label, "Hold is off")
        self.assertIn("Latched alarms: Reset, and seen clear", back.says)
        self.assertTrue({c.label for c in p.step.checks} <= set(back.says))
        self.assertIn("A cap or adapter left on makes a detector blind. Look twice.", back.cautions)

    def test_the_current_on_hold_and_what_it_does_to_a_vote_are_said(self):
        made = detector({**HYDROGEN, "inhibit_ma": "3"}, voting="2oo2", voting_group="V-1")
        p = GasPlay("gas-bump", instrument=made)
        tap = tap_before(p.state.setup, p.method)
        self.assertIn("Current at the control system: 3 mA", tap.says)
        self.assertIn("the trip can't come", tap.cautions[0])

    def test_a_portable_has_no_hold_to_speak_of(self):
        p = portable()
        self.assertEqual(tap_before(p.state.setup, p.method).label, "It is ready")
        p.forward()
        p.expose("50", "40", "18").decide("leave")
        p.forward("restore")
        self.assertEqual(tap_now(p.state, p.method).label, "It is back")

    def test_the_hold_comes_off_with_a_reading_once_the_countdown_is_over(self):
        p = self.purged(policy={"countdown_s": 600})
        self.assertEqual(self.on(p, AFTER, reading="0"), ["step_confirmed"])
        self.assertEqual((p.step.kind, self.on(p, AFTER, reading="0")), ("release", []))
        p.now += timedelta(seconds=600)
        self.assertEqual(self.on(p, reading="0"), [])  # not by itself
        self.assertEqual(self.on(p, AFTER), [])  # not without what it reads
        self.assertEqual(self.on(p, AFTER, reading="0"), ["hold_released"])
        self.assertEqual(p.step.kind, "sign")
        self.assertEqual(p.state.confirmations["restore"].values["reminder"], "reset")

    def test_what_failed_waits_for_somebody(self):
        for read, goes in (("40", True), ("39.9", False)):  # 20 % of 50
            p = self.ready()
            p.expose(read)
            self.on(p, **{"alarm:as_found:Low": "20"})
            self.assertEqual(p.step.key, "purge" if goes else "judge", read)

    def test_alarms_that_were_only_seen_count_as_far_as_the_gas_went(self):
        for read, told in (("50", "came, at which reading was not noted"), ("45", "not reached")):
            p = self.ready()
            p.expose(read)
            self.on(p, alarms_came="all")
            findings = {f["name"]: f["value"] for s in p.view["evidence"] for f in s["findings"]}
            self.assertIn("came, at which reading was not noted", findings["Alarm 'Low'"])
            self.assertIn(told, findings["Alarm 'High'"])

    def test_an_alarm_only_seen_latches_too(self):
        p = self.purged(policy={"countdown_s": 0})
        p.do("step_confirmed", step="restore", values={"reminder": "reset"}, checks=[c.key for c in p.step.checks])
        fields = p.view["step"]["fields"]
        self.assertIn("'Low' came and stays until it is reset", next(f for f in fields if f["name"] == "latches")["hint"])


class Settings(RefusingCase):
    def test_days_between_checks_have_limits(self):
        for text, ok in (("0", True), ("366", True), ("366.1", False), ("-1", False)):
            if ok:
                self.assertEqual(read_settings(DetectorSettings, {**HYDROGEN, "check_days": text}).check_days, float(text))
            else:
                self.assertRefused("out_of_range", read_settings, DetectorSettings, {**HYDROGEN, "check_days": text})
