"""Runs of flow meters."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from metrology.judgement.tolerance import Term, Tolerance
from tools.corpus import kit
from tools.corpus.player import Player, instrument
from tools.corpus.scenario import THIRTEENTH, scenario

ZERO = {
    "zero_now": "0.35", "severe": "no", "temp_c": "-20", "flow_before": "5900", "full": "yes", "flashing": "no", "second_valve": "yes", "zero_was": "0.35",
    "reading": "5900", "found": "Shut by hand",
}  # fmt: skip
MAGNETIC = {
    "fluid": "Permeate", "conductivity": "480", "pipe": "Steel, rubber", "flow_before": "320", "status_seen": "yes", "empty_seen": "yes",
    "coil_again": "82.1", "flow_again": "318", "alarm_again": "no", "reading": "320",
    **{f"do_{g}": "yes" for g in ("electrodes", "signal", "current", "pulse", "status", "empty")},
}  # fmt: skip
NOISE = (0.1, -0.1, 0.05, -0.05, 0.1, -0.1)


def _meter(top: float, unit: str, **details: str) -> Any:
    about = {"unit": unit, "lrv": 0.0, "urv": top, "output_lo": 0.0, "output_hi": top, "output_unit": unit}
    return instrument(details, **about, tolerance=Tolerance((Term(0.5, "span"),)))


def _zero(**details: str) -> Player:
    given = {"stability": "1.2", "normal_flow": "6000", "minimum_flow": "600", "tolerance_minimum": "0.5", "process_c": "-20", **details}
    return Player("flow-coriolis-zero", "", instrument=_meter(8000.0, "kg/h", **given), points_percent=())


def _window(flow: float) -> list[dict[str, str]]:
    ends = {"density": "1030.2", "drive": "4.1", "temp": "-20.0"}
    return [{"indicated": f"{flow + off:.2f}", **(ends if n in (0, len(NOISE) - 1) else {})} for n, off in enumerate(NOISE)]


@scenario("flow-coriolis-zero", "2", "a-leak-and-the-zero-kept", earlier={"1": THIRTEENTH})
def _() -> Player:
    p = _zero().forward(**ZERO).take(_window(6.4)).decide("again").forward(**ZERO).take(_window(0.4))
    return p.decide("repair").forward(**ZERO).sign().review()


@scenario("flow-coriolis-zero", "2", "a-new-zero-verified", earlier={"1": THIRTEENTH})
def _() -> Player:
    p = _zero().forward(**ZERO).take(_window(3.0)).decide("again").forward(**ZERO).take(_window(3.0)).decide("zero")
    return p.forward(**{**ZERO, "zero_now": "3.35"}).take(_window(0.0)).decide("leave").forward(**ZERO).sign()


def _magnetic(rows: Sequence[Sequence[str]], choice: str, **answers: str) -> Player:
    details = {"coil_ohm": "82", "electrode_a_kohm": "11.5", "electrode_b_kohm": "11.5", "least_us_cm": "5"}
    p = Player("flow-mag-verify", "", instrument=_meter(500.0, "m3/h", **details), points_percent=())
    p.refs = {"meter": (kit.reference("REF-I1", "mA", 0, 24, 0.002), "")}
    given = {**MAGNETIC, **answers}
    p.forward(**given)
    for group in rows:
        p.take([{"indicated": text, "confirmed": ["indicated"]} for text in group]).forward(**given)
    return p.decide(choice)


@scenario("flow-mag-verify", "2", "an-electrode-coats", earlier={"1": THIRTEENTH})
def _() -> Player:
    groups = (("82.1", "450"), ("26.4", "12.1"), ("0.5", "1.001", "3.002", "10.01"), ("4.002", "12.003", "20.004"), ("100.0", "1000.0"))
    return _magnetic(groups, "repair").forward(**MAGNETIC).sign().review()


@scenario("flow-mag-verify", "2", "wires-exchanged-then-not-complete", earlier={"1": THIRTEENTH})
def _() -> Player:
    less = {"do_pulse": "no", "do_empty": "no"}
    groups = (("82.1", "450"), ("11.6", "11.4"), ("0.5", "1.001", "3.002", "10.01"), ("4.002", "12.003", "20.004"))
    p = _magnetic(groups, "again", **less, flow_again="-318").forward(**{**MAGNETIC, **less})
    return p.decide("incomplete").forward(**MAGNETIC).sign()
