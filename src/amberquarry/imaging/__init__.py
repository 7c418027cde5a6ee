"""Arrays in, arrays out: from a page picture to level, even, black-and-white ink."""

from amberquarry.imaging.prepare import Prepared, prepare, upside_down

__all__ = ["Prepared", "prepare", "upside_down"]
