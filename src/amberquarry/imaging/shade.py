"""Take off the shade that table rows, listings and boxes are printed on."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.pieces import Labels, connected_pieces
from amberquarry.imaging.shrink import BLOCK, in_pixels, usual_levels

Grey = NDArray[np.uint8]


@dataclass(frozen=True, slots=True)
class Shade:
    """A plain shade behind text; lengths in blocks."""

    levels: tuple[int, int] = (110, 241)  # grey levels: darker ones bear light letters
    even: int = 8  # grey levels by which neighbouring blocks differ at most
    same: int = 5  # and all blocks of it
    across: int = 41  # of text that part the plain ends of a shaded row
    side: int = 3  # the shorter one, at least
    length: int = 8  # where letters stand on it
    rectangle: float = 0.75  # of the rectangle around it, that it fills
    plain: float = 0.3  # of its blocks, that hold no strokes at least
    in_row: int = 2  # by which upper and lower edges of a row's parts differ


@dataclass(frozen=True, slots=True)
class OnShade:
    """Letters that stand on it."""

    dark: float = 0.7  # of its level: strokes are darker
    height: int = 7  # pixels, at least
    wide: float = 3.0  # width over height, at most
    letters: int = 2  # at least


@dataclass(frozen=True, slots=True)
class AroundShade:
    """What lies around it."""

    white: int = 246  # grey level of paper
    amid: float = 0.4  # of it, that is paper


SHADE, ON_SHADE, AROUND = Shade(), OnShade(), AroundShade()


def without_shade(grey: Grey, small: Grey) -> Grey:
    """Return a page with shaded rectangles that bear dark letters as light as the paper around.

    Closings tell the ground of areas larger than letters; the rows of a table are no higher than
    those. Here it is even blocks of one level that make up a rectangle, on which strokes stand
    somewhere in the row; photographs and the bars of charts are none.

    grey: (H, W). small: the same in blocks of 8 pixels.
    """
    calm = cv2.medianBlur(small, 3)
    paper = cv2.morphologyEx(calm, cv2.MORPH_CLOSE, np.ones((SHADE.across, SHADE.across), np.uint8))
    even = np.asarray(cv2.divide(small, np.maximum(paper, 1), scale=255), np.uint8)
    near = np.ones((3, 3), np.uint8)
    plain = cv2.dilate(even, near) - cv2.erode(even, near) <= SHADE.even
    plain &= (even >= SHADE.levels[0]) & (even <= SHADE.levels[1])
    factor = np.ones(even.shape, np.float32)
    for level in sorted(usual_levels(even[plain], SHADE.length, SHADE.same)):
        shade = _shade_of(grey, even, plain, level)
        factor[shade], even[shade] = 255 / level, 255
    if factor.max() == 1:
        return grey
    scale, most = (in_pixels(part, BLOCK, *grey.shape) for part in (factor, paper))
    lifted = np.minimum(grey * scale, np.maximum(grey, most))
    return np.asarray(lifted, np.uint8)


def _shade_of(grey: Grey, small: Grey, plain: NDArray[np.bool_], level: int) -> NDArray[np.bool_]:
    """Return the blocks of the shaded rectangles of a level."""
    same = np.abs(small.astype(np.int16) - level) <= SHADE.same
    seeds = (plain & same).astype(np.uint8)
    # what is lighter than the shade parts it; strokes on it do not
    shade = cv2.morphologyEx(seeds, cv2.MORPH_CLOSE, np.ones((3, SHADE.across), np.uint8))
    shade &= (small <= level + SHADE.same).astype(np.uint8)
    shade = cv2.dilate(shade, np.ones((3, 3), np.uint8))
    labels, stats = connected_pieces(shade)
    area = np.maximum(1, stats[:, 4])
    share = np.bincount(labels[same], minlength=len(stats)) / area
    plain_enough = np.flatnonzero(share >= SHADE.plain)
    sound = [
        n
        for n in plain_enough.tolist()
        if n and _is_rectangle(labels, stats, n) and _amid_paper(small, labels, stats, n)
    ]
    bearing = [n for n in sound if _bears_letters(grey, labels, stats, n)]
    top, foot = stats[:, 1], stats[:, 1] + stats[:, 3]
    kept = [
        n
        for n in sound
        if any(
            abs(top[n] - top[m]) <= SHADE.in_row and abs(foot[n] - foot[m]) <= SHADE.in_row
            for m in bearing
        )
    ]
    chosen = np.isin(labels, kept).astype(np.uint8)
    return np.asarray(cv2.dilate(chosen, np.ones((3, 3), np.uint8)) > 0)


def _is_rectangle(labels: Labels, stats: NDArray[np.int32], number: int) -> bool:
    x, y, width, height, area = stats[number].tolist()
    if min(width, height) < SHADE.side:
        return False
    if area >= SHADE.rectangle * width * height:
        return True
    own = (labels[y : y + height, x : x + width] == number).astype(np.uint8)
    outlines, _ = cv2.findContours(own, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    (_, _), (long, short), _ = cv2.minAreaRect(np.concatenate(outlines))
    return bool(area >= SHADE.rectangle * (long + 1) * (short + 1))


def _amid_paper(small: Grey, labels: Labels, stats: NDArray[np.int32], number: int) -> bool:
    """Return whether much of what lies around a piece is paper: not so in charts of many tones."""
    x, y, width, height, _ = stats[number].tolist()
    around = np.s_[max(0, y - 2) : y + height + 2, max(0, x - 2) : x + width + 2]
    own = (labels[around] == number).astype(np.uint8)
    inner, outer = (cv2.dilate(own, np.ones((side, side), np.uint8)) for side in (3, 5))
    ring = small[around][outer > inner]
    return bool((ring >= AROUND.white).sum() > AROUND.amid * len(ring))


def _bears_letters(grey: Grey, labels: Labels, stats: NDArray[np.int32], number: int) -> bool:
    """Return whether dark pieces of the size of letters lie in a piece, clear of its edge."""
    x, y, width, height, _ = stats[number].tolist()
    if width < SHADE.length:
        return False
    own = labels[y : y + height, x : x + width] == number
    area = grey[BLOCK * y :, BLOCK * x :][: BLOCK * height, : BLOCK * width]
    inside = in_pixels(own, BLOCK, *area.shape)
    dark = (area < ON_SHADE.dark * np.median(area[inside])).astype(np.uint8)
    _, pieces = connected_pieces(dark)
    left, top, wide, high, _ = pieces[1:].T
    clear = (left > 0) & (top > 0) & (left + wide < area.shape[1]) & (top + high < area.shape[0])
    letters = clear & (high >= ON_SHADE.height) & (wide <= ON_SHADE.wide * high)
    return bool(letters.sum() >= ON_SHADE.letters)
