"""Areas of a page that are no text: evidence for figures, from pixels or from a PDF's objects."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from amberquarry.sheet.rules import turned_boxes
from amberquarry.values import Box


@dataclass(frozen=True, slots=True)
class Window:
    """A rectangle that a frame encloses or tones fill, as pictures of screens are."""

    box: Box
    toned: bool  # most of it is darker than paper
    many_toned: bool  # much of it is even, in several tones far from each other


@dataclass(frozen=True, slots=True)
class Toned:
    """An area that is toned all over, without white."""

    box: Box
    deviation: float  # of its levels


@dataclass(frozen=True, slots=True)
class Tones:
    """How light a page is, cell by cell."""

    cell_px: float
    level: NDArray[np.uint8]  # (rows, columns), mean of each cell

    def within(self, box: Box) -> NDArray[np.uint8]:
        """Return the levels of the cells of a box; none where it lies outside of the page."""
        x0, y0, x1, y1 = (max(0, round(edge / self.cell_px)) for edge in box)
        return self.level[y0:y1, x0:x1]


@dataclass(frozen=True, slots=True)
class Areas:
    """What a page holds beside letters and rules."""

    pictures: list[Box] = field(default_factory=list)
    strokes: list[Box] = field(default_factory=list)  # drawn lines that are no straight rules
    windows: list[Window] = field(default_factory=list)
    toned: list[Toned] = field(default_factory=list)
    tones: Tones | None = None  # a page from a text layer has none

    def upside_down(self, shape: tuple[int, int]) -> Areas:
        """Return pictures and strokes on the page (rows, columns) turned by 180 degrees."""
        return Areas(turned_boxes(self.pictures, shape), turned_boxes(self.strokes, shape))
