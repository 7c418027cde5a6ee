"""The whole layout of a prepared page."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging import Prepared
from amberquarry.ink.components import Components, core_letters, find_components
from amberquarry.ink.gutters import find_gutters
from amberquarry.ink.lines import find_lines
from amberquarry.ink.margins import part_margins
from amberquarry.ink.pitch import join_fixed_pitch
from amberquarry.layout.blocks import (
    FEW_LETTERS,
    SAME_SIZE,
    WORDS_APART,
    Region,
    find_rows,
    make_blocks,
)
from amberquarry.layout.order import reading_order
from amberquarry.settings import LayoutSettings
from amberquarry.sheet.measuring import (
    TextLine,
    from_the_left,
    lines_joined,
    measure_lines,
    measure_together,
)
from amberquarry.values import BlockKind, Box

_MOST_LINES = 4000  # of a page that are laid out at once
_UNKNOWN_LETTER_PX = 24.0  # for pages with too few letters to measure


@dataclass(frozen=True, slots=True)
class Layout:
    """Blocks in reading order, which ink belongs to which line, and gutters between columns."""

    regions: list[Region]
    found: Components
    columns: list[Box]

    @property
    def lines(self) -> list[TextLine]:
        """The lines of all blocks in reading order."""
        return [line for region in self.regions for line in region.lines]


@dataclass(frozen=True, slots=True)
class Text:
    """The lines of a page before they are put together to blocks."""

    found: Components
    lines: list[TextLine]
    margin: list[TextLine]  # of notes in the margin
    gutters: list[Box]


def find_text(page: Prepared, settings: LayoutSettings, found: Components | None = None) -> Text:
    """Return the lines of a prepared page. found: its pieces, where they are known."""
    letter = page.letter_height or _UNKNOWN_LETTER_PX
    found = found or find_components(page.ink, page.grey, letter)
    gutters = find_gutters(found, letter)
    lines = find_lines(found, letter, gutters, settings)
    if len(lines) > _MOST_LINES:
        return Text(found, lines, [], gutters)
    core = core_letters(found, letter)
    lines, gutters = join_fixed_pitch(lines, gutters, found, core)
    return Text(found, *part_margins(lines, found, core), gutters)


def arrange(text: Text, letter: float) -> Layout:
    """Return the layout of a page whose lines are known; without lines it has no regions of text.

    letter: usual height of the letters, 0 if unknown.
    """
    letter, found = letter or _UNKNOWN_LETTER_PX, text.found
    if len(text.lines) > _MOST_LINES:
        return Layout(_in_bands(text.lines, text.gutters, letter), found, [])
    regions, columns = make_blocks(
        text.lines, text.margin, text.gutters, found.pictures, found.rule_boxes
    )
    core = core_letters(found, letter)
    for region in regions:
        if region.kind is not BlockKind.TABLE:
            region.lines = _rows_joined(region.lines, found, columns, core)
    return Layout(reading_order(regions, columns, letter), found, columns)


def analyse(page: Prepared, settings: LayoutSettings) -> Layout:
    """Return the layout of a prepared page; a page without text has no regions with lines."""
    return arrange(find_text(page, settings), page.letter_height)


def _rows_joined(
    lines: list[TextLine], found: Components, columns: list[Box], core: NDArray[np.bool_]
) -> list[TextLine]:
    """Return lines with those of one row made one that only the space between words parts.

    White that is found between the words of several lines, or after the marks of a list, looks
    like a gutter until the columns are known.
    """
    groups: list[list[TextLine]] = []
    for row in find_rows(lines, columns, WORDS_APART):
        groups += [row.lines] if _of_one_size(row.lines) else [[line] for line in row.lines]
    return lines_joined(found, groups, core)


def _of_one_size(lines: list[TextLine]) -> bool:
    """Return whether lines are set in one size of type, but for those of few letters."""
    sizes = [line.x_height for line in lines if len(line.pieces) > FEW_LETTERS]
    return not sizes or max(sizes) < SAME_SIZE * min(sizes)


def _in_bands(lines: list[TextLine], gutters: list[Box], letter: float) -> list[Region]:
    """Return the blocks of a page of very many lines band by band, from the top down.

    Lines are held against each other: of too many at once that takes too much memory.
    """
    ordered = sorted(lines, key=lambda line: (line.box.y0, line.box.x0))
    found: list[Region] = []
    for start in range(0, len(ordered), _MOST_LINES):
        band = ordered[start : start + _MOST_LINES]
        regions, columns = make_blocks(band, [], gutters, [], [])
        found += reading_order(regions, columns, letter)
    return found


def whole_line(layout: Layout, letter: float) -> TextLine:
    """Return all pieces of all lines as one line, for pictures that hold just one."""
    core = core_letters(layout.found, letter or _UNKNOWN_LETTER_PX)
    return measure_together(layout.found, [layout.lines], core)[0]


def lines_upside_down(found: Components, lines: list[TextLine], letter: float) -> list[TextLine]:
    """Return lines of a page measured on the page turned by 180 degrees.

    found: the pieces on the turned page.
    """
    core = core_letters(found, letter or _UNKNOWN_LETTER_PX)
    return measure_lines(found, [from_the_left(line.pieces, found) for line in lines], core)
