"""From the characters and objects of a PDF page to its sheet, without a pixel."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.pieces import boxes_of_pieces
from amberquarry.ink.finding import lines_of
from amberquarry.layer.characters import Characters
from amberquarry.settings import LayoutSettings
from amberquarry.sheet.areas import Areas
from amberquarry.sheet.glyphs import Glyphs
from amberquarry.sheet.rules import Rules
from amberquarry.sheet.sheet import Sheet
from amberquarry.sources.layer import Boxes, TextLayer
from amberquarry.values import Box, Frame, Mapping


@dataclass(frozen=True, slots=True)
class Drawn:
    """Which objects of a page count; lengths in letters."""

    touching: float = 0.12  # rules that are so near belong together
    picture: float = 1.5  # the shorter side of a picture, at least
    stroke: float = 1.2  # the longer side of a drawing, at least
    background: float = 0.9  # of the page, from which a picture lies behind it
    tilted_width: float = 0.5  # of the size of type, that a letter is wide where no box tells it
    tilted_height: float = 0.65  # and high


DRAWN = Drawn()


@dataclass(frozen=True, slots=True)
class Turn:
    """By how many degrees a page's text stands turned clockwise, and the page's size."""

    degrees: float
    width: int
    height: int

    @property
    def to_source(self) -> Mapping:
        """The mapping from the level frame to the page as displayed."""
        cosine, sine = self._direction
        width, height = self.size
        x = self.width / 2 - (cosine * width - sine * height) / 2
        y = self.height / 2 - (sine * width + cosine * height) / 2
        return Mapping.of(np.array([[cosine, -sine, x], [sine, cosine, y]]))

    @property
    def _direction(self) -> tuple[float, float]:
        angle = math.radians(self.degrees)
        return round(math.cos(angle), 12), round(math.sin(angle), 12)

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of the level frame, which holds the whole page."""
        cosine, sine = map(abs, self._direction)
        width = self.width * cosine + self.height * sine
        return math.ceil(width - 1e-6), math.ceil(self.width * sine + self.height * cosine - 1e-6)

    def level(self, boxes: Boxes) -> Boxes:
        """Return boxes of the page as displayed in the level frame."""
        if not self.degrees or not len(boxes):
            return boxes
        back = self.to_source.inverse()
        one, other = back.apply(boxes[:, :2]), back.apply(boxes[:, 2:])
        return np.concatenate([np.minimum(one, other), np.maximum(one, other)], 1)

    def characters(self, found: Characters) -> Characters:
        """Return characters of the page as displayed in the level frame.

        The box around a tilted letter says little of its size: that of the type tells it.
        """
        moved = found.moved(self.to_source.inverse())
        if self.degrees % 90 == 0:
            return moved
        middle = (moved.boxes[:, :2] + moved.boxes[:, 2:]) / 2
        half = found.size[:, None] * np.array([DRAWN.tilted_width, DRAWN.tilted_height]) / 2
        boxes = np.concatenate([middle - half, middle + half], 1)
        return replace(moved, boxes=boxes, size=found.size)


def letter_of(boxes: Boxes, letters: NDArray[np.str_]) -> float:
    """Return the usual height of the letters of a page, 0 without any."""
    real = np.char.isalnum(letters) if len(letters) else np.zeros(0, bool)
    heights = (boxes[:, 3] - boxes[:, 1])[real]
    return float(np.median(heights)) if len(heights) else 0.0


def glyphs_of(boxes: Boxes, shape: tuple[int, int]) -> Glyphs:
    """Return characters as pieces: number n of them is piece n + 1."""
    edges = np.zeros((len(boxes) + 1, 4), np.int32)
    edges[1:, :2] = np.floor(boxes[:, :2] + 0.25)
    edges[1:, 2:] = np.maximum(np.ceil(boxes[:, 2:] - 0.25), edges[1:, :2] + 1)
    left, top, right, bottom = (np.ascontiguousarray(edge) for edge in edges.T)
    area = np.maximum(1, (right - left) * (bottom - top) // 2).astype(np.int32)
    usable = np.ones(len(area), bool)
    usable[0] = False
    return Glyphs(shape, left, top, right, bottom, area, usable)


def sheet_of_layer(
    layer: TextLayer, characters: Characters, turn: Turn, settings: LayoutSettings
) -> Sheet:
    """Return the sheet of a page from its characters, which lie in the level frame already."""
    width, height = turn.size
    letter = letter_of(characters.boxes, characters.letters)
    glyphs = glyphs_of(characters.boxes, (height, width))
    unit = letter or 24.0
    pictures = [
        box
        for box in map(Box._make, turn.level(layer.pictures).tolist())
        if min(box.width, box.height) > DRAWN.picture * unit
        and box.area < DRAWN.background * width * height
    ]
    lines = turn.level(layer.lines)
    drawn = _painted(lines, (height, width))
    flat = (lines[:, 2] - lines[:, 0]) >= (lines[:, 3] - lines[:, 1])
    rules = Rules(lines[flat], lines[~flat], _touching(lines, unit, pictures))
    strokes = [
        box
        for box in map(Box._make, turn.level(layer.drawings).tolist())
        if max(box.width, box.height) > DRAWN.stroke * unit
        and box.area < DRAWN.background * width * height
    ]
    fixed = any(font.fixed_pitch for font in characters.fonts)
    found = lines_of(glyphs, drawn, pictures, letter, settings, may_be_fixed=fixed)
    frame = Frame(width, height, turn.to_source, 0.0, height)
    return Sheet(frame, letter, glyphs, rules, Areas(pictures, strokes), found)


def _painted(lines: Boxes, shape: tuple[int, int]) -> NDArray[np.uint8]:
    """Return a picture with straight lines drawn in it, 1 where they are."""
    drawn = np.zeros(shape, np.uint8)
    for x0, y0, x1, y1 in np.round(lines).astype(int).tolist():
        drawn[y0 : max(y1, y0 + 1), x0 : max(x1, x0 + 1)] = 1
    return drawn


def _touching(lines: Boxes, letter: float, pictures: list[Box]) -> list[Box]:
    """Return the boxes of rules outside pictures, those that touch as one."""
    if not len(lines):
        return []
    near = max(1.0, DRAWN.touching * letter)
    low, high = lines[:, :2].min(0) - 2 * near, lines[:, 2:].max(0) + 2 * near
    columns, rows = (int(size) + 1 for size in (high - low) / near)
    raster = np.zeros((rows, columns), np.uint8)
    for x0, y0, x1, y1 in ((lines - np.tile(low, 2)) / near).tolist():
        cv2.rectangle(raster, (int(x0), int(y0)), (int(x1), int(y1)), 1, -1)
    found = []
    for x, y, w, h in boxes_of_pieces(raster):
        corner = (lines[:, :2] - low) / near
        own = (corner[:, 0] >= x - 1) & (corner[:, 0] < x + w) & (corner[:, 1] >= y - 1)
        own &= corner[:, 1] < y + h
        if own.any():
            x0, y0 = lines[own, :2].min(0).tolist()
            x1, y1 = lines[own, 2:].max(0).tolist()
            found.append(Box(x0, y0, x1, y1))
    return [box for box in found if not any(area.contains(*box.middle) for area in pictures)]
