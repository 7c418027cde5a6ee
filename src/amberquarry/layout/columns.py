"""Which gutters part columns of text."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amberquarry.layout.measured import ROW, Lines, gutter_between, overlap_y
from amberquarry.sheet.measuring import CAPITAL_RATIO
from amberquarry.values import Box


@dataclass(frozen=True, slots=True)
class ColumnOfText:
    """A column of running text beside a gutter (`benchmarks/layout.py`, `devpages.py`)."""

    pieces: int = 11  # of a line, at least, where lines stand level with those beside
    lines: int = 3  # on both sides of a gutter, at least
    few_pieces: int = 5  # lines of fewer make no column
    long: int = 85  # percentile of their widths: headings over several columns are longer
    filled: float = 0.45  # of the lines, that are about as long as the longest
    ragged: float = 0.72  # of the longest line: where lines of running text end at least
    justified: float = 0.85  # the same, where they are set to one edge
    prose_pieces: int = 16  # so many lines of so many pieces that are nearly all filled
    prose_lines: int = 6  # are prose, whatever stands beside them
    prose_filled: float = 0.75  # share of them that is filled
    in_step: float = 0.85  # of the lines beside a gutter, that stand in rows
    few_rows: int = 8  # in step: rows, not columns
    many_rows: int = 15  # which cells of one table would fill level
    key_steps: float = 1.8  # usual steps of the text, from one key beside it to the next
    marks: int = 3  # of a list, at least
    edge: float = 0.6  # letters within which lines begin at one edge
    rule: float = 20.0  # letters: height of a rule between columns, at least
    shared: float = 0.7  # of their white, that gutters share which are one
    broken: float = 9.0  # letters between such gutters, at most
    rule_across: float = 2.0  # letters of white that a rule across breaks a gutter by


@dataclass(frozen=True, slots=True)
class ColumnsOfList:
    """Two columns of one list."""

    pieces: int = 7  # of a line, at least
    lines: int = 12  # on both sides, at least
    alike: float = 1.45  # ratio of the usual lengths of their lines, at most


@dataclass(frozen=True, slots=True)
class RegularColumns:
    """Columns of one width that fill a page."""

    most: int = 6  # columns
    white: float = 5.0  # letters between them, at most
    lines: int = 10  # that begin in each
    height: float = 0.55  # share of the page's, along which gutters run
    across: float = 0.15  # lines across for each that begins there, at most
    half: float = 0.55  # of its width with the white: then it holds two
    falls_short: float = 0.25  # of a column, that its longest line may


COLUMN, LIST, REGULAR = ColumnOfText(), ColumnsOfList(), RegularColumns()


def columns_of(gutters: list[Box], rules: list[Box], lines: Lines) -> list[Box]:
    """Return the gutters that part columns of text; rules: boxes of rules and frames."""
    columns, count = regular_columns(gutters, lines)
    if count <= 2:  # halves may hold columns as well
        columns += [g for g in gutters if g not in columns and parts_columns(g, lines)]
    ruled = ruled_columns(gutters, rules, lines)
    columns += [g for g in ruled if g not in columns]
    columns = columns or [g for g in gutters if parts_lists(g, lines)]
    columns = keep_clearest(columns, lines)
    if columns:
        columns += [g for g in gutters if g not in columns and goes_on(g, columns, lines)]
    return join_gutters(columns, lines)


def parts_columns(gutter: Box, lines: Lines) -> bool:
    """Return whether a gutter parts columns of running text, and not cells or terms in rows.

    Columns of text have lines of many letters on both sides, most of them as long as the column is
    wide, and their lines need not stand level; cells, and terms with what they mean, stand in rows.
    """
    beside = lines.beside(gutter)
    left, right = (_without_labels(side, lines) for side in beside)
    if min(len(left), len(right)) < COLUMN.lines:
        return False
    least = min(float(np.median(lines.pieces[side])) for side in (left, right))
    # keys beside many terms are the fewer
    aligned, with_labels = (lines.share_in_rows(*sides) for sides in ((left, right), beside))
    widths = lines.x1 - lines.x0
    of_long = [widths[n] / np.percentile(widths[n], COLUMN.long) for n in (left, right)]
    filled, full = (
        sorted(float((own > share).mean()) for own in of_long)
        for share in (COLUMN.ragged, COLUMN.justified)
    )
    fewest = min(len(left), len(right))
    if (
        least >= COLUMN.prose_pieces
        and fewest >= COLUMN.prose_lines
        and filled[0] >= COLUMN.prose_filled
    ):
        return True
    if aligned > COLUMN.in_step and max(len(left), len(right)) < COLUMN.few_rows:
        return False
    if aligned > COLUMN.in_step and _are_keys(left, right, lines):
        return False
    if max(aligned, with_labels) < 0.35:
        return least >= COLUMN.few_pieces or fewest >= COLUMN.many_rows
    if fewest >= COLUMN.many_rows and aligned < 0.7:
        return True  # so many cells of one table would stand level
    if least < COLUMN.pieces:
        return False
    # an inset has lines of any length, but the column beside it is filled
    return (
        full[0] >= COLUMN.filled or aligned < 0.6 or (full[1] > 0.85 and aligned < COLUMN.in_step)
    )


def ruled_columns(gutters: list[Box], rules: list[Box], lines: Lines) -> list[Box]:
    """Return the gutters that are rules between columns of text.

    Such a rule stands by itself, where those of a table meet rules across. Short cells in rows on
    both sides of it are those of a table all the same.
    """
    if not lines.lines:
        return []
    letter = CAPITAL_RATIO * float(np.median(lines.size))
    upright = [r for r in rules if r.width < letter and r.height > COLUMN.rule * letter]
    across = [r for r in rules if r.height < letter and r.width > letter]
    columns = []
    for gutter in gutters:
        if gutter.width > letter or not any(
            abs(rule.middle[0] - gutter.middle[0]) < letter / 2
            and overlap_y(rule, gutter) > COLUMN.shared * rule.height
            for rule in upright
        ):
            continue
        x0, x1 = gutter.x0 - letter, gutter.x1 + letter
        if any(r.x0 < x1 and r.x1 > x0 and gutter.y0 < r.middle[1] < gutter.y1 for r in across):
            continue
        left, right = lines.beside(gutter)
        if min(len(left), len(right)) < COLUMN.prose_lines:
            continue
        least = min(float(np.median(lines.pieces[side])) for side in (left, right))
        stepped = lines.share_in_rows(left, right) > COLUMN.in_step
        if least >= (COLUMN.pieces if stepped else COLUMN.few_pieces):
            columns.append(gutter)
    return columns


def _are_keys(left: NDArray[np.int64], right: NDArray[np.int64], lines: Lines) -> bool:
    """Return whether the lines on one side stand far from each other, beside running text."""
    few, many = sorted((left, right), key=len)
    steps = [float(np.median(np.diff(np.sort(lines.middle_y[side])))) for side in (few, many)]
    return 2 * len(few) < len(many) and steps[0] > COLUMN.key_steps * steps[1]


def _without_labels(side: NDArray[np.int64], lines: Lines) -> NDArray[np.int64]:
    """Return lines beside a gutter without the few of hardly any letters, as figures have them."""
    long = side[lines.pieces[side] >= COLUMN.few_pieces]
    return long if len(long) >= max(COLUMN.prose_lines, 0.5 * len(side)) else side


def parts_lists(gutter: Box, lines: Lines) -> bool:
    """Return whether two columns of one list stand beside the gutter: many lines, alike in length.

    Only for pages without columns of running text: within such a column they would be cells.
    """
    left, right = lines.beside(gutter)
    if min(len(left), len(right)) < LIST.lines:
        return False
    widths = lines.x1 - lines.x0
    narrow, wide = sorted(float(np.median(widths[side])) for side in (left, right))
    least = min(float(np.median(lines.pieces[side])) for side in (left, right))
    return least >= LIST.pieces and wide < LIST.alike * narrow


def regular_columns(gutters: list[Box], lines: Lines) -> tuple[list[Box], int]:
    """Return the gutters of columns of one width that fill the page, and how many columns.

    The more the better; no gutters and 1 where there are none.

    Print is set so; that lines in such columns stand level, as in rows, says nothing then. Many
    lines of several letters must begin at each column's left edge.
    """
    if len(lines.lines) < 2 * REGULAR.lines:
        return [], 1
    letter = float(np.median(lines.size)) * CAPITAL_RATIO
    left, right = float(np.percentile(lines.x0, 3)), float(np.percentile(lines.x1, 97))
    top, bottom = float(lines.y0.min()), float(lines.y1.max())
    edges = np.array([gutter.x1 for gutter in gutters])
    for count in range(REGULAR.most, 1, -1):
        first = (right - left) / count  # of a column with the white beside it, but for that white
        # lines may fall short of the edges of all columns, and as much in the last; that columns
        # begin at even steps then tells only of several
        ragged = REGULAR.falls_short if count > 2 else 0.0
        slack = max(letter * REGULAR.white, ragged * first)
        for edge in np.unique(edges[(edges > left + first) & (edges < left + first + slack)]):
            wanted = left + (edge - left) * np.arange(1, count)
            chosen = [[g for g in gutters if abs(g.x1 - x) < COLUMN.edge * letter] for x in wanted]
            short = min(x - lines.x1[lines.x1 < x].max(initial=left) for x in wanted)
            if count * (edge - left) - short - (right - left) > max(
                count * letter * REGULAR.white, ragged * (edge - left)
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
    return length >= REGULAR.height * (bottom - top)


def _begins_column(x: float, lines: Lines, letter: float) -> bool:
    """Return whether many lines begin at x, and few run across."""
    begin = np.abs(lines.x0 - x) < COLUMN.edge * letter
    across = (lines.x0 < x - 2 * letter) & (lines.x1 > x + 2 * letter)
    return bool(
        begin.sum() >= REGULAR.lines
        and across.sum() <= REGULAR.across * begin.sum()
        and np.median(lines.pieces[begin]) >= LIST.pieces
    )


def _is_divided(x: float, width: float, lines: Lines, letter: float) -> bool:
    """Return whether the lines that begin at x are running text in half of a column's width.

    Then two narrow columns stand in each wide one. Terms, beside what they mean, are of any
    length.
    """
    begin = np.abs(lines.x0 - x) < COLUMN.edge * letter
    usual, long, longest = np.percentile((lines.x1 - lines.x0)[begin], (50, COLUMN.long, 95))
    prose = np.median(lines.pieces[begin]) >= COLUMN.pieces and usual > COLUMN.ragged * longest
    return bool(prose and long < REGULAR.half * width)


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
            if overlap_y(gutter, better) < 0.9 * gutter.height:
                continue
            first, second = sorted((gutter, better), key=lambda g: g.x0)
            between = level & (lines.x0 >= first.x0 - 2) & (lines.x1 <= second.x1 + 2)
            alike = gutter is first and overlap_y(gutter, better) > 0.9 * better.height
            if alike and _are_marks(between, lines):
                kept.remove(better)
                kept.append(gutter)
                break
            if between.sum() < 2 or np.median(lines.pieces[between]) < COLUMN.few_pieces:
                break
        else:
            kept.append(gutter)
    return kept


def _are_marks(chosen: NDArray[np.bool_], lines: Lines) -> bool:
    """Return whether lines are the marks of a list: a few pieces each, one under the other."""
    if chosen.sum() < COLUMN.marks or lines.pieces[chosen].max() >= COLUMN.few_pieces:
        return False
    slack = COLUMN.edge * CAPITAL_RATIO * float(np.median(lines.size))
    return bool(min(np.ptp(lines.x0[chosen]), np.ptp(lines.x1[chosen])) < slack)


def are_numbers(left: NDArray[np.int64], right: NDArray[np.int64], lines: Lines) -> bool:
    """Return whether lines left of a gutter are the numbers of a list of running text beside them.

    As before the entries of a bibliography: each at the beginning of one, near to it.
    """
    if np.median(lines.pieces[right]) < COLUMN.prose_pieces:
        return False
    marks = np.zeros(len(lines.lines), bool)
    marks[left] = True
    white = lines.x0[right].min() - lines.x1[left].max()
    near = white < ROW.words_apart * float(np.median(lines.size[right]))
    return near and _are_marks(marks, lines) and bool(lines.in_rows(left, right).any(1).all())


def goes_on(gutter: Box, columns: list[Box], lines: Lines) -> bool:
    """Return whether a gutter goes on where that of a column ended, with running text beside it.

    Few lines that stand level could be rows of a table, but not between the edges of columns.
    """
    slack = COLUMN.edge * CAPITAL_RATIO * float(np.median(lines.size))
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
        rows = level < ROW.same * lines.size[near][:, None]  # wide spaces part a row's words
        pieces.append(rows @ lines.pieces[side])
    few, many = sorted(float(np.median(p)) for p in pieces)
    # beside a figure the column has few letters: then many full lines on the other side tell
    full = many >= COLUMN.prose_pieces and min(map(len, pieces)) >= COLUMN.prose_lines
    return few >= COLUMN.pieces or full


def of_other_white(gutters: list[Box], columns: list[Box], lines: Lines) -> list[Box]:
    """Return gutters but for parts of the white beside a column's: no text is between.

    The white between two columns is found several times over, by the lines that it runs between.
    """
    if not columns or not len(lines.size):
        return gutters
    far = ROW.widest_white * float(np.median(lines.size))
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
            if x1 - x0 < COLUMN.shared * letter or not 0 < gap < COLUMN.broken * letter:
                continue
            between = (lines.middle_y > above.y1) & (lines.middle_y < gutter.y0)
            left, right = between & (lines.x1 <= x0 + 2), between & (lines.x0 >= x1 - 2)
            beside = gap < COLUMN.rule_across * letter or (left.any() and right.any())
            if beside and not (between & ~left & ~right).any():
                joined[number] = Box(x0, above.y0, x1, gutter.y1)
                goes_on = True
        if not goes_on:
            joined.append(gutter)
    return joined
