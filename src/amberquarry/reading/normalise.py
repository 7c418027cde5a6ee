"""Cut a line out of a page: base line level, x-height fixed, other ink left out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.ink.components import Ink
from amberquarry.reading.ground import (
    BASELINE_ROW,
    LINE_HEIGHT,
    WIDTH_STRETCH,
    X_HEIGHT,
    even_ground,
)
from amberquarry.settings import ReadingSettings
from amberquarry.sheet.measuring import TextLine

_MOST_COLUMNS = 6000

_AROUND = np.ones((3, 3), np.uint8)  # soft edges of ink
_FIRST = 2  # code of the first line's ink

Mask = NDArray[np.bool_]
Area = tuple[slice, slice]  # rows, columns


@dataclass(frozen=True, slots=True)
class LinePicture:
    """A line in the net's form, with what maps its columns back to the page."""

    ink: NDArray[np.float32]  # (LINE_HEIGHT, W)
    first_x: float  # page x of column 0
    columns_per_px: float

    def page_x(self, column: NDArray[np.float32]) -> NDArray[np.float32]:
        """Return page x of columns of the picture."""
        return self.first_x + column / self.columns_per_px


class LineInk(Protocol):
    """Which pixels of a page are a line's own ink, and which must not be seen in its picture."""

    def seen(self, area: Area) -> tuple[Mask, Mask]:
        """Return what of an area must be hidden, and what of it is ink but for rules."""
        ...


@dataclass(frozen=True, slots=True)
class LoneLine:
    """A line that is looked at by itself: only rules are hidden."""

    ink: Ink

    def seen(self, area: Area) -> tuple[Mask, Mask]:
        """Return what of an area must be hidden, and what of it is ink but for rules."""
        return self.ink.drawn_rules[area] > 0, self.ink.labels[area] > 0


@dataclass(frozen=True, slots=True)
class Owners:
    """To which of a page's lines each piece of its ink belongs."""

    ink: Ink
    of_piece: NDArray[np.int16]  # 0 ground, 1 no line, else the number of its line + 2

    @classmethod
    def of(cls, ink: Ink, lines: Sequence[TextLine]) -> Owners:
        """Return the owners of a page's pieces."""
        owner = np.ones(len(ink.glyphs.area), np.int16)
        owner[0] = 0
        for number, line in enumerate(lines):
            owner[line.pieces] = number + _FIRST
        return cls(ink, owner)

    def line(self, number: int) -> OwnedLine:
        """Return the ink of a line."""
        return OwnedLine(self, number + _FIRST)

    def give_up(self, piece: int) -> None:
        """Let a piece belong to no line, in place."""
        self.of_piece[piece] = 1


class OwnedLine:
    """A line among others of its page. What is looked at more than once is looked up once."""

    def __init__(self, owners: Owners, code: int) -> None:
        self._owners, self._code = owners, code
        self._area: Area = np.s_[0:0, 0:0]
        self._codes = np.zeros((0, 0), np.int16)

    def _look(self, area: Area) -> NDArray[np.int16]:
        """Return the owners of an area's pixels."""
        rows, columns = area
        known_rows, known_columns = self._area
        if not (_holds(known_rows, rows) and _holds(known_columns, columns)):
            labels = self._owners.ink.labels[area]
            self._area, self._codes = area, self._owners.of_piece.take(labels, mode="clip")
            known_rows, known_columns = area
        y, x = known_rows.start, known_columns.start
        return self._codes[rows.start - y : rows.stop - y, columns.start - x : columns.stop - x]

    def own(self, area: Area) -> NDArray[np.uint8]:
        """Return the line's own ink in an area as 1."""
        return (self._look(area) == self._code).view(np.uint8)

    def seen(self, area: Area) -> tuple[Mask, Mask]:
        """Return what of an area must be hidden, and what of it is ink but for rules."""
        codes = self._look(area)
        hidden = (codes >= _FIRST) & (codes != self._code)
        hidden |= self._owners.ink.drawn_rules[area] > 0
        return hidden, codes > 0

    def forget(self) -> None:
        """Look again: a piece was given up."""
        self._area = np.s_[0:0, 0:0]


def _holds(known: slice, wanted: slice) -> bool:
    return bool(known.start <= wanted.start and wanted.stop <= known.stop)


def cut_line(
    grey: NDArray[np.uint8], line: TextLine, ink: LineInk, settings: ReadingSettings
) -> LinePicture:
    """Return the picture of a line. ink: what of the page must not be seen in it."""
    margin = settings.line_margin * X_HEIGHT * WIDTH_STRETCH
    scale = X_HEIGHT / line.x_height
    wide = scale * WIDTH_STRETCH
    if (line.box.x1 - line.box.x0) * wide > _MOST_COLUMNS:
        wide = _MOST_COLUMNS / (line.box.x1 - line.box.x0)
    columns = max(8, round((line.box.x1 - line.box.x0) * wide + 2 * margin))
    first_x = line.box.x0 - margin / wide
    at = first_x + (np.arange(columns, dtype=np.float64) + 0.5) / wide
    base = np.polyval(line.baseline, np.clip(at, line.box.x0, line.box.x1))
    up, down = BASELINE_ROW / scale, (LINE_HEIGHT - BASELINE_ROW) / scale
    y0 = max(0, int(np.floor(base.min() - up)) - 1)
    y1 = min(grey.shape[0], int(np.ceil(base.max() + down)) + 2)
    x0 = max(0, int(np.floor(at[0])) - 1)
    x1 = min(grey.shape[1], int(np.ceil(at[-1])) + 2)
    if y1 <= y0 or x1 <= x0:
        return LinePicture(np.zeros((LINE_HEIGHT, columns), np.float32), first_x, wide)
    area = np.s_[y0:y1, x0:x1]
    crop, (hidden, inked) = grey[area], ink.seen(area)
    if hidden.any():
        soft = cv2.dilate(hidden.view(np.uint8), _AROUND) > 0
        crop = np.where(soft & ~(inked & ~hidden), np.uint8(255), crop)
    across, up_down = 1.0, 1.0
    if scale < 0.75:  # average before sampling
        size = (max(1, round(crop.shape[1] * wide)), max(1, round(crop.shape[0] * scale)))
        across, up_down = size[0] / crop.shape[1], size[1] / crop.shape[0]
        crop = cv2.resize(crop, size, interpolation=cv2.INTER_AREA)
    rows = (np.arange(LINE_HEIGHT, dtype=np.float64) + 0.5 - BASELINE_ROW) / scale
    map_x = np.broadcast_to(((at - x0) * across - 0.5).astype(np.float32), (LINE_HEIGHT, columns))
    map_y = (((base[None, :] + rows[:, None]) - y0) * up_down - 0.5).astype(np.float32)
    picture = cv2.remap(
        crop,
        np.ascontiguousarray(map_x),
        map_y,
        cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_CONSTANT,
        borderValue=255,
    )
    return LinePicture(even_ground(picture, settings.contrast_floor), first_x, wide)
