"""Sheets and layouts for tests."""

from dataclasses import dataclass

from amberquarry.imaging import Prepared
from amberquarry.ink.components import Ink
from amberquarry.ink.finding import find_text, ink_of, sheet_of
from amberquarry.layout.arranging import Layout, arrange
from amberquarry.settings import LayoutSettings
from amberquarry.sheet.sheet import Sheet


@dataclass(frozen=True)
class LaidOut:
    """A prepared page with its ink, its sheet and its layout."""

    ink: Ink
    sheet: Sheet
    layout: Layout

    @property
    def lines(self):
        """The lines of all blocks in reading order."""
        return self.layout.lines

    @property
    def regions(self):
        """The blocks in reading order."""
        return self.layout.regions

    @property
    def columns(self):
        """The gutters between columns."""
        return self.layout.columns


def laid_out(page: Prepared) -> LaidOut:
    """Lay out a prepared page."""
    ink = ink_of(page)
    text = find_text(ink, page.letter_height, LayoutSettings())
    sheet = sheet_of(page, ink, text)
    return LaidOut(ink, sheet, arrange(sheet))
