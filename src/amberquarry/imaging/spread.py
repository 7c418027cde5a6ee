"""Two facing pages in one picture: where the fold between them runs."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.light import Grey, ground_of


@dataclass(frozen=True, slots=True)
class Spread:
    """A picture of two facing pages."""

    look: int = 480  # pixels: width of the picture in which the fold is looked for
    shapes: tuple[float, float] = (1.15, 2.1)  # width over height
    inner: tuple[float, float] = (0.06, 0.94)  # of the height: lids and desks lie beyond
    stroke: float = 0.82  # of the paper's level: darker pixels hold print
    print: float = 0.006  # of each half


@dataclass(frozen=True, slots=True)
class FoldShape:
    """The fold between them."""

    reach: float = 0.1  # of the width, to each side of the middle, where it may lie
    narrow: float = 0.012  # of the width that is white at least, beside and in it
    crossing: float = 0.004  # of its height may hold print, as dirt does
    depth: float = 0.04  # of the paper's level by which it is darker than the pages beside it


SPREAD, FOLD = Spread(), FoldShape()
_TILTS = np.tan(np.radians(sorted(np.arange(-3.0, 3.25, 0.5), key=abs)))  # upright ones first


@dataclass(frozen=True, slots=True)
class Fold:
    """A straight line from top to bottom, and how it was seen."""

    middle: float  # x at half height, pixels
    slope: float  # pixels of x for each pixel of y
    why: str

    def columns(self, height: int) -> NDArray[np.float64]:
        """Return x of the fold at the middle of each row."""
        rows = np.arange(height, dtype=np.float64)
        return self.middle + self.slope * (rows + 0.5 - height / 2)


def find_fold(grey: Grey) -> Fold | None:
    """Return the fold between two facing pages, None where the picture holds one page.

    A fold runs from top to bottom near the middle, through white that no print crosses, and shows
    as a shadow in it. White alone is no fold: it parts columns and terms from their meanings too.
    """
    height, width = grey.shape
    if not SPREAD.shapes[0] <= width / height <= SPREAD.shapes[1] or width < SPREAD.look // 2:
        return None
    scale = width / SPREAD.look
    look = cv2.resize(grey, (SPREAD.look, round(height / scale)), interpolation=cv2.INTER_AREA)
    ground = cv2.resize(ground_of(grey), look.shape[::-1], interpolation=cv2.INTER_AREA)
    rows = slice(int(SPREAD.inner[0] * len(look)), int(SPREAD.inner[1] * len(look)))
    print_ = look[rows] < SPREAD.stroke * ground[rows]
    if (
        min(print_[:, : SPREAD.look // 3].mean(), print_[:, -SPREAD.look // 3 :].mean())
        < SPREAD.print
    ):
        return None
    best: tuple[float, float, float] | None = None  # width of the white, middle, slope
    y, x = np.nonzero(print_)
    for slope in _TILTS:
        along = np.clip(np.round(x - slope * (y - print_.shape[0] / 2)), 0, SPREAD.look - 1)
        crossing = np.bincount(along.astype(int), minlength=SPREAD.look) / print_.shape[0]
        for first, last in _runs(crossing <= FOLD.crossing):
            middle = (first + last) / 2
            near = abs(middle / SPREAD.look - 0.5) <= FOLD.reach
            if near and (best is None or last - first > best[0]):
                best = (last - first, middle, float(slope))
    if best is None or best[0] < FOLD.narrow * SPREAD.look:
        return None
    wide, middle, slope = best
    level = _along(ground[rows].astype(np.float64), slope)
    inside = np.arange(int(middle - wide / 2), int(middle + wide / 2) + 1)
    inside = inside[(inside >= 0) & (inside < SPREAD.look)]
    darkest = int(inside[np.argmin(level[inside])])
    aside = round(0.12 * SPREAD.look)
    beside = min(level[max(0, darkest - aside)], level[min(SPREAD.look - 1, darkest + aside)])
    if level[darkest] >= (1 - FOLD.depth) * beside:
        return None
    return Fold((darkest + 0.5) * scale, slope, "two pages face each other at a dark fold")


def halves(grey: Grey, fold: Fold) -> tuple[tuple[Grey, int], tuple[Grey, int]]:
    """Return the picture left and right of the fold, each with the x where it starts.

    What lies beyond a slanting fold is filled with the fold's own level.
    """
    height, width = grey.shape
    at = np.clip(np.round(fold.columns(height)).astype(int), 1, width - 1)[:, None]
    columns = np.arange(width)[None]
    left = np.take_along_axis(grey, np.minimum(columns[:, : at.max()], at - 1), 1)
    start = int(at.min())
    right = np.take_along_axis(grey, np.maximum(columns[:, start:], at), 1)
    return (left, 0), (right, start)


def _along(values: NDArray[np.float64], slope: float) -> NDArray[np.float64]:
    """Return the median over rows of each column of a slanted picture."""
    height, width = values.shape
    shift = slope * (np.arange(height) - height / 2)
    columns = np.clip(np.round(np.arange(width)[None] + shift[:, None]), 0, width - 1).astype(int)
    return np.asarray(np.median(np.take_along_axis(values, columns, 1), axis=0))


def _runs(mask: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Return where a mask is true, as half-open ranges."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], mask.astype(np.int8), [0]))))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))
