"""The cells of a table: from the grid that its rules make, else from the white between them."""

from __future__ import annotations

from dataclasses import dataclass, replace

from amberquarry.sheet.typography import rows_of
from amberquarry.tables.grids import Span, cells_in, columns_of, is_value
from amberquarry.values import Block, Box, Cell, Line


@dataclass(frozen=True, slots=True)
class CellGrid:
    """How cells are told (`benchmarks/layout.py`, tables of printed pages)."""

    same_edge: float = 0.7  # x-heights by which the edges of one column differ
    on_grid: float = 0.6  # of the table's box, that its grid covers
    several: float = 0.5  # of the rows between two rules, that hold several cells: each is a row


CELL_GRID = CellGrid()


def with_grid(block: Block, grids: list[list[list[Box]]]) -> Block:
    """Return a table that keeps the grid of rules in which it stands, if there is one."""
    if block.table is None:
        return block
    for grid in grids:
        around = Box.around([cell for row in grid for cell in row])
        if around.overlap(block.box) >= CELL_GRID.on_grid * block.box.area:
            ruled = block.table.ruled or len(grid) > 1
            return replace(block, payload=replace(block.table, grid=grid, ruled=ruled))
    return block


def fill_cells(block: Block) -> None:
    """Give a table its cells, in place: rows from the top down, columns from the left.

    Lines in letters that the reader doesn't know stay in the record and out of the cells.
    """
    if block.table is None:
        return
    lines = [line for line in block.lines if not line.unsupported_script and line.words]
    found = _in_grid(lines, block.table.grid) if block.table.grid else _in_white(lines)
    cells = _with_heads(found)
    block.payload = replace(
        block.table,
        rows=1 + max((cell.row + cell.row_span - 1 for cell in cells), default=-1),
        columns=1 + max((cell.column + cell.column_span - 1 for cell in cells), default=-1),
        cells=cells,
        grid=[],
    )


def _in_white(lines: list[Line]) -> list[Cell]:
    """Return cells by rows of one height and columns that white parts."""
    rows = [
        [
            (words, Box.around([word.box for word in words]))
            for line in row
            for words in cells_in(line)
        ]
        for row in rows_of(lines)
    ]
    columns = _columns([[(box.x0, box.x1) for _, box in row] for row in rows])
    found: list[Cell] = []
    for number, row in enumerate(rows):
        taken: dict[int, Cell] = {}
        for words, box in row:
            own = [n for n, (x0, x1) in enumerate(columns) if x0 < box.x1 and x1 > box.x0]
            first, last = (own[0], own[-1]) if own else (0, 0)
            text = " ".join(word.repaired or word.text for word in words)
            if first in taken:
                before = taken[first]
                before.text, before.box = f"{before.text} {text}", Box.around([before.box, box])
                continue
            taken[first] = Cell(number, first, text, box, column_span=last - first + 1)
        found += taken.values()
    return found


def _columns(rows: list[list[Span]]) -> list[Span]:
    """Return from where to where columns reach: cells over several columns make none of them one.

    rows: the extents of their cells. Those with most cells tell the columns, the others widen them.
    """
    most = max(map(len, rows), default=0)
    columns = columns_of([row for row in rows if len(row) == most])
    for x0, x1 in (cell for row in rows if len(row) < most for cell in row):
        over = [n for n, (start, end) in enumerate(columns) if start < x1 and end > x0]
        if not over:
            columns = sorted([*columns, (x0, x1)])
        elif len(over) == 1:
            start, end = columns[over[0]]
            columns[over[0]] = min(start, x0), max(end, x1)
    return columns


def _in_grid(lines: list[Line], grid: list[list[Box]]) -> list[Cell]:
    """Return cells by the rules around them; rows between two rules by their heights."""
    size = min((line.x_height for line in lines), default=1.0)
    edges = _edges([x for row in grid for cell in row for x in (cell.x0, cell.x1)], size)
    found: list[Cell] = []
    number = 0
    for band in grid:
        around = Box.around(band)
        inside = [line for line in lines if around.y0 <= line.box.middle[1] < around.y1]
        rows = rows_of(inside)
        held = [{_cell_of(line, band) for line in row} for row in rows]
        several = sum(len(own) > 1 for own in held) > CELL_GRID.several * len(rows)
        parts = rows if several and len(band) > 1 else [inside]
        for part in parts:
            for place, cell in enumerate(band):
                own = [line for line in part if _cell_of(line, band) == place]
                if own:
                    text = " ".join(word.repaired or word.text for ln in own for word in ln.words)
                    box = Box.around([line.box for line in own])
                    first, last = _column(edges, cell.x0), _column(edges, cell.x1)
                    span = max(1, last - first)
                    found.append(Cell(number, first, text, box, column_span=span))
            number += bool(part)
    return found


def _cell_of(line: Line, band: list[Box]) -> int:
    """Return in which cell of a band a line stands: the one that its middle is nearest to."""
    x = line.box.middle[0]
    return min(range(len(band)), key=lambda n: max(band[n].x0 - x, x - band[n].x1, 0.0))


def _edges(places: list[float], size: float) -> list[float]:
    """Return places with those nearer to each other than the edges of one column as one."""
    edges: list[float] = []
    for x in sorted(places):
        if not edges or x - edges[-1] > CELL_GRID.same_edge * size:
            edges.append(x)
    return edges


def _column(edges: list[float], x: float) -> int:
    return min(range(len(edges)), key=lambda n: abs(edges[n] - x))


def _with_heads(cells: list[Cell]) -> list[Cell]:
    """Return cells with those of the first row as heads, if it alone holds no values."""
    first = [cell for cell in cells if cell.row == 0]
    values = {cell.column for cell in cells if cell.row > 0 and is_value(cell.text)}
    heads = len(first) > 1 and values and not any(is_value(cell.text) for cell in first)
    return [replace(cell, header=bool(heads and cell.row == 0)) for cell in cells]
