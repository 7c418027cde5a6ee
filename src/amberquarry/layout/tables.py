"""Rows of cells beside gutters: where layout sees a table."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np

from amberquarry.layout.cells import cells_beside
from amberquarry.layout.columns import are_numbers
from amberquarry.layout.measured import (
    ROW,
    Lines,
    band_numbers,
    gutter_between,
    overlap_x,
    overlap_y,
    rows_in_order,
)
from amberquarry.layout.regions import Region
from amberquarry.sheet.measuring import TextLine
from amberquarry.values import BlockKind, Box


@dataclass(frozen=True, slots=True)
class RowsOfCells:
    """Rows of cells beside a gutter."""

    reaches_in: float = 2.0  # x-heights that a line reaches into the rows beside it
    long_line: int = 30  # pieces of a line of text
    cells_over: int = 2  # that such a line runs over, at least
    same_mark: float = 0.2  # of a bullet's larger side, that others differ from it at most
    chance_rows: int = 4  # that may stand level by chance, where type differs
    one_type: float = 1.35  # ratio of sizes of type in a table, at most
    next_rows: float = 2.3  # usual steps between rows: so far off, another table begins


CELLS = RowsOfCells()


def find_tables(gutters: list[Box], lines: Lines, columns: list[Box]) -> list[Region]:
    """Return tables: rows of lines around gutters that part cells."""
    zones: list[Box] = []
    for gutter in gutters:
        left, right = (
            np.array(
                [n for n in side if not gutter_between(lines.lines[n].box, gutter, columns)], int
            )
            for side in lines.beside(gutter)
        )
        if len(left) == 0 or len(right) == 0 or _are_bullets([lines.lines[n] for n in left]):
            continue
        if are_numbers(left, right, lines):
            continue
        pairs = np.argwhere(lines.in_rows(left, right))
        if len(pairs) < max(3, 0.6 * min(len(left), len(right)), 0.35 * max(len(left), len(right))):
            continue
        zone = Box.around([lines.lines[n].box for n in [*left[pairs[:, 0]], *right[pairs[:, 1]]]])
        for number, other in enumerate(zones):
            if (
                overlap_y(zone, other) > 0.4 * min(zone.height, other.height)
                and overlap_x(zone, other) > -zone.width * 0.05
            ):
                zones[number] = Box.around([zone, other])
                break
        else:
            zones.append(zone)
    regions = []
    taken: set[TextLine] = set()
    for zone in zones:
        members = [
            line
            for line in lines.lines
            if line not in taken
            and zone.y0 <= line.box.middle[1] <= zone.y1
            and overlap_x(line.box, zone) > 0.3 * line.box.width
            and not gutter_between(line.box, zone, columns)
        ]
        known = {line for line in members}
        across = [
            line.box.middle[1]
            for line in lines.lines
            if line not in known
            and line.box.x0 < zone.x0 - line.x_height
            and line.box.x1 > zone.x0 + CELLS.reaches_in * line.x_height
        ]
        for rows in map(_without_prose, _close_rows(members, across)):
            own = [line for row in rows for line in row]
            if len(own) < 6 or len(rows) == len(own) or not _of_one_type(rows):
                continue
            taken.update(line for line in own)
            cells = cells_beside(own, [x for x in lines.lines if x not in taken], columns)
            taken.update(line for line in cells)
            own = [line for row in rows_in_order([*own, *cells]) for line in row]
            regions.append(Region(BlockKind.TABLE, Box.around([line.box for line in own]), own))
    return regions


def _without_prose(rows: list[list[TextLine]]) -> list[list[TextLine]]:
    """Return the rows of a table without those of the text over or under it.

    Spaces of such a row may be as wide as those of cells; it reaches out of the table at both
    sides, or holds a line that runs over the beginnings of several cells of the other rows.
    """
    for end in (0, -1):
        while len(rows) > 2:
            rest = rows[1:] if end == 0 else rows[:-1]
            if not (_reaches_out(rows[end], rest) or _runs_over_cells(rows[end], rest)):
                break
            rows = rest
    return rows


def _reaches_out(row: list[TextLine], rest: list[list[TextLine]]) -> bool:
    """Return whether a row begins before the other rows and ends after them."""
    own = Box.around([line.box for line in row])
    table = Box.around([line.box for lines in rest for line in lines])
    room = CELLS.reaches_in * row[0].x_height
    return own.x0 < table.x0 - room and own.x1 > table.x1 + room


def _runs_over_cells(row: list[TextLine], rest: list[list[TextLine]]) -> bool:
    """Return whether a long line of a row runs over beginnings of cells in most of the others."""
    for line in row:
        if len(line.pieces) < CELLS.long_line:
            continue
        inside = (line.box.x0 + line.x_height, line.box.x1 - line.x_height)
        begun = [sum(inside[0] < cell.box.x0 < inside[1] for cell in other) for other in rest]
        if float(np.median(begun)) >= CELLS.cells_over:
            return True
    return False


def _are_bullets(lines: list[TextLine]) -> bool:
    """Return whether lines are marks of a list: single pieces of one size, one under the other."""
    if len(lines) < 2 or max(len(line.pieces) for line in lines) > 1:
        return False
    sides = np.array([(line.box.width, line.box.height) for line in lines])
    starts = np.array([line.box.x0 for line in lines])
    return bool((np.ptp(sides, 0) <= CELLS.same_mark * sides.max()).all()) and bool(
        np.ptp(starts) <= sides.max()
    )


def _of_one_type(rows: list[list[TextLine]]) -> bool:
    """Return whether rows are set in about one size; only a few may be chance, and are asked."""
    if len(rows) > CELLS.chance_rows:
        return True
    sizes = [float(np.median([line.x_height for line in row])) for row in rows]
    return max(sizes) < CELLS.one_type * min(sizes)


def _close_rows(lines: list[TextLine], across: list[float]) -> list[list[list[TextLine]]]:
    """Return lines in rows, these in groups parted by much white, such as that under a heading.

    across: heights of other lines, that run into the rows from beside them and part them.
    Lines of cells that are set to their middle stand in one row with what is beside them.
    """
    rows = rows_in_order(lines)
    levels = [float(np.mean([line.baseline_at(line.box.middle[0]) for line in r])) for r in rows]
    steps = np.diff(levels)
    if not len(steps):
        return [rows]
    slack = ROW.overlap * float(np.median([line.x_height for line in lines]))
    bands = band_numbers([Box.around([line.box for line in row]) for row in rows], slack)
    apart = np.diff(bands) > 0
    usual = float(np.median(steps[apart])) if apart.any() else np.inf
    parted = apart & (steps > CELLS.next_rows * usual)
    parted |= np.diff(np.searchsorted(np.sort(across), levels)) > 0
    breaks = np.flatnonzero(parted) + 1
    return [rows[a:b] for a, b in itertools.pairwise([0, *breaks.tolist(), len(rows)])]
