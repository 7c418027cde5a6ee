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

    def hidden(self, area: tuple[slice, slice]) -> Mask:
        """Return the ink of other lines and of rules in an area."""
        ...

    def drawn(self, area: tuple[slice, slice]) -> Mask:
        """Return all ink in an area but that of rules."""
        ...


@dataclass(frozen=True, slots=True)
class LoneLine:
    """A line that is looked at by itself: only rules are hidden."""

    ink: Ink

    def hidden(self, area: tuple[slice, slice]) -> Mask:
        """Return the ink of rules in an area."""
        return self.ink.drawn_rules[area] > 0

    def drawn(self, area: tuple[slice, slice]) -> Mask:
        """Return all ink in an area but that of rules."""
        return self.ink.labels[area] > 0


@dataclass(frozen=True, slots=True)
class Owners:
    """To which of a page's lines each pixel of ink belongs."""

    code: NDArray[np.int16]  # (H, W): 0 ground, 1 ink of no line, -1 rules; a line's number + 2

    @classmethod
    def of(cls, ink: Ink, lines: Sequence[TextLine]) -> Owners:
        """Return the owners of a page's ink."""
        table = np.ones(len(ink.glyphs.area), np.int16)
        table[0] = 0
        for number, line in enumerate(lines):
            table[line.pieces] = number + _FIRST
        code = table.take(ink.labels, mode="clip")  # the fastest of NumPy's ways
        code[ink.drawn_rules > 0] = -1
        return cls(code)

    def line(self, number: int) -> OwnedLine:
        """Return the ink of a line."""
        return OwnedLine(self.code, number + _FIRST)

    def give_up(self, ink: Ink, piece: int) -> None:
        """Let a piece belong to no line, in place."""
        glyphs = ink.glyphs
        area = np.s_[
            glyphs.top[piece] : glyphs.bottom[piece], glyphs.left[piece] : glyphs.right[piece]
        ]
        self.code[area][ink.labels[area] == piece] = 1


@dataclass(frozen=True, slots=True)
class OwnedLine:
    """A line among others of its page."""

    code: NDArray[np.int16]
    own_code: int

    def own(self, area: tuple[slice, slice]) -> NDArray[np.uint8]:
        """Return the line's own ink in an area as 1."""
        return (self.code[area] == self.own_code).view(np.uint8)

    def hidden(self, area: tuple[slice, slice]) -> Mask:
        """Return the ink of other lines and of rules in an area."""
        code = self.code[area]
        return ((code >= _FIRST) & (code != self.own_code)) | (code < 0)

    def drawn(self, area: tuple[slice, slice]) -> Mask:
        """Return all ink in an area but that of rules."""
        return self.code[area] > 0


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
    crop, hidden = grey[area], ink.hidden(area)
    if hidden.any():
        soft = cv2.dilate(hidden.view(np.uint8), _AROUND) > 0
        own = ink.drawn(area) & ~hidden
        crop = np.where(soft & ~own, np.uint8(255), crop)
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
