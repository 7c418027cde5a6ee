"""Pictures of screens: windows and dialogs shown in manuals, whose words are no running text."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.document import Block, BlockKind, Box, Line
from amberquarry.imaging.shrink import in_blocks
from amberquarry.layout.figures import place_figures
from amberquarry.layout.tables import MOST_PROSE, prose_share, runs_on

_CELL = 8  # pixels of the blocks that are looked at
_PALE = 5  # grey levels by which a window is darker than paper
_LEAST_SIDE, _MOST_SIDE = 20, 0.95  # cells; of the page
_TITLE, _WORD = 1.4, 3  # of the usual x-height; letters: signs of any size stand in windows
_KNOWN = 0.9  # of its box, that a figure covers which was found before
_RECTANGLE = 0.93  # of its box, that a window fills
_EVEN = 6  # grey levels that a cell without strokes and edges spans at most
# Of a window: share of such cells; their levels, in steps of so many, each with a share of them at
# least; how many there are, and how far apart. Shaded boxes and tables have two or three.
_FLAT, _STEP, _SHOWN, _LEVELS, _SPAN = 0.35, 8, 0.005, 4, 64


def place_screens(blocks: list[Block], grey: NDArray[np.uint8]) -> list[Block]:
    """Return blocks with each picture of a screen as one figure, its words as those of the figure.

    grey: of the page in whose pixels the blocks stand.
    """
    lines = [line for block in blocks for line in block.lines]
    if not lines:
        return blocks
    usual = float(np.median([line.x_height for line in lines]))
    prose = {id(line) for block in blocks if runs_on(block) for line in block.lines}
    figures = [block.box for block in blocks if block.kind is BlockKind.FIGURE]
    found = []
    for box in _windows(grey):
        if any(figure.overlap(box) > _KNOWN * box.area for figure in figures):
            continue
        inside = [line for line in lines if box.contains(*line.box.middle)]
        # titles stand on bands of several tones
        titled = any(line.x_height > _TITLE * usual and _has_words(line) for line in inside)
        if not titled and prose_share(inside, prose) < MOST_PROSE:
            found.append(box)
    rest: list[Block] = []
    for block in blocks:
        # what was taken for figures there are parts of the picture
        if block.kind is not BlockKind.FIGURE or not any(
            box.contains(*block.box.middle) for box in found
        ):
            rest.append(block)
        elif block.lines:
            rest.append(block.part(BlockKind.PARAGRAPH, block.lines))
    return place_figures(rest, found)


def _has_words(line: Line) -> bool:
    return sum(map(str.isalpha, line.text)) >= _WORD


def _windows(grey: NDArray[np.uint8]) -> list[Box]:
    """Return the boxes of rectangles of many even tones."""
    paper = int(grey[::_CELL, ::_CELL].max(initial=0))
    mean = in_blocks(grey, _CELL)
    toned = (mean < paper - _PALE).astype(np.uint8)
    toned = cv2.morphologyEx(toned, cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))
    outlines, _ = cv2.findContours(toned, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    rows, columns = mean.shape
    found = []
    for outline in outlines:
        x, y, w, h = cv2.boundingRect(outline)
        if min(w, h) < _LEAST_SIDE or w > _MOST_SIDE * columns or h > _MOST_SIDE * rows:
            continue
        filled = np.zeros((h, w), np.uint8)
        cv2.drawContours(filled, [outline], -1, 1, -1, offset=(-x, -y))
        area = grey[y * _CELL : (y + h) * _CELL, x * _CELL : (x + w) * _CELL]
        if filled.mean() >= _RECTANGLE and _has_many_tones(area):
            found.append(Box(x * _CELL, y * _CELL, (x + w) * _CELL, (y + h) * _CELL))
    return found


def _has_many_tones(area: NDArray[np.uint8]) -> bool:
    """Return whether much of an area is even, in several tones far from each other."""
    cell = np.ones((_CELL, _CELL), np.uint8)
    middles = np.s_[_CELL // 2 :: _CELL, _CELL // 2 :: _CELL]
    lightest, darkest = cv2.dilate(area, cell)[middles], cv2.erode(area, cell)[middles]
    even = lightest - darkest <= _EVEN
    if even.mean() < _FLAT:
        return False
    shares = np.bincount(lightest[even] // _STEP) / even.sum()
    levels = np.flatnonzero(shares > _SHOWN)
    return len(levels) >= _LEVELS and bool(_STEP * np.ptp(levels) >= _SPAN)
