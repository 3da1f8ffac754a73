"""Fields that calculations of a signal share: its range, its output, and how one follows the other."""

from __future__ import annotations

from metrology.calculations.sheet import choice_field, field

RANGE = (field("lrv", "LRV", start="0"), field("urv", "URV", start="100"))
OUT = (field("output_lo", "Output at LRV", "mA", "4"), field("output_hi", "Output at URV", "mA", "20"))
TRANSFER = (choice_field("transfer", "Transfer", ("linear", "sqrt", "reverse")), field("cutoff_percent", "Cut-off", "% of output", "0"))
