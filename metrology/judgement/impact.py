"""What an instrument that was found outside its limits may have done meanwhile: by how much it may have been wrong, and since when at the latest.

ISO/IEC 17025:2017 7.10 and ISO 10012:2003 8.3.3 ask for the consequences of nonconforming measuring equipment; the estimate is where that begins.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from metrology.quantities.words import day_words


@dataclass(frozen=True)
class FoundOutside:
    """What is known. error_percent, share_percent: the largest error as found, signed, of span and of its tolerance; None where criteria judge it.

    per_percent: what a percent of span is in its own unit; 0 where error and indication do not go together like that. last_good: when it was last
    left inside its limits, None where that is not known.
    """

    found_on: date
    error_percent: float | None
    share_percent: float | None
    per_percent: float
    unit: str
    last_good: date | None


def impact_words(found: FoundOutside) -> str:
    """The estimate in sentences."""
    if found.error_percent is None:
        how_much = "It was found outside its limits"
    else:
        own = f", about {found.error_percent * found.per_percent:+.3g} {found.unit}" if found.per_percent else ""
        share = f" ({abs(found.share_percent):.0f} % of its tolerance)" if found.share_percent is not None else ""
        how_much = f"It was wrong by up to {found.error_percent:+.2f} % of span{own}{share}"
    if found.last_good is None:
        return f"{how_much}. When it was last good is not on record: everything that ran on it may be concerned."
    days = max(0, (found.found_on - found.last_good).days)
    if days == 0:
        return f"{how_much}. It was good the same day."
    since = f"{days} {'day' if days == 1 else 'days'} since then"
    return f"{how_much}. It was last good on {day_words(found.last_good)}: whatever ran on it in the {since} may be concerned."
