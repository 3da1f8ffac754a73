"""SCPI over TCP: the calibrator with its channels, and the temperature blocks."""

from __future__ import annotations

import asyncio
import re
from collections.abc import Callable
from dataclasses import dataclass

from apps.bench.simulator.world import DetectorPoint, Well, World, scpi_number

NUMBER = r"([-+]?[0-9.]+(?:[eE][-+]?\d+)?)"


@dataclass
class Misbehaviour:
    """What a server does wrong on purpose: waits, answers half, or answers garbage."""

    delay_s: float = 0.0
    half: bool = False
    garbage: bool = False
    silent: bool = False


Rule = tuple[re.Pattern[str], Callable[[re.Match[str]], str]]


class ScpiServer:
    """Answers lines by rules; errors queue up as the standard has it."""

    def __init__(self, name: str, rules: list[tuple[str, Callable[[re.Match[str]], str]]]) -> None:
        self.name, self.misbehaves = name, Misbehaviour()
        self.rules: list[Rule] = [(re.compile(p, re.IGNORECASE), f) for p, f in rules]
        self.errors: list[str] = []
        self.server: asyncio.Server | None = None

    def answer(self, line: str) -> str | None:
        """The answer to a line; None for a command that has none."""
        if line.upper() == "*IDN?":
            return f"Marram Bay,{self.name},0001,1.0"
        if line.upper() == "SYST:ERR?":
            return self.errors.pop(0) if self.errors else '0,"No error"'
        for pattern, act in self.rules:
            found = pattern.fullmatch(line)
            if found:
                try:
                    return act(found) or None
                except (ValueError, IndexError):
                    self.errors.append('-222,"Data out of range"')
                    return None
        self.errors.append('-113,"Undefined header"')
        return None

    async def serve(self, port: int) -> int:
        """Start; the port it listens on."""
        self.server = await asyncio.start_server(self._talk, "127.0.0.1", port)
        return int(self.server.sockets[0].getsockname()[1])

    async def _talk(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        try:
            while line := await reader.readline():
                said = self.answer(line.decode("ascii", "replace").strip())
                wrong = self.misbehaves
                if said is None or wrong.silent:
                    continue
                if wrong.delay_s:
                    await asyncio.sleep(wrong.delay_s)
                text = "\x7f#?" if wrong.garbage else said[: len(said) // 2] if wrong.half else said
                writer.write(text.encode() + (b"" if wrong.half else b"\n"))
                await writer.drain()
        except (ConnectionError, asyncio.CancelledError):
            pass
        finally:
            writer.close()


def calibrator(world: World) -> ScpiServer:
    """SOURn:LEV gives a value at channel n, SOURn:CURR injects a current, MEASn:INP? and MEASn:OUTP? read both ends."""

    def at(found: re.Match[str]):  # type: ignore[no-untyped-def]
        number = int(found.group(1))
        if not 1 <= number <= len(world.channels):
            raise ValueError(number)
        return world.channels[number - 1]

    def level(found: re.Match[str]) -> str:
        channel, value = at(found), float(found.group(2))
        if channel.kind == "value" and not channel.transmitter.lrl * 1.3 - 1 <= value <= channel.transmitter.url * 1.3:
            raise ValueError(value)
        channel.source.go_to(value)
        return ""

    def current(found: re.Match[str]) -> str:
        value = float(found.group(2))
        if not 0 <= value <= 24:
            raise ValueError(value)
        at(found).injected_ma = value or None
        return ""

    return ScpiServer(
        "CALIBRATOR",
        [
            (rf"SOUR(\d+):LEV\s+{NUMBER}", level),
            (r"SOUR(\d+):LEV\?", lambda m: scpi_number(at(m).source.set_point)),
            (rf"SOUR(\d+):CURR\s+{NUMBER}", current),
            (r"SOUR(\d+):CURR\?", lambda m: scpi_number(at(m).injected_ma or 0.0)),
            (r"MEAS(\d+):INP\?", lambda m: scpi_number(at(m).source.read())),
            (r"MEAS(\d+):OUTP\?", lambda m: scpi_number(at(m).loop_ma)),
        ],
    )


def block(well: Well) -> ScpiServer:
    """SOUR:TEMP sets the block, MEAS:TEMP? is its display, MEAS:PROB? the probe, MEAS:SENSn? a sensor in it."""

    def set_point(found: re.Match[str]) -> str:
        value = float(found.group(1))
        if not -40 <= value <= 650:
            raise ValueError(value)
        well.block.set_point = value
        return ""

    return ScpiServer(
        f"BLOCK {well.code}",
        [
            (rf"SOUR:TEMP\s+{NUMBER}", set_point),
            (r"SOUR:TEMP\?", lambda m: scpi_number(well.block.set_point)),
            (r"MEAS:TEMP\?", lambda m: scpi_number(well.block.display())),
            (r"MEAS:PROB\?", lambda m: scpi_number(well.probe.read())),
            (r"MEAS:SENS(\d)\?", lambda m: scpi_number(well.sensors[int(m.group(1)) - 1].read())),
        ],
    )


def gas_manifold(world: World) -> ScpiServer:
    """SOURn:CONC opens the bottle nearest to a concentration, SOURn:OFF shuts it, MEASn:CONC? tells the certificate's value.

    DETn:ZERO, DETn:SPAN, DETn:INH and DETn:RES are the detector's own keys; DETn:ANS? tells whether it took the last one.
    """
    answers: dict[int, float] = {}

    def at(found: re.Match[str]) -> DetectorPoint:
        number = int(found.group(1))
        if not 1 <= number <= len(world.detectors):
            raise ValueError(number)
        return world.detectors[number - 1]

    def concentration(found: re.Match[str]) -> str:
        at(found).open_nearest(float(found.group(2)))
        return ""

    def shut(found: re.Match[str]) -> str:
        at(found).manifold.open_bottle = ""
        return ""

    def key(found: re.Match[str], act: Callable[[DetectorPoint], bool]) -> str:
        answers[int(found.group(1))] = float(act(at(found)))
        return ""

    def inhibit(point: DetectorPoint, on: bool) -> bool:
        point.detector.inhibit(on)
        return True

    def reset(point: DetectorPoint) -> bool:
        point.detector.reset_alarms()
        return True

    return ScpiServer(
        "GAS MANIFOLD",
        [
            (rf"SOUR(\d+):CONC\s+{NUMBER}", concentration),
            (rf"SOUR(\d+):OFF(?:\s+{NUMBER})?", shut),
            (r"MEAS(\d+):CONC\?", lambda m: scpi_number(at(m).applied)),
            (rf"DET(\d+):ZERO(?:\s+{NUMBER})?", lambda m: key(m, lambda p: p.detector.accept_zero())),
            (rf"DET(\d+):SPAN\s+{NUMBER}", lambda m: key(m, lambda p: p.detector.accept_span(float(m.group(2))))),
            (rf"DET(\d+):INH\s+{NUMBER}", lambda m: key(m, lambda p: inhibit(p, float(m.group(2)) > 0))),
            (rf"DET(\d+):RES(?:\s+{NUMBER})?", lambda m: key(m, reset)),
            (r"DET(\d+):ANS\?", lambda m: scpi_number(answers.get(int(m.group(1)), 1.0))),
        ],
    )
