"""Rows of a table whose cells may hold several lines: told by the white between them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from amberquarry.layout.measured import ROW, band_numbers, gutter_between
from amberquarry.sheet.measuring import TextLine
from amberquarry.values import Box


@dataclass(frozen=True, slots=True)
class FurtherCells:
    """Cells in the rows of a table that are not among those found by its gutter."""

    bands: int = 3  # rows of the table, at least
    filled: float = 0.5  # of them, with text in a column; of that column's lines, in rows
    kept: float = 0.8  # of the rows, that further cells leave apart
    most: int = 26  # pieces of a line in a cell, usually at most


FURTHER = FurtherCells()


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
                    if _leaves_rows(column, table, size, FURTHER.filled)
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
            apart = max(box.x0 - line.box.x1, line.box.x0 - box.x1) > ROW.widest_white * size
        if apart:
            break
        column.append(line)
    return column


def _leaves_rows(cells: list[TextLine], table: list[TextLine], size: float, filled: float) -> bool:
    """Return whether lines are short and leave the rows of a table as they are.

    filled: share of the rows that must hold some of them, and of them that must stand in rows.
    """
    if not cells or np.median([len(line.pieces) for line in cells]) > FURTHER.most:
        return False
    bands = band_numbers([line.box for line in table], ROW.overlap * size)
    together = band_numbers([line.box for line in [*table, *cells]], ROW.overlap * size)
    before, rows = bands.max() + 1, np.unique(together[: len(table)])
    in_rows = np.isin(together[len(table) :], rows)
    return bool(
        before >= FURTHER.bands
        and len(rows) >= FURTHER.kept * before
        and in_rows.mean() >= filled
        and len(np.unique(together[len(table) :][in_rows])) >= filled * before
    )
