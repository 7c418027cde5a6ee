"""Photographs on a page: where middle greys prevail."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.light import noise_level
from amberquarry.imaging.pieces import connected_pieces
from amberquarry.imaging.shrink import in_blocks
from amberquarry.values import Box

_BLOCK = 8  # pixels


@dataclass(frozen=True, slots=True)
class Photograph:
    """Tones of photographs, in grey levels."""

    darkest: int = 71
    palest: int = 214
    palest_on_smooth: int = 235  # on paper without noise
    for_noise: int = 10  # how much lower that lies for each level by which paper deviates
    palest_on_pure: int = 246  # on a page that was printed to a file, not scanned
    pure: float = 0.8  # share of pure white on such a page
    paper: int = 235
    toned: float = 0.2  # share of a row that is darker than paper
    part: float = 0.2  # of its longest toned part, that others have


@dataclass(frozen=True, slots=True)
class ShadedText:
    """Text in a shadow, which is no photograph."""

    smallest: float = 0.45  # in usual letters
    largest: float = 2.0
    fewest: int = 12
    share: float = 0.5  # of the ink there


PHOTOGRAPH, SHADED_TEXT = Photograph(), ShadedText()


def photographs_on(grey: NDArray[np.uint8], stats: NDArray[np.int32], letter: float) -> list[Box]:
    """Return the boxes of photographs. stats: of the page's pieces, as `connected_pieces` gives."""
    found = find_photographs(grey, letter)
    if not found.any():
        return []
    _, boxes = connected_pieces(found.astype(np.uint8))
    toned = [_trimmed(box, grey) for box in (_BLOCK * boxes[1:, :4]).tolist()]
    return [box for box in toned if not _holds_letters(box, stats, letter)]


def find_photographs(grey: NDArray[np.uint8], letter: float) -> NDArray[np.bool_]:
    """Return where middle greys prevail over an area no letters fill, in blocks of 8 pixels.

    A photograph that was evened like paper is pale grain; where paper itself is grainy, only what
    is darker tells.
    """
    thin = np.ascontiguousarray(grey[::2, ::2])
    if (thin == 255).mean() > PHOTOGRAPH.pure:
        palest = PHOTOGRAPH.palest_on_pure
    else:
        palest = max(
            PHOTOGRAPH.palest,
            round(PHOTOGRAPH.palest_on_smooth - PHOTOGRAPH.for_noise * noise_level(grey)),
        )
    middle = cv2.inRange(thin, PHOTOGRAPH.darkest, palest)
    share = in_blocks(np.asarray(middle, np.uint8), _BLOCK // 2)
    window = max(3, round(2.0 * letter / _BLOCK)) | 1
    share = cv2.blur(share, (window, window))
    mask = (share > 0.5 * 255).astype(np.uint8)
    reach = max(3, round(3 * letter / _BLOCK))
    kernel = np.ones((reach, reach), np.uint8)
    mask = cv2.morphologyEx(cv2.morphologyEx(mask, cv2.MORPH_OPEN, kernel), cv2.MORPH_CLOSE, kernel)
    # the window blurs the edge of the picture: its last strokes belong to it too
    return cv2.dilate(mask, np.ones((window, window), np.uint8)).astype(bool)


def _holds_letters(box: Box, stats: NDArray[np.int32], letter: float) -> bool:
    """Return whether the ink in a toned area is letters: text in a shadow, and no photograph.

    stats: of the page's pieces, as `connected_pieces` gives them.
    """
    left, top, width, height, area = stats[1:].T
    x, y = left + width / 2, top + height / 2
    inside = (x >= box.x0) & (x < box.x1) & (y >= box.y0) & (y < box.y1)
    tall = (height > SHADED_TEXT.smallest * letter) & (height < SHADED_TEXT.largest * letter)
    letters = inside & tall & (width < SHADED_TEXT.largest * letter)
    return bool(
        letters.sum() >= SHADED_TEXT.fewest
        and area[letters].sum() > SHADED_TEXT.share * area[inside].sum()
    )


def _trimmed(area: list[int], grey: NDArray[np.uint8]) -> Box:
    """Return the box of a photograph without the paper and the first lines of text around it.

    area: left, top, width, height.
    """
    x, y, width, height = area
    toned = grey[y : y + height, x : x + width] < PHOTOGRAPH.paper
    rows, columns = (toned.mean(axis) > PHOTOGRAPH.toned for axis in (1, 0))
    if not rows.any() or not columns.any():
        return Box(x, y, x + width, y + height)
    (top, foot), (left, right) = _main_part(rows), _main_part(columns)
    return Box(float(x + left), float(y + top), float(x + right), float(y + foot))


def _main_part(marked: NDArray[np.bool_]) -> tuple[int, int]:
    """Return from where to where the long runs of what is marked reach; something must be."""
    edges = np.flatnonzero(np.diff(marked, prepend=False, append=False)).reshape(-1, 2)
    lengths = edges[:, 1] - edges[:, 0]
    long = edges[lengths >= PHOTOGRAPH.part * lengths.max()]
    return int(long[0, 0]), int(long[-1, 1])


def merge_boxes(boxes: list[Box], near: float) -> list[Box]:
    """Return boxes, those that overlap or lie nearer than `near` joined, tiny ones dropped."""
    boxes = list(boxes)
    joined = True
    while joined:
        joined = False
        kept: list[Box] = []
        for box in boxes:
            for number, other in enumerate(kept):
                if (
                    box.x0 - near < other.x1
                    and other.x0 - near < box.x1
                    and box.y0 - near < other.y1
                    and other.y0 - near < box.y1
                ):
                    kept[number] = Box.around([box, other])
                    joined = True
                    break
            else:
                kept.append(box)
        boxes = kept
    return [box for box in boxes if min(box.width, box.height) > 1.5 * near]
