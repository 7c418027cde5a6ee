"""Arrays in, arrays out: from a page picture to level, even, black-and-white ink."""

from amberquarry.imaging.prepare import Prepared, compose, prepare, turn_matrix, upside_down

__all__ = ["Prepared", "compose", "prepare", "turn_matrix", "upside_down"]
