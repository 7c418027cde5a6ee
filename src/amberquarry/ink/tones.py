"""Tones of a page in its level frame: windows of screens, toned areas, and how light it is."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.frames import in_frame
from amberquarry.imaging.pieces import connected_pieces
from amberquarry.imaging.shrink import in_blocks
from amberquarry.sheet.areas import Areas, Toned, Tones, Window
from amberquarry.values import Box, Frame, Mapping

_SHRINK = 2  # the page is looked at in so many pixels for one
_CELL = 4  # pixels of that picture
_MOST_PX = 32_000  # of a side: OpenCV's warps count them in 16 bits


@dataclass(frozen=True, slots=True)
class ScreenWindow:
    """Windows and dialogs in pictures of screens (`benchmarks/layout.py`, manuals)."""

    pale: int = 5  # grey levels by which one is darker than paper
    least_side: int = 20  # cells
    most_side: float = 0.95  # of the page
    rectangle: float = 0.93  # of its box, that it fills
    mostly: float = 0.8  # of what it is part of
    even: int = 6  # grey levels that a cell without strokes and edges spans at most
    flat: float = 0.35  # share of such cells
    step: int = 8  # levels that count as one tone
    shown: float = 0.005  # share of the even cells that such a tone has at least
    levels: int = 4  # tones at least: shaded boxes and tables have two or three
    span: int = 64  # levels from the darkest to the lightest


@dataclass(frozen=True, slots=True)
class TonedArea:
    """Photographs by their tones, which evened light bleaches."""

    paper_share: float = 90.0  # percentile of the page's levels
    pale: int = 14  # levels under the paper
    most_white: float = 0.2  # share of white that a cell may hold
    solid: float = 0.85  # share of its box that is toned
    whole_page: float = 0.95  # of the page, at most


WINDOW, TONED = ScreenWindow(), TonedArea()


def with_tones(areas: Areas, grey: NDArray[np.uint8], frame: Frame, letter: float) -> Areas:
    """Return areas with the evidence that the tones of the source picture give.

    grey: the source picture. frame: of the level page. letter: height of its letters in pixels.
    Strips that are longer than any page have no tones.
    """
    size = (max(1, round(frame.width / _SHRINK)), max(1, round(frame.height / _SHRINK)))
    enlarged = Mapping.of(np.array([[_SHRINK, 0.0, 0.0], [0.0, _SHRINK, 0.0]]))
    if max(*size, *grey.shape) > _MOST_PX:
        return areas
    small = in_frame(grey, frame.to_source.after(enlarged), size)
    level = in_blocks(small, _CELL)
    return replace(
        areas,
        windows=[
            Window(_at_full(box), _is_toned(small, box), _has_many_tones(small, box))
            for box in _rectangles(small, level)
        ],
        toned=[
            Toned(_at_full(box), deviation)
            for box, deviation in _toned(small, max(1.0, letter / _SHRINK))
        ],
        tones=Tones(float(_CELL * _SHRINK), level),
    )


def _at_full(box: Box) -> Box:
    return Box(*(float(_SHRINK * edge) for edge in box))


def _paper_of(grey: NDArray[np.uint8]) -> int:
    return int(grey[::_CELL, ::_CELL].max(initial=0))


def _rectangles(grey: NDArray[np.uint8], mean: NDArray[np.uint8]) -> list[Box]:
    """Return the boxes of rectangles that a frame encloses or tones fill, darker than paper."""
    paper = _paper_of(grey)
    toned = (mean < paper - WINDOW.pale).astype(np.uint8)
    toned = cv2.morphologyEx(toned, cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))
    outlines, _ = cv2.findContours(toned, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    filled = cv2.drawContours(np.zeros_like(toned), outlines, -1, 1, -1)
    # of lines of text that touch a rectangle, what stands out beside it is lower than it
    kernel = np.ones((WINDOW.least_side, WINDOW.least_side), np.uint8)
    labels, pieces = connected_pieces(cv2.morphologyEx(filled, cv2.MORPH_OPEN, kernel))
    rows, columns = mean.shape
    found = []
    for number, (x, y, w, h) in enumerate(pieces[1:, :4].tolist(), 1):
        own = labels[y : y + h, x : x + w] == number
        # and what stands over or under it is narrower
        filled_rows, filled_columns = (own.mean(axis) >= WINDOW.rectangle for axis in (1, 0))
        (top, foot), (left, right) = _extent(filled_rows), _extent(filled_columns)
        whole, own = int(own.sum()), own[top:foot, left:right]
        if own.sum() < WINDOW.mostly * whole or min(own.shape) < WINDOW.least_side:
            continue
        if own.mean() < WINDOW.rectangle:
            continue
        if max(own.shape[1] / columns, own.shape[0] / rows) <= WINDOW.most_side:
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
    return float(np.median(grey[y0:y1:_CELL, x0:x1:_CELL])) < _paper_of(grey) - WINDOW.pale


def _has_many_tones(grey: NDArray[np.uint8], box: Box) -> bool:
    """Return whether much of an area is even, in several tones far from each other."""
    x0, y0, x1, y1 = map(round, box)
    area, cell = grey[y0:y1, x0:x1], np.ones((_CELL, _CELL), np.uint8)
    middles = np.s_[_CELL // 2 :: _CELL, _CELL // 2 :: _CELL]
    lightest, darkest = cv2.dilate(area, cell)[middles], cv2.erode(area, cell)[middles]
    even = lightest - darkest <= WINDOW.even
    if even.mean() < WINDOW.flat:
        return False
    shares = np.bincount(lightest[even] // WINDOW.step) / even.sum()
    levels = np.flatnonzero(shares > WINDOW.shown)
    return len(levels) >= WINDOW.levels and bool(WINDOW.step * np.ptp(levels) >= WINDOW.span)


def _toned(grey: NDArray[np.uint8], letter: float) -> list[tuple[Box, float]]:
    """Return where a page is toned all over, without white, and how much the tones vary."""
    paper = float(np.percentile(grey[::8, ::8], TONED.paper_share))
    white = cv2.threshold(grey, paper - TONED.pale, 255, cv2.THRESH_BINARY)[1]
    mask = (in_blocks(np.asarray(white, np.uint8), _CELL) < TONED.most_white * 255).astype(np.uint8)
    rows, columns = mask.shape
    reach = max(3, round(letter / _CELL)) | 1
    mask = cv2.morphologyEx(mask, cv2.MORPH_OPEN, np.ones((reach, reach), np.uint8))
    _, boxes = connected_pieces(mask, connectivity=4)
    found = []
    for x, y, w, h, area in boxes[1:].tolist():
        if area < TONED.solid * w * h or max(w / columns, h / rows) > TONED.whole_page:
            continue
        tones = grey[y * _CELL : (y + h) * _CELL, x * _CELL : (x + w) * _CELL]
        box = Box(x * _CELL, y * _CELL, (x + w) * _CELL, (y + h) * _CELL)
        found.append((box, float(tones.std())))
    return found
