"""The master's side: asks one device over a modem reached by TCP, minds parity, address and busy, and says what went wrong."""

from __future__ import annotations

import socket
import time
from collections.abc import Callable
from typing import Any

from apps.bench.hart import codec
from apps.bench.hart.codec import BadFrame, Frame
from apps.bench.sources.base import SourceFault

BUSY = 32
RESPONSES = {
    2: "the value is not one it knows",
    3: "the value is too large",
    4: "the value is too small",
    5: "the message is too short",
    7: "it is write-protected",
    9: "LRV is too high, or the output is not held fixed",
    10: "LRV is too low",
    11: "URV is too high",
    12: "URV is too low",
    14: "the span is too small",
    64: "it does not know the command",
}


# The second byte of every answer: how the device says it is, bit by bit.
MALFUNCTION = 0x80
DIAGNOSTICS = {
    MALFUNCTION: "the device reports a malfunction",
    0x40: "its configuration was changed",
    0x20: "it was restarted",
    0x10: "more is to be read in its own diagnostics",
    0x08: "its output is held fixed",
    0x04: "its output is at its limit",
    0x02: "another of its values is out of limits",
    0x01: "its value is out of the limits of its sensor",
}


def diagnostics(status: int) -> str:
    """What a device says of itself, in words."""
    return "; ".join(says for bit, says in DIAGNOSTICS.items() if status & bit) or "nothing to report"


class HartMaster:
    """One device behind one modem. timeout_s is waited for each answer; a spoilt one is asked for again, three times in all."""

    tries = 3

    def __init__(self, host: str, port: int, *, timeout_s: float = 1.0) -> None:
        self.host, self.port, self.timeout_s = host, port, timeout_s
        self._socket: socket.socket | None = None
        self._address: bytes | None = None
        self.status = 0  # of the last answer: `DIAGNOSTICS`

    def close(self) -> None:
        """Let the modem go."""
        if self._socket:
            self._socket.close()
        self._socket, self._address = None, None

    def _connect(self) -> socket.socket:
        if self._socket is None:
            try:
                self._socket = socket.create_connection((self.host, self.port), timeout=self.timeout_s)
            except OSError as error:
                told = f"The modem at {self.host}:{self.port} does not answer. Check cable, power and address."
                raise SourceFault(told, code="no_connection") from error
        return self._socket

    def transact(self, command: int, data: bytes = b"") -> bytes:
        """Data of the reply to a command; raises a SourceFault with the reason when there is none or the device refuses."""
        if self._address is None and command != 0:
            self.identify()
        address = self._address or bytes([0x80])
        told = ""
        for attempt in range(self.tries):
            if attempt:
                time.sleep(0.1 * attempt)
            try:
                reply = self._ask(Frame(False, address, command, data))
            except BadFrame as bad:
                told = f"its answer was spoilt ({bad})"
                self.close()
                self._address = address if len(address) == 5 else None
                continue
            except TimeoutError:
                told = f"it did not answer within {self.timeout_s:g} s"
                self.close()
                self._address = address if len(address) == 5 else None
                continue
            except OSError as error:
                self.close()
                raise SourceFault(f"The connection to the modem broke: {error}.", code="no_connection") from error
            code, self.status = reply.status[0], reply.status[1]
            if code & 0x80:
                told = "it received a spoilt message"
                continue
            if code == BUSY:
                told = "it is busy"
                continue
            if code and code not in (8,):
                raise SourceFault(f"The device refused command {command}: {RESPONSES.get(code, f'response code {code}')}.", code="refused")
            return reply.data
        raise SourceFault(
            f"Command {command} was tried {self.tries} times: {told}. Check the loop resistance and the wiring.", code="no_answer"
        )

    def _ask(self, frame: Frame) -> Frame:
        link = self._connect()
        link.sendall(codec.build(frame))
        until = time.monotonic() + self.timeout_s
        buffer = b""
        while True:
            left = until - time.monotonic()
            if left <= 0:
                raise TimeoutError
            link.settimeout(left)
            got = link.recv(512)
            if not got:
                raise ConnectionResetError("the modem closed it")
            buffer += got
            reply, buffer = codec.take(buffer)
            while reply is not None:
                # Another device's answer, or a late one to an earlier command, is passed over.
                mine = len(frame.address) == 1 or codec.same_device(reply.address, frame.address)
                if reply.is_reply and reply.command == frame.command and mine:
                    return reply
                reply, buffer = codec.take(buffer)

    def identify(self) -> dict[str, Any]:
        """Who is there (command 0); its long address is used from then on."""
        data = self.transact(0)
        if len(data) < 12:
            raise SourceFault("The device's identity came half.", code="half")
        self._address = codec.long_address(data[1], data[2], int.from_bytes(data[9:12], "big"))
        return {
            "manufacturer": str(data[1]),
            "device_type": str(data[2]),
            "revision": f"{data[5]}, software {data[6]}, hardware {data[7] >> 3}",
            "serial": str(int.from_bytes(data[9:12], "big")),
        }

    def who(self) -> dict[str, str]:
        """Tag and number of whoever listens (commands 0 and 13)."""
        serial = str(self.identify()["serial"])
        return {"serial": serial, "tag": codec.unpack_text(self.transact(13)[:6])}

    def read_pv(self) -> tuple[float, str]:
        """Digital value and its unit (command 1)."""
        data = self.transact(1)
        return codec.read_float(data, 1), codec.UNITS.get(data[0], "")

    def read_current(self) -> tuple[float, float]:
        """Loop current in mA and percent of range (command 2)."""
        data = self.transact(2)
        return codec.read_float(data, 0), codec.read_float(data, 4)

    def read_all(self) -> dict[str, Any]:
        """Every parameter that this application knows of (commands 0, 1, 2, 12, 13, 14, 15)."""
        who = self.identify()
        pv, unit = self.read_pv()
        ma, _ = self.read_current()
        named, limits, output = self.transact(13), self.transact(14), self.transact(15)
        return {
            **who,
            "tag": codec.unpack_text(named[:6]),
            "descriptor": codec.unpack_text(named[6:18]),
            "message": codec.unpack_text(self.transact(12)[:24]),
            "unit": unit,
            "pv": pv,
            "ma": ma,
            "url": codec.read_float(limits, 4),
            "lrl": codec.read_float(limits, 8),
            "min_span": codec.read_float(limits, 12),
            "transfer": codec.TRANSFERS.get(output[1], "linear"),
            "urv": codec.read_float(output, 3),
            "lrv": codec.read_float(output, 7),
            "damping": codec.read_float(output, 11),
            "write_protect": output[15] == 1,
            "diagnostics": diagnostics(self.status),
        }

    def write(self, values: dict[str, Any], held: dict[str, Any]) -> None:
        """Send parameters, the unit before the range it belongs to; what is not given stays as `held`."""
        after = {**held, **values}
        if "message" in values:
            self.transact(17, codec.pack_text(values["message"], 32))
        if {"tag", "descriptor"} & set(values):
            date = self.transact(13)[18:21]
            self.transact(18, codec.pack_text(after["tag"], 8) + codec.pack_text(after["descriptor"], 16) + date)
        if "unit" in values:
            self.transact(44, bytes([codec.UNIT_CODES[values["unit"]]]))
        if {"lrv", "urv", "unit"} & set(values):
            self.transact(35, bytes([codec.UNIT_CODES[after["unit"]]]) + codec.floats(after["urv"], after["lrv"]))
        if "damping" in values:
            self.transact(34, codec.floats(values["damping"]))
        if "transfer" in values:
            self.transact(47, bytes([codec.TRANSFER_CODES[values["transfer"]]]))

    def act(self, name: str, value: float = 0.0, unit: str = "") -> None:
        """One of the acts: trims, ranges by live pressure, loop test, write protection."""
        unit_code = bytes([codec.UNIT_CODES.get(unit, 250)])
        acts: dict[str, Callable[[], bytes]] = {
            "zero_trim": lambda: self.transact(43),
            "lower_trim": lambda: self.transact(82, b"\x01" + unit_code + codec.floats(value)),
            "upper_trim": lambda: self.transact(82, b"\x02" + unit_code + codec.floats(value)),
            "urv_live": lambda: self.transact(36),
            "lrv_live": lambda: self.transact(37),
            "fix_output": lambda: self.transact(40, codec.floats(value)),
            "trim_output_low": lambda: self.transact(45, codec.floats(value)),
            "trim_output_high": lambda: self.transact(46, codec.floats(value)),
            "write_protect": lambda: self.transact(130, bytes([1 if value else 0])),
        }
        acts[name]()
