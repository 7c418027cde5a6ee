"""Text that is set upwards or downwards on a page whose lines run across."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.sheet.glyphs import Glyphs
from amberquarry.values import Box


@dataclass(frozen=True, slots=True)
class OnItsSide:
    """Letters and lines that run up or down a page."""

    smallest: float = 0.25  # letter heights that a letter on its side measures, at least
    largest: float = 3.0  # the same, at most
    reach: float = 0.42  # of its width that a letter looks up and down for the next one
    word_gap: float = 1.6  # widths between words of one such line
    shared: float = 0.4  # of the narrower of two parts of a line: a comma hangs below it
    letters: int = 3  # of a line, at least
    most_pieces: int = 15000  # of a page: more are grain, and take minutes to compare
    length: float = 2.2  # of its width, at least
    apart: float = 0.9  # letter heights of white that must lie beside it
    most_beside: float = 0.2  # of its letters may have other text that near


DOWN = OnItsSide()

_Stack = tuple[Box, NDArray[np.int64]]  # of letters one above the other, and which these are


def find_vertical(glyphs: Glyphs, letter: float) -> list[Box]:
    """Return boxes of what may be lines set vertically, from top to bottom of the page.

    They are candidates by geometry: letters closely one above the other, white to both sides.
    Whether they are text, and which way they run, is for the reader to say.
    """
    size = np.maximum(glyphs.width, glyphs.height)
    chosen = glyphs.usable & (size >= DOWN.smallest * letter) & (size <= DOWN.largest * letter)
    index = np.flatnonzero(chosen)
    if not DOWN.letters <= len(index) <= DOWN.most_pieces:
        return []
    left, right = glyphs.left[index].astype(float), glyphs.right[index].astype(float)
    top, bottom = glyphs.top[index].astype(float), glyphs.bottom[index].astype(float)
    group = _stacks(glyphs.shape, left, top, right, bottom, letter)
    order = np.argsort(group, kind="stable")
    starts = np.flatnonzero(np.diff(group[order], prepend=-1))
    edges = np.stack(
        [
            np.minimum.reduceat(left[order], starts),
            np.minimum.reduceat(top[order], starts),
            np.maximum.reduceat(right[order], starts),
            np.maximum.reduceat(bottom[order], starts),
        ],
        axis=1,
    )
    stacks: list[_Stack] = []
    others: list[_Stack] = []
    for own, box in zip(np.split(order, starts[1:]), map(Box._make, edges.tolist()), strict=True):
        tall = len(own) > 1 and box.height >= 1.2 * box.width and box.width <= 2.6 * letter
        (stacks if tall else others).append((box, own))
    lines = _join_words(stacks)
    inside = np.zeros(len(index), bool)
    for _, own in lines:
        inside[own] = True

    def stands_alone(box: Box, own: NDArray[np.int64]) -> bool:
        beside = (
            ~inside
            & (right > box.x0 - DOWN.apart * letter)
            & (left < box.x1 + DOWN.apart * letter)
            & (bottom > box.y0)
            & (top < box.y1)
            & ((right <= box.x0 + 2) | (left >= box.x1 - 2))
        )
        rows = (top[own][:, None] < bottom[beside]) & (bottom[own][:, None] > top[beside])
        return bool(rows.any(1).mean() <= DOWN.most_beside)

    kept: list[_Stack] = []
    for box, own in lines:
        long = len(own) >= DOWN.letters and box.height >= DOWN.length * box.width
        (kept if long and stands_alone(box, own) else others).append((box, own))
    while kept and others:  # the ends: single letters, commas, "°C"
        close = _follow(*(np.array([box for box, _ in parts]) for parts in (kept, others))).any(0)
        near = [n for n in np.flatnonzero(close) if stands_alone(*others[n])]
        if not near:
            break
        kept = _join_words([*kept, *(others[n] for n in near)])
        left_over = np.setdiff1d(np.arange(len(others)), near)
        others = [others[n] for n in left_over]
    return sorted((box for box, _ in kept), key=lambda box: (box.y0, box.x0))


def _stacks(
    shape: tuple[int, ...],
    left: NDArray[np.float64],
    top: NDArray[np.float64],
    right: NDArray[np.float64],
    bottom: NDArray[np.float64],
    letter: float,
) -> NDArray[np.int64]:
    """Return a group number for each piece: pieces whose middle columns, drawn out, touch."""
    coarse = 4
    raster = np.zeros((shape[0] // coarse + 2, shape[1] // coarse + 2), np.uint8)
    middle, half = (left + right) / 2, np.maximum((right - left) / 4, 0.12 * letter)
    reach = DOWN.reach * np.maximum(right - left, 0.6 * letter)
    x0 = np.maximum(0, np.round((middle - half) / coarse)).astype(int)
    x1 = np.maximum(x0 + 1, np.round((middle + half) / coarse)).astype(int)
    y0 = np.maximum(0, np.round((top - reach) / coarse)).astype(int)
    y1 = np.maximum(y0 + 1, np.round((bottom + reach) / coarse)).astype(int)
    for a, b, c, d in zip(y0.tolist(), y1.tolist(), x0.tolist(), x1.tolist(), strict=True):
        raster[a:b, c:d] = 1
    _, labels = cv2.connectedComponents(raster, connectivity=4)
    rows = np.clip(((top + bottom) / 2 / coarse).astype(int), 0, raster.shape[0] - 1)
    columns = np.clip((middle / coarse).astype(int), 0, raster.shape[1] - 1)
    return np.asarray(labels[rows, columns], np.int64)


def _follow(lines: NDArray[np.float64], boxes: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Return which of some boxes (M, 4) stand close above or below which lines (N, 4): (N, M).

    That is in their column, no further off than the gap between words.
    """
    x0, y0, x1, y1 = (lines[:, None, edge] for edge in range(4))
    left, top, right, foot = boxes.T
    shared = np.minimum(x1, right) - np.maximum(x0, left)
    gap = np.maximum(top - y1, y0 - foot)
    width, other = x1 - x0, right - left
    return np.asarray(
        (shared > DOWN.shared * np.minimum(width, other))
        & (gap < DOWN.word_gap * np.maximum(width, other))
    )


def _join_words(boxes: list[_Stack]) -> list[_Stack]:
    """Return words that stand one under the other on one line, joined."""
    lines: list[_Stack] = []
    edges = np.zeros((len(boxes), 4))  # of the lines so far
    for box, own in sorted(boxes, key=lambda item: item[0].y0):
        above = np.flatnonzero(_follow(edges[: len(lines)], np.array([box])))
        number = int(above[0]) if len(above) else len(lines)
        if number == len(lines):
            lines.append((box, own))
        else:
            line, pieces = lines[number]
            lines[number] = (Box.around([line, box]), np.concatenate([pieces, own]))
        edges[number] = lines[number][0]
    return lines
