"""Lines of a page that lay bent or askew, made straight from the lines themselves."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.sheet.glyphs import Glyphs, core_letters
from amberquarry.sheet.measuring import TextLine
from amberquarry.values import Bend


@dataclass(frozen=True, slots=True)
class BentPage:
    """How a page is bent, told by the feet of its letters; lengths in letters."""

    degree: int = 5  # of the shift along the lines
    letters: int = 8  # of a line that tells it
    lines: int = 4  # of them
    spread: float = 0.12  # by which feet must leave the straight to be looked into
    shift: float = 4.0  # from end to end: reading follows base lines that are bent less
    left: float = 0.45  # of the deviation may stay unexplained
    outlier: float = 2.5  # deviations
    grid: int = 24  # pixels between the points of the map


BENT = BentPage()


@dataclass(frozen=True, slots=True)
class _Samples:
    """Feet of letters that stand on base lines."""

    x: NDArray[np.float64]
    y: NDArray[np.float64]
    line: NDArray[np.int64]


def find_bend(
    glyphs: Glyphs, lines: list[TextLine], letter: float, shape: tuple[int, int]
) -> Bend | None:
    """Return the shift from straight lines to those of the page, None where they are straight.

    letter: usual height in pixels. shape: of the page (H, W). The shift is a polynomial along the
    lines whose strength changes evenly down the page; it is fitted to the feet of all letters at
    once, each line having a height of its own (least squares, outliers left out twice).
    """
    feet = _feet(glyphs, lines, letter)
    if feet is None:
        return None
    height, width = shape
    size = max(height, width) / 2
    terms = _terms((feet.x - width / 2) / size, (feet.y - height / 2) / size)
    kept = np.ones(len(feet.x), bool)
    straight = left = 1.0
    weights = np.zeros(terms.shape[1])
    for _ in range(3):
        centred = _centred(np.column_stack([terms, feet.y]), feet.line, kept)
        weights = np.linalg.lstsq(centred[kept, :-1], centred[kept, -1], rcond=None)[0]
        rest = centred[:, -1] - centred[:, :-1] @ weights
        straight, left = float(centred[kept, -1].std()), float(rest[kept].std())
        kept &= np.abs(rest) < BENT.outlier * max(left, 0.02 * letter)
        if not kept.any():
            return None
    if straight < BENT.spread * letter or left > BENT.left * straight:
        return None
    shift = _on_grid(weights, shape)
    along = np.ptp(shift[..., 1], axis=1)
    if float(np.percentile(along, 80)) < BENT.shift * letter:
        return None
    return Bend(shift, float(BENT.grid))


def _feet(glyphs: Glyphs, lines: list[TextLine], letter: float) -> _Samples | None:
    core = core_letters(glyphs, letter)
    x, y, number = [], [], []
    for count, line in enumerate(lines):
        pieces = line.pieces[core[line.pieces]]
        middle = (glyphs.left[pieces] + glyphs.right[pieces]) / 2
        bottom = glyphs.bottom[pieces].astype(float)
        standing = np.abs(bottom - np.polyval(line.baseline, middle)) < 0.4 * line.x_height
        if standing.sum() >= BENT.letters:
            x.append(middle[standing])
            y.append(bottom[standing])
            number.append(np.full(int(standing.sum()), count))
    if len(x) < BENT.lines:
        return None
    return _Samples(np.concatenate(x), np.concatenate(y), np.concatenate(number))


def _terms(u: NDArray[np.float64], v: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the parts (N, 2 * BENT.degree) of which a shift is made."""
    powers = np.stack([u**k for k in range(1, BENT.degree + 1)], 1)
    return np.concatenate([powers, powers * v[:, None]], 1)


def _centred(
    values: NDArray[np.float64], group: NDArray[np.int64], kept: NDArray[np.bool_]
) -> NDArray[np.float64]:
    """Return values less the mean of their group's kept rows."""
    count = np.bincount(group[kept], minlength=int(group.max()) + 1)[:, None]
    sums = np.stack([np.bincount(group[kept], row[kept], len(count)) for row in values.T], 1)
    return values - (sums / np.maximum(count, 1))[group]


def _on_grid(weights: NDArray[np.float64], shape: tuple[int, int]) -> NDArray[np.float32]:
    """Return the shift at grid points of the straightened page.

    The fit says how far a point of the bent page lies off; the same is wanted for points of the
    straight one, which a few rounds of going there and looking give.
    """
    height, width = shape
    size = max(height, width) / 2
    rows, columns = (-(-side // BENT.grid) + 1 for side in (height, width))
    y, x = np.mgrid[:rows, :columns].astype(np.float64) * BENT.grid
    off = np.zeros_like(x)
    for _ in range(4):
        at = np.clip(y + off, 0, height)
        u, v = (x - width / 2) / size, (at - height / 2) / size
        off = (_terms(u.ravel(), v.ravel()) @ weights).reshape(x.shape)
    off -= off.mean()
    return np.stack([np.zeros_like(off), off], -1).astype(np.float32)


def straighten(grey: NDArray[np.uint8], bend: Bend) -> NDArray[np.uint8]:
    """Return the page with each point taken from where the bend says that it lies."""
    height, width = grey.shape
    columns = (np.arange(width, dtype=np.float32) + 0.5) / bend.step
    rows = (np.arange(height, dtype=np.float32) + 0.5) / bend.step
    x, y = np.meshgrid(columns, rows)
    shift = cv2.remap(bend.shift[..., 1], x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    map_x, map_y = np.meshgrid(
        np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32)
    )
    picture = cv2.remap(
        grey,
        map_x,
        map_y + shift,
        cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_CONSTANT,
        borderValue=255,
    )
    return np.asarray(picture, np.uint8)
