"""Connected pieces of a mask: labels and measures, or their boxes alone."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

Labels = NDArray[np.integer[Any]]  # (H, W), 0 is the ground

# Labels that 16 bits hold, halved: the search looks at blocks of four pixels, in several strips,
# and may open more labels than one row by row.
_MOST_SHORT = 65_535 // 2
_MOSTLY = 0.75  # of a mask, that its inked part covers


def connected_pieces(
    mask: NDArray[np.uint8], connectivity: int = 8
) -> tuple[Labels, NDArray[np.int32]]:
    """Return the label of each pixel and the pieces' measures, those of the ground first.

    mask: (H, W), 0 is ground, all else one value. connectivity: 8 where pixels that touch at a
    corner belong together, else 4. measures: (N, 5) with left, top, width, height, area, the
    columns of `cv2.CC_STAT_LEFT` and so on. Labels of 16 bits cost a third of the time, and are
    taken where they suffice.
    """
    left, top, width, height = cv2.boundingRect(mask)
    # without the margins; from even places, since the search goes by blocks of two by two pixels
    left, top, right, bottom = left & ~1, top & ~1, left + width, top + height
    inked = mask[top:bottom, left:right]
    if not inked.size:
        ground = np.array([[0, 0, *mask.shape[::-1], mask.size]], np.int32)
        return np.zeros(mask.shape, np.uint16), ground
    short = _labels_by_row(inked, connectivity) < _MOST_SHORT
    if inked.size > _MOSTLY * mask.size:  # margins that are worth no copy
        _, labels, measures, _ = cv2.connectedComponentsWithStats(
            mask, connectivity=connectivity, ltype=cv2.CV_16U if short else cv2.CV_32S
        )
        return labels, measures
    labels = np.zeros(mask.shape, np.uint16 if short else np.int32)
    _, labels[top:bottom, left:right], measures, _ = cv2.connectedComponentsWithStats(
        inked, connectivity=connectivity, ltype=cv2.CV_16U if short else cv2.CV_32S
    )
    measures[1:, :2] += left, top
    measures[0] = 0, 0, *mask.shape[::-1], mask.size - measures[1:, 4].sum()
    return labels, measures


def boxes_of_pieces(mask: NDArray[np.uint8]) -> list[tuple[int, int, int, int]]:
    """Return left, top, width and height of each piece, from the top down.

    Pixels that touch at a corner belong together. By the pieces' outlines (Suzuki and Abe 1985),
    which is fast where the mask is mostly ground.
    """
    outlines, nesting = cv2.findContours(mask, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_SIMPLE)
    if nesting is None:
        return []
    boxes = [
        cv2.boundingRect(outline)
        for outline, (*_, around) in zip(outlines, nesting[0].tolist(), strict=True)
        if around < 0  # the others go round holes
    ]
    return sorted(((x, y, w, h) for x, y, w, h in boxes), key=lambda box: (box[1], box[0]))


def _labels_by_row(mask: NDArray[np.uint8], connectivity: int) -> int:
    """Return how many labels a search row by row gives out, joined ones included.

    It opens a new label only at a pixel with no neighbour before it or above.
    """
    above = np.ones(3) if connectivity == 8 else np.array([0, 1, 0])
    known = cv2.dilate(mask, np.array([above, [1, 0, 0], [0, 0, 0]], np.uint8))
    return cv2.countNonZero(cv2.subtract(mask, known))
