"""How a server that runs for weeks treats its memory: what it has loaded stays, and the collector does not look through it every few requests."""

from __future__ import annotations

import gc

YOUNG, MIDDLE, OLD = (
    50_000,
    20,
    50,
)  # objects, then collections, between looks; a look through all of them stops every request for a tenth of a second


def load() -> None:
    """Call first: while everything is loaded nothing is let go, and there is nothing to look for."""
    gc.disable()


def settle() -> None:
    """Call once, when everything is loaded."""
    gc.enable()
    gc.collect()
    gc.freeze()
    gc.set_threshold(YOUNG, MIDDLE, OLD)
