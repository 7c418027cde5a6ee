"""The letters and marks of a page as arrays of boxes, from ink or from a text layer."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from amberquarry.values import Box

Index = NDArray[np.int64]
Mask = NDArray[np.bool_]


class HasPieces(Protocol):
    """Whatever pieces belong to, such as a line."""

    pieces: Index


@dataclass(frozen=True)
class Glyphs:
    """Pieces of print: letters, parts of letters, marks. Index 0 is the ground, never a piece."""

    shape: tuple[int, int]  # rows and columns of the frame they lie in
    left: NDArray[np.int32]
    top: NDArray[np.int32]
    right: NDArray[np.int32]  # exclusive
    bottom: NDArray[np.int32]
    area: NDArray[np.int32]  # inked pixels
    usable: Mask  # can belong to text

    def upside_down(self) -> Glyphs:
        """Return the same pieces on the page turned by 180 degrees."""
        height, width = self.shape
        return Glyphs(
            self.shape,
            width - self.right,
            height - self.bottom,
            width - self.left,
            height - self.top,
            self.area,
            self.usable,
        )

    @cached_property
    def height(self) -> NDArray[np.int32]:
        """Height of each piece."""
        return self.bottom - self.top

    @cached_property
    def width(self) -> NDArray[np.int32]:
        """Width of each piece."""
        return self.right - self.left

    def boxes_of(self, pieces: Index | Mask) -> NDArray[np.float32]:
        """Return the boxes (N, 4) of some pieces, in pixels."""
        edges = (self.left, self.top, self.right, self.bottom)
        return np.stack([edge[pieces] for edge in edges], axis=1).astype(np.float32)

    def box_of(self, pieces: Index) -> Box:
        """Return the box around some pieces; ValueError without any."""
        return Box(
            float(self.left[pieces].min()),
            float(self.top[pieces].min()),
            float(self.right[pieces].max()),
            float(self.bottom[pieces].max()),
        )

    def inside(self, box: Box) -> Mask:
        """Return which pieces have their middle in a box."""
        x, y = (self.left + self.right) / 2, (self.top + self.bottom) / 2
        found = (x >= box.x0) & (x < box.x1) & (y >= box.y0) & (y < box.y1)
        return np.asarray(found, bool)


def core_letters(glyphs: Glyphs, letter: float) -> Mask:
    """Return which pieces are tall enough to say where a line runs."""
    return glyphs.usable & (glyphs.height >= 0.5 * letter) & (glyphs.width >= 0.08 * letter)


def owned_by(lines: Iterable[HasPieces], glyphs: Glyphs) -> NDArray[np.bool_]:
    """Return for each piece whether it belongs to one of the lines."""
    owned = np.zeros(len(glyphs.area), bool)
    for line in lines:
        owned[line.pieces] = True
    return owned
