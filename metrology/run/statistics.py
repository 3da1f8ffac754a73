"""The statistics of a set in words."""

from __future__ import annotations

from metrology.methods.method import Columns
from metrology.methods.outcome import Outcome
from metrology.methods.set_uncertainty import chance_of_all, set_uncertainty
from metrology.quantities.words import at_least, number, percent, signed
from metrology.run.set_types import Named


def in_words(told: Columns, value: float, *, sign: bool = False) -> str:
    """A share of span as the trial tells it: in percent, or in a unit of its own."""
    if told.decimals is None:
        return percent(value) if sign else f"{number(value, 3)} %"
    amount = value * told.per_percent
    return f"{signed(amount, told.decimals) if sign else number(amount, told.decimals)} {told.unit}".strip()


def statistics_of(result: Outcome, told: Columns) -> list[Named]:
    """Names and values, with U where the readings have one."""
    s = result.statistics
    if s is None:
        return []
    u = set_uncertainty(result.judged)

    def words(value: float | None, width: float, sign: str = "+") -> str | None:
        if value is None:
            return None
        said = in_words(told, value, sign=True)
        text = said if sign == "+" else sign + said.lstrip("+")
        return f"{text}, U {in_words(told, width, sign=True).lstrip('+')}" if width else text

    chance = chance_of_all(result)
    rows = [
        ("Largest error", words(s.max_error, u.largest)),
        ("Zero error", words(s.zero_error, u.zero)),
        ("Span error", words(s.span_error, u.span)),
        ("Mean error", words(s.mean_error, u.mean)),
        ("Hysteresis", words(s.hysteresis, u.hysteresis, "")),
        ("Linearity, independent", words(s.linearity_independent, u.linearity, "±")),
        ("Linearity, terminal-based", words(s.linearity_terminal, u.linearity, "±")),
        ("Linearity, zero-based", words(s.linearity_zero_based, u.linearity, "±")),
        ("Repeatability", words(s.repeatability, 0.0, "")),
        ("Every point inside its tolerance", None if chance is None else at_least(chance)),
    ]
    return [{"name": n, "value": v} for n, v in rows if v is not None]
