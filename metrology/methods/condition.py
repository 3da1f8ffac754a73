"""The condition in which a sensor is found: said as it is, with what follows from it, instead of ticked as it should be.

Source: IEC 60079-29-2:2015 (poisoning of catalytic sensors, inspection of filters and guards); the life is the register's.
"""

from __future__ import annotations

from datetime import date

from metrology.methods.detector import DetectorSettings, settings_of
from metrology.methods.setup import RunSetup
from metrology.methods.steps import Field

POISONS = (
    ("none", "None known"),
    ("silicone", "Silicone"),
    ("lead", "Lead"),
    ("sulphur", "Sulphur compounds"),
    ("halogen", "Halogens"),
    ("unknown", "Not known"),
)
CLEAN, DIRTY, WET, DAMAGED = "clean", "dirty", "wet", "damaged"
CONDITIONS = (
    (CLEAN, "Clean and dry"),
    (DIRTY, "Dirty: left so until as found is read"),
    (WET, "Wet: left so until as found is read"),
    (DAMAGED, "Damaged"),
)
HARMLESS = ("", "none", "unknown")


def condition_fields(setup: RunSetup) -> tuple[Field, ...]:
    """What is looked at: filter and guard, and what poisoned it where it can be poisoned."""
    poison = Field(
        "exposed_to", "Exposed since last time to", "choice", options=POISONS, hint="Each of these poisons such a sensor.", usual="none"
    )
    return (
        Field("condition", "Sensor, filter and weather guard", "choice", options=CONDITIONS, usual=CLEAN),
        *((poison,) if settings_of(setup).technology in ("catalytic", "semiconductor") else ()),
    )


def life_ends_on(setup: RunSetup) -> date | None:
    """When the life that the register gives it is over; None where the register does not tell."""
    return register_life_ends(settings_of(setup))


def register_life_ends(d: DetectorSettings) -> date | None:
    """The day the life is over that the register gives a sensor; None where it does not tell when it was fitted and for how long it is good."""
    if not d.sensor_since or not d.life_months:
        return None
    fitted = date.fromisoformat(d.sensor_since)
    months = fitted.year * 12 + fitted.month - 1 + round(d.life_months)
    return date(months // 12, months % 12 + 1, min(fitted.day, 28))


def is_past_life(setup: RunSetup) -> bool:
    """Whether the run was begun after that day."""
    ends = life_ends_on(setup)
    return ends is not None and bool(setup.started_on) and date.fromisoformat(setup.started_on) > ends


def life_words(setup: RunSetup) -> str:
    """The age of the sensor by the register, in words."""
    d, ends = settings_of(setup), life_ends_on(setup)
    if not d.sensor_since:
        return ""
    if ends is None:
        return f" It was fitted on {d.sensor_since}."
    past = " It is past that: an exchange is proposed." if is_past_life(setup) else ""
    return f" It was fitted on {d.sensor_since}; by the register its life ends on {ends}.{past}"


def poison_of(setup: RunSetup) -> str:
    """What poisoned it since last time; empty where nothing is known of."""
    told = dict(setup.entered).get("exposed_to", "")
    return "" if told in HARMLESS else dict(POISONS)[told].lower()


def found_words(setup: RunSetup) -> tuple[tuple[str, str], ...]:
    """As-found findings of its condition, as (name, value); none where it is clean, young and unharmed."""
    told = dict(setup.entered).get("condition", CLEAN)
    poison = poison_of(setup)
    return (
        *((("Sensor, as found", dict(CONDITIONS)[told].partition(":")[0].lower()),) if told != CLEAN else ()),
        *((("Exposed to", f"{poison}: its life is shorter for it"),) if poison else ()),
        *((("Life", f"past its end on {life_ends_on(setup)}"),) if is_past_life(setup) else ()),
    )


def needs_exchange(setup: RunSetup) -> str:
    """Why the sensor is to be replaced rather than set again, as a sentence; empty where it need not be."""
    if dict(setup.entered).get("condition") == DAMAGED:
        return "The sensor is damaged: replace it."
    if is_past_life(setup):
        return f"It is past the life the register gives it ({life_ends_on(setup)}): replace it."
    poison = poison_of(setup)
    return f"It was exposed to {poison}, which poisons it: replace it." if poison else ""


def needs_cleaning(setup: RunSetup) -> str:
    """What is done before anything is set, as a sentence; empty where nothing is."""
    told = dict(setup.entered).get("condition")
    return {DIRTY: "Clean or change filter and guard, then expose again.", WET: "Dry it, then expose again."}.get(told or "", "")
