"""Text lines with their measures as arrays, and rows of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amberquarry.sheet.measuring import TextLine
from amberquarry.values import Box


@dataclass(frozen=True, slots=True)
class OneRow:
    """Lines that stand in one row; lengths in x-heights unless said."""

    same: float = 0.45  # between the base lines of two, at most
    words_apart: float = 3.0  # of white between the words of a line that is set to fill it
    tall_gutter: float = 8.0  # letters: what parts columns and cells is higher
    few_letters: int = 6  # of a line, that tell little of its base line
    overlap: float = 0.35  # of height that two share, of which one stands beside the other
    widest_white: float = 30.0  # between columns, at most
    beside: float = 0.7  # share of such a line's height, at which another stands
    sizes: float = 2.5  # ratio of sizes of type in one row, at most
    most: int = 800  # lines that are looked at on each side of a gutter, the nearest first


ROW = OneRow()


class Lines:
    """Text lines with their measures as arrays."""

    def __init__(self, lines: list[TextLine]) -> None:
        self.lines = lines
        boxes = np.array([line.box for line in lines], float).reshape(-1, 4)
        self.x0, self.y0, self.x1, self.y1 = boxes.T
        self.size = np.array([line.x_height for line in lines])
        self.pieces = np.array([len(line.pieces) for line in lines])
        self.middle_x, self.middle_y = (self.x0 + self.x1) / 2, (self.y0 + self.y1) / 2
        self.start = np.array([line.baseline_at(line.box.x0) for line in lines])
        self.end = np.array([line.baseline_at(line.box.x1) for line in lines])

    def level_with(self, gutter: Box) -> NDArray[np.bool_]:
        """Return which lines have their middle at the height of a gutter."""
        return (self.middle_y > gutter.y0) & (self.middle_y < gutter.y1)

    def beside(self, gutter: Box) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Return the indices of the lines next to a gutter on its left and on its right."""
        within = self.level_with(gutter)
        middle = gutter.middle[0]
        left = np.flatnonzero(within & (self.x1 <= middle + 2))
        right = np.flatnonzero(within & (self.x0 >= middle - 2))
        return self._nearest(left, self.x1, -1), self._nearest(right, self.x0, 1)

    def _nearest(
        self, chosen: NDArray[np.int64], edge: NDArray[np.float64], sign: int
    ) -> NDArray[np.int64]:
        if len(chosen) > ROW.most:
            chosen = np.sort(chosen[np.argsort(sign * edge[chosen], kind="stable")[: ROW.most]])
        y0, y1 = self.y0[chosen], self.y1[chosen]
        shared = np.minimum(y1[:, None], y1[None]) - np.maximum(y0[:, None], y0[None])
        nearer = sign * (edge[chosen][None] - edge[chosen][:, None]) < -1
        hidden = ((shared > 0.5 * self.size[chosen][:, None]) & nearer).any(1)
        return chosen[~hidden]

    def in_rows(self, left: NDArray[np.int64], right: NDArray[np.int64]) -> NDArray[np.bool_]:
        """Return (left, right), True where two lines stand on one base line."""
        return (
            np.abs(self.end[left][:, None] - self.start[right][None])
            < ROW.same * self.size[left][:, None]
        )

    def share_in_rows(self, left: NDArray[np.int64], right: NDArray[np.int64]) -> float:
        """Return which share of a side's lines stand level with one of the other, the larger."""
        rows = self.in_rows(left, right)
        return float(max(rows.any(0).mean(), rows.any(1).mean()))


def band_numbers(boxes: Sequence[Box], slack: float) -> NDArray[np.int64]:
    """Return for each box the number of its band, from the top down: white runs between bands.

    slack: height that boxes of two bands may share, in pixels.
    """
    numbers = np.zeros(len(boxes), np.int64)
    foot, band = -np.inf, -1
    for place in sorted(range(len(boxes)), key=lambda n: boxes[n].y0):
        band += boxes[place].y0 >= foot - slack
        foot = max(foot, boxes[place].y1)
        numbers[place] = band
    return numbers


def gutter_between(box: Box, other: Box, columns: list[Box]) -> bool:
    """Return whether the gutter of a column runs between two boxes, at the height of the first."""
    low, high = sorted((box.middle[0], other.middle[0]))
    y = box.middle[1]
    return any(low < c.middle[0] < high and c.y0 <= y <= c.y1 for c in columns)


def overlap_y(a: Box, b: Box) -> float:
    """Return the height that two boxes share, negative where they lie apart."""
    return min(a.y1, b.y1) - max(a.y0, b.y0)


def overlap_x(a: Box, b: Box) -> float:
    """Return the width that two boxes share, negative where they lie apart."""
    return min(a.x1, b.x1) - max(a.x0, b.x0)


def rows_in_order(lines: list[TextLine]) -> list[list[TextLine]]:
    """Return lines in rows from the top down, left to right within a row."""
    waiting = sorted(lines, key=lambda line: line.baseline_at(line.box.middle[0]))
    rows: list[list[TextLine]] = []
    while waiting:
        first = waiting[0]
        level = first.baseline_at(first.box.middle[0])
        row = [
            line
            for line in waiting
            if abs(line.baseline_at(line.box.middle[0]) - level)
            < 0.8 * min(line.x_height, first.x_height)
            or line is first
        ]
        rows.append(sorted(row, key=lambda line: line.box.x0))
        taken = {line for line in row}
        waiting = [line for line in waiting if line not in taken]
    return rows
