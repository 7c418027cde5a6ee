"""Tables that rules show: rows of cells between lines drawn across, or inside a frame."""

from __future__ import annotations

from dataclasses import dataclass, field
from itertools import groupby, pairwise

import numpy as np

from amberquarry.layout.measured import band_numbers
from amberquarry.sheet.rulebook import Rule, apply_rules
from amberquarry.sheet.signs import SURE_BULLETS
from amberquarry.sheet.typography import rows_of
from amberquarry.tables.cells import with_grid
from amberquarry.tables.grids import (
    are_labels,
    cells_in,
    columns_of,
    in_columns,
    is_proven,
    proven,
    with_columns_beside,
    with_heads,
)
from amberquarry.values import Block, BlockKind, Box, Line, Table


@dataclass(frozen=True, slots=True)
class RulesOfTables:
    """Rules that belong to one table; lengths in letters."""

    thin: float = 0.6  # a rule's thickness, at most
    long: float = 4.0  # its length, at least
    same_ends: float = 0.8  # by which rules of one table begin or end apart
    whole: float = 0.8  # of the lines between rules, that begin and end there
    through: float = 0.8  # of the height between two rules, along which a gutter runs
    fewest_rows: int = 3  # between rules
    most_row: int = 6  # lines in the cells of one row
    far: float = 3.0  # usual heights of the bands, from which one is none of the table's
    next_row: float = 1.9  # heights of a row, in which the next one stands
    heads: float = 5.0  # heights of a row of heads, at most


@dataclass(frozen=True, slots=True)
class Cells:
    """What the rows and cells of a table look like."""

    most: float = 26.0  # letters of the usual cell: columns of prose have more
    celled: float = 0.6  # of the rows, that hold several cells
    celled_in_frame: float = 0.4  # the same in a frame
    fewest_columns: int = 3  # of such a table in a frame
    rows_in_grid: float = 0.6  # of the rows between the rules of a grid, that hold several
    fewest_in_grid: int = 2  # rows in a grid
    filled: float = 0.5  # of the cells of a grid, with text
    at_edge: int = 3  # pixels
    few_rows: int = 8  # in a frame


@dataclass(frozen=True, slots=True)
class Prose:
    """Paragraphs, which are no cells."""

    lines: int = 3  # of a paragraph but its last
    words: int = 3  # in each of them
    full: float = 0.75  # of its width, that a full line spans
    mostly_full: float = 0.6  # of its lines, that are full


RULED, CELLS, PROSE = RulesOfTables(), Cells(), Prose()
MOST_PROSE = 0.35  # of a table's letters
_KINDS = (BlockKind.PARAGRAPH, BlockKind.HEADING, BlockKind.TABLE, BlockKind.MARGIN_NOTE)


@dataclass(slots=True)
class TableFacts:
    """What is known of a page when its tables are placed."""

    rules: list[Box]  # boxes of rules, and of frames and grids of them
    grids: list[list[list[Box]]]  # the rows of cells of each grid
    columns: list[Box]  # gutters between columns of text
    letter: float  # usual height of the letters
    frames: list[Box] = field(default_factory=list)  # in which rows of cells were found


def _between_rules(blocks: list[Block], page: TableFacts) -> list[Block]:
    lines = [line for block in blocks if block.kind in _KINDS for line in block.lines]
    prose = {line for block in blocks if runs_on(block) for line in block.lines}
    zones = _zones(page.rules, page.grids, page.columns, lines, page.letter, prose)
    zones += _under_rules(blocks, page.rules, zones)
    tables = [_inside(Box.around(bands), lines) for bands in zones]
    owned = {line for own in tables for line in own}
    free = [line for line in lines if line not in owned]
    for bands, inside in zip(zones, tables, strict=True):
        own = _with_row_over(Box.around(bands), inside, free)
        blocks = _gathered(blocks, set(own), bands)
    framed = set(page.rules)
    page.frames = [bands[0] for bands in zones if len(bands) == 1 and bands[0] in framed]
    return blocks


def _proven(blocks: list[Block], page: TableFacts) -> list[Block]:
    found: list[Block] = []
    for block in blocks:
        doubtful = block.kind is BlockKind.TABLE and not block.ruled
        if doubtful and not _in_frame(block, page.frames):
            found += proven(block, page.letter)
        else:
            found.append(block)
    return found


def _grids_of_text(blocks: list[Block], page: TableFacts, pairs: bool) -> list[Block]:
    # beside a table, labels with amounts are its sums
    if pairs and any(block.kind is BlockKind.TABLE for block in blocks):
        return blocks
    return [
        part
        for block in blocks
        for part in (in_columns(block, page.letter, pairs) if block.is_plain else [block])
    ]


TABLE_RULES: tuple[Rule[TableFacts], ...] = (
    Rule(
        "table between rules",
        "What stands in rows of cells between rules of one length, or in a frame, is a table.",
        _between_rules,
    ),
    Rule(
        "proof of a grid",
        "A table without rules must prove itself by its cells; else it is text (slips, letters).",
        _proven,
    ),
    Rule(
        "grid in text",
        "Rows of a paragraph whose cells stand in columns are a table (invoices without rules).",
        lambda blocks, page: _grids_of_text(blocks, page, pairs=False),
    ),
    Rule(
        "labels with amounts",
        "Rows of a label and an amount are a table where the page has no other (receipts).",
        lambda blocks, page: _grids_of_text(blocks, page, pairs=True),
    ),
    Rule(
        "heads of columns",
        "A row of words over the columns of a table is its head.",
        lambda blocks, page: with_heads(blocks, page.letter),
    ),
    Rule(
        "columns beside",
        "Amounts in step with a table's rows are its last column (invoices).",
        lambda blocks, page: with_columns_beside(blocks, page.letter),
    ),
)


def place_tables(blocks: list[Block], page: TableFacts) -> list[Block]:
    """Return blocks with what stands between the rules of a table as one block.

    What was taken for a table and keeps no rows of cells becomes running text.
    """
    return [with_grid(block, page.grids) for block in apply_rules(TABLE_RULES, blocks, page)]


def cells_of(row: list[Line]) -> list[str]:
    """Return the texts of a row's cells: wide gaps part them, also within what was read as one."""
    return [
        " ".join(word.repaired or word.text for word in cell)
        for line in row
        for cell in cells_in(line)
    ]


def is_tabular(lines: list[Line], share: float = CELLS.celled) -> bool:
    """Return whether most rows of some lines, or a `share`, hold several short cells."""
    rows = [cells_of(row) for row in rows_of(lines)]
    if not rows:
        return False
    lengths = [len(cell) for row in rows for cell in row]
    several = sum(len(row) > 1 for row in rows)
    return several >= share * len(rows) and float(np.median(lengths)) <= CELLS.most


def _zones(
    rules: list[Box],
    grids: list[list[list[Box]]],
    columns: list[Box],
    lines: list[Line],
    letter: float,
    prose: set[Line],
) -> list[list[Box]]:
    """Return where rules enclose rows of cells: in frames, and between rules of one length.

    Each is given as its bands from rule to rule. Columns of text that stand in step between the
    rules at the head and foot of a page are none.
    prose: which lines run on in paragraphs: rules over and under columns of them,
    with small tables among them, are the page's.
    """
    frames = []
    for grid in grids:
        bands = [Box.around(row) for row in grid]
        if _is_edge(Box.around(bands)):
            continue
        if _are_rows(bands, lines, CELLS.rows_in_grid) or _are_cells(grid, lines):
            frames.append(bands)
    frames += [
        [box]
        for box in rules
        if min(box.width, box.height) > 3 * letter
        and not _is_edge(box)
        and (_holds_rows(box, lines, 2) or _holds_columns(box, lines))
        and _is_small_or_proven(_inside(box, lines), letter)
    ]
    across = sorted(
        (
            box
            for box in rules
            if box.height < RULED.thin * letter and box.width > RULED.long * letter
        ),
        key=lambda box: box.y0,
    )
    found: list[list[Box]] = []
    while across:
        first = across[0]
        group = [
            box
            for box in across
            if abs(box.x0 - first.x0) < RULED.same_ends * letter
            and abs(box.x1 - first.x1) < RULED.same_ends * letter
        ]
        across = [box for box in across if not any(box is other for other in group)]
        bands = [Box(over.x0, over.y0, over.x1, under.y1) for over, under in pairwise(group)]
        with_rows = [_holds_rows(band, lines, 1) for band in bands]
        low = [0 < len(rows_of(_inside(band, lines))) <= RULED.most_row for band in bands]
        found += [
            run
            for run in map(_without_far_rules, _runs(bands, with_rows))
            if _holds_rows(Box.around(run), lines, 2)
        ]
        found += [run for run in _runs(bands, low) if _are_rows(run, lines)]
    found = [
        bands
        for bands in found
        if prose_share(_inside(Box.around(bands), lines), prose) < MOST_PROSE
        and not (len(bands) == 1 and _runs_through(columns, bands[0], lines))
    ]
    kept: list[list[Box]] = []
    for bands in sorted([*frames, *found], key=lambda bands: -Box.around(bands).area):
        zone = Box.around(bands)
        if not any(Box.around(other).overlap(zone) > 0.9 * zone.area for other in kept):
            kept.append(bands)
    return sorted(kept, key=lambda bands: bands[0].y0)


def _is_small_or_proven(lines: list[Line], letter: float) -> bool:
    """Return whether a frame holds few rows, or nearly nothing but grids.

    Frames around much are often those of pages and forms.
    """
    small = len(rows_of(lines)) <= CELLS.few_rows and not are_labels(lines)
    return small or is_proven(lines, letter)


def _in_frame(block: Block, frames: list[Box]) -> bool:
    return any(block.box.overlap(frame) > 0.9 * block.box.area for frame in frames)


def _is_edge(box: Box) -> bool:
    """Return whether a frame begins in the corner of the picture: it is the sheet's own edge."""
    return max(box.x0, box.y0) <= CELLS.at_edge


def _under_rules(blocks: list[Block], rules: list[Box], zones: list[list[Box]]) -> list[list[Box]]:
    """Return from the rule right over it to its foot each table that stands in no zone.

    The heads of its columns may stand over that rule.
    """
    found = []
    for block in blocks:
        if block.kind is not BlockKind.TABLE or not block.lines:
            continue
        box, high = block.box, max(line.box.height for line in block.lines)
        over = [
            rule
            for rule in rules
            if 0 <= box.y0 - rule.y1 < high
            and min(rule.x1, box.x1) - max(rule.x0, box.x0) > RULED.whole * box.width
        ]
        if over and not any(Box.around(bands).overlap(box) > 0 for bands in zones):
            rule = max(over, key=lambda rule: rule.y1)
            found.append([Box(min(rule.x0, box.x0), rule.y0, max(rule.x1, box.x1), box.y1 + 1)])
    return found


def _runs_through(columns: list[Box], band: Box, lines: list[Line]) -> bool:
    """Return whether the gutter of a column runs through most of what lies between two rules."""
    text = Box.around([line.box for line in _inside(band, lines)])
    return any(
        band.x0 < gutter.middle[0] < band.x1
        and min(gutter.y1, text.y1) - max(gutter.y0, text.y0) > RULED.through * text.height
        for gutter in columns
    )


def _runs(bands: list[Box], fitting: list[bool]) -> list[list[Box]]:
    """Return the bands that fit, those in one list that follow each other."""
    marked = zip(fitting, bands, strict=True)
    return [[band for _, band in run] for fits, run in groupby(marked, lambda m: m[0]) if fits]


def _without_far_rules(bands: list[Box]) -> list[Box]:
    """Return bands between rules without much higher ones at both ends.

    The rule over the foot of a letter is as long as those of the table on it.
    """
    usual = float(np.median([band.height for band in bands]))
    while len(bands) > RULED.fewest_rows and bands[-1].height > RULED.far * usual:
        bands = bands[:-1]
    while len(bands) > RULED.fewest_rows and bands[0].height > RULED.far * usual:
        bands = bands[1:]
    return bands


def _are_rows(bands: list[Box], lines: list[Line], share: float = RULED.whole) -> bool:
    """Return whether bands between rules are rows of a table whose cells may hold several lines.

    The cells of all stand in the same columns, with white between them; a `share` of the rows
    holds several.
    """
    cells = [_cells_across(_inside(band, lines)) for band in bands]
    columns = columns_of(cells)
    several = sum(
        sum(any(a < x1 and x0 < b for a, b in row) for x0, x1 in columns) > 1 for row in cells
    )
    return len(bands) >= RULED.fewest_rows and several >= share * len(bands)


def _are_cells(grid: list[list[Box]], lines: list[Line]) -> bool:
    """Return whether rules part an area into rows of cells most of which hold text."""
    several = sum(len(row) > 1 for row in grid)
    if len(grid) < CELLS.fewest_in_grid or several < CELLS.rows_in_grid * len(grid):
        return False
    cells = [cell for row in grid for cell in row]
    inside = _inside(Box.around(cells), lines)
    owned = [_inside(cell, inside) for cell in cells]
    filled = sum(map(bool, owned))
    pairs = zip(cells, owned, strict=True)
    whole = sum(_is_whole(line, cell) for cell, own in pairs for line in own)
    return filled >= CELLS.filled * len(cells) and whole >= RULED.whole * len(inside)


def _usual_columns(rows: list[list[tuple[float, float]]]) -> list[tuple[float, float]]:
    """Return the columns of some rows, those left aside whose cells lie over several."""
    usual = max(map(len, rows))
    return columns_of([row for row in rows if 2 * len(row) > usual])


def _cells_across(lines: list[Line]) -> list[tuple[float, float]]:
    """Return from where to where the cells of some lines reach."""
    cells = [cell for line in lines for cell in cells_in(line)]
    return [(cell[0].box.x0, cell[-1].box.x1) for cell in cells]


def prose_share(lines: list[Line], prose: set[Line]) -> float:
    """Return the share of the letters of some lines that stands in those of `prose`."""
    letters = {line: len(line.text) for line in lines}
    return sum(letters[key] for key in letters.keys() & prose) / max(1, sum(letters.values()))


def runs_on(block: Block) -> bool:
    """Return whether a block is a paragraph whose words fill its lines."""
    lines = block.lines[:-1]
    if not block.is_plain or len(lines) < PROSE.lines:
        return False
    full = sum(line.box.width > PROSE.full * block.box.width for line in lines)
    words = float(np.median([len(line.words) for line in lines]))
    return full >= PROSE.mostly_full * len(lines) and words >= PROSE.words


def _inside(box: Box, lines: list[Line]) -> list[Line]:
    return [line for line in lines if box.contains(*line.box.middle)]


def _is_whole(line: Line, box: Box) -> bool:
    """Return whether a line begins and ends in a box, or hardly beyond it."""
    room = line.box.height
    return box.x0 - room < line.box.x0 and line.box.x1 < box.x1 + room


def _holds_rows(box: Box, lines: list[Line], least: int) -> bool:
    inside = _inside(box, lines)
    # what is left of a broken frame cuts through the lines
    whole = sum(_is_whole(line, box) for line in inside)
    few = len(rows_of(inside)) < least or whole < RULED.whole * len(inside)
    return not few and is_tabular(inside)


def _holds_columns(box: Box, lines: list[Line]) -> bool:
    """Return whether a frame or grid holds rows in clear columns, of which one runs over lines."""
    inside = _inside(box, lines)
    if len(rows_of(inside)) < RULED.fewest_rows or not is_tabular(inside, CELLS.celled_in_frame):
        return False
    return len(columns_of([_cells_across(inside)])) >= CELLS.fewest_columns


def _with_row_over(zone: Box, own: list[Line], lines: list[Line]) -> list[Line]:
    """Return the lines in a zone, and those of its columns' heads where they stand over its rules.

    own: the lines in it. lines: those that stand in no zone.
    """
    high = max(line.box.height for line in own)
    over = [
        line
        for line in lines
        if zone.y0 - RULED.heads * high < line.box.middle[1] < zone.y0
        and line.box.x0 > zone.x0 - high
        and line.box.x1 < zone.x1 + high
    ]
    if not over:
        return own
    bands = band_numbers([line.box for line in over], 0.0)
    lowest = [line for line, band in zip(over, bands, strict=True) if band == bands.max()]
    if max(line.box.middle[1] for line in lowest) < zone.y0 - RULED.next_row * high:
        return own
    if any(line.text[:1] in SURE_BULLETS for line in lowest if line.text):  # the end of a list
        return own
    heads = columns_of([_cells_across(lowest)])
    columns = _usual_columns([_cells_across(row) for row in rows_of(own)])
    # most stand over one column each; others, such as the page's head, over none or several
    fitting = sum(sum(a < x1 and x0 < b for a, b in columns) == 1 for x0, x1 in heads)
    return [*lowest, *own] if len(heads) > 1 and 2 * fitting > len(heads) else own


def _in_order(lines: list[Line], is_row: bool) -> list[Line]:
    """Return the lines of a band row by row; of one row whose cells hold several, cell by cell."""
    rows = rows_of(lines)
    if is_row and len(rows) > 1 and not is_tabular(lines):
        edges = [x1 for _, x1 in columns_of([_cells_across(lines)])]
        rows = [sorted(lines, key=lambda x: (np.searchsorted(edges, x.box.middle[0]), x.box.y0))]
    return [line for row in rows for line in row]


def _gathered(blocks: list[Block], chosen: set[Line], bands: list[Box]) -> list[Block]:
    """Return blocks with some lines gathered in a table, where the first stood."""
    members = [line for block in blocks for line in block.lines if line in chosen]
    edges = [bands[0].y0, *(band.y1 for band in bands[:-1])]  # heads of columns may stand over them
    table: list[Line] = []
    for number in range(len(edges) + 1):
        own = [m for m in members if np.searchsorted(edges, m.box.middle[1]) == number]
        table += _in_order(own, len(bands) >= RULED.fewest_rows)
    out: list[Block] = []
    placed = False
    for block in blocks:
        rest = [line for line in block.lines if line not in chosen]
        if len(rest) == len(block.lines):
            out.append(block)
            continue
        under = [line for line in rest if placed or line.box.middle[1] > table[0].box.y0]
        over = [line for line in rest if not any(line is other for other in under)]
        if over:
            out.append(_rest_of(block, over))
        if not placed:
            box = Box.around([line.box for line in table])
            out.append(Block(BlockKind.TABLE, box, table, payload=Table(ruled=len(bands) > 1)))
            placed = True
        if under:
            out.append(_rest_of(block, under))
    return out


def _rest_of(block: Block, lines: list[Line]) -> Block:
    """Return what is left of a block beside a table."""
    still = block.kind is not BlockKind.TABLE or is_tabular(lines)
    return block.part(block.kind if still else BlockKind.PARAGRAPH, lines)
