"""Print in grey beside print in black: the threshold that suits the one loses the other."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.pieces import connected_pieces

Grey = NDArray[np.uint8]


@dataclass(frozen=True, slots=True)
class Pale:
    """Grey letters beside black ones, by the depth of the page's ink."""

    core: float = 0.3  # of it, that they reach
    body: float = 0.18  # of it, that belongs to them
    depth: float = 130.0  # grey levels: on faint pages grain is as deep
    noisiest: float = 3.0  # grey levels of noise: stains look like grey letters
    step: int = 4  # pixels from one that is looked at to the next, for the usual depth
    near: int = 5  # pixels: side of the square around ink in which its soft edges lie
    pixels: int = 150  # that reach the core, on a page


@dataclass(frozen=True, slots=True)
class PaleLetter:
    """The shape of such letters, in the usual height of letters."""

    lowest: float = 0.15  # its height, at least
    highest: float = 2.5  # its height, at most
    widest: float = 8.0  # its width, at most
    fullest: float = 0.75  # of its box, that it fills
    fewest: int = 6  # pieces of the height of letters that must be there
    height: tuple[float, float] = (0.5, 1.8)  # of those


PALE, LETTER = Pale(), PaleLetter()


def with_pale_print(even: Grey, ink: Grey, letter: float, noise: float) -> Grey:
    """Return a page's ink with letters in grey that stand clear of all darker ink.

    Grey letters stand apart from black ones, whose soft edges are as pale; in photographs and on
    tints pale pieces are larger than letters or solid. even: (H, W), evened. ink: (H, W), 1 where
    the page is as dark as most of its print. letter: usual height of letters in pixels. noise: of
    the paper, in grey levels.
    """
    if not letter or noise > PALE.noisiest:
        return ink
    some = np.s_[:: PALE.step, :: PALE.step]
    levels = even[some][ink[some] > 0]
    if not levels.size:
        return ink
    depth = 255 - float(np.median(levels))
    if depth < PALE.depth:
        return ink
    near = cv2.dilate(ink, np.ones((PALE.near, PALE.near), np.uint8))
    core = cv2.subtract(cv2.compare(even, int(255 - PALE.core * depth), cv2.CMP_LT) & 1, near)
    if cv2.countNonZero(core) < PALE.pixels:
        return ink
    labels, pieces = connected_pieces(cv2.compare(even, int(255 - PALE.body * depth), cv2.CMP_LT))
    _, _, width, height, area = pieces.T
    chosen = np.zeros(len(pieces), bool)
    chosen[labels[core > 0]] = True
    chosen[labels[ink > 0]] = False
    chosen &= (height > LETTER.lowest * letter) & (height < LETTER.highest * letter)
    chosen &= width < LETTER.widest * letter
    tall = chosen & (height > LETTER.height[0] * letter) & (height < LETTER.height[1] * letter)
    tall &= area < LETTER.fullest * width * height
    return ink | chosen[labels] if tall.sum() >= LETTER.fewest else ink
