"""Text lines from components: which pieces belong to one line."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.ink.dots import attach_dots, attach_leaders, lone_dots
from amberquarry.ink.marks import (
    MOST_SEGMENTS,
    attach_marks,
    attach_small,
    lone_dashes,
    small_words,
)
from amberquarry.ink.raster import COARSE, painted
from amberquarry.ink.type_sizes import settle_x_heights
from amberquarry.settings import LayoutSettings
from amberquarry.sheet.bars import are_bars
from amberquarry.sheet.glyphs import Glyphs, core_letters, owned_by
from amberquarry.sheet.measuring import (
    TextLine,
    curve_at,
    from_the_left,
    lines_joined,
    measure_lines,
)
from amberquarry.sheet.rowwise import by_label
from amberquarry.values import Box


@dataclass(frozen=True, slots=True)
class Tangle:
    """Strokes of a drawing."""

    strokes: int = 20  # at least
    high: float = 4.0  # of one stroke, that their box is high
    over: float = 0.76  # of them, that lie over others
    most: int = 400  # from the left, that are looked at


@dataclass(frozen=True, slots=True)
class Segments:
    """Parts of one line."""

    standing: int = 4  # letters on the base line of what is beside them, at least
    off: float = 0.12  # x-heights that they are off it
    share: float = 0.25  # of the letters, that stand so
    sizes: float = 2.0  # ratio of x-heights that brackets make, at most


TANGLE, SEGMENT = Tangle(), Segments()


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
    if len(letters) < TANGLE.strokes:
        return False
    heights = glyphs.height[letters]
    # the lowest first: that tells most lines, and costs little
    if any(line.box.height < TANGLE.high * usual(heights) for usual in (np.min, np.median)):
        return False
    letters = letters[: TANGLE.most]
    left, right = glyphs.left[letters], glyphs.right[letters]
    shared = np.minimum(right[:, None], right) - np.maximum(left[:, None], left)
    np.fill_diagonal(shared, 0)
    return bool((shared.max(1) > (right - left) / 2).mean() > TANGLE.over)


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
    if not 2 <= len(lines) <= MOST_SEGMENTS:
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
    near = (ratio > 1 / SEGMENT.sizes) & (ratio < SEGMENT.sizes)
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
    if len(letters) < SEGMENT.standing:
        return False
    middle = (glyphs.left[letters] + glyphs.right[letters]) / 2
    off = glyphs.bottom[letters] - curve_at(base.baseline, middle)
    return bool((np.abs(off) <= SEGMENT.off * base.x_height).mean() >= SEGMENT.share)


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
