"""Steps that online analyzers share: the hold of the loop they feed, the sample stopped and the cell taken out, and all of it back."""

from __future__ import annotations

from metrology.methods.flow.common import HOLD_KINDS
from metrology.methods.setup import RunSetup
from metrology.methods.steps import Pair, Step

PLACES = (("in-line", "in the line, in a vessel or fitting"), ("immersed", "hanging in a tank or channel"))


def hold(setup: RunSetup, told: str, *cautions: str, first: str = "control in manual") -> Step:
    """The hold, with the kind that comes first; a loop in manual, since most analyzers feed one."""
    i = setup.instrument
    feeds = f"It feeds: {i.feeds}. " if i.feeds else ""
    order = {first: 0, "inhibit": 1}
    return Step(
        "hold",
        "hold",
        "make safe",
        "Place the hold",
        f"{feeds}{told}",
        cautions=cautions,
        options=tuple(sorted(HOLD_KINDS, key=lambda o: order.get(o[0], 5))),
        confirm_label="Hold is on",
    )


def taken_out(pairs: tuple[Pair, ...], title: str, instruction: str, label: str) -> Step:
    """The sample stopped and what hangs in it taken out, each moved and marked."""
    return Step("opened", "checkpairs", "make safe", title, instruction, pairs=pairs, confirm_label=label)


def put_back(pairs: tuple[Pair, ...], title: str, instruction: str) -> Step:
    """What was moved is back."""
    return Step("closed", "checkpairs", "restore", title, instruction, pairs=pairs, variant="back", confirm_label="All is back")
