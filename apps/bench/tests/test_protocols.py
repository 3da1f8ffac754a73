"""The bench's protocols against independent clients, and what the adapters say when a device misbehaves."""

import asyncio
import io
import time
from unittest import TestCase

import hart_protocol
import pyvisa
from hart_protocol import universal
from pymodbus.client import ModbusTcpClient

from apps.bench.hart import codec
from apps.bench.hart.codec import BadFrame, Frame
from apps.bench.hart.master import HartMaster
from apps.bench.simulator.bench import BenchThread
from apps.bench.sources.base import SourceFault
from apps.bench.sources.hart import HartSource
from apps.bench.sources.modbus import ModbusSource
from apps.bench.sources.scpi import ScpiSource
from apps.bench.tests.bench_world import quick_world, signal

ADDRESS = codec.long_address(0x26, 0x01, 1001)


class Line(io.BytesIO):
    """Bytes as a serial line offers them."""

    @property
    def in_waiting(self):
        return len(self.getvalue()) - self.tell()


class Frames(TestCase):
    def test_requests_are_those_of_an_independent_library(self):
        for command, data, theirs in (
            (0, b"", universal.read_unique_identifier(ADDRESS)),
            (1, b"", universal.read_primary_variable(ADDRESS)),
            (2, b"", universal.read_loop_current_and_percent(ADDRESS)),
            (15, b"", universal.read_output_information(ADDRESS)),
            (17, codec.pack_text("HELLO", 32)[:0] or None, None),
        ):
            if theirs is None:
                continue
            with self.subTest(command=command):
                self.assertEqual(codec.build(Frame(False, ADDRESS, command, data)), theirs)

    def test_replies_are_read_by_an_independent_library(self):
        data = bytes([12]) + codec.floats(201.25)
        sent = codec.build(Frame(True, ADDRESS, 1, data, bytes([0, 0])))
        unpacker = hart_protocol.Unpacker(Line(sent))
        message = next(iter(unpacker))
        self.assertEqual(message.command, 1)
        self.assertAlmostEqual(message.primary_variable, 201.25)

    def test_packed_text_is_that_of_an_independent_library(self):
        self.assertEqual(codec.pack_text("PT-2110", 8), hart_protocol.tools.pack_ascii("PT-2110 "))
        self.assertEqual(codec.unpack_text(codec.pack_text("RO FEED A (1)", 16)), "RO FEED A (1)")

    def test_frames_come_in_pieces_and_behind_one_another(self):
        one = codec.build(Frame(True, ADDRESS, 2, codec.floats(12.0, 50.0), bytes(2)))
        two = codec.build(Frame(True, bytes([0x80]), 0, b"x", bytes(2)))
        for cut in range(1, len(one)):
            found, rest = codec.take(one[:cut])
            self.assertIsNone(found)
            self.assertEqual(rest, one[:cut])
        first, rest = codec.take(one + two)
        second, rest = codec.take(rest)
        self.assertEqual((first.command, second.command, second.address, rest), (2, 0, bytes([0x80]), b""))

    def test_a_spoilt_parity_and_a_wrong_start_are_refused(self):
        frame = codec.build(Frame(True, ADDRESS, 1, bytes([12]) + codec.floats(1.0), bytes(2)))
        for n in range(6, len(frame)):
            spoilt = frame[:n] + bytes([frame[n] ^ 0x01]) + frame[n + 1 :]
            with self.subTest(byte=n):
                try:
                    self.assertIsNone(codec.take(spoilt)[0])  # a longer count waits for more
                except BadFrame:
                    continue
        with self.assertRaises(BadFrame):
            codec.take(b"\xff\xff\xff\x17\x00\x00")


class OnTheBench(TestCase):
    @classmethod
    def setUpClass(cls):
        cls.thread = BenchThread(quick_world())
        cls.bench = cls.thread.__enter__()
        cls.addClassCleanup(cls.thread.__exit__)
        cls.device = cls.bench.hart["PT-2110"]

    def assertFault(self, code, act, *args):
        with self.assertRaises(SourceFault) as caught:
            act(*args)
        self.assertEqual(caught.exception.code, code, caught.exception.message)
        return caught.exception.message


class Modbus(OnTheBench):
    def test_an_independent_client_reads_the_loop(self):
        self.bench.world.channel("PT-2110").source.go_to(200)
        time.sleep(1.2)
        client = ModbusTcpClient("127.0.0.1", port=self.bench.ports["modbus"])
        self.assertTrue(client.connect())
        self.addCleanup(client.close)
        words = client.read_input_registers(2, count=2, device_id=1).registers
        mine = ModbusSource("127.0.0.1", self.bench.ports["modbus"])
        self.addCleanup(mine.close)
        value = mine.read(signal("ma", "Loop", "mA", {"address": 2}))
        self.assertAlmostEqual(client.convert_from_registers(words, client.DATATYPE.FLOAT32), value, delta=0.02)
        self.assertAlmostEqual(value, 12.016, delta=0.02)

    def test_word_order_exception_and_absence_are_told(self):
        mine = ModbusSource("127.0.0.1", self.bench.ports["modbus"])
        self.addCleanup(mine.close)
        channel = self.bench.world.channel("PT-2110")
        channel.transmitter.noise = 0.0  # a value that moves makes other words each time, some of which would be believed
        channel.source.noise = 0.0
        channel.source.go_to(0)
        until = time.monotonic() + 10
        while not 4.0155 < mine.read(signal("ma", "Loop", "mA", {"address": 2})) < 4.0165 and time.monotonic() < until:
            time.sleep(0.05)  # the registers are filled a moment after the server listens
        # The words of a current near 4.016 mA, exchanged, make a number far below nothing.
        told = self.assertFault("absurd", mine.read, signal("ma", "Loop", "mA", {"address": 6}, low=0, high=25))
        self.assertIn("word order", told)
        told = self.assertFault("exception", mine.read, signal("x", "Loop", "mA", {"address": 900}))
        self.assertIn("no such register (exception 2)", told)
        gone = ModbusSource("127.0.0.1", 1)
        self.assertIn(
            "Check cable, power and address", self.assertFault("no_connection", gone.read, signal("x", "Loop", "mA", {"address": 0}))
        )


class Scpi(OnTheBench):
    def test_an_independent_client_sets_and_reads(self):
        manager = pyvisa.ResourceManager("@py")
        device = manager.open_resource(
            f"TCPIP0::127.0.0.1::{self.bench.ports['block A']}::SOCKET", read_termination="\n", write_termination="\n", timeout=2000
        )
        self.addCleanup(device.close)
        self.assertIn("BLOCK A", device.query("*IDN?"))
        device.write("SOUR:TEMP 80")
        self.assertEqual(float(device.query("SOUR:TEMP?")), 80.0)
        device.write("SOUR:TEMP 5000")
        self.assertIn("-222", device.query("SYST:ERR?"))
        time.sleep(3)
        self.assertAlmostEqual(float(device.query("MEAS:PROB?")), 80.0, delta=0.5)

    def test_garbage_half_answers_late_answers_and_an_open_circuit_are_told(self):
        server, well = self.bench.blocks[0], self.bench.world.wells[0]
        probe = signal("probe", "Probe", "°C", "MEAS:PROB?", write="SOUR:TEMP {value}", low=-60, high=700)
        mine = ScpiSource("127.0.0.1", self.bench.ports["block A"], timeout_s=0.4)
        self.addCleanup(mine.close)
        for wrong, value, code in (
            ("garbage", True, "garbage"),
            ("half", True, "no_answer"),
            ("delay_s", 1.0, "no_answer"),
            ("silent", True, "no_answer"),
        ):
            setattr(server.misbehaves, wrong, value)
            with self.subTest(wrong=wrong):
                self.assertFault(code, mine.read, probe)
            setattr(server.misbehaves, wrong, type(value)(0))
            self.assertGreater(mine.read(probe), -60)  # and it recovers
        well.probe.is_plugged = False
        self.assertIn("open circuit", self.assertFault("open_circuit", mine.read, probe))
        well.probe.is_plugged = True
        self.assertIn("refuses the set point", self.assertFault("refused", mine.write, probe, 4000.0))


class Hart(OnTheBench):
    def setUp(self):
        self.master = HartMaster("127.0.0.1", self.bench.ports["hart PT-2110"], timeout_s=0.4)
        self.addCleanup(self.master.close)

    def test_everything_is_read_and_what_is_written_is_held(self):
        self.assertEqual(self.master.read_all()["urv"], 400.0)
        self.master.write({"urv": 250.0, "damping": 1.5, "tag": "PT-1"}, self.master.read_all())
        now = self.master.read_all()
        self.assertEqual((now["urv"], now["lrv"], now["damping"], now["tag"]), (250.0, 0.0, 1.5, "PT-1"))
        self.master.write({"unit": "bar", "lrv": 0.0, "urv": 4.0}, now)
        self.assertEqual((self.master.read_all()["unit"], self.device.tx.urv), ("bar", 400.0))
        self.master.write({"unit": "kPa", "lrv": 0.0, "urv": 400.0}, self.master.read_all())

    def test_a_spoilt_answer_and_a_busy_device_are_asked_again(self):
        self.device.misbehaves.bad_parity = 1
        self.assertAlmostEqual(self.master.read_pv()[0], self.device.tx.pv, delta=2.0)
        self.device.misbehaves.busy = 2
        self.assertEqual(self.master.read_pv()[1], "kPa")
        self.device.misbehaves.busy = 9
        self.assertIn("it is busy", self.assertFault("no_answer", self.master.read_pv))
        self.device.misbehaves.busy = 0

    def test_answers_of_another_device_are_not_taken(self):
        self.master.identify()
        self.device.misbehaves.wrong_address = 9
        self.assertIn("did not answer", self.assertFault("no_answer", self.master.read_pv))
        self.device.misbehaves.wrong_address = 0

    def test_refusals_are_told_in_words_and_change_nothing(self):
        held = self.master.read_all()
        self.assertIn("URV is too high", self.assertFault("refused", self.master.write, {"urv": 5000.0}, held))
        self.assertIn("span is too small", self.assertFault("refused", self.master.write, {"urv": 1.0}, held))
        self.master.act("write_protect", 1)
        self.assertIn("write-protected", self.assertFault("refused", self.master.write, {"damping": 3.0}, held))
        self.master.act("write_protect", 0)
        self.assertEqual(self.master.read_all()["urv"], held["urv"])

    def test_trims_bring_sensor_and_output_to_what_was_measured(self):
        channel = self.bench.world.channel("PT-2110")
        channel.transmitter.zero_error, channel.transmitter.output_offset = 1.0, 0.5
        channel.source.noise = 0.0
        channel.source.go_to(0)
        time.sleep(1.5)
        self.master.act("zero_trim")
        self.assertAlmostEqual(self.master.read_pv()[0], 0.0, delta=0.1)
        self.master.act("fix_output", 4.0)
        self.assertAlmostEqual(channel.loop_ma, 4.08, delta=0.01)
        self.master.act("trim_output_low", 4.08)
        self.assertAlmostEqual(channel.loop_ma, 4.0, delta=0.01)
        self.assertIn("refused", self.assertFault("refused", self.master.act, "trim_output_high", 20.0))
        self.master.act("fix_output", 0.0)

    def test_a_silent_device_and_an_absent_modem_are_told_apart(self):
        self.device.misbehaves.silent = 9
        self.assertIn("Check the loop resistance", self.assertFault("no_answer", self.master.read_pv))
        self.device.misbehaves.silent = 0
        gone = HartSource("127.0.0.1", 1)
        self.assertIn("does not answer", self.assertFault("no_connection", gone.read, signal("pv", "PV", "kPa", "pv")))


class WorldGoesOn(TestCase):
    def test_time_passes_when_nobody_looks(self):
        world = quick_world()

        async def a_while():
            from apps.bench.simulator.bench import Bench

            task = asyncio.create_task(Bench(world).run())
            await asyncio.sleep(0.5)
            task.cancel()

        world.wells[0].block.set_point = 100.0
        asyncio.run(a_while())
        self.assertGreater(world.wells[0].block.well_c, 60.0)
