"""The command line of the calculations, run as a person runs it."""

import doctest
import importlib
import json
import pkgutil
import subprocess
import sys
from unittest import TestCase

import metrology
from metrology.calculators import calculate
from metrology.faults import Fault


def run(*arguments):
    done = subprocess.run([sys.executable, "-m", "metrology", *arguments], capture_output=True, text=True, timeout=60, check=False)
    return done.returncode, done.stdout.strip(), done.stderr


class CommandLine(TestCase):
    def test_list_prints_the_names(self):
        code, out, _ = run("list")
        self.assertEqual(code, 0)
        self.assertIn("thermocouple-emf", out.splitlines())
        self.assertEqual(len(out.splitlines()), 48)

    def test_a_calculation_is_one_line_of_json(self):
        code, out, _ = run("pt-resistance", "t90_c=100")
        self.assertEqual(code, 0)
        self.assertEqual(len(out.splitlines()), 1)
        self.assertAlmostEqual(json.loads(out)["ohm"], 138.5055)

    def test_structured_input(self):
        data = {
            "lrv": 0,
            "urv": 10,
            "tolerance_percent": 0.5,
            "readings": [
                {"applied": 0, "indicated": 4.2, "direction": "up"},
                {"applied": 10, "indicated": 20.2, "direction": "up"},
                {"applied": 0, "indicated": 4.2, "direction": "down"},
            ],
        }
        code, out, _ = run("points", "--json", json.dumps(data))
        self.assertEqual(code, 0)
        self.assertEqual(json.loads(out)["signature"], "zero-shift")

    def test_a_batch_gives_a_line_for_a_line_and_goes_on_after_an_error(self):
        lines = (
            {"name": "pt-resistance", "t90_c": 100}, {"name": "pt-resistance", "t90_c": 9000}, {"t90_c": 1}, {"name": "nope"},
            {"name": "duplicate", "a": "1.00", "b": "\u22121", "limit_percent": 5},
            {"name": "interval", "rule": "fixed", "base_days": 30, "history": [{"day": 0, "left_percent": 101}]},
        )  # fmt: skip
        text = "\n".join([*(json.dumps(line) for line in lines), "not json", ""])
        done = subprocess.run(
            [sys.executable, "-m", "metrology", "batch"], input=text, capture_output=True, text=True, timeout=60, check=False
        )
        told = [json.loads(line) for line in done.stdout.splitlines()]
        self.assertEqual((done.returncode, done.stderr, len(told)), (0, "", 7))
        self.assertAlmostEqual(told[0]["ohm"], 138.5055)
        self.assertEqual([sorted(t) for t in told[1:5]], [["error"]] * 4)
        self.assertIn("mean is 0", told[4]["error"])
        self.assertEqual((told[5]["days"], told[5]["due_now"]), (0, True))

    def test_bad_input_is_one_line_exit_2_and_no_traceback(self):
        for arguments in (
            ("pt-resistance", "t90_c=hot"),
            ("pt-resistance", "t90_c=9000"),
            ("pt-resistance",),
            ("no-such",),
            (),
            ("points", "--json", "{"),
            ("points", "--json", "[1]"),
            ("signal", "nonsense"),
            ("points", "lrv=0", "urv=1", "tolerance_percent=1", "readings=[{]"),
            ("points", "lrv=0", "urv=1", "tolerance_percent=1", "readings=3"),
        ):
            with self.subTest(arguments=arguments):
                code, out, err = run(*arguments)
                self.assertEqual(code, 2)
                self.assertEqual(list(json.loads(out)), ["error"])
                self.assertEqual(err, "")


class Docstrings(TestCase):
    def test_a_unit_may_follow_any_number_and_another_one_is_refused(self):
        for fields, value in (
            ({"value": "\u22125 kPa", "from": "kPa", "to": "mbar"}, -50.0),
            ({"value": "5kPa", "from": "kPa", "to": "mbar"}, 50.0),
        ):
            self.assertAlmostEqual(calculate("convert", fields)["value"], value)
        self.assertAlmostEqual(calculate("thermocouple-emf", {"type": "K", "t90_c": "100 °C"})["emf_mv"], 4.096, places=3)
        self.assertAlmostEqual(calculate("signal", {"lrv": "0", "urv": "10 bar", "value": "5bar"})["output"], 12.0)
        readings = [{"applied": f"{5 * n} bar", "indicated": f"{4 + 8 * n} mA", "at_s": f"{n} s"} for n in range(3)]
        told = calculate("points", {"lrv": "0 bar", "urv": "10", "tolerance_percent": "0.5 %", "readings": readings})
        self.assertEqual([round(p["error_percent"], 9) for p in told["points"]], [0.0, 0.0, 0.0])
        in_kpa = [readings[0], {**readings[1], "applied": "500 kPa"}, readings[2]]
        history = [{"day": "0 days", "found_percent": "5 %", "left_percent": "5 %"}, {"day": 365, "found_percent": 6, "left_percent": 6}]
        self.assertIn("days", calculate("interval", {"rule": "fixed", "base_days": "365 days", "history": history}))
        for name, fields, told in (
            ("points", {"lrv": "0", "urv": "10 bar", "tolerance_percent": 0.5, "readings": in_kpa}, "asked in bar"),
            ("convert", {"value": "5 bar", "from": "kPa", "to": "mbar"}, "asked in kPa"),
            ("signal", {"lrv": "0 bar", "urv": "10 bar", "value": "5 kPa"}, "asked in bar"),
            ("signal", {"lrv": "0", "urv": "10", "value": "5 apples"}, "a finite number is accepted"),
        ):
            with self.assertRaisesRegex(Fault, told):
                calculate(name, fields)

    def test_film_elements_hold_in_their_narrower_range(self):
        """IEC 60751:2022, table 3: class A of film elements from -30 to 300 °C."""
        for at, inside in ((-30.1, False), (-30, True), (300, True), (300.1, False)):
            if inside:
                self.assertAlmostEqual(
                    calculate("sensor-tolerance", {"sensor": "pt-a-film", "t90_c": at})["tolerance_c"], 0.15 + 0.002 * abs(at)
                )
            else:
                with self.assertRaises(Fault):
                    calculate("sensor-tolerance", {"sensor": "pt-a-film", "t90_c": at})

    def test_the_examples_in_the_core_are_true(self):
        tried = 0
        for module in pkgutil.walk_packages(metrology.__path__, "metrology."):
            if ".tests" in module.name or module.name.endswith("__main__"):
                continue
            result = doctest.testmod(importlib.import_module(module.name))
            self.assertEqual(result.failed, 0, module.name)
            tried += result.attempted
        self.assertGreater(tried, 15)
