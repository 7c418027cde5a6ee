"""Bullets told by their shape: the net knows signs in words, hardly lone ones before them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from amberquarry.ink.components import Ink
from amberquarry.sheet.measuring import TextLine

_AWAY = 1.9  # x-heights from a bullet to the middle of the first letter
_LARGEST = 1.3  # x-heights
_DASH = 0.4  # of its width that a dash is high at most
_UPRIGHT = 0.5  # of its height: what is narrower is no bullet
_LONG_DASH = 1.5  # x-heights
_SQUARE, _ROUND = 0.9, 0.62  # share of its box that a full square and a full disc fill
_SMALL = 0.35  # x-heights
_RINGS, _RING = frozenset("©®oO0°¢"), 0.8  # as which a ring is read; x-heights of one
_AS_WIDE = 0.8  # as it is high: raised figures are narrower


def lone_bullet(ink: Ink, line: TextLine, first_x: float) -> tuple[str, int] | None:
    """Return a bullet before what was read of a line, and its piece; None where there is none.

    first_x: the middle of the first letter that was read.
    """
    before = line.pieces[ink.glyphs.right[line.pieces] < first_x - _AWAY * line.x_height]
    if len(before) != 1 or len(line.pieces) < 3:
        return None
    piece = int(before[0])
    size = max(1.0, line.x_height)
    width, height = float(ink.glyphs.width[piece]), float(ink.glyphs.height[piece])
    if max(width, height) > _LARGEST * size and height > _DASH * width:
        return None
    if width < _UPRIGHT * height:  # a bit of a broken rule
        return None
    if height <= _DASH * width:
        return ("—" if width > _LONG_DASH * size else "–"), piece
    fill = float(ink.glyphs.area[piece]) / (width * height)
    small = max(width, height) < _SMALL * size
    if fill >= _SQUARE:
        return ("▪" if small else "■"), piece
    if fill >= _ROUND:
        return ("·" if small else "•"), piece
    x = int(ink.glyphs.left[piece] + width / 2)
    y = int(ink.glyphs.top[piece] + height / 2)
    hollow = ink.labels[y, x] != piece
    return ("◦" if hollow else "*"), piece


def settle_ring(text: str, boxes: NDArray[np.float32], x_height: float) -> str:
    """Return `text` with a ring before it as a bullet, which is read as a letter or figure.

    It is smaller than any, and as wide as high. boxes: (N, 4), of the characters.
    """
    if text[1:2] != " " or not (text[0] in _RINGS or text[0].isalnum()):
        return text
    x0, y0, x1, y1 = boxes[0].tolist()
    shorter, longer = sorted((x1 - x0, y1 - y0))
    is_ring = longer < _RING * x_height and (text[0] in _RINGS or shorter > _AS_WIDE * longer)
    return "◦" + text[1:] if is_ring else text


def without_piece(ink: Ink, line: TextLine, piece: int) -> TextLine:
    """Return a line without its first piece."""
    pieces = line.pieces[line.pieces != piece]
    box = line.box._replace(x0=float(ink.glyphs.left[pieces].min()))
    return replace(line, pieces=pieces, box=box)
