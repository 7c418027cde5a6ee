"""Rows of dots: those that end a line, stand for lines left out, and lead on."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amberquarry.ink.marks import ALONE
from amberquarry.sheet.glyphs import Glyphs, owned_by
from amberquarry.sheet.measuring import TextLine, from_the_left, measure_lines
from amberquarry.values import Box


@dataclass(frozen=True, slots=True)
class RowsOfDots:
    """Dots that end a line, stand for lines left out, or lead on; lengths in x-heights."""

    size: float = 0.45  # of one, at most
    level: float = 0.25  # off the base line, at most
    step: float = 1.4  # between two
    after: float = 2.4  # before the first
    lone: float = 0.35  # letters: size of one of an ellipsis without words, at most
    shift: float = 0.08  # letters that such are off each other's foot, at most
    round: float = 0.6  # of its width, that one is high
    ellipsis: int = 3  # dots
    most: int = 400  # on a page: more are noise
    leader: int = 4  # in a row that leads from a heading to its page
    far_leader: int = 12  # of leaders that begin further off, at one place for all entries
    leader_step: float = 3.0  # between two of them, at most
    leader_dot: float = 0.55  # size of one, at most
    slope: float = 0.05  # of their rows on bent pages, at most
    next: float = 0.3  # up or down to the next one, at most


DOTS = RowsOfDots()


def attach_dots(lines: list[TextLine], glyphs: Glyphs) -> None:
    """Give lines the two or three dots in even steps that they end in: far ones in fixed pitch.

    Longer rows of dots lead to something.
    """
    free = np.flatnonzero(glyphs.usable & ~owned_by(lines, glyphs))
    free = free[np.argsort(glyphs.bottom[free], kind="stable")]
    foot = glyphs.bottom[free]
    size = np.maximum(glyphs.width[free], glyphs.height[free])
    bases = np.array([line.baseline_at(line.box.x1) for line in lines])
    reach = DOTS.level * np.array([line.x_height for line in lines])
    first = np.searchsorted(foot, bases - reach, "right")
    end = np.searchsorted(foot, bases + reach, "left")
    for number in np.flatnonzero(end - first > 1).tolist():
        line, level = lines[number], slice(first[number], end[number])
        right, row = line.box.x1, free[level]
        row = row[(size[level] < DOTS.size * line.x_height) & (glyphs.left[row] > right)]
        row = from_the_left(row, glyphs)
        steps = (glyphs.left[row] - np.append(right, glyphs.right[row[:-1]])) / line.x_height
        ends = np.flatnonzero(steps > DOTS.leader_step)
        row = row[: ends[0]] if len(ends) else row
        even = steps[: len(row)] < np.append(DOTS.after, np.full(len(row), DOTS.step))[: len(row)]
        if 1 < len(row) < DOTS.leader and even.all():
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
        away = np.abs(level - y) - DOTS.slope * (x - line.box.x1)
        near = np.flatnonzero(
            (x > line.box.x1)
            & (size < DOTS.leader_dot * line.x_height)
            & (away < 0.5 * line.x_height)
        )
        row = _row_of_dots(x[near], y[near], level, line.x_height)
        if not len(row):
            continue
        run = dots[near[row]]
        start, end = float(glyphs.left[run].min()), float(glyphs.right[run].max())
        far = start - line.box.x1 > DOTS.leader_step * line.x_height
        if len(run) < (DOTS.far_leader if far else DOTS.leader):
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
                and 0 < other.box.x0 - end < DOTS.leader_step * line.x_height
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
        if x[number] - x[row[-1]] > DOTS.leader_step * x_height:
            break
        if abs(y[number] - y[row[-1]]) < DOTS.next * x_height:
            row.append(number)
    return row


def _holds_gutter(gap: tuple[float, float], gutters: list[tuple[float, float]]) -> bool:
    """Return whether one of the gutters lies between two places; both as left and right edge."""
    return any(gap[0] - 2 <= x0 and x1 <= gap[1] + 2 for x0, x1 in gutters)


def lone_dots(lines: list[TextLine], glyphs: Glyphs, letter: float) -> list[TextLine]:
    """Return rows of three dots that stand for lines left out, and have no words beside them."""
    size = np.maximum(glyphs.width, glyphs.height)
    free = glyphs.usable & ~owned_by(lines, glyphs) & (size < DOTS.lone * letter)
    free &= np.minimum(glyphs.width, glyphs.height) > DOTS.round * size
    dots = np.flatnonzero(free)
    if not lines or not DOTS.ellipsis <= len(dots) <= DOTS.most:
        return []
    dots = from_the_left(dots, glyphs)
    left, foot = glyphs.left[dots].astype(float), glyphs.bottom[dots].astype(float)
    step = left[None] - left[:, None]
    near = (step > 0) & (step < DOTS.step * letter)
    near &= np.abs(foot[None] - foot[:, None]) <= DOTS.shift * letter
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
        reach = ALONE.far * letter
        beside = (x0 < left[run[-1]] + reach) & (x1 > left[start] - reach)
        if (beside & (y0 < foot[start]) & (y1 >= foot[start])).any():
            continue
        if len(run) == DOTS.ellipsis and float(np.ptp(steps)) <= max(2.0, DOTS.shift * letter):
            nearest = lines[int(np.argmin(np.abs(levels - foot[start])))]
            own, level = dots[run], np.array([foot[run].mean()])
            rows.append(TextLine(glyphs.box_of(own), own, level, nearest.x_height))
    return rows
