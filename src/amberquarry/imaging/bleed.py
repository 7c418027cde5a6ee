"""Bleed-through: print of the other side that shows through the paper."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.light import ink_of
from amberquarry.imaging.pieces import Labels, connected_pieces

Grey = NDArray[np.uint8]


@dataclass(frozen=True, slots=True)
class BleedThrough:
    """Pale, blurred print of the other side (`benchmarks/scenes.py`, bled)."""

    tile: int = 128  # pixels
    step: int = 3  # pixels from row to row that is looked at
    specks: int = 3  # pixels of pieces that don't count
    pale: float = 0.62  # of the usual ink's depth
    depth: float = 22.0  # grey levels of pale print, at least
    faintest: float = 14.0  # grey levels of pieces that are looked at
    tiles: float = 0.04  # share of the inked tiles from which the page is looked into
    low: float = 0.35  # letters: height of pieces that count, at least
    high: float = 3.0  # letters: the same, at most
    least_px: int = 5  # height of such pieces
    deep: float = 0.8  # of the usual depth: the page's own print
    pieces: int = 25  # of the page's own print
    pale_pieces: int = 6  # of pale print
    blurred: float = 0.8  # of the sharpness of own print: most pale pieces are less sharp
    printed: float = 0.9  # of that sharpness: sharper pieces are the page's own
    most: float = 0.6  # of the usual depth may be taken away
    rim: float = 0.15  # letters: width of the edges of strokes, both sides together
    share: int = 95  # percentile of the depth of bleed-through


BLEED = BleedThrough()


def seems_bled(even: Grey) -> bool:
    """Return whether many parts of an evened page hold nothing but pale ink.

    Cheap: most pages end here.
    """
    rows, columns = even.shape[0] // BLEED.tile, even.shape[1] // BLEED.tile
    if not (rows and columns):
        return False
    tiles = even[: rows * BLEED.tile, : columns * BLEED.tile].reshape(
        rows, BLEED.tile, columns, BLEED.tile
    )
    of_rows = tiles[:, :: BLEED.step].min(3).swapaxes(1, 2)
    # a few specks don't make a part dark
    depth = 255.0 - np.partition(of_rows, BLEED.specks, axis=2)[..., BLEED.specks]
    inked = depth[depth >= BLEED.depth]
    if not len(inked):
        return False
    return bool((inked < BLEED.pale * np.percentile(inked, 80)).mean() > BLEED.tiles)


def without_bleed(even: Grey) -> Grey | None:
    """Return an evened page without bleed-through, None where there is none.

    What shines through is paler than the page's own print and blurred by the paper; pale letters
    with sharp edges are printed so and stay.
    """
    ink = ink_of(even, tell_grain=False)
    labels, stats = connected_pieces(ink)
    height = stats[:, cv2.CC_STAT_HEIGHT]
    depth, edge = _depth_and_edge(even, labels, len(stats))
    counted = (height >= BLEED.least_px) & (depth >= BLEED.faintest)
    if counted.sum() < BLEED.pieces:
        return None
    usual = float(np.percentile(depth[counted], 75))
    own = counted & (depth > BLEED.deep * usual)
    letter = float(np.median(height[own]))
    counted &= (height >= BLEED.low * letter) & (height <= BLEED.high * letter)
    own, pale = own & counted, counted & (depth < BLEED.pale * usual)
    sharpness = edge / np.maximum(depth, 1)
    if own.sum() < BLEED.pieces or pale.sum() < BLEED.pale_pieces:
        return None
    usual_edge = float(np.median(sharpness[own]))
    if np.median(sharpness[pale]) > BLEED.blurred * usual_edge:
        return None
    printed = BLEED.printed * usual_edge
    floor = min(
        BLEED.most * usual, float(np.percentile(depth[pale & (sharpness < printed)], BLEED.share))
    )
    sharp = counted & (sharpness >= printed)
    core = ((even < 255 - floor) | sharp[labels]).astype(np.uint8)
    rim = np.ones((max(3, round(BLEED.rim * letter) | 1),) * 2, np.uint8)
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
