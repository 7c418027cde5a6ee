"""Bullets told by their shape: the net knows signs in words, hardly lone ones before them."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from amberquarry.ink.components import Ink
from amberquarry.sheet.measuring import TextLine


@dataclass(frozen=True, slots=True)
class Bullet:
    """Shapes of bullets and dashes before items; lengths in x-heights."""

    away: float = 1.9  # to the middle of the first letter
    largest: float = 1.3  # height of a bullet
    small: float = 0.35  # height of a small one
    dash: float = 0.4  # of its width that a dash is high at most
    long_dash: float = 1.5  # from which a dash is a long one
    upright: float = 0.5  # of its height: what is narrower is no bullet
    as_wide: float = 0.8  # as it is high: raised figures are narrower
    square: float = 0.9  # of its box that a full square fills
    round: float = 0.62  # and a full disc
    ring: float = 0.8  # height of a ring


BULLET = Bullet()
_RINGS = frozenset("©®oO0°¢")  # as which a ring is read


def lone_bullet(ink: Ink, line: TextLine, first_x: float) -> tuple[str, int] | None:
    """Return a bullet before what was read of a line, and its piece; None where there is none.

    first_x: the middle of the first letter that was read.
    """
    before = line.pieces[ink.glyphs.right[line.pieces] < first_x - BULLET.away * line.x_height]
    if len(before) != 1 or len(line.pieces) < 3:
        return None
    piece = int(before[0])
    size = max(1.0, line.x_height)
    width, height = float(ink.glyphs.width[piece]), float(ink.glyphs.height[piece])
    if max(width, height) > BULLET.largest * size and height > BULLET.dash * width:
        return None
    if width < BULLET.upright * height:  # a bit of a broken rule
        return None
    if height <= BULLET.dash * width:
        return ("—" if width > BULLET.long_dash * size else "–"), piece
    fill = float(ink.glyphs.area[piece]) / (width * height)
    small = max(width, height) < BULLET.small * size
    if fill >= BULLET.square:
        return ("▪" if small else "■"), piece
    if fill >= BULLET.round:
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
    is_ring = longer < BULLET.ring * x_height and (
        text[0] in _RINGS or shorter > BULLET.as_wide * longer
    )
    return "◦" + text[1:] if is_ring else text


def without_piece(ink: Ink, line: TextLine, piece: int) -> TextLine:
    """Return a line without its first piece."""
    pieces = line.pieces[line.pieces != piece]
    box = line.box._replace(x0=float(ink.glyphs.left[pieces].min()))
    return replace(line, pieces=pieces, box=box)
