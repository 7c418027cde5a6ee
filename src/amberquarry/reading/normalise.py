"""Cut a line out of a page: base line level, x-height fixed, other ink left out."""

from __future__ import annotations

import math
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
_SEEN_BEND = 0.02  # x-heights: a third of one of the net's rows
_ON_PAPER = {"borderMode": cv2.BORDER_CONSTANT, "borderValue": 255}
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

    def seen(self, area: Area) -> tuple[Mask, Mask] | None:
        """Return what of an area must be hidden, and what of it is ink but for rules.

        None where nothing must be hidden.
        """
        ...


@dataclass(frozen=True, slots=True)
class LoneLine:
    """A line that is looked at by itself: only rules are hidden."""

    ink: Ink

    def seen(self, area: Area) -> tuple[Mask, Mask] | None:
        """Return what of an area must be hidden, and what of it is ink but for rules."""
        if not cv2.hasNonZero(self.ink.drawn_rules[area]):
            return None
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

    def others_reach_into(self, area: Area, code: int) -> bool:
        """Return whether the box of a piece of another line overlaps an area."""
        rows, columns = area
        glyphs, of_piece = self.ink.glyphs, self.of_piece
        there = np.flatnonzero((glyphs.top < rows.stop) & (glyphs.bottom > rows.start))
        there = there[(glyphs.left[there] < columns.stop) & (glyphs.right[there] > columns.start)]
        owners = of_piece[there]
        return bool(((owners >= _FIRST) & (owners != code)).any())

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

    def seen(self, area: Area) -> tuple[Mask, Mask] | None:
        """Return what of an area must be hidden, and what of it is ink but for rules."""
        rules = self._owners.ink.drawn_rules[area]
        ruled = cv2.hasNonZero(rules)
        if not ruled and not self._owners.others_reach_into(area, self._code):
            return None
        codes = self._look(area)
        hidden = (codes >= _FIRST) & (codes != self._code)
        if ruled:
            hidden |= rules > 0
        return hidden, codes > 0

    def forget(self) -> None:
        """Look again: a piece was given up."""
        self._area = np.s_[0:0, 0:0]


def _holds(known: slice, wanted: slice) -> bool:
    return bool(known.start <= wanted.start and wanted.stop <= known.stop)


def _straightened(line: TextLine) -> NDArray[np.float64]:
    """Return a line's base line, straight where it bends by less than the net can see."""
    if len(line.baseline) < 3:
        return line.baseline
    bend, slope, level = line.baseline.tolist()
    x0, x1 = line.box.x0, line.box.x1
    off = bend * (x1 - x0) ** 2 / 8  # of the curve from a straight line midway to its chord
    if abs(off) > _SEEN_BEND * line.x_height:
        return line.baseline
    return np.array([slope + bend * (x0 + x1), level - bend * x0 * x1 - off])


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
    middles = first_x + 0.5 / wide, first_x + (columns - 0.5) / wide  # of the outer columns
    curve = _straightened(line)
    bent = len(curve) > 2
    at = np.linspace(*middles, columns) if bent else np.array(middles)
    # where the white beside a bent line would lie is not known: it goes on level
    base = np.polyval(curve, np.clip(at, line.box.x0, line.box.x1) if bent else at)
    up, down = BASELINE_ROW / scale, (LINE_HEIGHT - BASELINE_ROW) / scale
    y0 = max(0, math.floor(base.min() - up) - 1)
    y1 = min(grey.shape[0], math.ceil(base.max() + down) + 2)
    x0 = max(0, math.floor(at[0]) - 1)
    x1 = min(grey.shape[1], math.ceil(at[-1]) + 2)
    if y1 <= y0 or x1 <= x0:
        return LinePicture(np.zeros((LINE_HEIGHT, columns), np.float32), first_x, wide)
    area = np.s_[y0:y1, x0:x1]
    crop, seen = grey[area], ink.seen(area)
    if seen is not None and seen[0].any():  # boxes may overlap where no ink does
        hidden, inked = seen
        soft = cv2.dilate(hidden.view(np.uint8), _AROUND) > 0
        crop = np.where(soft & ~(inked & ~hidden), np.uint8(255), crop)
    across, up_down = 1.0, 1.0
    if scale < 0.75:  # average before sampling
        size = (max(1, round(crop.shape[1] * wide)), max(1, round(crop.shape[0] * scale)))
        across, up_down = size[0] / crop.shape[1], size[1] / crop.shape[0]
        crop = cv2.resize(crop, size, interpolation=cv2.INTER_AREA)
    first_row = (0.5 - BASELINE_ROW) / scale - y0  # its middle, from the base line
    if bent:
        map_x = ((at - x0) * across - 0.5).astype(np.float32)
        rows = np.arange(LINE_HEIGHT) / scale + first_row
        map_y = ((base + rows[:, None]) * up_down - 0.5).astype(np.float32)
        picture = cv2.remap(
            crop, np.tile(map_x, (LINE_HEIGHT, 1)), map_y, cv2.INTER_LINEAR, **_ON_PAPER
        )
    else:
        rise = (base[1] - base[0]) / (columns - 1)
        to_crop = np.array(
            [
                [across / wide, 0.0, (at[0] - x0) * across - 0.5],
                [up_down * rise, up_down / scale, (base[0] + first_row) * up_down - 0.5],
            ]
        )
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        picture = cv2.warpAffine(crop, to_crop, (columns, LINE_HEIGHT), flags=flags, **_ON_PAPER)
    return LinePicture(even_ground(picture, settings.contrast_floor), first_x, wide)
