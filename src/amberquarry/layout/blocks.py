"""Lines to blocks: columns, tables, paragraphs, headlines."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from amberquarry.layout.chains import chain_lines, split_paragraphs
from amberquarry.layout.columns import columns_of, of_other_white
from amberquarry.layout.measured import Lines
from amberquarry.layout.regions import Region
from amberquarry.layout.rows import find_rows, whole_lines
from amberquarry.layout.tables import find_tables
from amberquarry.sheet.measuring import TextLine, usual_x_height
from amberquarry.values import BlockKind, Box


@dataclass(frozen=True, slots=True)
class Headline:
    """Type larger than the text."""

    size: float = 1.17  # over the usual x-height
    larger: float = 1.32  # the same, of the second rank
    largest: float = 1.65  # and of the first
    lines: int = 4  # at most,
    pieces: int = 110  # or, in narrow columns, so many pieces


HEADLINE = Headline()


def make_blocks(
    lines: list[TextLine],
    margin: list[TextLine],
    gutters: list[Box],
    pictures: list[Box],
    rules: list[Box],
) -> tuple[list[Region], list[Box]]:
    """Return the blocks of a page, not yet in order, and the gutters that part columns.

    margin: lines of notes in the margin. rules: boxes of rules and frames.
    """
    measured = Lines(whole_lines(lines, gutters))
    columns = columns_of(gutters, rules, measured)
    others = of_other_white(gutters, columns, measured)
    regions = find_tables(others, Lines(lines), columns)
    in_tables = {line for region in regions for line in region.lines}
    free = [line for line in lines if line not in in_tables]
    if free:
        usual = usual_x_height(free)
        rows = {row.whole: row for row in find_rows(free, columns)}
        for chain in chain_lines(Lines([row.whole for row in rows.values()]), rules, columns):
            for part in split_paragraphs(chain):
                members = [line for whole in part for line in rows[whole].lines]
                size = float(np.median([whole.x_height for whole in part]))
                letters = sum(len(line.pieces) for line in members)
                short = len(part) <= HEADLINE.lines or letters <= HEADLINE.pieces
                large = size > HEADLINE.size * usual and short and letters >= 3
                headline = _rank_of(size / usual) if large else 0
                box = Box.around([line.box for line in members])
                regions.append(Region(BlockKind.PARAGRAPH, box, members, headline))
    for chain in chain_lines(Lines(margin), rules, []):
        box = Box.around([line.box for line in chain])
        regions.append(Region(BlockKind.MARGIN_NOTE, box, chain))
    regions.extend(Region(BlockKind.FIGURE, box) for box in pictures)
    return regions, columns


def _rank_of(ratio: float) -> int:
    """Return the rank of a headline by its size over the text's: 1 for the largest."""
    return 1 if ratio > HEADLINE.largest else 2 if ratio > HEADLINE.larger else 3
