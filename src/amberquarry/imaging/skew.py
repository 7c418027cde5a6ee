"""How a page lies: letter height, skew, and whether its lines run across or down."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.pieces import connected_pieces


@dataclass(frozen=True, slots=True)
class Words:
    """What tells the slope of lines before they are found."""

    letters: int = 12  # at least
    ratio: float = 2.2  # of the long to the short side from which a component may be a word
    letter: float = 0.65  # usual height of letters over that of words with all their parts
    merged: float = 0.6  # of the ink that stands in words run together


@dataclass(frozen=True, slots=True)
class Specks:
    """Dots that outnumber the letters of a page."""

    square: float = 1.4  # longer side to the shorter one at most
    full: float = 0.6  # of their box that is ink
    mostly: float = 0.5  # of the pieces, where they may outweigh the letters
    letter: float = 2.0  # height of letters over theirs, at least


WORDS, SPECKS = Words(), Specks()


@dataclass(frozen=True, slots=True)
class Letters:
    """Components of about letter size: boxes as arrays, and their usual height in pixels.

    Where print is blurred, the letters of a word run together and words stand for letters.
    """

    left: NDArray[np.float32]
    top: NDArray[np.float32]
    right: NDArray[np.float32]
    bottom: NDArray[np.float32]
    height: float  # 0 where there are too few to tell
    merged: bool = False  # whether most are words run together


def find_letters(ink: NDArray[np.uint8]) -> Letters:
    """Return the components of `ink` (1 is ink) that can be letters."""
    _, stats = connected_pieces(ink)
    left, top, width, height, area = stats[1:].T
    long, short = np.maximum(width, height), np.minimum(width, height)
    solid = (long >= 4) & (short >= 2) & (area >= 8)
    rows, columns = ink.shape
    words = solid & (long > WORDS.ratio * short) & (short >= 5) & (area > 0.25 * width * height)
    words &= (long < 0.5 * max(rows, columns)) & (short < 0.2 * min(rows, columns))
    merged = bool(words.sum() >= WORDS.letters) and float(area[words].sum()) > WORDS.merged * float(
        area[solid & (short < 0.2 * min(rows, columns))].sum()
    )
    usable = words if merged else _letter_like(ink, stats[1:], solid)
    left, top, width, height = (v[usable].astype(np.float32) for v in (left, top, width, height))
    sizes = WORDS.letter * np.minimum(width, height) if merged else height
    usual = float(np.median(sizes)) if len(height) >= WORDS.letters else 0.0
    return Letters(left, top, left + width, top + height, usual, merged)


def _letter_like(
    ink: NDArray[np.uint8], stats: NDArray[np.int32], solid: NDArray[np.bool_]
) -> NDArray[np.bool_]:
    """Return which components have the size and shape of single letters."""
    _, _, width, height, area = stats.T
    usable = (
        solid
        & (height >= 4)
        & (height < 0.2 * ink.shape[0])
        & (width < 6 * np.maximum(height, 4))
        & (height < 8 * np.maximum(width, 3))
    )
    if usable.sum() < WORDS.letters:
        return usable
    size = np.maximum(width, height)
    ink_of_each = np.minimum(area, 4.0 * size)
    middle = _middle_size(size[usable], ink_of_each[usable])
    # leaders of a page of contents may hold more ink than its letters
    dots = (
        usable
        & (size <= SPECKS.square * np.minimum(width, height))
        & (area >= SPECKS.full * width * height)
    )
    others = usable & ~dots
    if dots.sum() > SPECKS.mostly * usable.sum() and others.sum() >= WORDS.letters:
        larger = _middle_size(size[others], ink_of_each[others])
        if larger > SPECKS.letter * float(np.median(size[dots])):
            middle = larger
    return usable & (size > 0.4 * middle) & (size < 2.6 * middle)


def _middle_size(size: NDArray[np.int32], ink: NDArray[np.floating]) -> float:
    """Return the size of pieces up to which nearly half of the ink lies.

    Dots and specks are many on poor scans, and hold little of it.
    """
    order = np.argsort(size)
    held = np.cumsum(ink[order])
    return float(size[order][np.searchsorted(held, 0.45 * held[-1])])


def _sharpness(
    along: NDArray[np.floating],
    across: NDArray[np.floating],
    angles: NDArray[np.float64],
    bin_px: float,
) -> NDArray[np.float64]:
    """Return for each angle how sharply points gather in lines that rise by that angle."""
    scores = np.empty(len(angles))
    for number, angle in enumerate(angles):
        level = across + along * np.float32(np.tan(angle))
        bins = np.floor((level - level.min()) / bin_px).astype(np.int64)
        counts = np.bincount(bins).astype(np.float64)
        scores[number] = float((counts**2).sum()) + float((counts[1:] * counts[:-1]).sum())
    return scores


def skew_angle(letters: Letters, max_deg: float) -> float:
    """Return the angle in degrees by which text lines rise to the right; 0 if none stands out.

    Method: the bottoms of letters gather on base lines; the angle at which their projection is
    sharpest is searched in three ever finer rounds (Baird 1987, on component bottoms).
    """
    if letters.height == 0 or max_deg == 0:
        return 0.0
    along = (letters.left + letters.right) / 2
    chosen, reach, steps = 0.0, np.radians(max_deg), 41
    for divisor in (3.0, 6.0, 10.0):
        angles = chosen + np.linspace(-reach, reach, steps)
        bin_px = max(1.0, letters.height / divisor)
        scores = _sharpness(along, letters.bottom, angles, bin_px)
        best = scores >= scores.max() * 0.9999
        chosen = float(angles[best][np.argmin(np.abs(angles[best]))])
        reach, steps = 3 * reach / (steps - 1) * 1.5, 31
    return float(np.degrees(chosen)) if abs(np.degrees(chosen)) <= max_deg else 0.0


def share_running_down(letters: Letters) -> float:
    """Return the share of letters whose neighbours stand above or below them, 0 if unknown.

    A letter's nearest neighbours stand in its own line, nearer than the lines beside it: the share
    is near 0 where lines run across the page, near 1 where they run down. Where the letters of
    words have run together it can be anything.
    """
    if letters.height == 0:
        return 0.0
    if letters.merged:  # words lie along their lines
        wide, high = letters.right - letters.left, letters.bottom - letters.top
        return float((wide * high)[high > wide].sum() / (wide * high).sum())
    from scipy.spatial import cKDTree  # slow to load

    middles = np.stack([(letters.left + letters.right) / 2, (letters.top + letters.bottom) / 2], 1)
    _, nearest = cKDTree(middles).query(middles, k=3)
    steps = np.abs(middles[nearest[:, 1:]] - middles[:, None])
    return float((steps[..., 1] > steps[..., 0]).mean())
