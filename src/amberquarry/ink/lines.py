"""Text lines from components: which pieces belong to one line."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.ink.raster import COARSE, painted
from amberquarry.settings import LayoutSettings
from amberquarry.sheet.bars import are_bars
from amberquarry.sheet.glyphs import Glyphs, core_letters, owned_by
from amberquarry.sheet.measuring import (
    CAPITAL_RATIO,
    TextLine,
    curves_of,
    from_the_left,
    lean_median,
    lines_joined,
    measure_lines,
    weighted_median,
)
from amberquarry.sheet.rowwise import by_label
from amberquarry.values import Box

_MARK_REACH, _DASH_REACH = 1.8, 3.5  # x-heights after a line
_ACCENT_RISE, _ACCENT_HEIGHT = 2.7, 0.75  # x-heights over the base line; of an accent
# Letters that touch: how far from their line, how high and wide in x-heights.
_TOUCHING, _JOINED_HEIGHT, _JOINED_WIDTH = 0.5, 3.2, 4.0
_BULLET_REACH, _BULLET_SIZE = 4.0, 0.15  # x-heights before its line; least size of one
_WIDE = 1.3  # of its height: a hyphen or dash, no dot
_ON_LINE, _DOTS_REACH = 0.35, 3.0  # x-heights: dots of an ellipsis with which a line begins
# X-heights over the base line: marks for sure at the height of a line; dots of its letters.
_BESIDE_LINE, _DOT_RISE = (-0.3, 1.5), 1.65
_BULLET_LETTERS = 4  # of the line that it begins, at least
# Small pieces beside lines: how many at most, how high in x-heights, how far beyond a line's end.
_FEW_SMALL, _SMALL_HEIGHT, _RAISED_REACH = 3, 1.15, 0.9
# So many raised letters follow a word in smaller type, right after it, in x-heights.
_MOST_RAISED, _RAISED_SIZE, _RAISED_HEIGHT, _RIGHT_AFTER = 12, 0.85, 1.4, 0.6
_FAR, _IN_ROW = 30.0, 0.1  # letters to what stands in one row; x-heights that it is off its line
_SMALL_FIGURE, _IN_COLUMN = 0.4, 4  # letters: least height of small figures; on one edge, at least
# X-heights: largest dot, how far it may be off the base line, white between two and before.
_DOT_SIZE, _DOT_LEVEL, _DOT_STEP, _DOTS_AFTER = 0.45, 0.25, 1.4, 2.4
# Letters: largest dot of an ellipsis, how far such may be off each other's foot; of its width, that
# it is high; how many there are, and at most on a page: more are noise.
_LONE_DOT, _DOT_SHIFT, _ROUND, _ELLIPSIS, _MOST_DOTS = 0.35, 0.08, 0.6, 3, 400
_FAR_DOTS = 12  # of leaders that begin further off, at one place for all entries
_LEADER_DOTS = 4  # dots in a row that lead from a heading to its page
_LEADER_STEP = 3.0  # x-heights between two of them at most
# How large they are, in x-heights; how steep their rows run on bent pages; x-heights that the next
# one is off, up or down.
_LEADER_DOT, _LEADER_SLOPE, _NEXT_DOT = 0.55, 0.05, 0.3
# X-heights within which other lines tell the size of one; where that are fewer, how far they do.
_NEAR_LINES, _ENOUGH_LINES, _FAR_LINES = 6.0, 3, 20.0
# Of letters that stand on the base line of what is beside them: how many there are in all, how far
# they are off it, in x-heights, and their share; how much larger the brackets make one of two.
_FEW_STANDING, _STANDING_OFF, _STANDING, _OTHER_SIZE = 4, 0.12, 0.25, 2.0
_SAME_TYPE = 0.04  # logarithm of two x-heights that are the same
_ONE_TYPE = 0.1  # logarithm of two x-heights of one size of type
# Strokes of a drawing: how many; height of their box in that of one; share that lies over others;
# strokes from the left that are looked at, at most.
_TANGLE, _HIGH, _OVER_OTHERS, _MOST_LOOKED_AT = 20, 4.0, 0.76, 400
_MOST_SEGMENTS = 3000  # of a page that are joined to lines: more are noise


def _drawn_out(
    glyphs: Glyphs, chosen: NDArray[np.bool_], letter: float, reach: float
) -> NDArray[np.uint8]:
    """Return the middle rows of pieces drawn out sideways, by `reach` heights of each."""
    index = np.flatnonzero(chosen)
    top, bottom = glyphs.top[index].astype(float), glyphs.bottom[index].astype(float)
    size = np.clip(bottom - top, 0.6 * letter, None)
    middle, half = (top + bottom) / 2, np.maximum((bottom - top) / 4, 0.12 * letter)
    return painted(
        glyphs.shape,
        glyphs.left[index] - reach * size,
        middle - half,
        glyphs.right[index] + reach * size,
        middle + half,
    )


def find_lines(
    glyphs: Glyphs, letter: float, gutters: list[Box], settings: LayoutSettings
) -> list[TextLine]:
    """Return the text lines, each with its pieces, base line and x-height, in no set order."""
    core = core_letters(glyphs, letter)
    seeds = core.copy()
    if not seeds.any():
        return []
    raster = _drawn_out(glyphs, seeds, letter, settings.letter_reach)
    for gutter in gutters:
        middle = int(gutter.middle[0]) // COARSE
        raster[int(gutter.y0) // COARSE : int(gutter.y1) // COARSE, middle] = 0
    _, labels = cv2.connectedComponents(raster, connectivity=4)
    index = np.flatnonzero(seeds)
    rows = np.clip(
        ((glyphs.top[index] + glyphs.bottom[index]) // 2) // COARSE, 0, raster.shape[0] - 1
    )
    columns = np.clip(
        ((glyphs.left[index] + glyphs.right[index]) // 2) // COARSE, 0, raster.shape[1] - 1
    )
    group = labels[rows, columns]
    cut = group == 0  # a gutter runs through the piece: it stands for itself
    group[cut] = labels.max() + 1 + np.arange(int(cut.sum()))
    groups, small = [], []
    for own in by_label(group):
        members = index[own]
        if (
            len(members) <= 2
            and glyphs.height[members].max() < 0.72 * letter
            and glyphs.width[members].max() < 0.6 * letter
        ):
            seeds[members] = False  # a comma or quote apart from its word
            small.append(members)
            continue
        groups.append(from_the_left(members, glyphs))
    lines = [
        line for line in measure_lines(glyphs, groups, core) if not _is_tangle(line, glyphs, core)
    ]
    lines = join_segments(lines, glyphs, core, gutters, settings.widest_space)
    lines = attach_small(lines, glyphs)
    attach_dots(lines, glyphs)
    attach_marks(lines, glyphs, seeds | owned_by(lines, glyphs))
    lines = attach_leaders(lines, glyphs, core, gutters)
    lines.extend(lone_dashes(lines, glyphs, letter))
    lines.extend(small_words(small, lines, glyphs, core, letter))
    settle_x_heights(lines)
    dots = lone_dots(lines, glyphs, letter)
    return [line for line in lines if _is_text(line, glyphs, letter)] + dots


def _is_tangle(line: TextLine, glyphs: Glyphs, core: NDArray[np.bool_]) -> bool:
    """Return whether pieces lie over one another as the strokes of a drawing do, in no row.

    As a line it would draw the text beside it in.
    """
    letters = line.pieces[core[line.pieces]]
    if len(letters) < _TANGLE or line.box.height < _HIGH * np.median(glyphs.height[letters]):
        return False
    letters = letters[:_MOST_LOOKED_AT]
    left, right = glyphs.left[letters], glyphs.right[letters]
    shared = np.minimum(right[:, None], right) - np.maximum(left[:, None], left)
    np.fill_diagonal(shared, 0)
    return bool((shared.max(1) > (right - left) / 2).mean() > _OVER_OTHERS)


def curve_at(curve: NDArray[np.float64], x: NDArray[np.floating]) -> NDArray[np.float64]:
    """Return a polynomial's values at some places (np.polyval, but lean)."""
    y = np.full(x.shape, curve[0])
    for coefficient in curve[1:].tolist():
        y = y * x + coefficient
    return y


def join_segments(
    lines: list[TextLine],
    glyphs: Glyphs,
    core: NDArray[np.bool_],
    gutters: list[Box],
    widest_space: float,
) -> list[TextLine]:
    """Return lines with neighbours on one base line joined, where no gutter lies between.

    widest_space: between them, in x-heights.
    """
    if not 2 <= len(lines) <= _MOST_SEGMENTS:
        return lines
    x0 = np.array([line.box.x0 for line in lines])
    x1 = np.array([line.box.x1 for line in lines])
    size = np.array([line.x_height for line in lines])
    start = np.array([line.baseline_at(line.box.x0) for line in lines])
    end = np.array([line.baseline_at(line.box.x1) for line in lines])
    gap = x0[None, :] - x1[:, None]  # from the end of a row's line to the start of a column's
    larger = np.maximum(size[None, :], size[:, None])
    ratio = size[None, :] / size[:, None]
    # a few figures or marks tell little of the size of type
    few = np.array([len(line.pieces) <= 5 for line in lines])
    slack = few[None, :] | few[:, None]
    alike = np.where(slack, (ratio > 0.4) & (ratio < 2.5), (ratio > 0.62) & (ratio < 1.6))
    level = np.abs(start[None, :] - end[:, None]) < np.where(slack, 0.5, 0.35) * larger
    follows = (gap > -0.5 * larger) & (gap < widest_space * larger)
    follows &= x0[None, :] > x0[:, None]
    fits = follows & alike & level
    near = (ratio > 1 / _OTHER_SIZE) & (ratio < _OTHER_SIZE)
    near &= np.abs(start[None, :] - end[:, None]) < larger
    for one, other in zip(*np.nonzero(follows & near & ~fits), strict=True):
        pair = (lines[one], lines[other])
        fits[one, other] = any(_stands_on(*turn, glyphs, core) for turn in (pair, pair[::-1]))
    first, second = np.nonzero(fits)  # few of all pairs: gutters are held against these only
    x = (x0[second] + x1[first]) / 2
    y = (start[second] + end[first]) / 2 - larger[first, second] / 2
    parted = np.zeros(len(first), bool)
    for g in gutters:
        middle = g.middle[0]
        within = (x >= g.x0 - 1) & (x <= g.x1 + 1)
        within |= (x1[first] <= middle) & (x0[second] >= middle)
        parted |= within & (y >= g.y0) & (y <= g.y1)
    fits[first[parted], second[parted]] = False
    group = np.arange(len(lines))
    taken = np.zeros(len(lines), bool)
    for number in np.argsort(x0):
        choices = np.flatnonzero(fits[number] & ~taken)
        if len(choices):
            nearest = choices[np.argmin(gap[number, choices])]
            taken[nearest] = True
            group[group == group[nearest]] = group[number]
    joined = [[lines[number] for number in own.tolist()] for own in by_label(group)]
    return lines_joined(glyphs, joined, core)


def _stands_on(one: TextLine, base: TextLine, glyphs: Glyphs, core: NDArray[np.bool_]) -> bool:
    """Return whether letters of a line stand on another's base line.

    Brackets and raised signs of a formula outvote its few letters when it is measured alone.
    """
    letters = one.pieces[core[one.pieces]]
    if len(letters) < _FEW_STANDING:
        return False
    middle = (glyphs.left[letters] + glyphs.right[letters]) / 2
    off = glyphs.bottom[letters] - curve_at(base.baseline, middle)
    return bool((np.abs(off) <= _STANDING_OFF * base.x_height).mean() >= _STANDING)


def attach_small(lines: list[TextLine], glyphs: Glyphs) -> list[TextLine]:
    """Return lines with small pieces that stand by themselves made part of those they belong to.

    Bullets far before a line, at its middle; raised and lowered figures beside its letters.
    """
    few = [line for line in lines if len(line.pieces) <= _MOST_RAISED]
    long = [line for line in lines if len(line.pieces) >= _BULLET_LETTERS]
    if not few or not long or len(lines) > _MOST_SEGMENTS:
        return lines
    x0 = np.array([line.box.x0 for line in long])
    x1 = np.array([line.box.x1 for line in long])
    size = np.array([line.x_height for line in long])
    least = np.array([line.least_x_height for line in long])
    start = np.array([line.baseline_at(line.box.x0) for line in long])
    end = np.array([line.baseline_at(line.box.x1) for line in long])
    taken: set[TextLine] = set()
    for mark in few:
        box = mark.box
        x, y = box.middle
        along = np.clip((x - x0) / np.maximum(1, x1 - x0), 0, 1)
        rise = (start + along * (end - start) - y) / size
        before, after = (x0 - box.x1) / size, (box.x0 - x1) / size
        small = box.height < _SMALL_HEIGHT * size
        bullet = (before > 0) & (before < _BULLET_REACH) & (rise > 0.2) & (rise < 1.5)
        bullet &= len(mark.pieces) == 1
        beside = (before < 0) & (after < _RAISED_REACH)
        over = beside & (rise > 0.9) & (rise < 2.1)
        raised = over | (beside & (rise > -0.7) & (rise < 0.25))
        # accents over capitals stand higher
        accent = (before < 0) & (after < 0) & (rise > 0.9) & (rise < _ACCENT_RISE)
        raised |= accent & (box.height < _ACCENT_HEIGHT * size)
        # letters that touch are one tall and wide piece
        joined = (np.maximum(before, after) < _TOUCHING) & (rise > 0.1) & (rise < 1.2)
        joined &= (box.height < _JOINED_HEIGHT * size) & (box.height > size)
        joined &= box.width < _JOINED_WIDTH * size
        fitting = (small & (bullet | raised)) | joined
        if len(mark.pieces) > _FEW_SMALL:  # lines of their own, but for what follows a word
            near = over & (rise * size < 2.1 * least) & (box.height < _RAISED_HEIGHT * least)
            near &= mark.least_x_height < _RAISED_SIZE * least
            fitting = np.zeros(len(long), bool)
            for number in np.flatnonzero(near):
                fitting[number] = _ends_before(mark, long[number], glyphs)
        fits = np.flatnonzero(fitting & np.array([line is not mark for line in long]))
        if not len(fits):
            continue
        away = np.maximum(0, before[fits]) + np.abs(rise[fits] - 0.7)
        line = long[int(fits[np.argmin(away)])]
        pieces = np.concatenate([mark.pieces, line.pieces])
        line.pieces = from_the_left(pieces, glyphs)
        line.box = Box.around([box, line.box])
        taken.add(mark)
    return [line for line in lines if line not in taken]


def _ends_before(mark: TextLine, line: TextLine, glyphs: Glyphs) -> bool:
    """Return whether a word of a line ends right before a raised mark."""
    ends = glyphs.right[line.pieces]
    before = ends[ends < mark.box.x0 + _RIGHT_AFTER * mark.x_height]
    return len(before) > 0 and bool(mark.box.x0 - before.max() < _RIGHT_AFTER * line.x_height)


def attach_marks(
    lines: list[TextLine],
    glyphs: Glyphs,
    seeds: NDArray[np.bool_],
    far: float = _MARK_REACH,
) -> None:
    """Give dots, accents, commas and hyphens to the lines in which they stand.

    seeds: for each piece whether it is no mark; far: x-heights after a line within which they are.
    """
    if not lines:
        return
    marks = np.flatnonzero(glyphs.usable & ~seeds)
    if len(marks) == 0:
        return
    marks = marks[np.argsort(glyphs.top[marks] + glyphs.bottom[marks], kind="stable")]
    left, right = glyphs.left[marks], glyphs.right[marks]
    x = (left + right) / 2
    y = (glyphs.top[marks] + glyphs.bottom[marks]) / 2
    # dashes are low, but wide
    large = np.minimum(2 * glyphs.height[marks], glyphs.width[marks])
    wide = glyphs.width[marks] > _WIDE * glyphs.height[marks]
    size = np.array([line.x_height for line in lines])
    edges = np.array([line.box for line in lines], float)
    curves = curves_of(lines)
    first = np.searchsorted(y, edges[:, 1] - 1.2 * size, "right")
    count = np.maximum(0, np.searchsorted(y, edges[:, 3] + 0.8 * size, "left") - first)
    # each line with each mark at its height
    of = np.repeat(np.arange(len(lines)), count)
    mark = np.arange(len(of)) + (first - np.cumsum(count) + count)[of]
    before = (edges[of, 0] - right[mark]) / size[of]  # bullets stand farther off than other marks
    after = (left[mark] - edges[of, 2]) / size[of]
    sized = large[mark] > _BULLET_SIZE * size[of]
    # dashes stand farther off, where spaces are wide
    beside = (before < _BULLET_REACH) & (after < np.where(wide[mark] & sized, _DASH_REACH, far))
    of, mark, before, after, sized = (v[beside] for v in (of, mark, before, after, sized))
    a, b, c = curves[of].T
    rise = ((a * x[mark] + b) * x[mark] + c - y[mark]) / size[of]
    bullet = (rise > 0.2) & (rise < 1.5) & sized
    dots = (rise < _ON_LINE) & (before < _DOTS_REACH)  # that a line begins with
    near = (before < 1.2) | bullet | dots
    fits = (rise > -0.55) & (rise < 2.1) & near
    of, mark, before, after, rise = (v[fits] for v in (of, mark, before, after, rise))
    # how far the lines stand that end before a mark, and that begin after it, at its height
    sure = (rise > _BESIDE_LINE[0]) & (rise < _BESIDE_LINE[1])
    inner = (rise > _BESIDE_LINE[0]) & (rise < _DOT_RISE) & (before <= 0) & (after <= 0)
    to_end, to_start = np.full(len(marks), np.inf), np.full(len(marks), np.inf)
    for gap, nearest in ((after, to_end), (before, to_start)):
        outer = sure & (gap > 0)
        np.minimum.at(nearest, mark[outer], (gap * size[of])[outer])
        nearest[mark[inner]] = 0.0  # dots and accents have their line
    # of a line that ends and one that begins beside a mark the nearer has it
    farther = (before * size[of] > to_end[mark]) | (after * size[of] > to_start[mark])
    of, mark, before, after, rise = (v[~farther] for v in (of, mark, before, after, rise))
    distance = np.abs(rise - 0.6) + 0.2 * np.maximum(0.0, np.maximum(before, after))
    ranked = np.lexsort((of, distance, mark))
    owned, nearest_first = np.unique(mark[ranked], return_index=True)
    owner = of[ranked][nearest_first]
    for own in by_label(owner):
        line = lines[int(owner[own[0]])]
        pieces = np.concatenate([line.pieces, marks[owned[own]]])
        line.pieces = from_the_left(pieces, glyphs)
        line.box = glyphs.box_of(pieces)


def attach_dots(lines: list[TextLine], glyphs: Glyphs) -> None:
    """Give lines the two or three dots in even steps that they end in: far ones in fixed pitch.

    Longer rows of dots lead to something.
    """
    free = np.flatnonzero(glyphs.usable & ~owned_by(lines, glyphs))
    free = free[np.argsort(glyphs.bottom[free], kind="stable")]
    foot = glyphs.bottom[free]
    size = np.maximum(glyphs.width[free], glyphs.height[free])
    bases = np.array([line.baseline_at(line.box.x1) for line in lines])
    reach = _DOT_LEVEL * np.array([line.x_height for line in lines])
    first = np.searchsorted(foot, bases - reach, "right")
    end = np.searchsorted(foot, bases + reach, "left")
    for number in np.flatnonzero(end - first > 1).tolist():
        line, level = lines[number], slice(first[number], end[number])
        right, row = line.box.x1, free[level]
        row = row[(size[level] < _DOT_SIZE * line.x_height) & (glyphs.left[row] > right)]
        row = from_the_left(row, glyphs)
        steps = (glyphs.left[row] - np.append(right, glyphs.right[row[:-1]])) / line.x_height
        ends = np.flatnonzero(steps > _LEADER_STEP)
        row = row[: ends[0]] if len(ends) else row
        even = steps[: len(row)] < np.append(_DOTS_AFTER, np.full(len(row), _DOT_STEP))[: len(row)]
        if 1 < len(row) < _LEADER_DOTS and even.all():
            line.pieces = np.concatenate([line.pieces, row])
            line.box = glyphs.box_of(line.pieces)


def attach_leaders(
    lines: list[TextLine], glyphs: Glyphs, core: NDArray[np.bool_], gutters: list[Box]
) -> list[TextLine]:
    """Return lines with rows of dots that lead from one to another taken in, both made one line.

    Nothing is led over a gutter without dots in it.
    """
    if not lines:
        return lines
    owned = owned_by(lines, glyphs)
    dots = from_the_left(np.flatnonzero(glyphs.usable & ~owned), glyphs)
    x = (glyphs.left[dots] + glyphs.right[dots]) / 2
    y = (glyphs.top[dots] + glyphs.bottom[dots]) / 2
    size = np.maximum(glyphs.width[dots], glyphs.height[dots])
    merged, led_to = list(lines), set[TextLine]()
    for line in sorted(lines, key=lambda line: -line.box.x0):
        if line in led_to:
            continue
        level = line.baseline_at(line.box.x1)
        away = np.abs(level - y) - _LEADER_SLOPE * (x - line.box.x1)
        near = np.flatnonzero(
            (x > line.box.x1) & (size < _LEADER_DOT * line.x_height) & (away < 0.5 * line.x_height)
        )
        row = _row_of_dots(x[near], y[near], level, line.x_height)
        if not len(row):
            continue
        run = dots[near[row]]
        start, end = float(glyphs.left[run].min()), float(glyphs.right[run].max())
        far = start - line.box.x1 > _LEADER_STEP * line.x_height
        if len(run) < (_FAR_DOTS if far else _LEADER_DOTS):
            continue
        end_level = level + float(y[near[row[-1]]] - y[near[row[0]]])
        beside = [(g.x0, g.x1) for g in gutters if g.y0 <= level <= g.y1]
        if _holds_gutter((line.box.x1, start), beside):
            continue
        target = next(
            (
                other
                for other in merged
                if other is not line
                and 0 < other.box.x0 - end < _LEADER_STEP * line.x_height
                and abs(other.baseline_at(other.box.x0) - end_level) < 0.5 * line.x_height
                and not _holds_gutter((end, other.box.x0), beside)
            ),
            None,
        )
        between = (
            line.box.x1 <= other.box.x0 < start and other.box.y0 < level < other.box.y1
            for other in merged
        )
        if far and (target is None or any(between)):
            continue
        pieces = np.concatenate([line.pieces, run, target.pieces if target else run[:0]])
        whole = measure_lines(glyphs, [from_the_left(pieces, glyphs)], core)[0]
        whole.x_height, whole.plain = line.x_height, line.plain
        merged = [other for other in merged if other is not line and other is not target]
        merged.append(whole)
        if target is not None:
            led_to.add(target)
    return merged


def _row_of_dots(
    x: NDArray[np.float64], y: NDArray[np.float64], level: float, x_height: float
) -> list[int]:
    """Return the numbers of dots that follow each other in one row, which may rise or fall.

    x, y: of dots, from the left. level: base line that the first one stands on.
    """
    first = np.flatnonzero(np.abs(y - level) < 0.5 * x_height)[:1]
    row: list[int] = first.tolist()
    for number in range(row[0] + 1, len(x)) if row else ():
        if x[number] - x[row[-1]] > _LEADER_STEP * x_height:
            break
        if abs(y[number] - y[row[-1]]) < _NEXT_DOT * x_height:
            row.append(number)
    return row


def _holds_gutter(gap: tuple[float, float], gutters: list[tuple[float, float]]) -> bool:
    """Return whether one of the gutters lies between two places; both as left and right edge."""
    return any(gap[0] - 2 <= x0 and x1 <= gap[1] + 2 for x0, x1 in gutters)


def lone_dashes(lines: list[TextLine], glyphs: Glyphs, letter: float) -> list[TextLine]:
    """Return dashes that stand alone at the height of a line's middle, as in cells of tables."""
    if not lines:
        return []
    owned = owned_by(lines, glyphs)
    free = np.flatnonzero(
        glyphs.usable
        & ~owned
        & (glyphs.width >= 0.5 * letter)
        & (glyphs.width <= 2.5 * letter)
        & (glyphs.height < 0.4 * letter)
    )
    dashes = []
    for piece in free.tolist():
        x = (glyphs.left[piece] + glyphs.right[piece]) / 2
        y = (glyphs.top[piece] + glyphs.bottom[piece]) / 2
        for line in lines:
            gap = max(line.box.x0 - x, x - line.box.x1)
            if gap < _FAR * letter and 0.3 < (line.baseline_at(x) - y) / line.x_height < 0.9:
                own, level = np.array([piece]), np.array([line.baseline_at(x)])
                dashes.append(TextLine(glyphs.box_of(own), own, level, line.x_height))
                break
    return dashes


def lone_dots(lines: list[TextLine], glyphs: Glyphs, letter: float) -> list[TextLine]:
    """Return rows of three dots that stand for lines left out, and have no words beside them."""
    size = np.maximum(glyphs.width, glyphs.height)
    free = glyphs.usable & ~owned_by(lines, glyphs) & (size < _LONE_DOT * letter)
    free &= np.minimum(glyphs.width, glyphs.height) > _ROUND * size
    dots = np.flatnonzero(free)
    if not lines or not _ELLIPSIS <= len(dots) <= _MOST_DOTS:
        return []
    dots = from_the_left(dots, glyphs)
    left, foot = glyphs.left[dots].astype(float), glyphs.bottom[dots].astype(float)
    step = left[None] - left[:, None]
    near = (step > 0) & (step < _DOT_STEP * letter)
    near &= np.abs(foot[None] - foot[:, None]) <= _DOT_SHIFT * letter
    after = np.where(near.any(1), near.argmax(1), -1)
    first = np.setdiff1d(np.arange(len(dots)), after)  # no other dot stands before it
    levels = np.array([line.baseline_at(line.box.x0) for line in lines])
    x0, y0, x1, y1 = np.array([line.box for line in lines], float).T
    rows = []
    for start in first.tolist():
        run = [start]
        while after[run[-1]] >= 0:
            run.append(int(after[run[-1]]))
        steps = np.diff(left[run])
        reach = _FAR * letter
        beside = (x0 < left[run[-1]] + reach) & (x1 > left[start] - reach)
        if (beside & (y0 < foot[start]) & (y1 >= foot[start])).any():
            continue
        if len(run) == _ELLIPSIS and float(np.ptp(steps)) <= max(2.0, _DOT_SHIFT * letter):
            nearest = lines[int(np.argmin(np.abs(levels - foot[start])))]
            own, level = dots[run], np.array([foot[run].mean()])
            rows.append(TextLine(glyphs.box_of(own), own, level, nearest.x_height))
    return rows


def small_words(
    groups: list[NDArray[np.int64]],
    lines: list[TextLine],
    glyphs: Glyphs,
    core: NDArray[np.bool_],
    letter: float,
) -> list[TextLine]:
    """Return small pieces that no line owns, as lines of their own.

    Those that stand on one edge are numbers in small type; others stand in the row of a line of
    such type, far from it.
    """
    owned = owned_by(lines, glyphs)
    free = [
        group
        for group in groups
        if not owned[group].any() and glyphs.height[group].max() > _SMALL_FIGURE * letter
    ]
    if not free:
        return []
    left = np.array([glyphs.left[group].min() for group in free])
    right = np.array([glyphs.right[group].max() for group in free])
    beside = [np.abs(edge[:, None] - edge[None]) < 0.3 * letter for edge in (left, right)]
    chosen = np.maximum(*(near.sum(1) for near in beside)) >= _IN_COLUMN
    high = np.array([glyphs.height[group].max() for group in free])
    foot = np.array([glyphs.bottom[group].max() for group in free])
    for line in lines:
        # letters of one height may be capitals
        sizes = [line.x_height, line.x_height / CAPITAL_RATIO][: 1 + line.plain]
        alike = [np.abs(np.log(high / size)) < _ONE_TYPE for size in sizes]
        near = np.maximum(line.box.x0 - right, left - line.box.x1) < _FAR * letter
        level = np.abs(curve_at(line.baseline, left) - foot) < _IN_ROW * line.x_height
        chosen |= np.any(alike, axis=0) & near & level
    groups = [from_the_left(free[number], glyphs) for number in np.flatnonzero(chosen)]
    return measure_lines(glyphs, groups, core)


def settle_x_heights(lines: list[TextLine]) -> None:
    """Decide for lines of one letter height whether it is the x-height or that of capitals."""
    weights = np.array([len(line.pieces) for line in lines if not line.plain], float)
    heights = np.array([line.x_height for line in lines if not line.plain])
    if len(heights):
        usual = weighted_median(heights, weights)
    else:
        usual = (
            float(np.median([line.x_height for line in lines])) / CAPITAL_RATIO if lines else 1.0
        )
    sure = [line for line in lines if not line.plain]
    x0, y0, x1, y1 = np.array([line.box for line in sure], float).reshape(-1, 4).T
    for line in lines:
        if not line.plain:
            continue
        as_capitals = line.x_height / CAPITAL_RATIO
        found = np.abs(np.log(heights[:, None] / np.array([line.x_height, as_capitals])))
        as_it_is, lower = (found < _SAME_TYPE).sum(0).tolist()
        if as_it_is >= _ENOUGH_LINES and not lower:  # set like much of the page
            continue
        near = usual
        if sure:
            away = np.abs(y0 - line.box.y0) / line.x_height
            column = (x0 < line.box.x1) & (line.box.x0 < x1)
            beside = column & (away < _NEAR_LINES)
            if beside.sum() < _ENOUGH_LINES:  # one may be measured wrong
                beside = column & (away < _FAR_LINES)
            if beside.any():
                near = lean_median(heights[beside])
                # the last line of a heading is told by the one over it, not by the text under it
                gap = np.maximum(y0 - line.box.y1, line.box.y0 - y1)
                ratio = heights[:, None] / np.array([line.x_height, as_capitals])
                fits = np.abs(np.log(ratio)).min(1) < _ONE_TYPE
                close = np.flatnonzero(beside & fits & (gap < line.x_height))
                if len(close):
                    near = float(heights[close[np.argmin(gap[close])]])
        letters = len(line.pieces)
        if (letters >= 8 and line.x_height > 1.15 * near) or abs(np.log(as_capitals / near)) < abs(
            np.log(line.x_height / near)
        ):
            line.x_height = as_capitals


def _is_text(line: TextLine, glyphs: Glyphs, letter: float) -> bool:
    """Return whether the pieces can be a line: dust, lone strokes and barcodes are not."""
    height = glyphs.height[line.pieces]
    width = glyphs.width[line.pieces]
    if 2 * are_bars(glyphs.boxes_of(line.pieces), letter).sum() > len(height):
        return False
    if len(line.pieces) == 1:
        tall, wide = int(height[0]), int(width[0])
        if tall < 0.35 * letter and not 0.45 * letter < wide < 3 * letter:
            return False
        if wide > 4 * letter and tall > 1.5 * letter:
            return False
    return bool(height.max() >= 0.3 * letter or width.max() >= 0.6 * letter)
