"""Arrays in, arrays out: from a page picture to level, even, black-and-white ink."""

from amberquarry.imaging.mapping import Bend, Mapping
from amberquarry.imaging.prepare import Prepared, View, prepare, turned_back, upside_down, views_of

__all__ = [
    "Bend",
    "Mapping",
    "Prepared",
    "View",
    "prepare",
    "turned_back",
    "upside_down",
    "views_of",
]
