"""The runs of the corpus: what was done in each, by kind of instrument."""

from tools.corpus.scenario import ALL
from tools.corpus.scenarios import analysis, flow, gas, portables, transmitters, weighing

__all__ = ["ALL", "analysis", "flow", "gas", "portables", "transmitters", "weighing"]
