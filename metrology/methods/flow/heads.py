"""Steps of a head with several sensors: what is moved for the test, and the reference voltage that each channel is set by."""

from __future__ import annotations

from metrology.methods.detector import settings_of
from metrology.methods.exposing import channels_of, role_of
from metrology.methods.setup import RunSetup
from metrology.methods.steps import Check, Field, Pair, Step


def reference_settings(setup: RunSetup) -> list[Step]:
    """The reference voltage of each channel for the bottle at hand, compared with what was found set."""
    d, p = settings_of(setup), setup.policy
    out: list[Step] = []
    for c in channels_of(setup):
        value = setup.value(f"{role_of('span', c)}.value", 0.5 * c.top)
        wanted = value / c.top * d.full_scale_v
        found = setup.value(f"found_v:{c.name}", wanted)
        out.append(
            Step(
                f"reference_{c.name}",
                "confirm",
                "make safe",
                f"Reference voltage, channel {c.name}",
                f"For {value:.4g} {c.unit} on 0 to {c.top:g} {c.unit} this channel needs {wanted:.3f} V: concentration over range "
                f"times {d.full_scale_v:g} V. Read what is stored: somebody may have set it for another bottle.",
                fields=(Field(f"found_v:{c.name}", "Found stored", "number", "V", low=0, high=d.full_scale_v),),
                enters=True,
                confirm_label="Compare",
            )
        )
        off = 100 * abs(found - wanted) / wanted if wanted else 0.0
        if off > p.reference_v_percent:
            out.append(
                Step(
                    f"prove_{c.name}",
                    "confirm",
                    "make safe",
                    f"Stop: channel {c.name} is set for other gas",
                    f"{found:g} V is stored and {wanted:.3f} V is needed, {off:.0f} % off. Prove the gas and the setting before going on.",
                    fields=(Field("why", "Why it was set so", "long"),),
                    checks=(Check("bottle", "Bottle and certificate read again"), Check("channel", "The right channel is selected")),
                    confirm_label="Proved",
                )
            )
        out.append(
            Step(
                f"set_{c.name}",
                "confirm",
                "make safe",
                f"Set the reference voltage, channel {c.name}",
                f"Set {wanted:.3f} V and type what it now holds.",
                fields=(
                    Field(
                        f"set_v:{c.name}", "Set to", "number", "V", low=round(wanted * 0.99, 3), high=round(wanted * 1.01, 3),
                        why="That is more than 1 % from what this bottle needs.",
                    ),
                ),
                confirm_label="It is set",
            )
        )  # fmt: skip
    return out


SELECTOR = Pair("selector", "Selector switch", "operate", "test", "What is shown at 'test' is not the gas: it does not count.")
HEAD_PAIRS = (
    SELECTOR,
    Pair("jumper", "Alarm jumper", "in service", "test"),
    Pair("meter", "Meter lead", "stowed", "at the test point"),
)


def pairs_out() -> Step:
    """Selector, jumper and meter moved to the test."""
    return Step(
        "pairs_out",
        "checkpairs",
        "make safe",
        "Move to test",
        "Note each thing you move for the test. It is asked for again before the hold can come off.",
        cautions=("While a test position is selected the value shown is not the gas: it does not count.",),
        pairs=HEAD_PAIRS,
        confirm_label="All that is needed is moved",
    )


def selector_back() -> Step:
    """The selector at operate before anything is read; the rest stays where it is."""
    return Step(
        "selector_back",
        "checkpairs",
        "make safe",
        "Selector to operate",
        "Move the selector back before gas is put on: what is shown at 'test' is not the gas.",
        pairs=(SELECTOR,),
        variant="back",
        confirm_label="It is at operate",
    )


def pairs_back() -> Step:
    """The same, moved back."""
    return Step(
        "pairs_back",
        "checkpairs",
        "restore",
        "Move back",
        "Move back what was moved for the test, one by one.",
        pairs=HEAD_PAIRS,
        variant="back",
        confirm_label="All is back",
    )
