"""Arrays in, arrays out: from a page picture to level, even, black-and-white ink."""

from amberquarry.imaging.crops import cut_out, encoded
from amberquarry.imaging.frames import in_frame
from amberquarry.imaging.light import is_bilevel, paper_share
from amberquarry.imaging.prepare import Prepared, View, prepare, turned_back, upside_down, views_of

__all__ = [
    "Prepared",
    "View",
    "cut_out",
    "encoded",
    "in_frame",
    "is_bilevel",
    "paper_share",
    "prepare",
    "turned_back",
    "upside_down",
    "views_of",
]
