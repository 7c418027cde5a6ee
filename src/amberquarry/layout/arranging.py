"""From the lines of a sheet to blocks in reading order."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

from amberquarry.layout.blocks import make_blocks
from amberquarry.layout.chains import CHAIN
from amberquarry.layout.measured import ROW
from amberquarry.layout.order import reading_order
from amberquarry.layout.regions import Region
from amberquarry.layout.rows import find_rows
from amberquarry.sheet.glyphs import core_letters
from amberquarry.sheet.measuring import TextLine, lines_joined, measure_together
from amberquarry.sheet.sheet import MOST_LINES, Sheet
from amberquarry.values import BlockKind, Box


@dataclass(frozen=True, slots=True)
class Layout:
    """Blocks in reading order, and the gutters between columns."""

    regions: list[Region]
    columns: list[Box]

    @property
    def lines(self) -> list[TextLine]:
        """The lines of all blocks in reading order."""
        return [line for region in self.regions for line in region.lines]


def arrange(sheet: Sheet) -> Layout:
    """Return the layout of a sheet, its lines numbered; without lines it has no regions of text."""
    found, glyphs, letter = sheet.found, sheet.glyphs, sheet.letter
    if len(found.lines) > MOST_LINES:
        return _numbered(Layout(_in_bands(found.lines, found.gutters, letter), []))
    regions, columns = make_blocks(
        found.lines, found.margin, found.gutters, sheet.areas.pictures, sheet.rules.boxes
    )
    texts = [region for region in regions if region.kind is not BlockKind.TABLE]
    groups = [_rows_of(region.lines, columns) for region in texts]
    every = [group for own in groups for group in own]
    joined = iter(lines_joined(glyphs, every, core_letters(glyphs, letter)))
    for region, own in zip(texts, groups, strict=True):
        region.lines = [*itertools.islice(joined, len(own))]
    return _numbered(Layout(reading_order(regions, columns, letter), columns))


def _numbered(layout: Layout) -> Layout:
    for number, line in enumerate(layout.lines):
        line.number = number
    return layout


def _rows_of(lines: list[TextLine], columns: list[Box]) -> list[list[TextLine]]:
    """Return lines with those of one row together that only the space between words parts.

    White that is glyphs between the words of several lines, or after the marks of a list, looks
    like a gutter until the columns are known.
    """
    if len(lines) == 1:
        return [lines]
    groups: list[list[TextLine]] = []
    for row in find_rows(lines, columns, ROW.words_apart):
        groups += [row.lines] if _of_one_size(row.lines) else [[line] for line in row.lines]
    return groups


def _of_one_size(lines: list[TextLine]) -> bool:
    """Return whether lines are set in one size of type, but for those of few letters."""
    sizes = [line.x_height for line in lines if len(line.pieces) > ROW.few_letters]
    return not sizes or max(sizes) < CHAIN.same_size * min(sizes)


def _in_bands(lines: list[TextLine], gutters: list[Box], letter: float) -> list[Region]:
    """Return the blocks of a page of very many lines band by band, from the top down.

    Lines are held against each other: of too many at once that takes too much memory.
    """
    ordered = sorted(lines, key=lambda line: (line.box.y0, line.box.x0))
    found: list[Region] = []
    for start in range(0, len(ordered), MOST_LINES):
        band = ordered[start : start + MOST_LINES]
        regions, columns = make_blocks(band, [], gutters, [], [])
        found += reading_order(regions, columns, letter)
    return found


def whole_line(sheet: Sheet, lines: list[TextLine]) -> TextLine:
    """Return all pieces of lines as one line, for pictures that hold just one."""
    core = core_letters(sheet.glyphs, sheet.letter)
    return measure_together(sheet.glyphs, [lines], core)[0]
