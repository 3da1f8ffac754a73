"""Numbers and times as words for screens and records: digits that match the resolution, a sign on every error."""

from __future__ import annotations

import math
from datetime import date, datetime
from functools import lru_cache


def decimals_for(span: float) -> int:
    """Decimals that show a span to about one part in ten thousand to a hundred thousand (0 to 6): 3 for 4-20 mA."""
    size = abs(span)
    return max(0, min(6, 4 - math.floor(math.log10(size)))) if size > 0 else 3


def letters_of(text: str) -> str:
    """A tag, code or serial by its letters and figures alone: case, hyphens and blanks don't tell one from another."""
    return "".join(c for c in text.upper() if c.isalnum())


def number(value: float, decimals: int) -> str:
    """Fixed decimals; a rounded zero carries no minus."""
    text = f"{value:.{decimals}f}"
    return text.lstrip("-") if float(text) == 0 else text


def plain(value: float) -> str:
    """Four digits, large numbers whole, never as a power of ten.

    >>> plain(205000.4), plain(80.0), plain(0.01234)
    ('205000', '80', '0.01234')
    """
    return f"{value:.0f}" if abs(value) >= 1e4 else f"{value:.4g}"


def signed(value: float, decimals: int = 2) -> str:
    """Fixed decimals with a sign on everything but zero."""
    text = f"{value:+.{decimals}f}"
    return text[1:] if float(text) == 0 else text


def percent(value: float) -> str:
    """A signed error in percent of span with its unit."""
    return f"{signed(value, 3 if abs(value) < 0.1 else 2)} %"


def chance(share: float, decimals: int = 1) -> str:
    """A probability, 0 to 1, in percent; one that would round to never or to always is told by the step it is within.

    >>> chance(0.9712), chance(0.99996), chance(0.0002), chance(0.996, 0)
    ('97.1 %', 'over 99.9 %', 'under 0.1 %', 'over 99 %')
    """
    step = 10.0**-decimals
    text = f"{100 * share:.{decimals}f}"
    if float(text) >= 100:
        return f"over {100 - step:.{decimals}f} %"
    return f"under {step:.{decimals}f} %" if float(text) == 0 else f"{text} %"


def at_least(share: float) -> str:
    """A least probability, 0 to 1, in percent, and never all of it."""
    return f"at least {min(99.9, 100 * share):.1f} %"


def ratio(value: float) -> str:
    """A ratio such as a TUR, as people write it: 4.2:1."""
    return "no limit" if math.isinf(value) else f"{value:.1f}:1" if value < 100 else f"{value:.0f}:1"


def ratio_below(value: float, wanted: float) -> str:
    """A ratio that falls short of one that is wanted, with as many decimals as it takes to see that: 3.96:1 beside 4.0:1."""
    for decimals in (1, 2, 3):
        if f"{value:.{decimals}f}" != f"{wanted:.{decimals}f}":
            return f"{value:.{decimals}f}:1"
    return f"just below {ratio(wanted)}"


def minutes(seconds: float) -> str:
    """A duration in words: 45 s, 12 min, 2 h 05 min."""
    s = max(0, round(seconds))
    if s < 60:
        return f"{s} s"
    if s < 3600:
        return f"{math.ceil(s / 60)} min"
    return f"{s // 3600} h {s % 3600 // 60:02d} min"


def day_words(on: date | str) -> str:
    """A day as people read it, 22 Oct 2026; of a date or its ISO text. Another text stays as it is."""
    try:
        day = date.fromisoformat(on) if isinstance(on, str) else on
    except ValueError:
        return str(on)
    return f"{day:%-d %b %Y}"


@lru_cache(maxsize=16_384)  # a long run is told again and again, with the same moments
def iso(moment: datetime | None) -> str | None:
    """ISO 8601 text of a moment, or None."""
    return moment.isoformat() if moment else None
