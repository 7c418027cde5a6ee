"""Pictures of screens: windows and dialogs shown in manuals, whose words are no running text."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.pieces import connected_pieces
from amberquarry.imaging.shrink import in_blocks
from amberquarry.kinds.captions import names_figure, stand_together
from amberquarry.kinds.figures import place_whole
from amberquarry.tables.placing import MOST_PROSE, prose_share, runs_on
from amberquarry.values import Block, BlockKind, Box, Line

_CELL = 8  # pixels of the blocks that are looked at
_PALE = 5  # grey levels by which a window is darker than paper
_LEAST_SIDE, _MOST_SIDE = 20, 0.95  # cells; of the page
_TITLE, _WORD = 1.4, 3  # of the usual x-height; letters: signs of any size stand in windows
_KNOWN = 0.7  # of its box, that a figure covers which was found before
_RECTANGLE, _MOSTLY = 0.93, 0.8  # of its box, that a window fills; of what it is part of
_EVEN = 6  # grey levels that a cell without strokes and edges spans at most
# Of a window: share of such cells; their levels, in steps of so many, each with a share of them at
# least; how many there are, and how far apart. Shaded boxes and tables have two or three.
_FLAT, _STEP, _SHOWN, _LEVELS, _SPAN = 0.35, 8, 0.005, 4, 64


def place_screens(blocks: list[Block], grey: NDArray[np.uint8]) -> list[Block]:
    """Return blocks with each picture of a screen as one figure, its words as those of the figure.

    Also any other shaded rectangle beside which the caption of a figure stands.
    grey: of the page in whose pixels the blocks stand.
    """
    lines = [line for block in blocks for line in block.lines]
    if not lines:
        return blocks
    usual = float(np.median([line.x_height for line in lines]))
    running = {
        id(line)
        for block in blocks
        if block.kind is BlockKind.CODE or runs_on(block)
        for line in block.lines
    }
    figures = [block.box for block in blocks if block.kind is BlockKind.FIGURE]
    captions = [block.box for block in blocks if names_figure(block)]
    found = []
    for box in _rectangles(grey):
        if any(figure.overlap(box) > _KNOWN * box.area for figure in figures):
            continue
        inside = [line for line in lines if box.contains(*line.box.middle)]
        if prose_share(inside, running) >= MOST_PROSE:
            continue
        named = any(stand_together(caption, box, usual) for caption in captions)
        # titles stand on bands of several tones
        titled = any(line.x_height > _TITLE * usual and _has_words(line) for line in inside)
        if (named and _is_toned(grey, box)) or (not titled and _has_many_tones(grey, box)):
            found.append(box)
    return place_whole(blocks, found)


def _has_words(line: Line) -> bool:
    return sum(map(str.isalpha, line.text)) >= _WORD


def _paper_of(grey: NDArray[np.uint8]) -> int:
    return int(grey[::_CELL, ::_CELL].max(initial=0))


def _rectangles(grey: NDArray[np.uint8]) -> list[Box]:
    """Return the boxes of rectangles that a frame encloses or tones fill, darker than paper."""
    paper = _paper_of(grey)
    mean = in_blocks(grey, _CELL)
    toned = (mean < paper - _PALE).astype(np.uint8)
    toned = cv2.morphologyEx(toned, cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))
    outlines, _ = cv2.findContours(toned, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    filled = cv2.drawContours(np.zeros_like(toned), outlines, -1, 1, -1)
    # of lines of text that touch a rectangle, what stands out beside it is lower than it
    kernel = np.ones((_LEAST_SIDE, _LEAST_SIDE), np.uint8)
    labels, pieces = connected_pieces(cv2.morphologyEx(filled, cv2.MORPH_OPEN, kernel))
    rows, columns = mean.shape
    found = []
    for number, (x, y, w, h) in enumerate(pieces[1:, :4].tolist(), 1):
        own = labels[y : y + h, x : x + w] == number
        # and what stands over or under it is narrower
        (top, foot), (left, right) = (_extent(own.mean(axis) >= _RECTANGLE) for axis in (1, 0))
        whole, own = int(own.sum()), own[top:foot, left:right]
        if own.sum() < _MOSTLY * whole or own.mean() < _RECTANGLE or min(own.shape) < _LEAST_SIDE:
            continue
        if own.shape[1] <= _MOST_SIDE * columns and own.shape[0] <= _MOST_SIDE * rows:
            edges = (x + left, y + top, x + right, y + foot)
            found.append(Box(*(float(_CELL * edge) for edge in edges)))
    return found


def _extent(marked: NDArray[np.bool_]) -> tuple[int, int]:
    """Return from where to where what is marked reaches."""
    places = np.flatnonzero(marked)
    return (int(places[0]), int(places[-1]) + 1) if len(places) else (0, 0)


def _is_toned(grey: NDArray[np.uint8], box: Box) -> bool:
    """Return whether most of an area is darker than paper."""
    x0, y0, x1, y1 = map(round, box)
    return float(np.median(grey[y0:y1:_CELL, x0:x1:_CELL])) < _paper_of(grey) - _PALE


def _has_many_tones(grey: NDArray[np.uint8], box: Box) -> bool:
    """Return whether much of an area is even, in several tones far from each other."""
    x0, y0, x1, y1 = map(round, box)
    area, cell = grey[y0:y1, x0:x1], np.ones((_CELL, _CELL), np.uint8)
    middles = np.s_[_CELL // 2 :: _CELL, _CELL // 2 :: _CELL]
    lightest, darkest = cv2.dilate(area, cell)[middles], cv2.erode(area, cell)[middles]
    even = lightest - darkest <= _EVEN
    if even.mean() < _FLAT:
        return False
    shares = np.bincount(lightest[even] // _STEP) / even.sum()
    levels = np.flatnonzero(shares > _SHOWN)
    return len(levels) >= _LEVELS and bool(_STEP * np.ptp(levels) >= _SPAN)
