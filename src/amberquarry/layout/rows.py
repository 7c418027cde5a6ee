"""Lines that are read across: what no gutter of a column parts."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from amberquarry.layout.measured import ROW, Lines
from amberquarry.sheet.measuring import CAPITAL_RATIO, TextLine
from amberquarry.values import Box


@dataclass(slots=True)
class Row:
    """Lines that stand side by side on one base line within a column, left to right."""

    whole: TextLine  # the measures of the row: box around all, the rest of its longest line
    lines: list[TextLine]


def find_rows(lines: list[TextLine], columns: list[Box], widest: float = np.inf) -> list[Row]:
    """Return lines gathered in rows: what no column's gutter parts is read across.

    widest: white within a row, in x-heights.
    """
    if not lines:
        return []
    measured = Lines(lines)
    gap = measured.x0[None] - measured.x1[:, None]
    smaller = np.minimum(measured.size[None], measured.size[:, None])
    level = np.abs(measured.start[None] - measured.end[:, None]) < ROW.same * smaller
    # few letters, some with tails, tell little of their base line
    few = measured.pieces <= ROW.few_letters
    shared = np.minimum(measured.y1[None], measured.y1[:, None]) - np.maximum(
        measured.y0[None], measured.y0[:, None]
    )
    height = measured.y1 - measured.y0
    beside = shared > ROW.beside * np.minimum(height[None], height[:, None])
    level |= (few[None] | few[:, None]) & beside & (gap < ROW.words_apart * smaller)
    follows = level & (gap > -0.3 * smaller) & (measured.x0[None] > measured.x0[:, None])
    follows &= gap < widest * smaller
    follows &= np.maximum(measured.size[None], measured.size[:, None]) < ROW.sizes * smaller
    left, right = np.nonzero(follows)  # few of all pairs: gutters are held against these only
    size = smaller[left, right]
    y = (measured.start[right] + measured.end[left]) / 2 - size / 2
    parted = np.zeros(len(left), bool)
    for column in columns:
        x = column.middle[0]
        between = (measured.x1[left] <= x + size) & (measured.x0[right] >= x - size)
        parted |= between & (y >= column.y0 - size) & (y <= column.y1 + size)
    follows[left[parted], right[parted]] = False
    following: dict[int, int] = {}
    taken = np.zeros(len(lines), bool)
    for first in np.argsort(measured.x0).tolist():
        choices = np.flatnonzero(follows[first] & ~taken)
        if len(choices):
            second = int(choices[np.argmin(gap[first, choices])])
            taken[second] = True
            following[first] = second
    rows = []
    for number in np.flatnonzero(~taken).tolist():
        members = [number]
        while members[-1] in following:
            members.append(following[members[-1]])
        parts = [lines[member] for member in members]
        longest = max(parts, key=lambda line: len(line.pieces))
        box = Box.around([line.box for line in parts])
        pieces = np.concatenate([line.pieces for line in parts])
        whole = TextLine(box, pieces, longest.baseline, longest.x_height, longest.plain)
        rows.append(Row(whole, parts))
    return rows


def whole_lines(lines: list[TextLine], gutters: list[Box]) -> list[TextLine]:
    """Return lines with the words joined that the wide spaces of a narrow column part.

    No gutter of some height lies between them, as between cells and columns.
    """
    if not lines:
        return []
    letter = CAPITAL_RATIO * float(np.median([line.x_height for line in lines]))
    tall = [gutter for gutter in gutters if gutter.height > ROW.tall_gutter * letter]
    return [row.whole for row in find_rows(lines, tall, ROW.words_apart)]
