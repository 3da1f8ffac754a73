"""What a vessel's indicator tells and is told, in memory: read without a hold, sent under one, files of its own only, the file of the last time."""

from unittest import TestCase

from metrology.faults import Fault, Faults
from metrology.methods.setup import Past
from metrology.methods.steps import Field
from metrology.run.readouts import note_on, parameters_file, require_still, told_text, values_of_file
from metrology.tests.test_vessel import ANSWERS, UP, VesselPlay

HELD = {"p_zero": 0.3639, "p_span": 1.5767, "p_max": 40000.0, "p_division": 20.0}
FILE = tuple(Past(name, "2026-01-01", value, "", "as found") for name, value in HELD.items())
OFF = ("0", "2490", "4980", "7470", "9800", "7470", "4980", "2490", "0")  # 0.5 % of Max off at 10 t


def told(value):
    return {"words": "read", "values": value}


class Read(TestCase):
    def test_what_was_read_stands_in_the_fields_until_the_step_is_taken_back(self):
        p = VesselPlay().forward("stored")
        p.do("device_acted", step="stored", act="read", **told({"p_zero": "0.3640", "nothing": "1"}))
        self.assertEqual(
            {f["name"]: f["read"] for f in p.view["step"]["fields"]}, {"p_zero": "0.3640", "p_span": "", "p_max": "", "p_division": ""}
        )
        self.assertEqual(p.view["step"]["readouts"], [{"key": "stored", "label": "Read the indicator", "fields": list(HELD)}])
        p.forward("operator").do("step_reopened", step="stored", reason="read again")
        self.assertEqual({f["read"] for f in p.view["step"]["fields"]}, {""})

    def test_reading_needs_no_hold_and_sending_does(self):
        p = VesselPlay().forward("stored")
        with self.assertRaises(Fault) as refused:
            p.do("device_acted", step="stored", act="sent", **told({}))
        self.assertEqual(refused.exception.code, "no_hold")

    def test_what_comes_late_is_not_kept(self):
        p = VesselPlay().forward("operator")
        for late in ("stored", "operator"):
            with self.assertRaises(Fault):
                p.do("device_acted", step=late, act="read", **told({"p_zero": "0.3640"}))

    def test_looks_at_a_cell(self):
        for spread, stands in ((0.0019, True), (0.00201, False)):
            looks = [0.4, 0.4 + spread, 0.4 + spread / 2]
            if stands:
                self.assertAlmostEqual(require_still("Support 1", "mV/V", looks, 0.002), 0.4 + spread / 2)
            else:
                self.assertRaises(Fault, require_still, "Support 1", "mV/V", looks, 0.002)
        self.assertEqual(require_still("Max", "kg", [40000.0], 0.0), 40000.0)

    def test_numbers_of_a_register(self):
        for value, text in ((0.36399999260902405, "0.364"), (1.5772000551223755, "1.5772"), (1_000_000.0, "1000000"), (0.02, "0.02")):
            self.assertEqual(told_text(value), text)

    def test_what_is_said_of_a_number(self):
        field = Field("p", "Max", "number", low=10.0, high=20.0, why="Not what was sent.")
        for value, note in ((10.0, ""), (20.0, ""), (9.999, "Not what was sent."), (20.001, "Not what was sent.")):
            self.assertEqual(note_on(field, value), note)


class Sent(TestCase):
    def play(self, span="1.5767", sure="", **more):
        return VesselPlay(history=FILE, **more).forward(p_span=span, confirmed=sure)

    def test_a_digit_that_is_not_of_the_file_is_asked_about(self):
        self.play()
        for span in ("1.5766", "1.5768"):
            with self.assertRaises((Fault, Faults)) as asked:
                self.play(span)
            self.assertIn("The file of the last time has 1.5767", str(asked.exception))
            self.play(span, "p_span")

    def test_the_file_is_proposed_where_the_device_was_changed(self):
        for span, sure, choice in (("1.5767", "", "adjust"), ("1.5800", "p_span", "restore")):
            p = self.play(span, sure).take(*OFF).forward()
            self.assertEqual(p.proposal(), choice, span)
        self.assertIn("Signal at Max: 1.5767 in the file, 1.5800 in it", p.view["step"]["judge"]["reason"])

    def test_the_file_of_the_last_time_is_sent_and_read_back(self):
        p = self.play("1.5800", "p_span").take(*OFF).forward().decide("restore").forward("file")
        self.assertEqual([f["usual"] for f in p.view["step"]["fields"]], ["0.3639", "1.5767", "40000", "20"])
        given = {f"{k}_file": f"{v:g}" for k, v in HELD.items()}
        p.forward("send", **given)
        self.assertEqual(p.step.sends, (("p_zero", 0.3639), ("p_span", 1.5767), ("p_max", 40000.0), ("p_division", 20.0)))
        self.assertEqual(p.view["step"]["fields"][1]["beside"], ["1.5767", "1.5800", "1.5767"])
        # half a digit of an indicator that shows four is 0.00025
        for back, good in (("1.57694", True), ("1.57696", False)):
            q = {**ANSWERS, **given, "p_span_now": back}
            if not good:
                self.assertRaises((Fault, Faults), p.forward, "backup", **q)
        p.forward("backup", **{**ANSWERS, **given, "p_span_now": "1.57694"})

    def test_after_a_load_only_what_is_known_is_fixed(self):
        p = self.play().take(*OFF).forward().decide("adjust").forward("send")
        self.assertEqual(p.step.sends, ())
        self.assertEqual([f.low for f in p.step.fields[:2]], [-10, -10])
        self.assertEqual(p.view["step"]["fields"][0]["beside"][2], "as it works it out")


class Files(TestCase):
    def setUp(self):
        self.p = VesselPlay(history=FILE).forward().take(*OFF).forward().decide("restore", "wanted").forward("file")

    def test_what_is_saved_can_be_taken_again(self):
        given = {f"{k}_file": f"{v:g}" for k, v in HELD.items()}
        q = (
            VesselPlay(history=FILE)
            .forward()
            .take(*OFF)
            .forward()
            .decide("restore", "wanted")
            .forward("backup", **given, p_span_now="1.5767")
        )
        file = parameters_file(q.state, q.step)
        self.assertEqual(file["values"], {"p_zero": "0.3639", "p_span": "1.5767", "p_max": "40000", "p_division": "20"})
        self.assertEqual(values_of_file(self.p.state, self.p.step, file)["p_span_file"], "1.5767")

    def test_a_file_of_another_or_of_nothing_is_refused(self):
        i = self.p.state.setup.instrument
        good = {"format": "verify-loop-indicator/1", "tag": i.tag, "serial": i.serial, "values": {k: str(v) for k, v in HELD.items()}}
        values_of_file(self.p.state, self.p.step, good)
        for changed, code in (
            ({"tag": "WT-2"}, "another_device"),
            ({"serial": "other"}, "another_device"),
            ({"format": "verify-loop-parameters/1"}, "bad_file"),
            ({"values": []}, "bad_file"),
            ({"values": {"p_zero": "0.3639"}}, "bad_file"),
        ):
            with self.assertRaises(Fault) as refused:
                values_of_file(self.p.state, self.p.step, {**good, **changed})
            self.assertEqual(refused.exception.code, code)

    def test_no_file_where_none_is_asked_for(self):
        p = VesselPlay().forward("stored")
        self.assertRaises(Fault, values_of_file, p.state, p.step, {})


class Kept(TestCase):
    def test_what_it_held_is_the_file_of_the_next_time(self):
        p = VesselPlay().forward().take(*UP).forward()
        found = {s.name: s.value for s in p.method.trial.judge(p.state.setup, p.taken("as_found"), "as_found").series}
        self.assertEqual({k: found[k] for k in HELD}, {"p_zero": 0.3639, "p_span": 1.5767, "p_max": 40000.0, "p_division": 20.0})
