"""Lines to blocks: columns, tables, paragraphs, headings."""

from __future__ import annotations

import itertools
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from amberquarry.layout.rows import BESIDE, WIDEST_WHITE, band_numbers, cells_beside, gutter_between
from amberquarry.sheet.measuring import CAPITAL_RATIO, TextLine, usual_x_height
from amberquarry.values import BlockKind, Box

_COLUMN_PIECES = 11  # lines of running text beside a column's gutter have at least so many pieces
_COLUMN_LINES = 3  # on both sides of a gutter, at least
_LONG_LINES = 85  # percentile of their widths: headings over several columns are longer
_FILLED = 0.45  # share of a text column's lines that are about as long as the longest
_RAGGED, _JUSTIFIED = 0.72, 0.85  # of the longest line: where lines of running text end at least
# So many lines of so many pieces that are nearly all filled are prose, whatever stands beside them.
_PROSE_PIECES, _PROSE_LINES, _MOST_FILLED = 16, 6, 0.75
_MARKS = 3  # of a list, at least
_FEW_PIECES = 5  # lines of fewer pieces make no column
# So many lines of such lengths on both sides are two columns of one list.
_LIST_PIECES, _LIST_LINES, _ALIKE = 7, 12, 1.45
_MANY_ROWS = 15
# Columns of one width: so many at most, white between them in letters, lines that begin in each,
# how exactly at its edge in letters, share of the page's height, of lines that run across.
_MOST_REGULAR, _REGULAR_WHITE, _REGULAR_LINES = 6, 5.0, 10
_REACHES_IN = 2.0  # x-heights that a line reaches into the rows of a table beside it
_LONG_LINE, _CELLS_OVER = 30, 2  # letters of a line of text, and cells that it runs over, at least
_SAME_MARK = 0.2  # of a bullet's larger side, that others differ from it at most
_EDGE_LETTERS, _REGULAR_HEIGHT, _MOST_ACROSS = 0.6, 0.55, 0.15
_HALF_COLUMN = 0.55  # of its width with the white beside it
_FALLS_SHORT = 0.25  # of a column that its longest line may fall short
# Letters: gutters that share so much of their white and lie so near are one.
_LEAST_SHARED, _MOST_BROKEN = 0.7, 9.0
_RULE_ACROSS = 2.0  # letters of white that a rule across breaks a gutter by, at most
_COLUMN_RULE = 20.0  # letters: height of a rule between columns, at least
_MOST_BESIDE = 800  # lines that are looked at on each side of a gutter, the nearest first
_KEY_STEPS = 1.8  # usual steps of the text, from one key beside it to the next
_CHANCE_ROWS, _ONE_TABLE = 4, 1.35  # rows at most; ratio of sizes of type in a table
_IN_STEP = 0.85  # of the lines beside a gutter, that stand in rows
_FEW_ROWS = 8  # so few rows in step are taken for rows, not for columns
_NEXT_ROWS = 2.3  # usual steps between rows: so far off, another table begins
# Words of one line, set apart to fill it: x-heights between them at most; what parts columns and
# cells is higher, in letters.
WORDS_APART, _TALL_GUTTER = 3.0, 8.0
_SAME_ROW = 0.45  # of the x-height between base lines
FEW_LETTERS, _BESIDE = 6, 0.7  # of a line; share of its height at which another stands
SAME_SIZE = 1.25
_ONE_ROW = 2.5  # ratio of sizes in one row, at most
_HEADING_SIZE = 1.17  # over the usual x-height
_LARGER, _LARGEST = 1.32, 1.65  # of headlines of higher rank
_HEADING_LINES, _HEADING_PIECES = 4, 110  # at most; in narrow columns more lines of few letters
_UNDER_LINE, _ACROSS = 0.5, 0.6  # x-heights from a line to a rule under it; share that it spans
_ONE_EDGE, _AROUND = 1.5, 4  # x-heights; lines over and under one, that tell their distance
_LOOSE = 1.28  # over the usual distance of lines: a new block begins
_DOTS_HIGH, _DOTS_REACH = 0.45, 4.0  # x-heights of a row of dots; to the words beside it


@dataclass(slots=True, eq=False)  # arrays have no one answer to ==
class Region:
    """A block of a page before it is read."""

    kind: BlockKind
    box: Box
    lines: list[TextLine] = field(default_factory=list)
    headline: int = 0  # 1 to 3 where its type is larger than the text's, 1 the largest


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
        if len(chosen) > _MOST_BESIDE:
            chosen = np.sort(chosen[np.argsort(sign * edge[chosen], kind="stable")[:_MOST_BESIDE]])
        y0, y1 = self.y0[chosen], self.y1[chosen]
        shared = np.minimum(y1[:, None], y1[None]) - np.maximum(y0[:, None], y0[None])
        nearer = sign * (edge[chosen][None] - edge[chosen][:, None]) < -1
        hidden = ((shared > 0.5 * self.size[chosen][:, None]) & nearer).any(1)
        return chosen[~hidden]

    def in_rows(self, left: NDArray[np.int64], right: NDArray[np.int64]) -> NDArray[np.bool_]:
        """Return (left, right), True where two lines stand on one base line."""
        return (
            np.abs(self.end[left][:, None] - self.start[right][None])
            < _SAME_ROW * self.size[left][:, None]
        )

    def share_in_rows(self, left: NDArray[np.int64], right: NDArray[np.int64]) -> float:
        """Return which share of a side's lines stand level with one of the other, the larger."""
        rows = self.in_rows(left, right)
        return float(max(rows.any(0).mean(), rows.any(1).mean()))


def _overlap_y(a: Box, b: Box) -> float:
    return min(a.y1, b.y1) - max(a.y0, b.y0)


def _overlap_x(a: Box, b: Box) -> float:
    return min(a.x1, b.x1) - max(a.x0, b.x0)


def parts_columns(gutter: Box, lines: Lines) -> bool:
    """Return whether a gutter parts columns of running text, and not cells or terms in rows.

    Columns of text have lines of many letters on both sides, most of them as long as the column is
    wide, and their lines need not stand level; cells, and terms with what they mean, stand in rows.
    """
    beside = lines.beside(gutter)
    left, right = (_without_labels(side, lines) for side in beside)
    if min(len(left), len(right)) < _COLUMN_LINES:
        return False
    least = min(float(np.median(lines.pieces[side])) for side in (left, right))
    # keys beside many terms are the fewer
    aligned, with_labels = (lines.share_in_rows(*sides) for sides in ((left, right), beside))
    widths = lines.x1 - lines.x0
    of_long = [widths[n] / np.percentile(widths[n], _LONG_LINES) for n in (left, right)]
    filled, full = (
        sorted(float((own > share).mean()) for own in of_long) for share in (_RAGGED, _JUSTIFIED)
    )
    fewest = min(len(left), len(right))
    if least >= _PROSE_PIECES and fewest >= _PROSE_LINES and filled[0] >= _MOST_FILLED:
        return True
    if aligned > _IN_STEP and max(len(left), len(right)) < _FEW_ROWS:
        return False
    if aligned > _IN_STEP and _are_keys(left, right, lines):
        return False
    if max(aligned, with_labels) < 0.35:
        return least >= _FEW_PIECES or fewest >= _MANY_ROWS
    if fewest >= _MANY_ROWS and aligned < 0.7:
        return True  # so many cells of one table would stand level
    if least < _COLUMN_PIECES:
        return False
    # an inset has lines of any length, but the column beside it is filled
    return full[0] >= _FILLED or aligned < 0.6 or (full[1] > 0.85 and aligned < _IN_STEP)


def ruled_columns(gutters: list[Box], rules: list[Box], lines: Lines) -> list[Box]:
    """Return the gutters that are rules between columns of text.

    Such a rule stands by itself, where those of a table meet rules across. Short cells in rows on
    both sides of it are those of a table all the same.
    """
    if not lines.lines:
        return []
    letter = CAPITAL_RATIO * float(np.median(lines.size))
    upright = [r for r in rules if r.width < letter and r.height > _COLUMN_RULE * letter]
    across = [r for r in rules if r.height < letter and r.width > letter]
    columns = []
    for gutter in gutters:
        if gutter.width > letter or not any(
            abs(rule.middle[0] - gutter.middle[0]) < letter / 2
            and _overlap_y(rule, gutter) > _LEAST_SHARED * rule.height
            for rule in upright
        ):
            continue
        x0, x1 = gutter.x0 - letter, gutter.x1 + letter
        if any(r.x0 < x1 and r.x1 > x0 and gutter.y0 < r.middle[1] < gutter.y1 for r in across):
            continue
        left, right = lines.beside(gutter)
        if min(len(left), len(right)) < _PROSE_LINES:
            continue
        least = min(float(np.median(lines.pieces[side])) for side in (left, right))
        stepped = lines.share_in_rows(left, right) > _IN_STEP
        if least >= (_COLUMN_PIECES if stepped else _FEW_PIECES):
            columns.append(gutter)
    return columns


def _are_keys(left: NDArray[np.int64], right: NDArray[np.int64], lines: Lines) -> bool:
    """Return whether the lines on one side stand far from each other, beside running text."""
    few, many = sorted((left, right), key=len)
    steps = [float(np.median(np.diff(np.sort(lines.middle_y[side])))) for side in (few, many)]
    return 2 * len(few) < len(many) and steps[0] > _KEY_STEPS * steps[1]


def _without_labels(side: NDArray[np.int64], lines: Lines) -> NDArray[np.int64]:
    """Return lines beside a gutter without the few of hardly any letters, as figures have them."""
    long = side[lines.pieces[side] >= _FEW_PIECES]
    return long if len(long) >= max(_PROSE_LINES, 0.5 * len(side)) else side


def parts_lists(gutter: Box, lines: Lines) -> bool:
    """Return whether two columns of one list stand beside the gutter: many lines, alike in length.

    Only for pages without columns of running text: within such a column they would be cells.
    """
    left, right = lines.beside(gutter)
    if min(len(left), len(right)) < _LIST_LINES:
        return False
    widths = lines.x1 - lines.x0
    narrow, wide = sorted(float(np.median(widths[side])) for side in (left, right))
    least = min(float(np.median(lines.pieces[side])) for side in (left, right))
    return least >= _LIST_PIECES and wide < _ALIKE * narrow


def regular_columns(gutters: list[Box], lines: Lines) -> tuple[list[Box], int]:
    """Return the gutters of columns of one width that fill the page, and how many columns.

    The more the better; no gutters and 1 where there are none.

    Print is set so; that lines in such columns stand level, as in rows, says nothing then. Many
    lines of several letters must begin at each column's left edge.
    """
    if len(lines.lines) < 2 * _REGULAR_LINES:
        return [], 1
    letter = float(np.median(lines.size)) * CAPITAL_RATIO
    left, right = float(np.percentile(lines.x0, 3)), float(np.percentile(lines.x1, 97))
    top, bottom = float(lines.y0.min()), float(lines.y1.max())
    edges = np.array([gutter.x1 for gutter in gutters])
    for count in range(_MOST_REGULAR, 1, -1):
        first = (right - left) / count  # of a column with the white beside it, but for that white
        # lines may fall short of the edges of all columns, and as much in the last; that columns
        # begin at even steps then tells only of several
        ragged = _FALLS_SHORT if count > 2 else 0.0
        slack = max(letter * _REGULAR_WHITE, ragged * first)
        for edge in np.unique(edges[(edges > left + first) & (edges < left + first + slack)]):
            wanted = left + (edge - left) * np.arange(1, count)
            chosen = [
                [g for g in gutters if abs(g.x1 - x) < _EDGE_LETTERS * letter] for x in wanted
            ]
            short = min(x - lines.x1[lines.x1 < x].max(initial=left) for x in wanted)
            if count * (edge - left) - short - (right - left) > max(
                count * letter * _REGULAR_WHITE, ragged * (edge - left)
            ):
                continue
            if all(
                _covers(own, top, bottom)
                and _begins_column(x, lines, letter)
                and (count == 2 or not _is_divided(x, edge - left, lines, letter))
                for own, x in zip(chosen, wanted.tolist(), strict=True)
            ):
                return [gutter for own in chosen for gutter in own], count
    return [], 1


def _covers(gutters: list[Box], top: float, bottom: float) -> bool:
    """Return whether gutters together run along most of the height from `top` to `bottom`."""
    reached, length = top, 0.0
    for gutter in sorted(gutters, key=lambda g: g.y0):
        length += max(0.0, gutter.y1 - max(reached, gutter.y0))
        reached = max(reached, gutter.y1)
    return length >= _REGULAR_HEIGHT * (bottom - top)


def _begins_column(x: float, lines: Lines, letter: float) -> bool:
    """Return whether many lines begin at x, and few run across."""
    begin = np.abs(lines.x0 - x) < _EDGE_LETTERS * letter
    across = (lines.x0 < x - 2 * letter) & (lines.x1 > x + 2 * letter)
    return bool(
        begin.sum() >= _REGULAR_LINES
        and across.sum() <= _MOST_ACROSS * begin.sum()
        and np.median(lines.pieces[begin]) >= _LIST_PIECES
    )


def _is_divided(x: float, width: float, lines: Lines, letter: float) -> bool:
    """Return whether the lines that begin at x are running text in half of a column's width.

    Then two narrow columns stand in each wide one. Terms, beside what they mean, are of any
    length.
    """
    begin = np.abs(lines.x0 - x) < _EDGE_LETTERS * letter
    usual, long, longest = np.percentile((lines.x1 - lines.x0)[begin], (50, _LONG_LINES, 95))
    prose = np.median(lines.pieces[begin]) >= _COLUMN_PIECES and usual > _RAGGED * longest
    return bool(prose and long < _HALF_COLUMN * width)


def keep_clearest(columns: list[Box], lines: Lines) -> list[Box]:
    """Return gutters without those that have no column of text between them and a better one.

    Where lines end raggedly or in leaders the white between words can line up beside the true
    gutter. The better one is crossed by fewer lines, or else the larger.
    """

    def crossings(gutter: Box) -> int:
        middle = gutter.middle[0]
        return int(
            (lines.level_with(gutter) & (lines.x0 < middle - 2) & (lines.x1 > middle + 2)).sum()
        )

    kept: list[Box] = []
    for gutter in sorted(columns, key=lambda g: (crossings(g), -g.width * g.height)):
        level = lines.level_with(gutter)
        for better in kept:
            if _overlap_y(gutter, better) < 0.9 * gutter.height:
                continue
            first, second = sorted((gutter, better), key=lambda g: g.x0)
            between = level & (lines.x0 >= first.x0 - 2) & (lines.x1 <= second.x1 + 2)
            alike = gutter is first and _overlap_y(gutter, better) > 0.9 * better.height
            if alike and _are_marks(between, lines):
                kept.remove(better)
                kept.append(gutter)
                break
            if between.sum() < 2 or np.median(lines.pieces[between]) < _FEW_PIECES:
                break
        else:
            kept.append(gutter)
    return kept


def _are_marks(chosen: NDArray[np.bool_], lines: Lines) -> bool:
    """Return whether lines are the marks of a list: a few pieces each, one under the other."""
    if chosen.sum() < _MARKS or lines.pieces[chosen].max() >= _FEW_PIECES:
        return False
    slack = _EDGE_LETTERS * CAPITAL_RATIO * float(np.median(lines.size))
    return bool(min(np.ptp(lines.x0[chosen]), np.ptp(lines.x1[chosen])) < slack)


def _are_numbers(left: NDArray[np.int64], right: NDArray[np.int64], lines: Lines) -> bool:
    """Return whether lines left of a gutter are the numbers of a list of running text beside them.

    As before the entries of a bibliography: each at the beginning of one, near to it.
    """
    if np.median(lines.pieces[right]) < _PROSE_PIECES:
        return False
    marks = np.zeros(len(lines.lines), bool)
    marks[left] = True
    white = lines.x0[right].min() - lines.x1[left].max()
    near = white < WORDS_APART * float(np.median(lines.size[right]))
    return near and _are_marks(marks, lines) and bool(lines.in_rows(left, right).any(1).all())


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
        if _are_numbers(left, right, lines):
            continue
        pairs = np.argwhere(lines.in_rows(left, right))
        if len(pairs) < max(3, 0.6 * min(len(left), len(right)), 0.35 * max(len(left), len(right))):
            continue
        zone = Box.around([lines.lines[n].box for n in [*left[pairs[:, 0]], *right[pairs[:, 1]]]])
        for number, other in enumerate(zones):
            if (
                _overlap_y(zone, other) > 0.4 * min(zone.height, other.height)
                and _overlap_x(zone, other) > -zone.width * 0.05
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
            and _overlap_x(line.box, zone) > 0.3 * line.box.width
            and not gutter_between(line.box, zone, columns)
        ]
        known = {line for line in members}
        across = [
            line.box.middle[1]
            for line in lines.lines
            if line not in known
            and line.box.x0 < zone.x0 - line.x_height
            and line.box.x1 > zone.x0 + _REACHES_IN * line.x_height
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
    room = _REACHES_IN * row[0].x_height
    return own.x0 < table.x0 - room and own.x1 > table.x1 + room


def _runs_over_cells(row: list[TextLine], rest: list[list[TextLine]]) -> bool:
    """Return whether a long line of a row runs over beginnings of cells in most of the others."""
    for line in row:
        if len(line.pieces) < _LONG_LINE:
            continue
        inside = (line.box.x0 + line.x_height, line.box.x1 - line.x_height)
        begun = [sum(inside[0] < cell.box.x0 < inside[1] for cell in other) for other in rest]
        if float(np.median(begun)) >= _CELLS_OVER:
            return True
    return False


def _are_bullets(lines: list[TextLine]) -> bool:
    """Return whether lines are marks of a list: single pieces of one size, one under the other."""
    if len(lines) < 2 or max(len(line.pieces) for line in lines) > 1:
        return False
    sides = np.array([(line.box.width, line.box.height) for line in lines])
    starts = np.array([line.box.x0 for line in lines])
    return bool((np.ptp(sides, 0) <= _SAME_MARK * sides.max()).all()) and bool(
        np.ptp(starts) <= sides.max()
    )


def _of_one_type(rows: list[list[TextLine]]) -> bool:
    """Return whether rows are set in about one size; only a few may be chance, and are asked."""
    if len(rows) > _CHANCE_ROWS:
        return True
    sizes = [float(np.median([line.x_height for line in row])) for row in rows]
    return max(sizes) < _ONE_TABLE * min(sizes)


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
    slack = BESIDE * float(np.median([line.x_height for line in lines]))
    bands = band_numbers([Box.around([line.box for line in row]) for row in rows], slack)
    apart = np.diff(bands) > 0
    usual = float(np.median(steps[apart])) if apart.any() else np.inf
    parted = apart & (steps > _NEXT_ROWS * usual)
    parted |= np.diff(np.searchsorted(np.sort(across), levels)) > 0
    breaks = np.flatnonzero(parted) + 1
    return [rows[a:b] for a, b in itertools.pairwise([0, *breaks.tolist(), len(rows)])]


def _goes_on(gutter: Box, columns: list[Box], lines: Lines) -> bool:
    """Return whether a gutter goes on where that of a column ended, with running text beside it.

    Few lines that stand level could be rows of a table, but not between the edges of columns.
    """
    slack = _EDGE_LETTERS * CAPITAL_RATIO * float(np.median(lines.size))
    if not any(abs(gutter.x0 - c.x0) < slack and abs(gutter.x1 - c.x1) < slack for c in columns):
        return False
    pieces = []
    for near in lines.beside(gutter):
        if len(near) < 2:
            return False
        on_left = lines.middle_x < gutter.middle[0]
        side = [
            n
            for n in np.flatnonzero(lines.level_with(gutter) & (on_left == on_left[near].any()))
            if not gutter_between(lines.lines[n].box, gutter, columns)
        ]
        level = np.abs(lines.start[near][:, None] - lines.start[side][None])
        rows = level < _SAME_ROW * lines.size[near][:, None]  # wide spaces part a row's words
        pieces.append(rows @ lines.pieces[side])
    few, many = sorted(float(np.median(p)) for p in pieces)
    # beside a figure the column has few letters: then many full lines on the other side tell
    full = many >= _PROSE_PIECES and min(map(len, pieces)) >= _PROSE_LINES
    return few >= _COLUMN_PIECES or full


def _of_other_white(gutters: list[Box], columns: list[Box], lines: Lines) -> list[Box]:
    """Return gutters but for parts of the white beside a column's: no text is between.

    The white between two columns is found several times over, by the lines that it runs between.
    """
    if not columns or not len(lines.size):
        return gutters
    far = WIDEST_WHITE * float(np.median(lines.size))
    edges = np.array(columns)
    middles = (edges[:, 0] + edges[:, 2]) / 2
    others = []
    for gutter in gutters:
        middle = gutter.middle[0]
        shared = np.minimum(gutter.y1, edges[:, 3]) - np.maximum(gutter.y0, edges[:, 1])
        near = (np.abs(middles - middle) <= far) & (shared >= 0.5 * gutter.height)
        level = lines.level_with(gutter) if near.any() else None
        if level is None or not any(
            _lines_between(middle, x, level, lines) < 2 for x in middles[near].tolist()
        ):
            others.append(gutter)
    return others


def _lines_between(one: float, other: float, level: NDArray[np.bool_], lines: Lines) -> int:
    """Return how many of some lines lie between two places."""
    x0, x1 = min(one, other) - 2, max(one, other) + 2
    return int((level & (lines.x0 >= x0) & (lines.x1 <= x1)).sum())


def join_gutters(columns: list[Box], lines: Lines) -> list[Box]:
    """Return gutters with those made one that only a large line or a rule beside them interrupts.

    Lines stand on both sides between the two, but where hardly more than a rule parts them, and
    none reaches into the white.
    """
    if not columns:
        return []
    letter = CAPITAL_RATIO * float(np.median(lines.size))
    joined: list[Box] = []
    for gutter in sorted(columns, key=lambda g: (g.y0, g.x0)):
        goes_on = False
        for number, above in enumerate(joined):
            x0, x1 = max(above.x0, gutter.x0), min(above.x1, gutter.x1)
            gap = gutter.y0 - above.y1
            if x1 - x0 < _LEAST_SHARED * letter or not 0 < gap < _MOST_BROKEN * letter:
                continue
            between = (lines.middle_y > above.y1) & (lines.middle_y < gutter.y0)
            left, right = between & (lines.x1 <= x0 + 2), between & (lines.x0 >= x1 - 2)
            beside = gap < _RULE_ACROSS * letter or (left.any() and right.any())
            if beside and not (between & ~left & ~right).any():
                joined[number] = Box(x0, above.y0, x1, gutter.y1)
                goes_on = True
        if not goes_on:
            joined.append(gutter)
    return joined


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


def steps_down(lines: Lines) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Return each line's next one under it (-1: none) and how far their base lines lie apart."""
    # dots that stand for lines left out need not stand under or over a word
    room = np.where(lines.y1 - lines.y0 < _DOTS_HIGH * lines.size, _DOTS_REACH * lines.size, 0)
    x0, x1 = lines.x0 - room, lines.x1 + room
    shared = np.minimum(x1[:, None], x1[None]) - np.maximum(x0[:, None], x0[None])
    width = lines.x1 - lines.x0
    above = shared >= 0.3 * np.minimum(width[:, None], width[None])
    slope = (lines.end - lines.start) / np.maximum(1.0, width)
    x = np.maximum(lines.x0[:, None], lines.x0[None]) + shared / 2
    level = lines.start[:, None] + (x - lines.x0[:, None]) * slope[:, None]
    below = lines.start[None] + (x - lines.x0[None]) * slope[None]
    step = np.where(above, below - level, np.inf)
    step[step <= 0.5 * lines.size[:, None]] = np.inf
    nearest = np.argmin(step, axis=1)
    distance = step[np.arange(len(nearest)), nearest]
    return np.where(np.isfinite(distance), nearest, -1), distance


def _parted(lines: Lines, below: NDArray[np.int64], rules: list[Box]) -> NDArray[np.bool_]:
    """Return for each line whether a rule stands between it and the next one under it."""
    parted = np.zeros(len(below), bool)
    feet = np.maximum(lines.start, lines.end) + _UNDER_LINE * lines.size
    tops = (np.minimum(lines.start, lines.end) - lines.size)[below]
    left, right = np.minimum(lines.x0, lines.x0[below]), np.maximum(lines.x1, lines.x1[below])
    narrow = np.minimum(lines.x1 - lines.x0, (lines.x1 - lines.x0)[below])
    for rule in rules:
        shared = np.minimum(right, rule.x1) - np.maximum(left, rule.x0)
        for edge in (rule.y0, rule.y1):
            parted |= (edge > feet) & (edge < tops) & (shared > _ACROSS * narrow)
    return parted & (below >= 0)


def _enters_column(lines: Lines, below: NDArray[np.int64], columns: list[Box]) -> NDArray[np.bool_]:
    """Return for each line whether it runs over a gutter, and the next one stands beside that.

    A short last line of what runs over columns has nothing on its other side.
    """
    entered = np.zeros(len(below), bool)
    for column in columns:
        x = column.middle[0]
        over = (lines.x0 < x - 2) & (lines.x1 > x + 2)
        within = (lines.middle_y > column.y0) & (lines.middle_y < column.y1)
        left, right = within & (lines.x1 <= x + 2), within & (lines.x0 >= x - 2)
        levels = lines.middle_y[right]
        gaps = np.abs(lines.middle_y[:, None] - levels[None])
        paired = left & (gaps < 0.8 * lines.size[:, None]).any(1)
        entered |= over & (right | paired)[below]
    return entered & (below >= 0)


def _pitch_around(
    lines: Lines, below: NDArray[np.int64], step: NDArray[np.float64], alike: NDArray[np.bool_]
) -> NDArray[np.float64]:
    """Return for each line how far the lines around it stand apart, in x-heights; 0: unknown.

    Columns of one page may be set more or less closely. Only lines that fill their column tell:
    what stands by itself ends anywhere.
    """
    filled = alike & (np.abs(lines.x1[below] - lines.x1) < _ONE_EDGE * lines.size)
    tells = np.where(filled, step / lines.size, np.nan)
    above = np.full(len(below), -1)
    above[below[filled]] = np.flatnonzero(filled)
    around = [tells]
    for link in (below, above):
        at = np.arange(len(below))
        for _ in range(_AROUND):
            at = np.where(at >= 0, link[at], -1)
            around.append(np.where(at >= 0, tells[at], np.nan))
    every = np.stack(around)
    enough = np.isfinite(every).sum(0) >= _AROUND
    pitch = np.zeros(len(below))
    pitch[enough] = np.nanmedian(every[:, enough], axis=0)
    return pitch


def chain_lines(lines: Lines, rules: list[Box], columns: list[Box]) -> list[list[TextLine]]:
    """Return runs of lines that follow each other at an even distance in one column.

    rules: boxes of rules and frames; no run goes on over one. columns: gutters between columns.
    """
    if not lines.lines:
        return []
    below, step = steps_down(lines)
    ratio = lines.size[below] / lines.size
    alike = (below >= 0) & (ratio > 1 / SAME_SIZE) & (ratio < SAME_SIZE)
    pitches = (step / lines.size)[alike]
    pitches = pitches[(pitches > 1.4) & (pitches < 7)]
    pitch = float(np.median(pitches)) if len(pitches) >= 3 else 2.8
    usual = np.maximum(pitch, _pitch_around(lines, below, step, alike))
    follows = alike & (step <= _LOOSE * usual * np.maximum(lines.size, lines.size[below]))
    follows &= ~(_parted(lines, below, rules) | _enters_column(lines, below, columns))
    above = np.full(len(below), -1)
    for number in np.flatnonzero(follows)[np.argsort(-step[follows], kind="stable")]:
        above[below[number]] = number  # the nearest comes last and stays
    chains: list[list[TextLine]] = []
    chain_of: dict[int, list[TextLine]] = {}
    for number in np.argsort(lines.y0, kind="stable").tolist():
        parent = int(above[number])
        chain = chain_of.pop(parent, None) if parent >= 0 else None
        if chain is None:
            chain = []
            chains.append(chain)
        chain.append(lines.lines[number])
        chain_of[number] = chain
    return chains


def split_paragraphs(chain: list[TextLine]) -> list[list[TextLine]]:
    """Return a run of lines cut where a first line is indented or hangs out, or a last is short.

    Lines are compared with their neighbours only: text may run around a picture.
    """
    if len(chain) < 3:
        return [chain]
    size = float(np.median([line.x_height for line in chain]))
    usual = float(np.median([b.box.y1 - a.box.y1 for a, b in itertools.pairwise(chain)]))
    parts = [[chain[0]]]
    for number in range(1, len(chain)):
        previous, line = chain[number - 1], chain[number]
        after = chain[number + 1] if number + 1 < len(chain) else previous
        before = chain[number - 2] if number >= 2 else line
        step = line.box.x0 - previous.box.x0
        indented = 0.9 * size < step < 8 * size and line.box.x0 - after.box.x0 > 0.9 * size
        first = parts[-1][0]
        hanging = (
            step < -0.9 * size
            and len(parts[-1]) > 1
            and abs(first.box.x0 - line.box.x0) < 0.6 * size
        )
        room = min(line.box.x1, before.box.x1) - previous.box.x1
        short = room > max(5 * size, 0.18 * line.box.width) and step <= 2.5 * size
        gap = line.baseline_at(line.box.x0) - previous.baseline_at(line.box.x0) > 1.18 * usual
        if indented or hanging or short or gap:
            parts.append([line])
        else:
            parts[-1].append(line)
    return parts


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
    level = np.abs(measured.start[None] - measured.end[:, None]) < _SAME_ROW * smaller
    # few letters, some with tails, tell little of their base line
    few = measured.pieces <= FEW_LETTERS
    shared = np.minimum(measured.y1[None], measured.y1[:, None]) - np.maximum(
        measured.y0[None], measured.y0[:, None]
    )
    height = measured.y1 - measured.y0
    beside = shared > _BESIDE * np.minimum(height[None], height[:, None])
    level |= (few[None] | few[:, None]) & beside & (gap < WORDS_APART * smaller)
    follows = level & (gap > -0.3 * smaller) & (measured.x0[None] > measured.x0[:, None])
    follows &= gap < widest * smaller
    follows &= np.maximum(measured.size[None], measured.size[:, None]) < _ONE_ROW * smaller
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


def _whole_lines(lines: list[TextLine], gutters: list[Box]) -> list[TextLine]:
    """Return lines with the words joined that the wide spaces of a narrow column part.

    No gutter of some height lies between them, as between cells and columns.
    """
    if not lines:
        return []
    letter = CAPITAL_RATIO * float(np.median([line.x_height for line in lines]))
    tall = [gutter for gutter in gutters if gutter.height > _TALL_GUTTER * letter]
    return [row.whole for row in find_rows(lines, tall, WORDS_APART)]


def make_blocks(
    lines: list[TextLine],
    margin: list[TextLine],
    gutters: list[Box],
    pictures: list[Box],
    rules: list[Box],
) -> tuple[list[Region], list[Box]]:
    """Return the blocks of a page, not yet in order, and the gutters that part columns.

    margin: lines of notes in the margin. rules: boxes of rules and frames.
    """
    measured = Lines(_whole_lines(lines, gutters))
    columns, count = regular_columns(gutters, measured)
    if count <= 2:  # halves may hold columns as well
        columns += [g for g in gutters if g not in columns and parts_columns(g, measured)]
    ruled = ruled_columns(gutters, rules, measured)
    columns += [g for g in ruled if g not in columns]
    columns = columns or [g for g in gutters if parts_lists(g, measured)]
    columns = keep_clearest(columns, measured)
    if columns:
        columns += [g for g in gutters if g not in columns and _goes_on(g, columns, measured)]
    columns = join_gutters(columns, measured)
    others = _of_other_white(gutters, columns, measured)
    regions = find_tables(others, Lines(lines), columns)
    in_tables = {line for region in regions for line in region.lines}
    free = [line for line in lines if line not in in_tables]
    if free:
        usual = usual_x_height(free)
        rows = {row.whole: row for row in find_rows(free, columns)}
        for chain in chain_lines(Lines([row.whole for row in rows.values()]), rules, columns):
            for part in split_paragraphs(chain):
                members = [line for whole in part for line in rows[whole].lines]
                size = float(np.median([whole.x_height for whole in part]))
                letters = sum(len(line.pieces) for line in members)
                short = len(part) <= _HEADING_LINES or letters <= _HEADING_PIECES
                large = size > _HEADING_SIZE * usual and short and letters >= 3
                headline = _rank_of(size / usual) if large else 0
                box = Box.around([line.box for line in members])
                regions.append(Region(BlockKind.PARAGRAPH, box, members, headline))
    for chain in chain_lines(Lines(margin), rules, []):
        box = Box.around([line.box for line in chain])
        regions.append(Region(BlockKind.MARGIN_NOTE, box, chain))
    regions.extend(Region(BlockKind.FIGURE, box) for box in pictures)
    return regions, columns


def _rank_of(ratio: float) -> int:
    """Return the rank of a headline by its size over the text's: 1 for the largest."""
    return 1 if ratio > _LARGEST else 2 if ratio > _LARGER else 3
