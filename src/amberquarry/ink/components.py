"""The connected pieces of a page's ink, with rules and pictures taken out."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.pieces import Labels, boxes_of_pieces, connected_pieces
from amberquarry.ink.dotted import dotted_rules
from amberquarry.ink.pictures import merge_boxes, photographs_on
from amberquarry.ink.rules import boxes_of_rules, broken_rules, corners_of_frames, find_rules
from amberquarry.sheet.areas import Areas
from amberquarry.sheet.glyphs import Glyphs
from amberquarry.sheet.rules import Rules
from amberquarry.values import Box


@dataclass(frozen=True, slots=True)
class Piece:
    """What a piece of ink can be; lengths in letters."""

    tallest_letter: float = 6.0
    widest_letter: float = 9.0
    wide_height: float = 1.6  # of what is too wide for a letter
    widest: float = 25.0  # of anything that is text
    rough_rule: float = 0.9  # narrower than that a large piece is a rule
    frame_fill: float = 0.06  # of its box: a large piece of less ink is an outline
    speck: float = 0.11  # its square: pieces of less ink are dust
    headline: tuple[float, float] = (2.0, 16.0)  # heights of large letters in a row
    most_headline: int = 2000  # such pieces; more are a picture


PIECE = Piece()


@dataclass(frozen=True)
class Ink:
    """The ink of a prepared page: its pieces, and their pixels for the reader."""

    labels: Labels  # (H, W), which piece each pixel belongs to
    drawn_rules: NDArray[np.uint8]  # (H, W), 1 where a rule or form line was taken out
    glyphs: Glyphs
    rules: Rules
    areas: Areas

    def upside_down(self) -> Ink:
        """Return the same ink on the page turned by 180 degrees."""
        shape = self.glyphs.shape
        return Ink(
            self.labels[::-1, ::-1],
            self.drawn_rules[::-1, ::-1],
            self.glyphs.upside_down(),
            self.rules.upside_down(shape),
            self.areas.upside_down(shape),
        )

    def without(self, boxes: list[Box]) -> Ink:
        """Return the ink without the pieces in some boxes."""
        usable = self.glyphs.usable.copy()
        for box in boxes:
            usable &= ~self.glyphs.inside(box)
        return replace(self, glyphs=replace(self.glyphs, usable=usable))


def find_ink(ink: NDArray[np.uint8], grey: NDArray[np.uint8], letter: float) -> Ink:
    """Return the pieces of ink that may be text, the rules, and the boxes of pictures.

    ink: (H, W), 1 where a page is inked. letter: the usual height of letters in pixels.
    """
    across, down = find_rules(ink, letter)
    rules = across | down
    if cv2.hasNonZero(rules):
        # the rule's soft edge goes with it, but not what crosses it
        ink = cv2.subtract(ink, cv2.dilate(rules, np.ones((3, 3), np.uint8)))
    across_boxes, down_boxes = (
        boxes_of_pieces(part) if cv2.hasNonZero(part) else [] for part in (across, down)
    )
    labels, stats = connected_pieces(ink)
    left, top, width, height, area = stats.T
    large = (
        (height > PIECE.tallest_letter * letter)
        | (width > PIECE.widest_letter * letter) & (height > PIECE.wide_height * letter)
        | (width > PIECE.widest * letter)
    )
    large[0] = False
    large &= ~_of_headlines(left, top, width, height, letter)
    fill = area / np.maximum(1, width * height)
    rough = np.minimum(width, height) < PIECE.rough_rule * letter
    # rough or slanting rules, which no straight run covers, and frames
    drawn = large & (rough | (fill < PIECE.frame_fill))
    strokes = drawn & ~rough
    if cv2.hasNonZero(rules):
        drawn |= corners_of_frames(
            labels, stats, (across, across_boxes), (down, down_boxes), letter
        )
    drawn |= broken_rules(stats, across_boxes, down_boxes, letter)
    dotted = dotted_rules(stats, letter)
    for dots, box in dotted:
        drawn[dots] = True
        x0, y0, x1, y1 = map(round, box)
        rules[y0:y1, x0:x1] = 1
    for i in np.flatnonzero(drawn).tolist():
        own = np.s_[top[i] : top[i] + height[i], left[i] : left[i] + width[i]]
        rules[own] |= labels[own] == i
    edges = np.stack([left, top, left + width, top + height], 1)
    pictures = [Box(*own) for own in edges[large & ~drawn].tolist()]
    pictures = merge_boxes(pictures + photographs_on(grey, stats, letter), letter)
    usable = ~large & ~drawn & (area >= max(4, (PIECE.speck * letter) ** 2))
    usable[0] = False
    glyphs = Glyphs(labels.shape, left, top, left + width, top + height, area, usable)
    for box in pictures:
        usable &= ~glyphs.inside(box)
    return Ink(
        labels,
        rules,
        glyphs,
        Rules(
            *_segments(
                [*_corners(across_boxes), *_corners(down_boxes)],
                [box for _, box in dotted],
                edges[drawn & ~strokes],
            ),
            boxes_of_rules(rules, pictures),
        ),
        Areas(pictures, [Box(*own) for own in edges[strokes].tolist()]),
    )


def _corners(boxes: list[tuple[int, int, int, int]]) -> list[Box]:
    return [Box(x, y, x + width, y + height) for x, y, width, height in boxes]


def _segments(
    straight: list[Box], dotted: list[Box], drawn: NDArray[np.int32]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the segments (N, 4) of rules across and of those down, told by their longer side."""
    every = np.array([*straight, *dotted, *drawn.tolist()], float).reshape(-1, 4)
    across = every[:, 2] - every[:, 0] >= every[:, 3] - every[:, 1]
    return every[across], every[~across]


def _of_headlines(
    left: NDArray[np.int32],
    top: NDArray[np.int32],
    width: NDArray[np.int32],
    height: NDArray[np.int32],
    letter: float,
) -> NDArray[np.bool_]:
    """Return which pieces stand in a row with others of their height: large letters."""
    result = np.zeros(len(left), bool)
    index = np.flatnonzero(
        (height > PIECE.headline[0] * letter)
        & (height < PIECE.headline[1] * letter)
        & (width < 2 * height)
    )
    tall = index[height[index] > PIECE.tallest_letter * letter]
    if not len(tall) or len(index) > PIECE.most_headline:
        return result
    a, b = tall[:, None], index[None]
    shared = np.minimum(top[a] + height[a], top[b] + height[b]) - np.maximum(top[a], top[b])
    gap = np.maximum(left[a], left[b]) - np.minimum(left[a] + width[a], left[b] + width[b])
    beside = (gap > -0.2 * height[a]) & (gap < 0.8 * height[a])
    # letters that touch are as tall as an ascender and a descender: twice a small letter
    beside &= (height[b] > 0.4 * height[a]) & (height[b] < 2 * height[a]) & (a != b)
    beside &= shared > 0.5 * np.minimum(height[a], height[b])
    result[tall[beside.sum(1) >= 2]] = True
    return result
