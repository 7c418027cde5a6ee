"""From ink to text lines in blocks, in reading order."""

from amberquarry.layout.analysis import Layout, Region, analyse
from amberquarry.layout.lines import TextLine

__all__ = ["Layout", "Region", "TextLine", "analyse"]
