"""Is it the bottle or the detectors? Several detectors on one bottle, each with what it read of what the certificate says.

A detector that was set on the same bottle agrees with it whatever it holds, so it says nothing of the bottle; the others do. Factors agree when they
do so within their expanded uncertainties (JCGM 100:2008), and they speak of the bottle when they are off by more than those and the certificate's.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

REPEATS = 0.03  # of the reading: how well a detector repeats itself, k = 2
OFF_LEAST = 0.05  # of the reading: less than this is nobody's suspicion
LEAST = 2


@dataclass(frozen=True)
class Peer:
    """A detector on a bottle. ratio: read over applied; u: expanded, relative, k = 2; was_set_on_it: its last calibration before was on this bottle."""

    tag: str
    ratio: float
    u: float = REPEATS
    was_set_on_it: bool = False

    @property
    def text(self) -> str:
        """As an event keeps it."""
        return f"{self.tag}={self.ratio:.3f}:{self.u:.3f}:{int(self.was_set_on_it)}"


def peers_from(text: str) -> tuple[Peer, ...]:
    """Peers as an event keeps them; older ones have the ratio alone."""
    out = []
    for each in text.split():
        tag, _, told = each.rpartition("=")
        ratio, *more = told.split(":")
        out.append(Peer(tag, float(ratio), float(more[0]), more[1] == "1") if more else Peer(tag, float(ratio)))
    return tuple(out)


def judge_bottle(peers: Sequence[Peer], *, u_bottle: float = 0.0) -> str:
    """Whether detectors were off by the same factor on one bottle, as a sentence; empty when not.

    u_bottle: of its certificate, relative, k = 2. One that reads right, or is off the other way, speaks against it; one that is off further still
    may be worn as well.
    """
    free = list({p.tag: p for p in peers if not p.was_set_on_it}.values())
    if len(free) < LEAST:
        return ""
    nearest = min(free, key=lambda p: abs(p.ratio - 1))
    together = [p for p in free if abs(p.ratio - nearest.ratio) <= math.hypot(p.u, nearest.u)]
    weights = [1 / max(p.u, 1e-3) ** 2 for p in together]
    factor = sum(w * p.ratio for w, p in zip(weights, together, strict=True)) / sum(weights)
    u = 1 / math.sqrt(sum(weights))
    is_off = abs(factor - 1) > max(OFF_LEAST, math.hypot(u, u_bottle))
    others = [p for p in free if p not in together]
    if len(together) < LEAST or not is_off or any((p.ratio - 1) * (factor - 1) <= 0 for p in free):
        return ""
    names, way = ", ".join(sorted(p.tag for p in together)), "low" if factor < 1 else "high"
    more = f" {', '.join(sorted(p.tag for p in others))} is off further still: look at its sensor too." if others else ""
    return (
        f"{names} all read {way} by the same factor on it ({factor:.2f}, U {u:.2f}), and none of them was set on it: the bottle, not the detectors."
        + more
    )
