"""What is on a sheet: the one way from lines and areas to blocks, whoever knows their text."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from amberquarry.clock import stage
from amberquarry.kinds.drawings import place_drawings
from amberquarry.kinds.fields import place_fields
from amberquarry.kinds.figures import (
    drawings_of_tables,
    find_figures,
    place_figures,
    whole_photographs,
)
from amberquarry.kinds.listing import code_text
from amberquarry.kinds.numbered import join_line_numbers
from amberquarry.kinds.screens import place_screens
from amberquarry.kinds.settling import settle_kinds
from amberquarry.layout.arranging import Layout, arrange
from amberquarry.layout.order import reading_order
from amberquarry.sheet.measuring import CAPITAL_RATIO
from amberquarry.sheet.sheet import Sheet, Texts
from amberquarry.tables.placing import place_tables
from amberquarry.values import UNKNOWN, Block, BlockKind, Box, Line


@dataclass(frozen=True, slots=True)
class Believed:
    """What is believed to be text, by mean confidence; figures count from 0 to 1."""

    sure_text: float = 0.7  # a line that parts figures
    scale_letters: float = 0.7  # to a figure, in the scale of a chart, which may read badly
    row_of_dots: int = 5
    mostly_dots: float = 0.6  # of a line's characters
    sure_dots: float = 0.8  # railings and rules are read as rows of dots, less surely than leaders


@dataclass(frozen=True, slots=True)
class Grids:
    """Which rules make frames and grids, in letters."""

    edge: float = 0.4  # in which the rules of a frame lie
    least: float = 3.0  # height and width


BELIEVED, GRIDS = Believed(), Grids()


def compose(sheet: Sheet, texts: Texts, aside: Sequence[Block] = ()) -> list[Block]:
    """Return the blocks of a sheet in reading order, in its level frame.

    texts: who knows what stands in its lines. aside: blocks that are known already, such as text
    that runs up the page.
    """
    with stage("blocks and order"):
        layout = arrange(sheet)
    with stage("reading"):
        read = texts.read(layout.lines)
    with stage("places"):
        blocks = in_places(sheet, layout, read)
    with stage("kinds"):
        blocks = settle_kinds(blocks, sheet.rules.boxes, sheet.frame.height)
    with stage("figures"):
        blocks = drawings_of_tables(believed([*blocks, *aside]))
        blocks = place_screens(blocks, sheet.areas.windows)
        blocks = whole_photographs(blocks, sheet.areas, (sheet.frame.width, sheet.frame.height))
        blocks = place_drawings(blocks, sheet)
    for block in blocks:
        if block.kind is BlockKind.CODE:
            block.text = code_text(block.lines)
    return blocks


def in_places(sheet: Sheet, layout: Layout, read: dict[int, Line]) -> list[Block]:
    """Return the blocks of a sheet with what was read, in order: forms, tables, figures placed.

    read: lines by the numbers of those of the layout.
    """
    blocks = []
    for region in layout.regions:
        lines = [read[line.number] for line in region.lines if line.number in read]
        if lines:
            box = Box.around([line.box for line in lines])
            blocks.append(Block(region.kind, box, lines, region.level))
    sizes = [line.x_height for block in blocks for line in block.lines]
    if not sheet.letter_px and not sizes:
        return blocks
    letter = sheet.letter_px or CAPITAL_RATIO * float(np.median(sizes))
    rules = sheet.rules
    blocks = join_line_numbers(blocks, letter)
    blocks = place_fields(blocks, rules.boxes, rules.frames(GRIDS.edge * letter), letter)
    grids = rules.grids(GRIDS.least * letter)
    blocks = place_tables(blocks, rules.boxes, grids, layout.columns, letter)
    sure = [
        line
        for line in layout.lines
        if line.number in read and read[line.number].confidence >= BELIEVED.sure_text
    ]
    scales = [line.box for line in sure if _is_scale(read[line.number])]
    figures = find_figures(sheet, sure, letter, scales, layout.columns)
    if not figures:
        return blocks
    # strokes of a picture had a place in the order too, while they were taken for letters
    return reading_order(place_figures(blocks, figures), layout.columns, letter)


def _is_scale(line: Line) -> bool:
    """Return whether a line holds hardly any letters beside its figures."""
    letters, figures = (sum(map(of, line.text)) for of in (str.isalpha, str.isdigit))
    return letters < BELIEVED.scale_letters * figures


def believed(blocks: list[Block]) -> list[Block]:
    """Return the blocks of a page, without those of lines where nothing is a letter or a figure.

    Strokes and dots stand in pictures too: on a page of nothing else they are no text. Neither are
    doubtful rows of dots anywhere: railings and rules are read so.
    """
    blocks = [own for block in blocks for own in _without_doubtful_dots(block)]
    signs = (sign for block in blocks for line in block.lines for sign in line.text)
    if any(sign.isalnum() or sign == UNKNOWN for sign in signs):
        return blocks
    return [block for block in blocks if not block.lines]


def _without_doubtful_dots(block: Block) -> list[Block]:
    """Return a block without rows of dots of which the reader is not sure; none if none is left."""
    kept = [
        line
        for line in block.lines
        if line.confidence >= BELIEVED.sure_dots
        or line.text.count(".") < max(BELIEVED.row_of_dots, BELIEVED.mostly_dots * len(line.text))
    ]
    if len(kept) == len(block.lines):
        return [block]
    if block.kind is BlockKind.FIGURE:  # it is there without its labels too
        return [replace(block, lines=kept)]
    if not kept:
        return []
    return [replace(block, lines=kept, box=Box.around([line.box for line in kept]))]
