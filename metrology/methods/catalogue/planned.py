"""Kinds of work that are in the register already and are done on paper until their method is here."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Planned:
    """Work by a paper procedure. takes: kinds of kit that must be in the van for it; wears: what is worn or carried."""

    key: str
    title: str
    family: str
    takes: tuple[str, ...] = ()
    wears: tuple[str, ...] = ()


_WEIGHTS = {"takes": ("weight",), "wears": ("Test weights, lifting gear in date",)}
PLANNED: tuple[Planned, ...] = (Planned("flow-mag-verify", "Magnetic flow meter, verification", "flow meter"),)
