"""Bleed-through: print of the other side that shows through the paper."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.light import ink_of
from amberquarry.imaging.pieces import Labels, connected_pieces

Grey = NDArray[np.uint8]

_TILE, _ROW_STEP, _SPECKS = 128, 3, 3
_PALE, _LEAST_DEPTH = 0.62, 22.0  # of the usual ink's depth; grey levels
_FAINTEST = 14.0  # of pieces that are looked at
_PALE_TILES = 0.04  # share of the inked tiles from which the page is looked into
_LOW, _HIGH, _LEAST_HEIGHT_PX = 0.35, 3.0, 5  # heights of pieces that count, in letters
_DEEP = 0.8  # of the usual depth: the page's own print
_LEAST_PIECES, _LEAST_PALE = 25, 6
# Of the sharpness of the page's own print: most of the pale pieces are blurred more than the first,
# those that are less than the second are its own.
_BLURRED, _PRINTED = 0.8, 0.9
_MOST = 0.6  # of the usual depth may be taken away
_RIM = 0.15  # letters: width of the edges of strokes, both sides together
_SHARE = 95  # percentile of the depth of what shines through


def seems_bled(even: Grey) -> bool:
    """Return whether many parts of an evened page hold nothing but pale ink.

    Cheap: most pages end here.
    """
    rows, columns = even.shape[0] // _TILE, even.shape[1] // _TILE
    if not (rows and columns):
        return False
    tiles = even[: rows * _TILE, : columns * _TILE].reshape(rows, _TILE, columns, _TILE)
    of_rows = tiles[:, ::_ROW_STEP].min(3).swapaxes(1, 2)
    # a few specks don't make a part dark
    depth = 255.0 - np.partition(of_rows, _SPECKS, axis=2)[..., _SPECKS]
    inked = depth[depth >= _LEAST_DEPTH]
    if not len(inked):
        return False
    return bool((inked < _PALE * np.percentile(inked, 80)).mean() > _PALE_TILES)


def without_bleed(even: Grey) -> Grey | None:
    """Return an evened page without bleed-through, None where there is none.

    What shines through is paler than the page's own print and blurred by the paper; pale letters
    with sharp edges are printed so and stay.
    """
    ink = ink_of(even, tell_grain=False)
    labels, stats = connected_pieces(ink)
    height = stats[:, cv2.CC_STAT_HEIGHT]
    depth, edge = _depth_and_edge(even, labels, len(stats))
    counted = (height >= _LEAST_HEIGHT_PX) & (depth >= _FAINTEST)
    if counted.sum() < _LEAST_PIECES:
        return None
    usual = float(np.percentile(depth[counted], 75))
    own = counted & (depth > _DEEP * usual)
    letter = float(np.median(height[own]))
    counted &= (height >= _LOW * letter) & (height <= _HIGH * letter)
    own, pale = own & counted, counted & (depth < _PALE * usual)
    sharpness = edge / np.maximum(depth, 1)
    if own.sum() < _LEAST_PIECES or pale.sum() < _LEAST_PALE:
        return None
    usual_edge = float(np.median(sharpness[own]))
    if np.median(sharpness[pale]) > _BLURRED * usual_edge:
        return None
    printed = _PRINTED * usual_edge
    floor = min(_MOST * usual, float(np.percentile(depth[pale & (sharpness < printed)], _SHARE)))
    sharp = counted & (sharpness >= printed)
    core = ((even < 255 - floor) | sharp[labels]).astype(np.uint8)
    rim = np.ones((max(3, round(_RIM * letter) | 1),) * 2, np.uint8)
    # soft edges of the page's own strokes stay as they are
    return np.where(cv2.dilate(core, rim) > 0, even, np.uint8(255))


def _depth_and_edge(
    even: Grey, labels: Labels, count: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return how dark each piece of ink is at most, and how steep its edges are at most."""
    steep = cv2.morphologyEx(even, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8))
    inked = labels > 0
    own = labels[inked]
    order = np.argsort(own, kind="stable")
    starts = np.searchsorted(own[order], np.arange(1, count))
    depth, edge = np.zeros(count), np.zeros(count)
    if count > 1:
        depth[1:] = 255.0 - np.minimum.reduceat(even[inked][order], starts)
        edge[1:] = np.maximum.reduceat(steep[inked][order], starts)
    return depth, edge
