"""A grid proves itself by its own cells: what stands over, under and beside it is text.

Invoices, statements and forms set addresses, labels with their values, and sums in rows as a table
does. Rows are one grid where they follow each other at one distance and their cells share edges;
the rest comes out as addresses, and as labels each with its value.
"""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from amberquarry.sheet.typography import rows_of
from amberquarry.values import Block, BlockKind, Box, Line, Table, Word

Span = tuple[float, float]  # from where to where a cell reaches

# Between two cells there is more white than so many x-heights, and than so many spaces of the line.
CELL_GAP, OWN_SPACE = 1.5, 1.6
_PLAIN = (BlockKind.PARAGRAPH, BlockKind.HEADING)
_FIGURES = re.compile(r"[\d.,' ]+")


@dataclass(frozen=True, slots=True)
class Proof:
    """What rows must show to be a grid; measured with benchmarks/paper.py and layout.py."""

    wider: float = 1.6  # times the usual white between rows: there a grid ends
    room: float = 0.25  # letters of white more, so that rows set tightly may vary
    near: int = 3  # rows on each side from which the usual white is taken
    same_edge: float = 0.5  # letters by which edges of one column lie apart
    fewest_rows: int = 3
    longest_mark: int = 4  # signs of an item's marker
    many_rows: int = 6  # of words alone
    many_columns: int = 5  # of words alone
    clear_columns: int = 3  # from so many on rows need no amounts to be a grid
    value_digits: float = 0.3  # of the signs of a value, such as a date or a number
    mostly: float = 0.6  # of the cells of a column that are values or amounts
    in_step: float = 0.4  # of many rows, that hold a term and the beginning of its meaning
    gutter: float = 2.0  # letters of white between columns of text
    whole: float = 0.75  # of the lines of a frame that stand in grids: then it is a table's


PROOF = Proof()


def cells_in(line: Line) -> list[list[Word]]:
    """Return the words of a line by the cells in which they stand.

    Spaces of typewriter faces are nearly as wide as the white between cells: it must be wider than
    the narrowest one.
    """
    gaps = [right.box.x0 - left.box.x1 for left, right in pairwise(line.words)]
    widest = CELL_GAP * line.x_height
    widest = max(widest, OWN_SPACE * min([widest, *gaps]))
    cells: list[list[Word]] = []
    for word in line.words:
        if cells and word.box.x0 - cells[-1][-1].box.x1 <= widest:
            cells[-1].append(word)
        else:
            cells.append([word])
    return cells


def parted(line: Line) -> list[Line]:
    """Return a line in one piece for each of its cells."""
    cells = cells_in(line)
    return [line.part(cell) for cell in cells] if len(cells) > 1 else [line]


def columns_of(rows: list[list[Span]], least: float = 0.0) -> list[Span]:
    """Return from where to where the columns reach in which the cells of some rows stand.

    least: white between two columns, where cells closer to each other are of one.
    """
    columns: list[Span] = []
    for x0, x1 in sorted(cell for row in rows for cell in row):
        if columns and x0 < columns[-1][1] + least:
            columns[-1] = columns[-1][0], max(columns[-1][1], x1)
        else:
            columns.append((x0, x1))
    return columns


def is_proven(lines: list[Line], letter: float) -> bool:
    """Return whether nearly all of some lines stand in grids."""
    rows = _rows(lines)
    inside = sum(len(row) for run, grid in _runs(rows, letter) if grid for row in run)
    return inside >= PROOF.whole * sum(map(len, rows))


def proven(block: Block, letter: float) -> list[Block]:
    """Return a table in the parts that its cells prove to be grids, and the rest as text."""
    rows = _rows(block.lines)
    if _are_contents(rows):
        return [block]
    blocks: list[Block] = []
    runs = _runs(rows, letter)
    if block.kind is BlockKind.TABLE and not any(is_grid for _, is_grid in runs):
        # cells of several lines break the rows, not the columns
        columns = columns_of([_spans(row) for row in rows], letter)
        if len(columns) > PROOF.clear_columns and any(_holds_values(rows, x) for x in columns[1:]):
            return [block]
    for run, is_grid in runs:
        if is_grid:
            own = [line for row in run for line in row]
            box = Box.around([line.box for line in own])
            blocks.append(Block(BlockKind.TABLE, box, own, payload=Table(ruled=block.ruled)))
        else:
            blocks += _as_text(run, block.lines, letter)
    return blocks


def _are_contents(rows: list[list[Line]]) -> bool:
    """Return whether rows are entries with numbers of pages, which rise: items, told later."""
    last = [row[-1].text for row in rows if len(row) > 1]
    pages = [int(text) for text in last if text.isdecimal()]
    if len(pages) < max(PROOF.fewest_rows, PROOF.whole * len(rows)):
        return False
    return all(a <= b for a, b in pairwise(pages))


def in_columns(block: Block, letter: float, pairs: bool) -> list[Block]:
    """Return a paragraph whose lines stand in three columns or more in its grids and columns.

    Feet of letters are set so, and grids without rules. Two columns are often terms with their
    meanings, or labels with their values, and stay row by row, but not addresses side by side; with
    `pairs` they may be a grid of items with amounts. Markers before their items make no column.
    """
    rows = _rows(block.lines)
    several = [row for row in rows if len(row) > 1]
    if len(several) < max(2, PROOF.mostly * len(rows)):
        return [block]
    marks = sum(len(row[0].text) <= PROOF.longest_mark for row in several)
    columns = columns_of([_spans(row) for row in rows], PROOF.gutter * letter)
    if len(columns) < 2 or (len(columns) == 2 and marks >= PROOF.mostly * len(several)):
        return [block]
    members = [_in_column(rows, column) for column in columns]
    if all(map(_is_address, members)):
        return [block.part(BlockKind.PARAGRAPH, own) for own in members]
    parts = proven(block, letter)
    if any(part.kind is BlockKind.TABLE for part in parts):
        return parts if pairs or len(columns) > 2 else [block]
    # numbers that count the lines of a listing are no column of text
    return parts if len(columns) > 2 and marks < PROOF.mostly * len(several) else [block]


def _in_column(rows: list[list[Line]], column: Span) -> list[Line]:
    return [line for row in rows for line in row if column[0] <= line.box.middle[0] <= column[1]]


def _is_address(lines: list[Line]) -> bool:
    """Return whether lines of a column may be an address: few, some with figures and some without.

    Labels hold no figures, and of their values most do.
    """
    figures = sum(any(map(str.isdecimal, line.text)) for line in lines)
    few = PROOF.fewest_rows <= len(lines) < PROOF.many_rows
    return few and 0 < figures < len(lines) and not any(is_value(line.text) for line in lines)


def with_heads(blocks: list[Block], letter: float) -> list[Block]:
    """Return blocks with the heads of a table's columns in the table.

    They stand right over it in a block of their own row, each over one column.
    """
    out: list[Block] = []
    for block in blocks:
        over = out[-1] if out else None
        if block.kind is BlockKind.TABLE and over is not None and _are_heads(over, block, letter):
            out.pop()
            lines = [*(cell for line in over.lines for cell in parted(line)), *block.lines]
            box = Box.around([line.box for line in lines])
            block = Block(BlockKind.TABLE, box, lines, payload=Table(ruled=block.ruled))
        out.append(block)
    return out


def with_columns_beside(blocks: list[Block], letter: float) -> list[Block]:
    """Return blocks with columns that were cut off a table back in it, and values at their labels.

    A column far to the right, of amounts for instance, may be taken for a column of the page. It
    has a line in step with most rows of the table, all of one edge, and no text beside these.
    """
    blocks = _with_values(blocks, letter)
    for table in [block for block in blocks if block.kind is BlockKind.TABLE and block.lines]:
        rows = _rows(table.lines)
        beside = [
            line
            for block in blocks
            if block.kind in _PLAIN
            for line in block.lines
            if table.box.y0 - line.box.height < line.box.middle[1] < table.box.y1 + line.box.height
        ]
        right = [line for line in beside if line.box.x0 > table.box.x1]
        left = [line for line in beside if line.box.x1 < table.box.x0]
        for side in (right, left):
            found = _in_step(rows, side, letter)
            known = {line for line in found}
            if not found:
                continue
            lines = [cell for row in rows for cell in row]
            own = [line for row in _rows([*lines, *found]) for line in row]
            joined = Block(
                BlockKind.TABLE,
                Box.around([x.box for x in own]),
                own,
                payload=Table(ruled=table.ruled),
            )
            blocks = [
                joined if block is table else part
                for block in blocks
                for part in _less(block, known)
            ]
            table, rows = joined, _rows(joined.lines)
    return blocks


def _with_values(blocks: list[Block], letter: float) -> list[Block]:
    """Return blocks with the values far to the right of their labels row by row with these."""
    for labels in [block for block in blocks if block.kind in _PLAIN and block.lines]:
        rows = _rows(labels.lines)
        if any(is_value(line.text) for row in rows for line in row):
            continue
        right = [
            line
            for block in blocks
            if block.kind in _PLAIN
            for line in block.lines
            if line.box.x0 > labels.box.x1
            and labels.box.y0 - line.box.height < line.box.middle[1] < labels.box.y1
        ]
        values = sum(is_value(line.text) for line in right)
        found = _in_step(rows, right, letter) if values >= PROOF.mostly * len(right) else []
        if len(rows) == 1 and len(right) == 1 and _is_amount(right[0].text):
            found = right
        if not found:
            continue
        known = {line for line in found}
        own = [line for row in _rows([*labels.lines, *found]) for line in row]
        joined = labels.part(labels.kind if len(rows) > 1 else BlockKind.PARAGRAPH, own)
        blocks = [
            joined if block is labels else part for block in blocks for part in _less(block, known)
        ]
    return blocks


def _less(block: Block, known: set[Line]) -> list[Block]:
    """Return a block without some lines, nothing if none is left."""
    rest = [line for line in block.lines if line not in known]
    if len(rest) == len(block.lines):
        return [block]
    return [block.part(block.kind, rest)] if rest else []


def _in_step(rows: list[list[Line]], lines: list[Line], letter: float) -> list[Line]:
    """Return the lines of a column in step with rows, nothing where most rows have none."""
    found: list[Line] = []
    for row in rows:
        own = [
            line
            for line in lines
            if any(cell.box.y0 < line.box.middle[1] < cell.box.y1 for cell in row)
        ]
        if len(own) > 1:
            return []
        found += own
    if len(found) < max(2, PROOF.mostly * len(rows)) or len(found) != len(lines):
        return []
    room = PROOF.same_edge * letter
    edges = np.array([(line.box.x0, line.box.x1) for line in found])
    aligned = (np.abs(edges - np.median(edges, 0)) <= room).mean(0)
    return found if aligned.max() >= PROOF.mostly else []


def _are_heads(over: Block, table: Block, letter: float) -> bool:
    if over.kind not in _PLAIN or not over.lines:
        return False
    heads, rows = _rows(over.lines), _rows(table.lines)
    if len(heads) > 1 or len(heads[0]) < 2 or len(rows) < 2:
        return False
    pitch = float(np.median([_top(b) - _top(a) for a, b in pairwise(rows)]))
    near = 0 < _top(rows[0]) - _top(heads[0]) < PROOF.wider * pitch + PROOF.room * letter
    return near and _one_to_one(_spans(heads[0]), columns_of([_spans(row) for row in rows]))


def _rows(lines: list[Line]) -> list[list[Line]]:
    """Return rows from the top down, each a line for each of its cells, from the left."""
    rows = [[cell for line in row for cell in parted(line)] for row in rows_of(lines)]
    return [sorted(row, key=lambda cell: cell.start) for row in rows]


def _runs(rows: list[list[Line]], letter: float) -> list[tuple[list[list[Line]], bool]]:
    """Return rows in runs that belong together, and whether each is a grid."""
    runs: list[list[list[Line]]] = []
    apart: list[bool] = []  # whether wider white stands before each run
    whites = [_top(lower) - _foot(upper) for upper, lower in pairwise(rows)]
    for number, row in enumerate(rows):
        white = number > 0 and _is_break(whites, number - 1, letter)
        if not number or white or not _fits(runs[-1], row, letter):
            runs.append([row])
            apart.append(white)
        else:
            runs[-1].append(row)
    clear = [_is_grid(run, PROOF.clear_columns) for run in runs]
    if not any(clear):
        # of two columns a grid has amounts in one; sums under it have too, and are fewer
        amounts = [_is_grid(run, 2) and _are_amounts(run) for run in runs]
        most = max((len(run) for run, has in zip(runs, amounts, strict=True) if has), default=0)
        clear = [has and len(run) == most for run, has in zip(runs, amounts, strict=True)]
    found: list[tuple[list[list[Line]], bool]] = []
    for run, is_grid, white in zip(runs, clear, apart, strict=True):
        if found and not (is_grid or found[-1][1] or white):
            found[-1] = [*found[-1][0], *run], False
        else:
            found.append((run, is_grid))
    return found


def _top(row: list[Line]) -> float:
    return float(np.median([line.box.y0 for line in row]))


def _foot(row: list[Line]) -> float:
    return float(np.median([line.box.y1 for line in row]))


def _is_break(whites: list[float], at: int, letter: float) -> bool:
    """Return whether the white after a row is wider than between the rows around it."""
    around = whites[max(0, at - PROOF.near) : at] + whites[at + 1 : at + 1 + PROOF.near]
    if not around:
        return False
    return whites[at] > PROOF.wider * max(0.0, float(np.median(around))) + PROOF.room * letter


def _spans(row: list[Line]) -> list[Span]:
    return [(line.box.x0, line.box.x1) for line in row]


def _fits(run: list[list[Line]], row: list[Line], letter: float) -> bool:
    """Return whether a row goes on with a run: its cells share edges with cells of the run.

    A single cell goes on where it stands in one column; so do heads of columns over their first
    row, each over one column.
    """
    columns = columns_of([_spans(other) for other in run])
    if not _over_one(_spans(row), columns):
        return False
    most = max(map(len, run))
    if len(row) == 1 or most == 1:
        return len(row) == most or len(row) == 1
    room = PROOF.same_edge * letter
    edges = [edge for other in run[-2:] for edge in _spans(other)]
    shared = sum(
        any(min(abs(x0 - a), abs(x1 - b), abs(x0 + x1 - a - b) / 2) <= room for a, b in edges)
        for x0, x1 in _spans(row)
    )
    fewer = min(len(row), max(len(other) for other in run[-2:]))
    if shared >= max(2, PROOF.mostly * fewer):
        return True
    return len(run) == 1 and len(row) == most and _one_to_one(_spans(row), columns)


def _over_one(spans: list[Span], columns: list[Span]) -> bool:
    """Return whether no cell lies over two columns."""
    return all(sum(a < x1 and x0 < b for a, b in columns) <= 1 for x0, x1 in spans)


def _one_to_one(spans: list[Span], columns: list[Span]) -> bool:
    """Return whether each cell lies over a column of its own, or over none."""
    over = [n for x0, x1 in spans for n, (a, b) in enumerate(columns) if a < x1 and x0 < b]
    return _over_one(spans, columns) and len(set(over)) == len(over)


def _is_grid(run: list[list[Line]], fewest_columns: int) -> bool:
    """Return whether a run has rows and columns enough."""
    full = [row for row in run if len(row) >= fewest_columns]
    if len(run) < PROOF.fewest_rows or len(full) < PROOF.mostly * len(run):
        return False
    columns = columns_of([_spans(row) for row in full])
    if len(columns) < fewest_columns:
        return False
    # columns of addresses stand side by side at the foot of letters, but not so many
    many = len(run) >= PROOF.many_rows or len(columns) >= PROOF.many_columns
    return many or any(_holds_values(run, x) for x in columns[1:])


def _holds_values(run: list[list[Line]], column: Span) -> bool:
    """Return whether most cells of a column, but for its head, are values of one form.

    Beside labels stand a date, a number and a code under each other.
    """
    texts = [
        line.text for row in run for line in row if column[0] <= line.box.middle[0] <= column[1]
    ][1:]
    return _most_of_a_form(texts) >= max(2, PROOF.mostly * len(texts))


def _most_of_a_form(texts: list[str]) -> int:
    """Return how many values of the usual form there are, such as 9/9/9 for dates."""
    forms = Counter(_FIGURES.sub("9", text) for text in texts if is_value(text))
    return max(forms.values(), default=0)


def are_labels(lines: list[Line]) -> bool:
    """Return whether rows are labels with values of several forms, as on cards and forms."""
    last = [row[-1].text for row in _rows(lines) if len(row) > 1]
    values = sum(map(is_value, last))
    return values >= PROOF.in_step * len(last) and _most_of_a_form(last) < PROOF.mostly * len(last)


def _are_amounts(run: list[list[Line]]) -> bool:
    """Return whether the last cells of most rows are figures that end at one edge or point."""
    last = [row[-1].text for row in run[1:] if len(row) > 1]
    amounts = sum(map(_is_amount, last))
    return amounts >= PROOF.mostly * max(1, len(run) - 1)


def _is_amount(text: str) -> bool:
    return text[-3:-2] in (".", ",") and text[-2:].isdigit()


def is_value(text: str) -> bool:
    """Return whether a text is a date, a number or the like."""
    signs = text.replace(" ", "")
    return sum(map(str.isdigit, signs)) >= max(1, PROOF.value_digits * len(signs))


def _are_values(lines: list[Line]) -> bool:
    return sum(is_value(line.text) for line in lines) >= PROOF.mostly * len(lines)


def _is_justified(rows: list[list[Line]], letter: float) -> bool:
    """Return whether the last cells of rows of words end at one edge but begin at none."""
    last = [row[-1] for row in rows if len(row) > 1]
    if len(last) < 2 or sum(is_value(line.text) for line in last) >= PROOF.mostly * len(last):
        return False
    edges = np.array([(line.box.x0, line.box.x1) for line in last])
    off = np.abs(edges - np.median(edges, 0)) > PROOF.same_edge * letter
    return bool(off[:, 0].mean() >= PROOF.in_step and not off[:, 1].any())


def _as_text(rows: list[list[Line]], whole: list[Line], letter: float) -> list[Block]:
    """Return rows as text: columns each for itself, but labels with their values row by row.

    whole: the lines before they were parted into cells.
    Many rows whose cells stand in step, as terms and their meanings do, stay together, and so do
    narrow justified lines with wide spaces.
    """
    columns = columns_of([_spans(row) for row in rows], PROOF.gutter * letter)
    in_step = sum(len(row) > 1 for row in rows)
    members = [_in_column(rows, column) for column in columns]
    values = [_are_values(own) for own in members]
    if len(rows) >= PROOF.many_rows:
        terms = len(columns) > 1 and in_step >= PROOF.in_step * len(rows)
    else:
        terms = len(columns) == 2 and not values[1] and in_step >= PROOF.whole * len(rows)
    terms &= not any(map(_is_address, members))
    if terms or _is_justified(rows, letter):
        top = min(line.box.y0 for row in rows for line in row)
        foot = max(line.box.y1 for row in rows for line in row)
        lines = [line for row in rows_of(whole) for line in row if top < line.box.middle[1] < foot]
        return [Block(BlockKind.PARAGRAPH, Box.around([line.box for line in lines]), lines)]
    groups: list[list[int]] = []
    for place, has_values in enumerate(values):
        labels = groups and len(groups[-1]) == 1 and members[groups[-1][0]]
        if labels and has_values and not all(is_value(line.text) for line in labels):
            groups[-1].append(place)
        else:
            groups.append([place])
    blocks: list[Block] = []
    for group in groups:
        own = [line for place in group for line in members[place]]
        if len(group) == 1:
            parts = [own]
        else:
            known = {line for line in own}
            parts = [[line for line in row if line in known] for row in rows]
        for part in filter(None, parts):
            box = Box.around([line.box for line in part])
            blocks.append(Block(BlockKind.PARAGRAPH, box, part))
    return blocks
