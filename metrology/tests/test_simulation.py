"""The simulated transmitter behaves like one: lag, hysteresis, noise, ageing, screws that disturb each other."""

import math
from statistics import pstdev
from unittest import TestCase

from metrology.methods.registry import get_method
from metrology.quantities.transfer import Transfer
from metrology.simulation.pressure import PressureSource
from metrology.simulation.smart import Refused, SmartTransmitter
from metrology.simulation.thermal import Block, SimulatedSensor
from metrology.simulation.transmitter import Faults, SimulatedTransmitter
from metrology.tests.runs import Play


class Simulated(TestCase):
    def device(self, **changes):
        return SimulatedTransmitter(0, 400, **{"noise": 0.0, **changes})

    def test_it_approaches_a_step_with_its_time_constant(self):
        d = self.device(lag_s=2.0)
        d.step(2.0, 400)
        self.assertAlmostEqual((d.output() - 4) / 16, 1 - 2.718281828**-1, places=6)
        d.step(20.0, 400)
        self.assertAlmostEqual(d.output(), 20.0, places=3)

    def test_a_healthy_one_is_ideal(self):
        d = self.device()
        for applied, ideal in ((0, 4), (100, 8), (400, 20)):
            self.assertAlmostEqual(d.settle_at(applied), ideal, places=3)
        root = self.device(transfer=Transfer("sqrt"))
        self.assertAlmostEqual(root.settle_at(100), 12, places=3)

    def test_hysteresis_parts_up_from_down_in_the_middle_only(self):
        d = self.device(faults=Faults(hysteresis=1.0))
        up = d.settle_at(200)
        d.settle_at(410)
        down = d.settle_at(200)
        self.assertAlmostEqual(100 * (down - up) / 16, 1.0, places=2)

    def test_noise_has_its_size_and_the_seed_decides_it(self):
        one, same, other = (self.device(noise=0.05, seed=s) for s in (1, 1, 2))
        for d in (one, same, other):
            d.settle_at(200)
        a, b, c = ([d.output() for _ in range(400)] for d in (one, same, other))
        self.assertEqual(a, b)
        self.assertNotEqual(a, c)
        self.assertAlmostEqual(100 * pstdev(a) / 16, 0.05, delta=0.01)

    def test_it_ages(self):
        d = self.device(faults=Faults(drift_per_day=0.001))
        d.pass_days(365)
        self.assertAlmostEqual(d.faults.zero, 0.365, delta=0.15)

    def test_clipping_bow_and_output_stage(self):
        self.assertAlmostEqual(self.device(faults=Faults(clip_high_percent=90)).settle_at(400), 18.4, places=3)
        self.assertAlmostEqual(self.device(faults=Faults(bow=1.0)).settle_at(200), 12.16, places=3)
        d = self.device(faults=Faults(output_offset=0.5))
        self.assertAlmostEqual(d.settle_at(0), 4.08, places=3)
        self.assertAlmostEqual(d.pv_fraction, 0.0, places=6)

    def test_the_screws_disturb_each_other(self):
        d = self.device(interaction=0.2)
        d.turn_span(1.0)
        self.assertAlmostEqual(d.settle_at(0), 4 + 0.16 * 0.2, places=4)


class AdjustedThroughTheRun(TestCase):
    def adjust(self, device):
        """Follow the run's own advice on a device until it asks for nothing more; the passes taken."""
        run = Play().prepare()
        plan = get_method("tx-multipoint").plan(run.state.setup, "as_found")
        run.read("as_found", [f"{device.settle_at(s.nominal):.4f}" for s in plan])
        run.do(
            "decision_made",
            step="judge",
            choice="adjust",
            **({"reason": "to see"} if run.view["step"]["judge"]["proposal"] != "adjust" else {}),
        )
        while (advice := run.view["step"]["adjust"])["target"]:
            nominal, ideal = float(advice["target"]["apply"].split()[0]), float(advice["target"]["ideal"])
            before = device.settle_at(nominal)
            after = ""
            if abs(round(before, 3) - ideal) > 0.02:
                (device.turn_zero if advice["screw"] == "zero" else device.turn_span)(-100 * (before - ideal) / 16)
                after = f"{device.settle_at(nominal):.3f}"
            run.do("adjustment_made", step="adjust", screw=advice["screw"], before=f"{before:.3f}", after=after)
        return run.view["step"]["adjust"]

    def test_interacting_screws_converge_within_the_passes(self):
        for interaction in (0.0, 0.1, 0.3):
            for faults in (Faults(zero=1.0), Faults(span=2.0), Faults(zero=-1.5, span=1.0)):
                with self.subTest(interaction=interaction, faults=faults):
                    told = self.adjust(SimulatedTransmitter(0, 400, faults=faults, interaction=interaction, noise=0.002, seed=3))
                    self.assertTrue(told["is_converged"], told["says"])

    def test_a_screw_that_slips_is_found_out(self):
        class Slipping(SimulatedTransmitter):
            def settle_at(self, applied, *, overshoot=0.0):
                value = super().settle_at(applied, overshoot=overshoot)
                self._zero_trim = self._span_trim = 0.0  # both spring back once they have been looked at
                return value

        told = self.adjust(Slipping(0, 400, faults=Faults(zero=1.0), interaction=0.0, noise=0.0))
        self.assertTrue(told["is_stuck"])
        self.assertIn("mechanical", told["says"])


class BenchModels(TestCase):
    def test_a_source_and_a_block_warm_up_and_reach_their_point(self):
        source = PressureSource(full_scale=100, warm_up=0.5, warm_up_s=60)
        source.go_to(50)
        for _ in range(40):
            source.step(0.25)
        self.assertAlmostEqual(source.applied, 50.0, places=3)
        early = source.read() - source.applied
        for _ in range(1200):
            source.step(0.25)
        self.assertGreater(early, 10 * (source.read() - source.applied))
        block = Block(ramp=5.0, lag_s=2.0, reaches=80.0)
        block.set_point = 100.0
        for _ in range(400):
            block.step(0.25)
        self.assertAlmostEqual(block.well_c, 80.0, places=2)

    def test_a_leak_and_an_unplugged_sensor(self):
        source = PressureSource(full_scale=100, leak=0.5)
        source.go_to(50)
        for _ in range(80):
            source.step(0.25)
        self.assertLess(source.applied, 41.0)
        sensor = SimulatedSensor("tc-k", terminal_c=23.0)
        self.assertAlmostEqual(sensor.signal_at(100.0), 4.096 - 0.919, places=3)
        sensor.is_plugged = False
        self.assertEqual(sensor.read(), math.inf)

    def test_a_smart_transmitter_trims_and_refuses(self):
        tx = SmartTransmitter(lrl=-100, url=1000, lrv=0, urv=400, zero_error=1.0, gain_error=2.0, noise=0.0, damping=0.0)

        def at(value):
            for _ in range(60):
                tx.step(0.25, value)
            return tx.pv

        self.assertAlmostEqual(at(400), 400 + 4 + 8, places=3)
        at(0)
        tx.lower_trim(0.0)
        at(400)
        tx.upper_trim(400.0)
        self.assertAlmostEqual(at(0), 0.0, places=2)
        self.assertAlmostEqual(at(200), 200.0, places=2)
        self.assertAlmostEqual(tx.ma, 12.0, places=3)
        tx.set_range(0, 200)
        self.assertAlmostEqual(tx.ma, 20.0, places=3)
        for act in (lambda: tx.set_range(0, 5), lambda: tx.set_range(0, 2000), lambda: tx.set_damping(99), lambda: tx.trim_output_low(4.0)):
            with self.assertRaises(Refused):
                act()
