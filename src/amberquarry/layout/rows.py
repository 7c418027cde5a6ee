"""Rows of a table whose cells may hold several lines: told by the white between them."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from amberquarry.sheet.measuring import TextLine
from amberquarry.values import Box

BESIDE = 0.35  # x-heights of height that lines share, of which one stands beside the other
# Rows of a table that is looked at; of them, with text in a column, and of its lines, in rows.
_FEWEST_BANDS, _FEWEST_FILLED = 3, 0.5
_KEPT = 0.8  # of the rows, that further cells leave apart
_MOST_CELL = 26  # pieces of a line in a cell, usually at most
WIDEST_WHITE = 30.0  # x-heights: no white between columns is wider


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


def cells_beside(own: list[TextLine], free: list[TextLine], columns: list[Box]) -> list[TextLine]:
    """Return lines that stand in the rows of a table, but are not among its own: further cells.

    Where cells are set to their middle the lines of one may stand between the base lines of the
    others, over the first row or under the last; prose beside a table runs on where white parts
    the rows. free: lines in no table. columns: gutters between columns of text.
    """
    found: list[TextLine] = []
    size = float(np.median([line.x_height for line in own]))
    while True:
        table = [*own, *found]
        box = Box.around([line.box for line in table])
        near = [
            line
            for line in free
            if min(line.box.y1, box.y1) > max(line.box.y0, box.y0)
            and not gutter_between(line.box, box, columns)
        ]
        inside = [line for line in near if box.x0 <= line.box.middle[0] <= box.x1]
        left = sorted((x for x in near if x.box.x1 <= box.x0), key=lambda x: -x.box.x1)
        right = sorted((x for x in near if x.box.x0 >= box.x1), key=lambda x: x.box.x0)
        if _leaves_rows(inside, table, size, 0):
            fresh = inside
        else:
            fresh = next(
                (
                    column
                    for column in (_nearest_column(side, box, size) for side in (left, right))
                    if _leaves_rows(column, table, size, _FEWEST_FILLED)
                ),
                [],
            )
        if not fresh:
            return found
        known = {line for line in fresh}
        free = [line for line in free if line not in known]
        found += fresh


def _nearest_column(side: list[TextLine], box: Box, size: float) -> list[TextLine]:
    """Return the lines of the column next to a box. side: lines beside it, the nearest first."""
    column: list[TextLine] = []
    for line in side:
        if column:
            x0, x1 = min(x.box.x0 for x in column), max(x.box.x1 for x in column)
            apart = line.box.x0 > x1 or line.box.x1 < x0
        else:
            apart = max(box.x0 - line.box.x1, line.box.x0 - box.x1) > WIDEST_WHITE * size
        if apart:
            break
        column.append(line)
    return column


def _leaves_rows(cells: list[TextLine], table: list[TextLine], size: float, filled: float) -> bool:
    """Return whether lines are short and leave the rows of a table as they are.

    filled: share of the rows that must hold some of them, and of them that must stand in rows.
    """
    if not cells or np.median([len(line.pieces) for line in cells]) > _MOST_CELL:
        return False
    bands = band_numbers([line.box for line in table], BESIDE * size)
    together = band_numbers([line.box for line in [*table, *cells]], BESIDE * size)
    before, rows = bands.max() + 1, np.unique(together[: len(table)])
    in_rows = np.isin(together[len(table) :], rows)
    return bool(
        before >= _FEWEST_BANDS
        and len(rows) >= _KEPT * before
        and in_rows.mean() >= filled
        and len(np.unique(together[len(table) :][in_rows])) >= filled * before
    )
