"""A smart transmitter that answers HART frames over a TCP modem."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from dataclasses import dataclass

from apps.bench.hart import codec
from apps.bench.hart.codec import BadFrame, Frame
from metrology.faults import Fault
from metrology.quantities.units import canonical, convert
from metrology.simulation.smart import BUSY, INVALID, TOO_FEW, Refused, SmartTransmitter

MANUFACTURER, DEVICE_TYPE = 250, 0x01  # 250: nobody's number
UNKNOWN_COMMAND = 64


@dataclass
class Misbehaviour:
    """What the device does wrong on purpose, so many times: spoils the parity, answers for another, is busy, stays silent."""

    bad_parity: int = 0
    wrong_address: int = 0
    busy: int = 0
    silent: int = 0


class HartDevice:
    """The device's side of the protocol for one simulated transmitter."""

    def __init__(self, transmitter: SmartTransmitter) -> None:
        self.tx, self.misbehaves = transmitter, Misbehaviour()
        self.date = bytes([23, 11, 126])
        self.server: asyncio.Server | None = None
        self._commands: dict[int, Callable[[bytes], bytes]] = {
            0: self._identity,
            1: lambda _: self._unit() + codec.floats(self._told(self.tx.pv)),
            2: lambda _: codec.floats(self.tx.commanded_ma, self.tx.percent),
            3: lambda _: codec.floats(self.tx.commanded_ma) + self._unit() + codec.floats(self._told(self.tx.pv)),
            12: lambda _: codec.pack_text(self.tx.message, 32),
            13: lambda _: codec.pack_text(self.tx.tag, 8) + codec.pack_text(self.tx.descriptor, 16) + self.date,
            14: lambda _: bytes(3) + self._unit() + codec.floats(*(self._told(v) for v in (self.tx.url, self.tx.lrl, self.tx.min_span))),
            15: self._output,
            17: self._write_message,
            18: self._write_names,
            34: self._write_damping,
            35: self._write_range,
            36: lambda _: self._done(self._urv_live),
            37: lambda _: self._done(self._lrv_live),
            40: self._fix,
            43: lambda _: self._done(self.tx.zero_trim),
            44: self._write_unit,
            45: lambda d: self._take(d, self.tx.trim_output_low),
            46: lambda d: self._take(d, self.tx.trim_output_high),
            47: self._write_transfer,
            82: self._trim,
            130: self._protect,
        }
        self.unit = canonical(transmitter.unit)
        self.flags = 0  # what it says of itself beside what it does

    @property
    def address(self) -> bytes:
        """Its long address."""
        return codec.long_address(MANUFACTURER, DEVICE_TYPE, self.tx.device_id)

    def _told(self, value: float) -> float:
        return convert(value, self.tx.unit, to_unit=self.unit)

    def _meant(self, value: float, unit: str) -> float:
        return convert(value, unit, to_unit=self.tx.unit)

    def _unit(self) -> bytes:
        return bytes([codec.UNIT_CODES[self.unit]])

    def _done(self, act: Callable[[], None]) -> bytes:
        act()
        return b""

    def _take(self, data: bytes, act: Callable[[float], None]) -> bytes:
        act(codec.read_float(data, 0))
        return data

    def _write_damping(self, data: bytes) -> bytes:
        return self._take(data, self.tx.set_damping)

    def _urv_live(self) -> None:
        self.tx.set_range(self.tx.lrv, self.tx.pv)

    def _identity(self, _: bytes) -> bytes:
        return bytes([254, MANUFACTURER, DEVICE_TYPE, 5, 5, 1, 1, 8, 0]) + self.tx.device_id.to_bytes(3, "big")

    def _output(self, _: bytes) -> bytes:
        numbers = codec.floats(self._told(self.tx.urv), self._told(self.tx.lrv), self.tx.damping)
        return bytes([0, codec.TRANSFER_CODES[self.tx.transfer]]) + self._unit() + numbers + bytes([1 if self.tx.write_protect else 0, 250])

    def _write_message(self, data: bytes) -> bytes:
        self.tx._require_open()
        self.tx.message = codec.unpack_text(data[:24])
        return data

    def _write_names(self, data: bytes) -> bytes:
        self.tx._require_open()
        self.tx.tag, self.tx.descriptor, self.date = codec.unpack_text(data[:6]), codec.unpack_text(data[6:18]), data[18:21]
        return data

    def _write_range(self, data: bytes) -> bytes:
        unit = codec.UNITS.get(data[0], self.unit)
        self.tx.set_range(self._meant(codec.read_float(data, 5), unit), self._meant(codec.read_float(data, 1), unit))
        return data

    def _lrv_live(self) -> None:
        span = self.tx.span
        self.tx.set_range(self.tx.pv, self.tx.pv + span)

    def _fix(self, data: bytes) -> bytes:
        self.tx.fix_output(codec.read_float(data, 0))
        return data

    def _write_unit(self, data: bytes) -> bytes:
        self.tx._require_open()
        unit = codec.UNITS.get(data[0])
        try:
            convert(1.0, self.tx.unit, to_unit=unit or "")
        except Fault:
            raise Refused(INVALID) from None
        self.unit = unit or self.unit
        return data

    def _write_transfer(self, data: bytes) -> bytes:
        self.tx._require_open()
        if data[0] not in codec.TRANSFERS:
            raise Refused(INVALID)
        self.tx.transfer = codec.TRANSFERS[data[0]]
        return data

    def _trim(self, data: bytes) -> bytes:
        value = self._meant(codec.read_float(data, 2), codec.UNITS.get(data[1], self.unit))
        (self.tx.lower_trim if data[0] == 1 else self.tx.upper_trim)(value)
        return data

    def _protect(self, data: bytes) -> bytes:
        self.tx.write_protect = data[0] == 1
        return data

    def reply(self, request: Frame) -> bytes | None:
        """The bytes of the answer; None when the request is for another, or when it stays silent."""
        if len(request.address) == 5 and not codec.same_device(request.address, self.address):
            return None
        wrong = self.misbehaves
        if wrong.silent:
            wrong.silent -= 1
            return None
        code, data = 0, b""
        if wrong.busy:
            wrong.busy -= 1
            code = BUSY
        elif request.command not in self._commands:
            code = UNKNOWN_COMMAND
        else:
            try:
                data = self._commands[request.command](request.data)
            except Refused as refused:
                code = refused.code
            except (IndexError, codec.struct.error):
                code = TOO_FEW
        status = bytes([code, self.flags | (0x08 if self.tx.fixed_ma is not None else 0)])
        address = request.address
        if wrong.wrong_address:
            wrong.wrong_address -= 1
            address = codec.long_address(MANUFACTURER, DEVICE_TYPE, self.tx.device_id + 7)
        out = codec.build(Frame(True, address, request.command, data, status))
        if wrong.bad_parity:
            wrong.bad_parity -= 1
            out = out[:-1] + bytes([out[-1] ^ 0x55])
        return out

    async def serve(self, port: int) -> int:
        """Start; the port it listens on."""
        self.server = await asyncio.start_server(self._talk, "127.0.0.1", port)
        return int(self.server.sockets[0].getsockname()[1])

    async def _talk(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        buffer = b""
        try:
            while got := await reader.read(512):
                buffer += got
                try:
                    request, buffer = codec.take(buffer)
                except BadFrame:
                    buffer = b""
                    continue
                if request and not request.is_reply:
                    answer = self.reply(request)
                    if answer:
                        writer.write(answer)
                        await writer.drain()
        except (ConnectionError, asyncio.CancelledError):
            pass
        finally:
            writer.close()
