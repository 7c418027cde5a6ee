"""Cut a line out of a page: base line level, x-height fixed, other ink left out."""

from __future__ import annotations

from dataclasses import dataclass

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


@dataclass(frozen=True, slots=True)
class LinePicture:
    """A line in the net's form, with what maps its columns back to the page."""

    ink: NDArray[np.float32]  # (LINE_HEIGHT, W)
    first_x: float  # page x of column 0
    columns_per_px: float

    def page_x(self, column: NDArray[np.float32]) -> NDArray[np.float32]:
        """Return page x of columns of the picture."""
        return self.first_x + column / self.columns_per_px


def owners(ink: Ink, lines: list[TextLine]) -> NDArray[np.int64]:
    """Return for each component the number of the line that it belongs to, -1 for none."""
    owner = np.full(len(ink.glyphs.area), -1, np.int64)
    for number, line in enumerate(lines):
        owner[line.pieces] = number
    return owner


def cut_line(
    grey: NDArray[np.uint8],
    ink: Ink,
    line: TextLine,
    foreign: NDArray[np.bool_],
    settings: ReadingSettings,
) -> LinePicture:
    """Return the picture of a line.

    foreign: for each component, whether its ink must not be seen in this line.
    """
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
    crop = grey[y0:y1, x0:x1]
    hidden = foreign[ink.labels[y0:y1, x0:x1]] | (ink.drawn_rules[y0:y1, x0:x1] > 0)
    if hidden.any():
        soft = cv2.dilate(hidden.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
        own = (ink.labels[y0:y1, x0:x1] > 0) & ~hidden
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
