"""What a screen needs of chromatograms, as types of the view."""

from __future__ import annotations

from typing import TypedDict


class PeakData(TypedDict):
    """A peak of a chromatogram; name: of the component it was taken for, empty for none. Times in s."""

    name: str
    start: float
    apex: float
    end: float
    height: float
    area: float
    width: float
    asymmetry: float
    resolution: float | None  # from the peak before it


class WindowData(TypedDict):
    """Where a component should come out, s."""

    name: str
    low: float
    high: float


class ChromatogramData(TypedDict):
    """A chromatogram of one injection: its curve thinned, its baseline and its peaks. pair: the two that come closest and how far apart, or nothing."""

    title: str
    label: str
    at: str
    times: list[float]
    signal: list[float]
    baseline: list[float]
    peaks: list[PeakData]
    windows: list[WindowData]
    pair: list[str]


class AskedData(TypedDict):
    """What is asked beside a chromatogram."""

    name: str
    label: str
    unit: str
    hint: str


class ChromatogramStep(TypedDict):
    """What the entry of an injection by its chromatogram needs."""

    injection: str
    windows: list[WindowData]
    lasts_s: float  # after which the last component is out
    asked: list[AskedData]
