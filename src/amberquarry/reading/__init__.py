"""The line reader: a line of ink becomes text, places and confidence."""

from amberquarry.reading.net import LineNetwork, load_network
from amberquarry.reading.reader import Trial, read_lines, trial_lines, try_lines

__all__ = ["LineNetwork", "Trial", "load_network", "read_lines", "trial_lines", "try_lines"]
