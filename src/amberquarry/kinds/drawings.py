"""Drawings that are told by their captions: labels and strokes over "Figure 3", and no text."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.pieces import connected_pieces
from amberquarry.kinds.captions import names_figure, stand_together
from amberquarry.kinds.figures import place_whole
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
_AT_EDGE = 1.5  # x-heights
_LEAST_HEIGHT = 6.0  # of a drawing, in x-heights
_WORDS, _WIDE = 6, 0.6  # of a line of text: words at least, share of the widest of the page
_KNOWN = 0.5  # of a drawing, that was found before
_THROUGH = 0.9  # of the area over a caption, that rules of the page run through
# Share of what is drawn, that the rules of frames and grids span; their thickness in x-heights, and
# the size of specks.
_RULE, _THICK, _SPECK = 0.6, 0.6, 0.4
_COLUMN = 0.25  # share of it, that a paragraph spans
_SURE = 0.7  # its confidence: strokes look like words as well
_ROOM = 0.3  # x-heights around lines of text and letters, in which their soft edges lie
_DARK, _STEP = 60, 2  # grey levels under paper; pixels from one that is looked at to the next
_DRAWN = 0.25  # of the dark pixels over a caption, that are no letters


def place_drawings(blocks: list[Block], grey: NDArray[np.uint8]) -> list[Block]:
    """Return blocks with drawings as figures, of which only labels or parts were found.

    What stands over the caption of a figure that has none, up to the text before it, is one where
    much of the ink is no letters. grey: of the page in whose pixels the blocks stand.
    """
    captions = [block for block in blocks if names_figure(block)]
    lines = [line for block in blocks for line in block.lines]
    if not captions:
        return blocks
    size = float(np.median([line.x_height for line in lines]))
    widest = max(line.box.width for line in lines)
    paper = int(np.percentile(grey[::8, ::8], 90))
    text = [block.box for block in blocks if _is_text(block, widest)]
    edges = [box.x0 for box in text]
    text += [  # large labels look like headings, but not at the edge of the text
        block.box
        for block in blocks
        if block.kind is BlockKind.HEADING
        and any(abs(block.box.x0 - edge) < _AT_EDGE * size for edge in edges)
    ]
    figures = [block.box for block in blocks if block.kind is BlockKind.FIGURE]
    found = []
    for caption in captions:
        beside = (box for box in figures if stand_together(caption.box, box, size))
        if any(box.width > _KNOWN * caption.box.width for box in beside):  # no bar of a chart
            continue
        area = _drawn(grey, _area_over(caption.box, text, grey.shape[1], size), lines, size, paper)
        if area is None or area.height < _LEAST_HEIGHT * size:
            continue
        inside = [block for block in blocks if area.contains(*block.box.middle)]
        known = max((b.box.area for b in inside if b.kind is BlockKind.FIGURE), default=0.0)
        if known < _KNOWN * area.area and [b.kind for b in inside] != [BlockKind.TABLE]:
            found.append(area)
    return place_whole(blocks, found)


def _area_over(caption: Box, text: list[Box], width: int, size: float) -> Box:
    """Return what lies over a caption up to the text before it, and between text beside it.

    text: boxes of text. width: of the page.
    """
    foot = caption.y0 - _ROOM * size
    over = [
        box.y1
        for box in text
        if box.middle[1] < caption.y0 and min(box.x1, caption.x1) > max(box.x0, caption.x0)
    ]
    top = max(over, default=0.0) + _ROOM * size
    beside = [box for box in text if min(box.y1, foot) > max(box.y0, top)]
    left = max((box.x1 for box in beside if box.x1 <= caption.x0), default=0.0)
    right = min((box.x0 for box in beside if box.x0 >= caption.x1), default=float(width))
    return Box(left, top, right, max(top, foot))


def _is_text(block: Block, widest: float) -> bool:
    """Return whether a block is for sure none of the labels of a drawing."""
    if block.kind in _SOLID or (runs_on(block) and block.box.width > _COLUMN * widest):
        return True
    return any(
        line.confidence > _SURE and (len(line.words) >= _WORDS or line.box.width > _WIDE * widest)
        for line in block.lines
    )


def _clear_rules(dark: NDArray[np.uint8], share: float, thick: int) -> None:
    """Clear thin columns and rows of a picture (0 or 255) that are dark along more than a share.

    thick: pixels from which on they are no rules, but bars.
    """
    for axis in (0, 1):
        long = (dark.mean(axis) > share * 255).astype(np.uint8)
        bars = cv2.morphologyEx(long[None], cv2.MORPH_OPEN, np.ones((1, thick), np.uint8))[0]
        rules = (long > bars).astype(bool)
        dark[(slice(None), rules) if axis == 0 else rules] = 0


def _drawn(
    grey: NDArray[np.uint8], area: Box, lines: list[Line], size: float, paper: int
) -> Box | None:
    """Return the box of the ink in an area, None where most of it is letters."""
    x0, y0, x1, y1 = (max(0, round(edge)) for edge in area)
    if min(x1 - x0, y1 - y0) < _LEAST_HEIGHT * size:
        return None
    dark = cv2.compare(grey[y0:y1:_STEP, x0:x1:_STEP].copy(), paper - _DARK, cv2.CMP_LT)
    thick = max(3, round(_THICK * size / _STEP))
    _clear_rules(dark, _THROUGH, thick)  # between columns or over the caption
    _, pieces = connected_pieces(dark)
    large = pieces[1:][pieces[1:, 2:4].max(1) >= _SPECK * size / _STEP]
    if not len(large):
        return None
    left, top = large[:, :2].min(0).tolist()
    right, foot = (large[:, :2] + large[:, 2:4]).max(0).tolist()
    strokes = dark.copy()
    _clear_rules(strokes[top:foot, left:right], _RULE, thick)  # frames and grids hold text as well
    room = _ROOM * size
    for line in lines:
        own = line.box
        around = (own.x0 - room - x0, own.y0 - room - y0, own.x1 + room - x0, own.y1 + room - y0)
        a, b, c, d = (max(0, round(edge / _STEP)) for edge in around)
        strokes[b:d, a:c] = 0
    if cv2.countNonZero(strokes) < _DRAWN * cv2.countNonZero(dark):
        return None
    return Box(
        float(x0 + _STEP * left),
        float(y0 + _STEP * top),
        float(x0 + _STEP * right),
        float(y0 + _STEP * foot),
    )
