"""Arrays in, arrays out: from a page picture to level, even, black-and-white ink."""

from amberquarry.imaging.crops import cut_out, encoded
from amberquarry.imaging.light import is_bilevel, paper_share
from amberquarry.imaging.mapping import Bend, Mapping
from amberquarry.imaging.prepare import Prepared, View, prepare, turned_back, upside_down, views_of

__all__ = [
    "Bend",
    "Mapping",
    "Prepared",
    "View",
    "cut_out",
    "encoded",
    "is_bilevel",
    "paper_share",
    "prepare",
    "turned_back",
    "upside_down",
    "views_of",
]
