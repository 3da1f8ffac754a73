"""HART frames: build, take apart, check. Long and short frames, preambles, longitudinal parity, packed text, unit codes.

Source: FieldComm Group HART token-passing data link layer and universal commands, revision 5 to 7, as published in the open
literature.
"""

from __future__ import annotations

import struct
from dataclasses import dataclass

from metrology.quantities.device_units import CODES

PREAMBLES = b"\xff" * 5
REQUEST_LONG, REPLY_LONG, REQUEST_SHORT, REPLY_SHORT = 0x82, 0x86, 0x02, 0x06
UNITS = CODES
UNIT_CODES = {unit: code for code, unit in CODES.items()}
TRANSFERS = {0: "linear", 1: "sqrt"}
TRANSFER_CODES = {name: code for code, name in TRANSFERS.items()}


class BadFrame(Exception):
    """Bytes that are no frame: too short, no start, or a parity that does not fit."""


@dataclass(frozen=True)
class Frame:
    """A frame. address: 1 byte (short) or 5 bytes (long), master bit included; status: the two bytes of a reply."""

    is_reply: bool
    address: bytes
    command: int
    data: bytes = b""
    status: bytes = b""


def parity(body: bytes) -> int:
    """Longitudinal parity: all bytes from the delimiter on, exclusive or."""
    out = 0
    for byte in body:
        out ^= byte
    return out


def build(frame: Frame) -> bytes:
    """The bytes of a frame, preambles included."""
    is_long = len(frame.address) == 5
    start = {(False, True): REQUEST_LONG, (True, True): REPLY_LONG, (False, False): REQUEST_SHORT, (True, False): REPLY_SHORT}
    payload = frame.status + frame.data
    body = bytes([start[frame.is_reply, is_long]]) + frame.address + bytes([frame.command, len(payload)]) + payload
    return PREAMBLES + body + bytes([parity(body)])


def take(buffer: bytes) -> tuple[Frame | None, bytes]:
    """The first whole frame in a buffer and what comes after it; None while it is not whole.

    Raises BadFrame when the frame is whole and its parity does not fit, or when what follows the preambles is no start.
    """
    start = 0
    while start < len(buffer) and buffer[start] == 0xFF:
        start += 1
    if start == len(buffer):
        return None, buffer
    if start < 2:
        raise BadFrame("no preamble before the first byte")
    body = buffer[start:]
    if body[0] not in (REQUEST_LONG, REPLY_LONG, REQUEST_SHORT, REPLY_SHORT):
        raise BadFrame(f"0x{body[0]:02x} is no start of a frame")
    size = 5 if body[0] & 0x80 else 1
    head = 1 + size + 2
    if len(body) < head:
        return None, buffer
    count = body[head - 1]
    if len(body) < head + count + 1:
        return None, buffer
    whole, rest = body[: head + count + 1], body[head + count + 1 :]
    if parity(whole[:-1]) != whole[-1]:
        raise BadFrame("the parity does not fit")
    is_reply = body[0] in (REPLY_LONG, REPLY_SHORT)
    payload = whole[head:-1]
    if is_reply and len(payload) < 2:
        raise BadFrame("a reply without its status")
    cut = 2 if is_reply else 0
    return Frame(is_reply, whole[1 : 1 + size], whole[1 + size], payload[cut:], payload[:cut]), rest


def long_address(manufacturer: int, device_type: int, device_id: int) -> bytes:
    """Five bytes: primary master bit, 6 bits of manufacturer, device type, 24 bits of device number."""
    return bytes([0x80 | (manufacturer & 0x3F), device_type]) + device_id.to_bytes(3, "big")


def same_device(a: bytes, b: bytes) -> bool:
    """Whether two addresses name one device, master and burst bits apart."""
    return len(a) == len(b) and a[0] & 0x3F == b[0] & 0x3F and a[1:] == b[1:]


def pack_text(text: str, length: int) -> bytes:
    """Packed text: `length` characters (a multiple of 4) of 6 bits each, blanks at the end."""
    bits = 0
    for char in text.upper().ljust(length)[:length]:
        bits = bits << 6 | (ord(char) & 0x3F)
    return bits.to_bytes(length * 6 // 8, "big")


def unpack_text(packed: bytes) -> str:
    """The characters of packed text, blanks at the end taken off."""
    bits, count = int.from_bytes(packed, "big"), len(packed) * 8 // 6
    codes = [(bits >> (6 * (count - 1 - i))) & 0x3F for i in range(count)]
    return "".join(chr(c if c & 0x20 else c | 0x40) for c in codes).rstrip()


def floats(*values: float) -> bytes:
    """Single-precision numbers, high byte first."""
    return struct.pack(f">{len(values)}f", *values)


def read_float(data: bytes, at: int) -> float:
    """The single-precision number at a place, rounded to the digits it really has."""
    value: float = struct.unpack_from(">f", data, at)[0]
    return float(f"{value:.7g}")
