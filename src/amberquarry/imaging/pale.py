"""Print in grey beside print in black: the threshold that suits the one loses the other."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.pieces import connected_pieces

Grey = NDArray[np.uint8]

# Of the depth of the page's ink: what grey letters reach, and what belongs to them.
_CORE, _BODY = 0.3, 0.18
_LEAST_DEPTH = 130.0  # grey levels: on faint pages grain is as deep
_STEP = 4  # pixels from one that is looked at to the next, for the usual depth
_NEAR = 5  # pixels, the side of the square around ink in which its soft edges lie
_LEAST_CORE = 150  # pixels on a page
_NOISIEST = 3.0  # grey levels: stains and print that shines through look like grey letters
# Letters high at least and at most, wide at most; of its box, that a letter fills at most.
_LOWEST, _HIGHEST, _WIDEST, _FULLEST = 0.15, 2.5, 8.0, 0.75
# Pieces of the height of letters that must be there, and how high those are.
_FEWEST, _LETTER = 6, (0.5, 1.8)


def with_pale_print(even: Grey, ink: Grey, letter: float, noise: float) -> Grey:
    """Return a page's ink with letters in grey that stand clear of all darker ink.

    Grey letters stand apart from black ones, whose soft edges are as pale; in photographs and on
    tints pale pieces are larger than letters or solid. even: (H, W), evened. ink: (H, W), 1 where
    the page is as dark as most of its print. letter: usual height of letters in pixels. noise: of
    the paper, in grey levels.
    """
    if not letter or noise > _NOISIEST:
        return ink
    some = np.s_[::_STEP, ::_STEP]
    levels = even[some][ink[some] > 0]
    if not levels.size:
        return ink
    depth = 255 - float(np.median(levels))
    if depth < _LEAST_DEPTH:
        return ink
    near = cv2.dilate(ink, np.ones((_NEAR, _NEAR), np.uint8))
    core = cv2.subtract(cv2.compare(even, int(255 - _CORE * depth), cv2.CMP_LT) & 1, near)
    if cv2.countNonZero(core) < _LEAST_CORE:
        return ink
    labels, pieces = connected_pieces(cv2.compare(even, int(255 - _BODY * depth), cv2.CMP_LT))
    _, _, width, height, area = pieces.T
    chosen = np.zeros(len(pieces), bool)
    chosen[labels[core > 0]] = True
    chosen[labels[ink > 0]] = False
    chosen &= (height > _LOWEST * letter) & (height < _HIGHEST * letter)
    chosen &= width < _WIDEST * letter
    tall = chosen & (height > _LETTER[0] * letter) & (height < _LETTER[1] * letter)
    tall &= area < _FULLEST * width * height
    return ink | chosen[labels] if tall.sum() >= _FEWEST else ink
