"""Dotted and dashed rules: borders, separators and lines to write on; no bullets and no text."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amberquarry.values import Box
from amberquarry.values.groups import linked_pairs


@dataclass(frozen=True, slots=True)
class Dotted:
    """What dots must show to be a rule; tried on borders of all styles at three resolutions."""

    largest: float = 0.6  # letters of a dot or short dash
    reach: float = 1.6  # letters from one to the next, at most
    same_size: float = 0.3  # of its size, by which the next one differs
    off_line: float = 0.25  # of its size, by which the next one lies off the line
    pixel: float = 1.0  # more than that, since pixels are whole
    fewest_across: int = 10
    fewest_down: int = 4
    widest_pitch: float = 2.3  # sizes of a dot: bullets of a list stand further apart
    same_pitch: float = 0.25  # of the pitch, by which single ones differ
    mostly: float = 0.8  # of the pitches that are alike
    textured: float = 0.5  # of the dots that stand in rows both ways: a screened tint
    beside: float = 4.0  # letters from its end to a letter on the line of dots that lead to it
    most_dots: int = 6000  # of a page: more are noise


DOTTED = Dotted()


def dotted_rules(stats: NDArray[np.int32], letter: float) -> list[tuple[NDArray[np.int64], Box]]:
    """Return the pieces of each dotted rule, and the box around it.

    Dots of one size at one distance in a line are a rule where no letter stands on that line beside
    them, as those of a leader's entry do; upright ones always.
    stats: left, top, width, height and area of the page's pieces, the first is its ground.
    """
    from scipy.spatial import cKDTree  # slow to load

    width, height = stats[:, 2], stats[:, 3]
    small = np.maximum(width, height) <= DOTTED.largest * letter
    small[0] = False
    dots = np.flatnonzero(small)
    if not DOTTED.fewest_down <= len(dots) <= DOTTED.most_dots:
        return []
    boxes = stats[dots, :4].astype(float)
    middle = boxes[:, :2] + boxes[:, 2:] / 2
    pairs = cKDTree(middle).query_pairs(DOTTED.reach * letter, output_type="ndarray")
    if not len(pairs):
        return []
    sizes = boxes[:, 2:]
    one, two = pairs.T
    alike = np.abs(sizes[one] - sizes[two]) <= DOTTED.same_size * sizes[one] + DOTTED.pixel
    pairs = pairs[alike.all(1)]
    rows = [_rows(pairs, middle, sizes, axis) for axis in (0, 1)]
    both = [np.isin(np.arange(len(dots)), np.concatenate([[-1], *found])) for found in rows]
    found: list[tuple[NDArray[np.int64], Box]] = []
    # upright ones first: where they cross, dots that touch are as tall as letters
    for axis, members in [(1, row) for row in rows[1]] + [(0, row) for row in rows[0]]:
        if both[1 - axis][members].mean() > DOTTED.textured:
            continue
        pieces = dots[members]
        x0, y0 = stats[pieces, :2].min(0).tolist()
        x1, y1 = (stats[pieces, :2] + stats[pieces, 2:4]).max(0).tolist()
        box = Box(float(x0), float(y0), float(x1), float(y1))
        if axis == 1 or not _leads(box, stats, [rule for _, rule in found], letter):
            found.append((pieces, box))
    return found


def _rows(
    pairs: NDArray[np.int64], middle: NDArray[np.float64], sizes: NDArray[np.float64], axis: int
) -> list[NDArray[np.int64]]:
    """Return the dots of each row along an axis that stand at one distance."""
    one, two = pairs.T
    turned = middle[one, axis] > middle[two, axis]
    one, two = np.where(turned, two, one), np.where(turned, one, two)
    step = np.abs(middle[two] - middle[one])
    room = DOTTED.off_line * sizes[one].max(1) + DOTTED.pixel
    in_line = (step[:, 1 - axis] <= room) & (step[:, axis] > step[:, 1 - axis])
    if not in_line.any():
        return []
    one, two, along = one[in_line], two[in_line], step[in_line, axis]
    nearest = np.lexsort((along, one))
    one, two = one[nearest], two[nearest]
    first = np.append(True, one[1:] != one[:-1])
    count = len(middle)
    group = linked_pairs(one[first], two[first], count)
    order = np.argsort(group, kind="stable")
    rows = np.split(order, np.flatnonzero(np.diff(group[order])) + 1)
    fewest = DOTTED.fewest_across if axis == 0 else DOTTED.fewest_down
    return [row for row in rows if len(row) >= fewest and _is_even(middle, sizes, row, axis)]


def _is_even(
    middle: NDArray[np.float64], sizes: NDArray[np.float64], row: NDArray[np.int64], axis: int
) -> bool:
    pitches = np.diff(np.sort(middle[row, axis]))
    usual = float(np.median(pitches))
    size = float(np.median(sizes[row].max(1)))
    if usual > DOTTED.widest_pitch * size + DOTTED.pixel:
        return False
    alike = np.abs(pitches - usual) <= DOTTED.same_pitch * usual + DOTTED.pixel
    return bool(alike.mean() >= DOTTED.mostly)


def _leads(box: Box, stats: NDArray[np.int32], rules: list[Box], letter: float) -> bool:
    """Return whether letters stand on the line of some dots, right before or after them.

    rules: dotted ones, whose pieces are no letters.
    """
    left, top, width, height = stats[1:, :4].T
    tall = height > DOTTED.largest * letter
    for rule in rules:
        tall &= (left < rule.x0 - 1) | (left + width > rule.x1 + 1)
    level = (top < box.y1) & (top + height > box.y0)
    room = DOTTED.beside * letter
    before = (left + width > box.x0 - room) & (left + width <= box.x0 + 1)
    after = (left < box.x1 + room) & (left >= box.x1 - 1)
    return bool((tall & level & (before | after)).any())
