"""Drawings that are told by their captions: labels and strokes over "Figure 3", and no text."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amberquarry.kinds.captions import names_figure, stand_together
from amberquarry.kinds.figures import place_whole
from amberquarry.sheet.rules import Segments
from amberquarry.sheet.sheet import Sheet
from amberquarry.tables.placing import runs_on
from amberquarry.values import Block, BlockKind, Box, Line

_SOLID = (
    BlockKind.CODE,
    BlockKind.CAPTION,
    BlockKind.ITEM,
    BlockKind.RUNNING_HEAD,
    BlockKind.RUNNING_FOOT,
    BlockKind.PAGE_NUMBER,
)


@dataclass(frozen=True, slots=True)
class Drawing:
    """A drawing over its caption; made for manuals and office print (`benchmarks/layout.py`)."""

    at_edge: float = 1.5  # x-heights: a large label that begins so near to the text's edge is text
    least_height: float = 6.0  # x-heights
    words: int = 6  # of a line of text, at least
    wide: float = 0.6  # of the widest line of the page, from which a line is text
    known: float = 0.5  # of it, that was found before
    through: float = 0.9  # of the area over a caption, that rules of the page run through
    rule: float = 0.6  # of what is drawn, that the rules of frames and grids span
    speck: float = 0.4  # x-heights: smaller pieces may be specks
    column: float = 0.25  # of the widest line, that a paragraph spans
    sure: float = 0.7  # confidence of a line of text: strokes look like words as well
    room: float = 0.3  # x-heights around letters, in which their soft edges lie
    drawn: float = 0.25  # of the ink over a caption, that is no letters


DRAWING = Drawing()


def place_drawings(blocks: list[Block], sheet: Sheet) -> list[Block]:
    """Return blocks with drawings as figures, of which only labels or parts were found.

    What stands over the caption of a figure that has none, up to the text before it, is one where
    much of the ink is no letters.
    """
    captions = [block for block in blocks if names_figure(block)]
    lines = [line for block in blocks for line in block.lines]
    if not captions:
        return blocks
    size = float(np.median([line.x_height for line in lines]))
    widest = max(line.box.width for line in lines)
    text = [block.box for block in blocks if _is_text(block, widest)]
    edges = [box.x0 for box in text]
    text += [  # large labels look like headings, but not at the edge of the text
        block.box
        for block in blocks
        if block.kind is BlockKind.HEADING
        and any(abs(block.box.x0 - edge) < DRAWING.at_edge * size for edge in edges)
    ]
    figures = [block.box for block in blocks if block.kind is BlockKind.FIGURE]
    found = []
    for caption in captions:
        beside = (box for box in figures if stand_together(caption.box, box, size))
        wide = DRAWING.known * caption.box.width  # bars of charts are narrower
        if any(box.width > wide for box in beside):
            continue
        area = _drawn(sheet, _area_over(caption.box, text, sheet.frame.width, size), lines, size)
        if area is None or area.height < DRAWING.least_height * size:
            continue
        inside = [block for block in blocks if area.contains(*block.box.middle)]
        known = max((b.box.area for b in inside if b.kind is BlockKind.FIGURE), default=0.0)
        if known < DRAWING.known * area.area and [b.kind for b in inside] != [BlockKind.TABLE]:
            found.append(area)
    return place_whole(blocks, found)


def _area_over(caption: Box, text: list[Box], width: float, size: float) -> Box:
    """Return what lies over a caption up to the text before it, and between text beside it.

    text: boxes of text. width: of the page.
    """
    foot = caption.y0 - DRAWING.room * size
    over = [
        box.y1
        for box in text
        if box.middle[1] < caption.y0 and min(box.x1, caption.x1) > max(box.x0, caption.x0)
    ]
    top = max(over, default=0.0) + DRAWING.room * size
    beside = [box for box in text if min(box.y1, foot) > max(box.y0, top)]
    left = max((box.x1 for box in beside if box.x1 <= caption.x0), default=0.0)
    right = min((box.x0 for box in beside if box.x0 >= caption.x1), default=width)
    return Box(left, top, right, max(top, foot))


def _is_text(block: Block, widest: float) -> bool:
    """Return whether a block is for sure none of the labels of a drawing."""
    if block.kind in _SOLID or (runs_on(block) and block.box.width > DRAWING.column * widest):
        return True
    return any(
        line.confidence > DRAWING.sure
        and (len(line.words) >= DRAWING.words or line.box.width > DRAWING.wide * widest)
        for line in block.lines
    )


def _drawn(sheet: Sheet, area: Box, lines: list[Line], size: float) -> Box | None:
    """Return the box of what is printed in an area, None where most of it is letters."""
    if min(area.width, area.height) < DRAWING.least_height * size:
        return None
    glyphs = sheet.glyphs
    inside = glyphs.inside(area)
    inside[0] = False
    pieces = np.flatnonzero(
        inside & (np.maximum(glyphs.width, glyphs.height) >= DRAWING.speck * size)
    )
    rules = np.concatenate(
        [
            _short_rules(sheet.rules.across, 0, DRAWING.through * area.width, area),
            _short_rules(sheet.rules.down, 1, DRAWING.through * area.height, area),
        ]
    )  # without those of the page, between columns or over the caption
    boxes = np.concatenate([glyphs.boxes_of(pieces).astype(float), rules])
    if not len(boxes):
        return None
    drawn = Box(*boxes[:, :2].min(0).tolist(), *boxes[:, 2:].max(0).tolist())
    # frames and grids hold text as well
    strokes = [
        _short_rules(rules[_lie_across(rules)], 0, DRAWING.rule * drawn.width, drawn),
        _short_rules(rules[~_lie_across(rules)], 1, DRAWING.rule * drawn.height, drawn),
    ]
    ruled, straight = (
        float(np.prod(own[:, 2:] - own[:, :2], 1).sum()) for own in (rules, np.concatenate(strokes))
    )
    ink = glyphs.area[pieces].astype(float)
    letters = _are_letters(glyphs.boxes_of(pieces), lines, DRAWING.room * size)
    total = float(ink.sum()) + ruled
    if float(ink[~letters].sum()) + straight < DRAWING.drawn * total:
        return None
    return drawn


def _lie_across(rules: Segments) -> NDArray[np.bool_]:
    return np.asarray(rules[:, 2] - rules[:, 0] >= rules[:, 3] - rules[:, 1])


def _short_rules(rules: Segments, axis: int, longest: float, area: Box) -> Segments:
    """Return the rules in an area that are shorter than a length along an axis."""
    x, y = (rules[:, 0] + rules[:, 2]) / 2, (rules[:, 1] + rules[:, 3]) / 2
    inside = (x >= area.x0) & (x <= area.x1) & (y >= area.y0) & (y <= area.y1)
    return rules[inside & (rules[:, axis + 2] - rules[:, axis] <= longest)]


def _are_letters(boxes: NDArray[np.float32], lines: list[Line], room: float) -> NDArray[np.bool_]:
    """Return which boxes (N, 4) have their middle in a line of text, or that near to it."""
    x, y = (boxes[:, 0] + boxes[:, 2]) / 2, (boxes[:, 1] + boxes[:, 3]) / 2
    letters = np.zeros(len(boxes), bool)
    for line in lines:
        x0, y0, x1, y1 = line.box
        letters |= (x >= x0 - room) & (x < x1 + room) & (y >= y0 - room) & (y < y1 + room)
    return letters
