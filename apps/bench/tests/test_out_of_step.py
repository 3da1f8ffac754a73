"""A device that answers more than it is asked: no reading is ever taken for that of another signal, and one that keeps doing so is not believed."""

import socketserver
import threading
import time
from unittest import TestCase
from unittest.mock import patch

from apps.bench.poller import Poller
from apps.bench.sources import scpi
from apps.bench.sources.base import SourceFault
from apps.bench.sources.scpi import ScpiSource
from tools.ports import free_port

VALUES = {"READ:A?": "111.0", "READ:B?": "222.0"}
A = {"key": "a", "label": "Applied", "unit": "kPa", "read": "READ:A?"}
B = {"key": "b", "label": "Output", "unit": "mA", "read": "READ:B?"}


class Device(socketserver.ThreadingTCPServer):
    """Answers queries by lines; `extra` says how many lines more, before which answers, and how much later."""

    allow_reuse_address = daemon_threads = True

    def __init__(self):
        super().__init__(("127.0.0.1", 0), Lines)
        self.asked, self.extra, self.late_s = 0, set(), 0.0
        threading.Thread(target=self.serve_forever, args=(0.02,), daemon=True).start()

    def handle_error(self, request, client_address):
        """The source lets go of a connection as it likes."""


class Lines(socketserver.StreamRequestHandler):
    def handle(self):
        for line in self.rfile:
            device = self.server
            device.asked += 1
            answer = VALUES.get(line.decode().strip())
            if answer is None:
                continue
            self.wfile.write(f"{answer}\n".encode())
            if device.asked in device.extra:
                time.sleep(device.late_s)
                self.wfile.write(f"{answer}\n".encode())
            self.wfile.flush()


class OutOfStep(TestCase):
    def setUp(self):
        self.device = Device()
        self.addCleanup(self.device.server_close)
        self.addCleanup(self.device.shutdown)
        self.source = ScpiSource("127.0.0.1", self.device.server_address[1])
        self.addCleanup(self.source.close)

    def ask(self, signal):
        """One reading that stands alone, as it is taken outside of a trace."""
        try:
            value = self.source.read(signal)
            time.sleep(0.1)
            self.source.confirm(signal)
            return value
        except SourceFault as fault:
            return fault.code

    def test_one_line_too_many_is_noticed_and_swaps_nothing(self):
        for late_s in (0.0, 0.05):
            with self.subTest(late_s=late_s):
                self.device.extra, self.device.late_s, self.source._strays = {self.device.asked + 3}, late_s, []
                told = [(n % 2, self.ask(A if n % 2 == 0 else B)) for n in range(8)]
                self.assertEqual([value for _, value in told].count("out_of_step"), 1, told)
                self.assertTrue(all(value in ("out_of_step", (111.0, 222.0)[which]) for which, value in told), told)

    def test_one_that_keeps_doing_so_is_not_believed_until_it_is_quiet_for_a_while(self):
        self.device.extra = set(range(1, 100))
        self.assertEqual([self.ask(A) for _ in range(5)], ["out_of_step"] * 3 + ["distrusted"] * 2)
        self.device.extra = set()
        later = time.monotonic() + scpi.STRAY_S
        with patch.object(scpi.time, "monotonic", lambda: later - 10.0):
            self.assertEqual(self.ask(A), "distrusted")
        with patch.object(scpi.time, "monotonic", lambda: later + 1.0):
            self.assertEqual(self.ask(A), 111.0)

    def test_what_was_read_last_is_dropped_from_the_traces(self):
        poller = Poller(protocol="scpi", host="127.0.0.1", port=self.device.server_address[1], timeout_s=1.0)
        self.addCleanup(poller.stop)
        first, second = poller.trace(A), poller.trace(B)
        for _ in range(400):
            if len(first.samples) > 14 and len(second.samples) > 14:
                break
            time.sleep(0.05)
        self.device.late_s = 0.03
        self.device.extra = {self.device.asked + 4}
        before = self.device.asked
        for _ in range(400):
            if self.device.asked > before + 30:
                break
            time.sleep(0.05)
        self.assertEqual({v for _, v in first.samples}, {111.0})
        self.assertEqual({v for _, v in second.samples}, {222.0})


class Silence(TestCase):
    def poller(self, port):
        made = Poller(protocol="scpi", host="127.0.0.1", port=port, timeout_s=1.0)
        self.addCleanup(made.stop)
        return made

    def until(self, is_so):
        for _ in range(400):
            if is_so():
                return
            time.sleep(0.05)
        self.fail("it did not come to that")

    def test_nobody_there_is_silent_and_an_open_circuit_is_an_answer(self):
        device = Device()
        self.addCleanup(device.server_close)
        poller = self.poller(device.server_address[1])
        with patch.dict(VALUES, {"READ:A?": "9.91E37"}):
            trace = poller.trace(A)
            self.until(lambda: trace.lost)
            self.assertIn("open circuit", trace.lost)
            self.assertIsNone(poller.silent_since())
            device.shutdown()
        nobody = self.poller(free_port())
        trace = nobody.trace(A)
        self.until(lambda: trace.lost)
        self.assertEqual(nobody.silent_since(), trace.lost_at)

    def test_a_device_of_which_something_answers_is_not_silent(self):
        device = Device()
        self.addCleanup(device.server_close)
        self.addCleanup(device.shutdown)
        poller = self.poller(device.server_address[1])
        good, bad = poller.trace(A), poller.trace({**B, "read": "READ:NOBODY?"})
        self.until(lambda: good.samples and bad.lost)
        self.assertIsNone(poller.silent_since())
