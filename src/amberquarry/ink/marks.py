"""Small pieces beside lines: marks, bullets, raised figures, dashes, words in small type."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amberquarry.ink.type_sizes import ONE_TYPE
from amberquarry.sheet.glyphs import Glyphs, owned_by
from amberquarry.sheet.measuring import (
    CAPITAL_RATIO,
    TextLine,
    curve_at,
    curves_of,
    from_the_left,
    measure_lines,
)
from amberquarry.sheet.rowwise import by_label
from amberquarry.values import Box


@dataclass(frozen=True, slots=True)
class SmallPieces:
    """Small pieces beside lines; lengths in x-heights."""

    few: int = 3  # pieces that may belong to a line, at most
    height: float = 1.15  # of them, at most
    after: float = 0.9  # beyond the end of the line
    begins: int = 4  # letters of the line that a bullet begins, at least
    bullet: float = 4.0  # from a bullet to its line
    bullet_size: float = 0.15  # of a bullet, at least
    raised: int = 12  # letters in smaller type that follow a word, at most
    raised_size: float = 0.85  # of the type, that theirs has at most
    raised_height: float = 1.4  # of them, at most
    right_after: float = 0.6  # from the word to them
    touching: float = 0.5  # from letters that touch to their line
    joined_height: float = 3.2  # of such a piece
    joined_width: float = 4.0  # of such a piece


@dataclass(frozen=True, slots=True)
class Marks:
    """Dots, accents, commas and hyphens; lengths in x-heights."""

    after: float = 1.8  # after a line
    dash: float = 3.5  # the same for a dash, where spaces are wide
    wide: float = 1.3  # of its height: a hyphen or dash, no dot
    accent: float = 2.7  # over the base line
    accent_height: float = 0.75  # of an accent
    on_line: float = 0.35  # over the base line: dots with which a line begins
    dots: float = 3.0  # from such dots to the line
    beside: tuple[float, float] = (-0.3, 1.5)  # over the base line: surely at the height of a line
    dot_rise: float = 1.65  # over the base line: dots of its letters


@dataclass(frozen=True, slots=True)
class Alone:
    """Pieces that no line owns; lengths in letters unless said."""

    far: float = 30.0  # to what stands in one row
    in_row: float = 0.1  # x-heights that it is off its line
    figure: float = 0.4  # height of small figures, at least
    on_edge: int = 4  # of them on one edge, at least


SMALL, MARK, ALONE = SmallPieces(), Marks(), Alone()
MOST_SEGMENTS = 3000  # parts of lines of a page that are held against each other: more are noise


def attach_small(lines: list[TextLine], glyphs: Glyphs) -> list[TextLine]:
    """Return lines with small pieces that stand by themselves made part of those they belong to.

    Bullets far before a line, at its middle; raised and lowered figures beside its letters.
    """
    few = [line for line in lines if len(line.pieces) <= SMALL.raised]
    long = [line for line in lines if len(line.pieces) >= SMALL.begins]
    if not few or not long or len(lines) > MOST_SEGMENTS:
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
        small = box.height < SMALL.height * size
        bullet = (before > 0) & (before < SMALL.bullet) & (rise > 0.2) & (rise < 1.5)
        bullet &= len(mark.pieces) == 1
        beside = (before < 0) & (after < SMALL.after)
        over = beside & (rise > 0.9) & (rise < 2.1)
        raised = over | (beside & (rise > -0.7) & (rise < 0.25))
        # accents over capitals stand higher
        accent = (before < 0) & (after < 0) & (rise > 0.9) & (rise < MARK.accent)
        raised |= accent & (box.height < MARK.accent_height * size)
        # letters that touch are one tall and wide piece
        joined = (np.maximum(before, after) < SMALL.touching) & (rise > 0.1) & (rise < 1.2)
        joined &= (box.height < SMALL.joined_height * size) & (box.height > size)
        joined &= box.width < SMALL.joined_width * size
        fitting = (small & (bullet | raised)) | joined
        if len(mark.pieces) > SMALL.few:  # lines of their own, but for what follows a word
            near = over & (rise * size < 2.1 * least) & (box.height < SMALL.raised_height * least)
            near &= mark.least_x_height < SMALL.raised_size * least
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
    before = ends[ends < mark.box.x0 + SMALL.right_after * mark.x_height]
    return len(before) > 0 and bool(mark.box.x0 - before.max() < SMALL.right_after * line.x_height)


def attach_marks(
    lines: list[TextLine],
    glyphs: Glyphs,
    seeds: NDArray[np.bool_],
    far: float = MARK.after,
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
    wide = glyphs.width[marks] > MARK.wide * glyphs.height[marks]
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
    sized = large[mark] > SMALL.bullet_size * size[of]
    # dashes stand farther off, where spaces are wide
    beside = (before < SMALL.bullet) & (after < np.where(wide[mark] & sized, MARK.dash, far))
    of, mark, before, after, sized = (v[beside] for v in (of, mark, before, after, sized))
    a, b, c = curves[of].T
    rise = ((a * x[mark] + b) * x[mark] + c - y[mark]) / size[of]
    bullet = (rise > 0.2) & (rise < 1.5) & sized
    dots = (rise < MARK.on_line) & (before < MARK.dots)  # that a line begins with
    near = (before < 1.2) | bullet | dots
    fits = (rise > -0.55) & (rise < 2.1) & near
    of, mark, before, after, rise = (v[fits] for v in (of, mark, before, after, rise))
    # how far the lines stand that end before a mark, and that begin after it, at its height
    sure = (rise > MARK.beside[0]) & (rise < MARK.beside[1])
    inner = (rise > MARK.beside[0]) & (rise < MARK.dot_rise) & (before <= 0) & (after <= 0)
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
            if gap < ALONE.far * letter and 0.3 < (line.baseline_at(x) - y) / line.x_height < 0.9:
                own, level = np.array([piece]), np.array([line.baseline_at(x)])
                dashes.append(TextLine(glyphs.box_of(own), own, level, line.x_height))
                break
    return dashes


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
        if not owned[group].any() and glyphs.height[group].max() > ALONE.figure * letter
    ]
    if not free:
        return []
    left = np.array([glyphs.left[group].min() for group in free])
    right = np.array([glyphs.right[group].max() for group in free])
    beside = [np.abs(edge[:, None] - edge[None]) < 0.3 * letter for edge in (left, right)]
    chosen = np.maximum(*(near.sum(1) for near in beside)) >= ALONE.on_edge
    high = np.array([glyphs.height[group].max() for group in free])
    foot = np.array([glyphs.bottom[group].max() for group in free])
    for line in lines:
        # letters of one height may be capitals
        sizes = [line.x_height, line.x_height / CAPITAL_RATIO][: 1 + line.plain]
        alike = [np.abs(np.log(high / size)) < ONE_TYPE for size in sizes]
        near = np.maximum(line.box.x0 - right, left - line.box.x1) < ALONE.far * letter
        level = np.abs(curve_at(line.baseline, left) - foot) < ALONE.in_row * line.x_height
        chosen |= np.any(alike, axis=0) & near & level
    groups = [from_the_left(free[number], glyphs) for number in np.flatnonzero(chosen)]
    return measure_lines(glyphs, groups, core)
