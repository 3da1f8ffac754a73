"""Scales and a mass flow meter on the bench: a weight string listened to, lines that are broken, a zero with a leaking valve, a leg that binds."""

import json
import socket
import time
from pathlib import Path
from unittest import TestCase

from apps.bench.maps import check_map
from apps.bench.simulator.bench import BenchThread
from apps.bench.simulator.world import build_world
from apps.bench.sources.base import SourceFault
from apps.bench.sources.protocols import PROTOCOLS
from apps.bench.sources.weight_string import StringSource
from metrology.faults import Fault
from metrology.simulation.magnetic import SimulatedMagnetic
from metrology.simulation.mass_flow import SimulatedMassFlow
from metrology.simulation.scale import SimulatedScale

MAPS = Path(__file__).resolve().parents[3] / "demo" / "bench"
WEIGHT = {"label": "Hopper", "unit": "kg", "read": "weight", "low": -100, "high": 200}
WORLD = {
    "points": [
        {
            "tag": "WT-1",
            "kind": "scale",
            "set": {"supports": 1, "cell_capacity": 100, "dead_kg": 12, "division": 0.02, "piece_kg": 50, "top_kg": 60},
            "string_port": 0,
        }
    ]
}


class WeightString(TestCase):
    @classmethod
    def setUpClass(cls):
        thread = BenchThread(build_world(WORLD))
        cls.bench = thread.__enter__()
        cls.addClassCleanup(thread.__exit__)
        cls.scale = cls.bench.world.points[0].analyzer

    def source(self, timeout_s=2.0):
        made = StringSource("127.0.0.1", self.bench.ports["string WT-1"], timeout_s=timeout_s)
        self.addCleanup(made.close)
        return made

    def until(self, source, value, **signal):
        seen = None
        for _ in range(200):
            try:
                seen = source.read({**WEIGHT, **signal})
            except SourceFault as fault:  # what was told before it came to rest
                seen = fault.message
            if seen == value:
                return
            time.sleep(0.02)
        raise AssertionError(f"it shows {seen}, not {value}")

    def test_the_latest_line_counts_in_the_unit_that_is_asked(self):
        self.scale.put(50.0)
        source = self.source()
        self.until(source, 50.0)
        self.until(source, 50_000.0, unit="g", high=1e6)
        self.until(source, 1.0, read="stable")
        self.scale.put(0.0)
        self.until(source, 0.0)

    def test_a_broken_line_is_said_and_the_next_one_counts(self):
        self.scale.put(0.0)
        source = self.source()
        self.until(source, 0.0)
        self.bench.strings["WT-1"].garbled = 3
        with self.assertRaises(SourceFault) as told:
            for _ in range(100):
                source.read(WEIGHT)
                time.sleep(0.02)
        self.assertEqual(told.exception.code, "garbage")
        self.assertIn("S,+00#2", told.exception.message)
        self.until(source, 0.0)

    def test_over_its_max_is_said(self):
        self.scale.put(65.0)
        source = self.source()
        with self.assertRaises(SourceFault) as told:
            for _ in range(200):
                source.read(WEIGHT)
                time.sleep(0.02)
        self.assertIn("more lies on it than it can weigh", told.exception.message)
        self.scale.put(0.0)

    def test_nobody_there_and_nothing_coming(self):
        with socket.create_server(("127.0.0.1", 0)) as silent:
            source = StringSource("127.0.0.1", silent.getsockname()[1], timeout_s=0.2)
            self.addCleanup(source.close)
            with self.assertRaises(SourceFault) as told:
                source.read(WEIGHT)
            self.assertEqual(told.exception.code, "no_answer")
        with self.assertRaises(SourceFault) as told:
            StringSource("127.0.0.1", 1, timeout_s=0.2).read(WEIGHT)
        self.assertEqual(told.exception.code, "no_connection")

    def test_nothing_is_sent_to_it(self):
        self.assertRaises(SourceFault, self.source().write, WEIGHT, 1.0)
        told = {"format": "verify-loop-signals/1", "device": "IN", "label": "I", "protocol": "string", "address": "127.0.0.1:1"}
        signal = {"key": "a", "label": "a", "unit": "kg", "read": "weight"}
        check_map({**told, "signals": [signal]})
        for bad in ({"read": "pv"}, {"write": "x"}):
            self.assertRaises(Fault, check_map, {**told, "signals": [{**signal, **bad}]})


class Maps(TestCase):
    def test_the_maps_of_the_demo_read_what_its_world_shows(self):
        world = json.loads((MAPS / "world.json").read_text()) | {
            "transmitters": [],
            "blocks": [],
            "detectors": [],
            "analyzers": [],
            "belts": [],
        }
        for point in world["points"]:
            point.pop("string_port", None)
        for port in ("modbus_port", "gas_port", "calibrator_port"):
            world[port] = 0
        thread = BenchThread(build_world(world))
        bench = thread.__enter__()
        self.addCleanup(thread.__exit__)
        points = {p.tag: p for p in bench.world.points}
        for name, key, value in (
            ("silo", "WT-3301.cell2", lambda: points["WT-3301"].analyzer.cells[1]),
            ("coriolis", "FIT-5401.temp", lambda: points["FIT-5401"].analyzer.temperature),
        ):  # fmt: skip
            device = check_map(json.loads((MAPS / f"{name}.json").read_text()))
            signal = next(s for s in device["signals"] if s["key"] == key)
            source = PROTOCOLS["modbus"]("127.0.0.1", bench.ports["modbus"], timeout_s=1.0)
            self.addCleanup(source.close)
            for _ in range(100):
                if abs(source.read(signal) - value()) < 1e-3:
                    break
                time.sleep(0.05)
            else:
                self.fail(f"{key} reads {source.read(signal)}, it is {value()}")
        card = {s["key"]: s for s in check_map(json.loads((MAPS / "magnetic.json").read_text()))["signals"]}
        for key, told, value in (("card", "velocity", 3.0), ("out", "ma", 12.0), ("freq", "hz", 100.0)):
            source.write(card[f"FIT-2302.{key}"], value)
            for _ in range(200):
                if abs(source.read(card[f"FIT-2302.{told}"]) - value) < 0.005 * value:
                    break
                time.sleep(0.05)
            else:
                self.fail(f"{told} never came to {value}")
        freed = next(s for s in check_map(json.loads((MAPS / "silo.json").read_text()))["signals"] if s["key"] == "WT-3301.free")
        source.write(freed, freed["press"])
        for _ in range(100):
            if points["WT-3301"].analyzer.bound == 0:
                break
            time.sleep(0.05)
        self.assertEqual(points["WT-3301"].analyzer.bound, 0)


class Physics(TestCase):
    def test_a_card_takes_only_what_it_can_be_set_to(self):
        m = SimulatedMagnetic(gain=1.01)
        for raw, taken in (
            (0.0, True),
            (20.0, True),
            (20.1, False),
            (1003.5, True),
            (1003.4, False),
            (1023.0, True),
            (1023.1, False),
            (100_500.0, True),
        ):
            self.assertEqual(m.set(raw), taken, raw)
        self.assertEqual((m.card, m.out_ma, m.hz), (20.0, 23.0, 500.0))
        self.assertAlmostEqual(self.settled(m).velocity, 20.2, 2)

    def settled(self, made, seconds=60):
        for _ in range(seconds * 2):
            made.step(0.5)
        return made

    def test_a_leg_that_binds_reads_low_and_carries_less(self):
        s = SimulatedScale(bound=0.3)
        s.put(10_000.0)
        self.settled(s)
        self.assertAlmostEqual(s.raw, 10_000 * (1 - 0.1), -1)
        empty = SimulatedScale().cells
        self.assertAlmostEqual((s.cells[2] - empty[2]) / (s.cells[0] - empty[0]), 0.7, 6)

    def test_a_load_beyond_it_is_refused_and_its_span_is_set_by_the_load(self):
        s = SimulatedScale(span=1.01)
        self.assertFalse(s.put(44_001))
        self.assertTrue(s.put(44_000))
        s.put(10_000.0)
        self.assertTrue(s.set_span())
        self.assertAlmostEqual(self.settled(s).raw, 10_000, 3)
        self.assertFalse(s.zero())

    def test_a_leak_falls_with_a_second_valve_and_a_zero_stays(self):
        m = SimulatedMassFlow(leak=6.0, zero=3.2, seed=1)
        m.turn("down", is_open=False)
        m.turn("up", is_open=False)
        self.settled(m)
        self.assertEqual(m.shown, 0.0)  # its cut-off is on
        m.cut(is_on=False)
        self.assertAlmostEqual(m.shown, 9.0, delta=0.6)
        m.turn("second", is_open=False)
        self.assertAlmostEqual(self.settled(m).shown, 3.2, delta=0.6)
        self.assertTrue(m.set_zero())
        self.assertAlmostEqual(m.shown, 0.0, delta=0.6)
