"""One run of the corpus: by which method and revision it was done, and the commit whose core plays it (empty: today's)."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Any

from tools.corpus.player import Player

# The last commits with the rules of the first revisions, of the second, of the heads released by one channel, of alarms shared by sets, and of
# detectors that were warmed up each time and proved once more, of configuring that counted as calibrating.
FIRST, SECOND, THIRD, FOURTH, FIFTH, SIXTH = "75fe369", "195961e", "27cfc9e", "99d456e", "a4a4c66", "d741a92"
SEVENTH = "facbff6"  # a reading at twice the flow told as a test before the last two
EIGHTH = "ab2efd8"  # coefficients proved by the points they were fitted to
NINTH = "4ce6d54"  # what failed could be marked for replacement, not exchanged
TENTH = "1070331"  # displays told in percent only
ELEVENTH = "3f16203"  # causes by thresholds in turn
TWELFTH = "514aa1b"  # vessels of which the parameters were typed only
THIRTEENTH = "3898b9f"  # what is followed met its limit at the earliest by a straight line alone
FOURTEENTH = "913d889"  # ambient air was taken to be dry
FIFTEENTH = "0b8da28"  # that of a portable checked in, too


@dataclass(frozen=True)
class Scenario:
    """One run of the corpus."""

    name: str
    method: str
    revision: str
    commit: str
    play: Callable[[], Player]


ALL: list[Scenario] = []


def scenario(
    method: str, revision: str, name: str, commit: str = "", earlier: Mapping[str, str] = MappingProxyType({})
) -> Callable[[Callable[[], Player]], Callable[[], Player]]:
    """Register what follows as a run of the corpus; earlier: commits by earlier revisions under which the same is played, too."""

    def register(play: Callable[[], Player]) -> Callable[[], Player]:
        for n, core in {**earlier, revision: commit}.items():
            ALL.append(Scenario(f"{method}-r{n}-{name}", method, n, core, play))
        return play

    return register


def targets(p: Player) -> Any:
    """What is set in a run; older cores have it elsewhere."""
    made = getattr(p.method, "adjusting", None)
    return made.targets(p.state.setup, "adjust") if made else p.method.adjust_targets(p.state.setup, "adjust")
