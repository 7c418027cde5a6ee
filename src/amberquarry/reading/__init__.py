"""The line reader: a line of ink becomes text, places and confidence."""

from amberquarry.reading.line_reader import InkTexts, LineReader, Trial
from amberquarry.reading.net import LineNetwork, load_network
from amberquarry.reading.reader import NetReader, load_reader, read_lines, trial_lines

__all__ = [
    "InkTexts",
    "LineNetwork",
    "LineReader",
    "NetReader",
    "Trial",
    "load_network",
    "load_reader",
    "read_lines",
    "trial_lines",
]
