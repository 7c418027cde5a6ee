"""The line reader: a line of ink becomes text, places and confidence."""

from amberquarry.reading.net import LineNetwork, load_network
from amberquarry.reading.reader import read_lines, trial_confidence, trial_lines

__all__ = ["LineNetwork", "load_network", "read_lines", "trial_confidence", "trial_lines"]
