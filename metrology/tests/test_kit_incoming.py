"""The incoming check of a portable: papers, self-test, inlet, zero and span, memory, battery; each limit just inside, at and just outside."""

from unittest import TestCase

from metrology.faults import Fault
from metrology.judgement.gas_kit import AMBIENT
from metrology.judgement.tolerance import Term, Tolerance
from metrology.methods.catalogue.kit_incoming import IncomingSettings, battery, settings_of
from metrology.methods.registry import CATALOGUE, METHODS, all_settings
from metrology.methods.setup import INSTRUMENT, KIT, InstrumentSetup
from metrology.quantities.transfer import Transfer
from metrology.tests.gases import bottle, plain, zero_air
from metrology.tests.runs import Play

SERIAL = "SN-77"
LOOKED = {"certificate": "yes", "accessories": "yes"}
LOG = {"samples": "2880", "interval_s": "10", "longest_gap_s": "10"}  # 8 h exactly


def item(measures="methane", unit="ppm", top=1000.0, **limits):
    """A portable of the kit."""
    return InstrumentSetup(
        tag="MB-D01", serial=SERIAL, service="Portable leak detector", area="Kit", unit=unit, lrv=0.0, urv=top, output_lo=0.0, output_hi=top,
        output_unit=unit, transfer=Transfer(), tolerance=Tolerance((Term(2.0, "span"),)), subject=KIT, details=IncomingSettings(measures, **limits),
    )  # fmt: skip


def check(**more):
    return Play("kit-incoming", instrument=item(**more), points_percent=())


class Incoming(Play):
    """A check played to where it is judged; what is not given is right."""

    def __init__(self, measures="methane", **more):
        super().__init__("kit-incoming", instrument=item(measures, **more), points_percent=())

    def to_inlet(self, self_test="yes", **papers):
        self.do("step_confirmed", step="identity", values={"code": "MB-D01", "serial": SERIAL})
        self.do("step_confirmed", step="papers", values={**LOOKED, **papers})
        self.do("step_confirmed", step="self_test", values={"self_test": self_test})
        return self

    def inlet(self, *tries):
        for n, (point, seconds) in enumerate(tries, 1):
            end = "" if n == 1 else f"_{n}"
            self.do("step_confirmed", step=f"inlet{end}", values={f"threshold{end}": point, f"alarm_s{end}": seconds})
        return self

    def read_both(self, zero="0", span="500", *, gas=None):
        if self.current == "settling":
            self.do("timer_started", step="settling")
            self.do("timer_ended", step="settling", reason="Was lying here for an hour")
        if self.current == "gas":
            given = gas or (("zero", zero_air()), ("span", bottle("B-CH4", "methane", 500.0, "ppm")))
            for role, made in given:
                reason = "outdoors, away from the stacks" if made.code == AMBIENT else ""
                self.do("gas_assigned", role=role, bottle=plain(made), regulator=None, line=None, reason=reason, peers=[])
            self.do("step_confirmed", step="gas", values={})
        return self.read(self.current, (zero, span))

    def to_judge(self, no_readings="yes", memory_clear="yes", **log):
        self.do("step_confirmed", step="memory", values={"no_readings": no_readings, "memory_clear": memory_clear})
        self.do("step_confirmed", step="battery", values={**LOG, **log})
        return self

    def whole(self, *, inlet=(("60", "6"),), zero="0", span="500", log=None, **looks):
        papers = {k: looks.pop(k) for k in ("certificate", "accessories", "self_test") if k in looks}
        return self.to_inlet(**papers).inlet(*inlet).read_both(zero, span).to_judge(**looks, **(log or {}))


class IncomingCheck(TestCase):
    def choice(self, play):
        return play.view["step"]["judge"]["proposal"]

    def test_it_is_about_the_kit_and_no_method_of_instruments(self):
        self.assertEqual(METHODS["kit-incoming"].traits.subject, KIT)
        self.assertNotIn("kit-incoming", CATALOGUE)
        self.assertNotIn("least_hours", all_settings(INSTRUMENT))
        self.assertIn("least_hours", all_settings())
        play = check()
        self.assertEqual(play.state.setup.instrument.subject, KIT)
        self.assertEqual(settings_of(play.state.setup).measures, "methane")

    def test_nothing_against_it_is_accepted_and_signed(self):
        p = Incoming().whole()
        self.assertEqual(self.choice(p), "accept")
        p.do("decision_made", step="judge", choice="accept")
        self.assertEqual(p.current, "sign")
        p.do("signed")
        self.assertEqual(p.state.seal["summary"]["decision"], "accept")
        self.assertEqual(p.state.seal["summary"]["left"]["verdict"], "pass")

    def test_the_point_is_lowered_step_by_step_until_the_alarm_comes_in_time(self):
        p = Incoming().to_inlet()
        p.inlet(("80", ""))
        self.assertEqual(p.current, "inlet_2")
        with self.assertRaises(Fault) as refused:
            p.do("step_confirmed", step="inlet_2", values={"threshold_2": "80", "alarm_s_2": "4"})
        self.assertIn("Lower it", str(refused.exception))
        p.do("step_confirmed", step="inlet_2", values={"threshold_2": "70", "alarm_s_2": "10.1"})
        self.assertEqual(p.current, "inlet_3")
        p.do("step_confirmed", step="inlet_3", values={"threshold_3": "60", "alarm_s_3": "10"})
        self.assertEqual(p.current, "settling")
        p.read_both().to_judge()
        self.assertEqual(self.choice(p), "accept")
        rows = next(t["rows"] for t in p.view["evidence"][0]["tables"] if t["title"] == "Inlet blocked")
        self.assertEqual(rows, [["80", "none"], ["70", "10.1 s"], ["60", "10 s"]])

    def test_an_alarm_that_never_comes_quarantines_it(self):
        tries = tuple((str(90 - 10 * n), "") for n in range(6))
        p = Incoming().to_inlet().inlet(*tries)
        self.assertEqual(p.current, "settling")
        p.read_both().to_judge()
        self.assertEqual(self.choice(p), "quarantine")
        with self.assertRaises(Fault) as refused:
            p.do("decision_made", step="judge", choice="accept", reason="We need it today")
        self.assertIn("never came", str(refused.exception))

    def test_zero_and_span_at_their_limits(self):
        # zero within 2 % of 1000 ppm, span within 10 % of 500 ppm
        just_in = (("20", "550"), ("19.9", "549.9"), ("-20", "450"))
        just_out = (("20.1", "500"), ("-20.1", "500"), ("0", "550.1"), ("0", "449.9"))
        for zero, span in (*just_in, *just_out):
            wanted = "accept" if (zero, span) in just_in else "set"
            with self.subTest(zero=zero, span=span):
                self.assertEqual(self.choice(Incoming().whole(zero=zero, span=span)), wanted)

    def test_zero_and_span_are_set_once_and_proved(self):
        p = Incoming().whole(span="430")
        p.do("decision_made", step="judge", choice="set")
        self.assertEqual(p.current, "set")
        p.do("step_confirmed", step="set", checks=["zero_first"])
        p.read("as_left", ("1", "498"))
        self.assertEqual(self.choice(p), "accept")
        p.do("decision_made", step="judge_left", choice="accept")
        self.assertEqual(p.current, "sign")

    def test_what_was_set_and_is_still_off_goes_to_quarantine(self):
        p = Incoming().whole(span="430")
        p.do("decision_made", step="judge", choice="set")
        p.do("step_confirmed", step="set", checks=["zero_first"])
        p.read("as_left", ("1", "440"))
        self.assertEqual(self.choice(p), "quarantine")

    def test_the_battery_at_its_limit_and_with_a_gap_in_its_log(self):
        for log, wanted in (
            ({"samples": "2880"}, "accept"),
            ({"samples": "2881"}, "accept"),
            ({"samples": "2879"}, "quarantine"),
            ({"longest_gap_s": "25"}, "accept"),
            ({"longest_gap_s": "25.1"}, "quarantine"),
        ):
            with self.subTest(log=log):
                self.assertEqual(self.choice(Incoming().whole(log=log)), wanted)

    def test_a_no_is_a_no(self):
        for name in ("certificate", "accessories", "self_test", "no_readings", "memory_clear"):
            with self.subTest(name):
                self.assertEqual(self.choice(Incoming().whole(**{name: "no"})), "quarantine")

    def test_does_not_apply_is_no_answer(self):
        p = Incoming()
        p.do("step_confirmed", step="identity", values={"code": "MB-D01", "serial": SERIAL})
        with self.assertRaises(Fault):
            p.do("step_confirmed", step="papers", values={"certificate": "does not apply", "accessories": "yes"})

    def test_another_item_is_not_checked_in_as_this_one(self):
        with self.assertRaises(Fault):
            Incoming().do("step_confirmed", step="identity", values={"code": "MB-D01", "serial": "SN-78"})

    def test_oxygen_is_zeroed_on_nitrogen_and_spanned_in_air(self):
        p = Incoming("oxygen", unit="% vol", top=25.0).to_inlet().inlet(("60", "5"))
        nitrogen = bottle("B-N2", gas="", name="Nitrogen", balance="nitrogen", oxygen=0.0)
        p.read_both("0.1", "20.8", gas=(("zero", nitrogen), ("air", zero_air())))
        p.to_judge()
        self.assertEqual(self.choice(p), "accept")

    def test_the_water_of_ambient_air_is_in_u_of_oxygen_alone(self):
        # 0.4 % vol of a range of 25 is 1.6 % of it.
        nitrogen = bottle("B-N2", gas="", name="Nitrogen", balance="nitrogen", oxygen=0.0)
        for code, wanted in ((AMBIENT, "1.6000 %"), ("B-AIR", None)):
            p = Incoming("oxygen", unit="% vol", top=25.0).to_inlet().inlet(("60", "5"))
            p.read_both("0.1", "20.8", gas=(("zero", nitrogen), ("air", bottle(code, gas="", name="Air"))))
            zero, span = ({c["name"]: c["value"] for c in row["budget"]["rows"]} for row in p.view["evidence"][0]["rows"])
            self.assertNotIn("Water in ambient air", zero)
            self.assertEqual(span.get("Water in ambient air"), wanted)
        p = Incoming().to_inlet().inlet(("60", "5"))
        ambient = bottle(AMBIENT, gas="", name="Air")
        p.read_both("0", "500", gas=(("zero", ambient), ("span", bottle("B-CH4", "methane", 500.0, "ppm"))))
        for row in p.view["evidence"][0]["rows"]:
            self.assertNotIn("Water in ambient air", [c["name"] for c in row["budget"]["rows"]])

    def test_hours_by_the_log(self):
        p = Incoming().whole()
        self.assertEqual(battery(p.state.setup), (8.0, False))
