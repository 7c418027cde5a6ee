"""Rules on a page's ink: long straight strokes, frames with round corners, broken hairlines."""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.pieces import Labels, boxes_of_pieces
from amberquarry.values import Box


@dataclass(frozen=True, slots=True)
class Straight:
    """A rule in a picture; lengths in letters unless said (`benchmarks/layout.py`)."""

    length: float = 4.0  # longer than that a straight run is a rule
    least_px: int = 24
    thickness: float = 0.45  # at most
    least_thick_px: int = 4


@dataclass(frozen=True, slots=True)
class Corner:
    """Rounded corners and short sides of frames, which lie at a rule; lengths in letters."""

    fill: float = 0.35  # of their box, at most
    side: float = 2.2  # long at least
    wide: float = 1.2  # at most
    straight: float = 8.0  # a straight side, no stem of a letter at a rule: over its width
    straight_side: float = 1.6  # long at least


@dataclass(frozen=True, slots=True)
class Hairline:
    """Parts of rules that faint print or a scanner broke; lengths in letters."""

    thickness: float = 0.14  # at most
    tall: float = 1.7  # one that stands alone, higher than any stroke
    long: float = 0.4  # one that goes on in the line of a rule
    straight: float = 5.0  # its length over its thickness
    in_line_px: float = 2.0  # off that line
    gap: float = 2.5  # along it
    sure: float = 2.6  # high enough to need none that stand over others
    stacked: int = 3  # that stand over each other, else


STRAIGHT, CORNER, HAIRLINE = Straight(), Corner(), Hairline()


def _runs(ink: NDArray[np.uint8], length: int, axis: int) -> NDArray[np.uint8]:
    """Return the ink that lies in straight runs of at least `length` pixels along an axis.

    An opening. Rows without a run are ruled out on a picture with columns in blocks, the others
    are opened by and/or with doubled shifts, whose cost grows with log(length).
    """
    result = np.zeros_like(ink)
    block = 8
    least = length // block - 1  # whole blocks that a run must fill
    height, width = ink.shape
    if axis == 1:
        whole = np.ascontiguousarray(ink[:, : width // block * block])
        full = whole.view(np.uint64) == 0x0101010101010101
        rows = np.flatnonzero(full.sum(1) >= least)
        rows = rows[_holds_run(full[rows], least)]
        if len(rows):
            result[rows] = _opened(ink[rows], length)
        return result
    blocks = ink[: height // block * block : block].copy()
    for row in range(1, block):
        blocks &= ink[row : height // block * block : block]
    columns = np.flatnonzero(blocks.sum(0) >= least)
    columns = columns[_holds_run(blocks[:, columns].T > 0, least)]
    if len(columns):
        result[:, columns] = _opened(np.ascontiguousarray(ink[:, columns].T), length).T
    return result


def _holds_run(mask: NDArray[np.bool_], length: int) -> NDArray[np.bool_]:
    """Return for each row whether it holds a run of `length`."""
    kept, reach = mask.copy(), 1
    while reach < length:
        step = min(reach, length - reach)
        kept[:, :-step] &= kept[:, step:]
        kept[:, -step:] = False
        reach += step
    return np.asarray(kept.any(1))


def _opened(kept: NDArray[np.uint8], length: int) -> NDArray[np.uint8]:
    reach = 1
    while reach < length:
        step = min(reach, length - reach)
        kept[:, :-step] &= kept[:, step:]
        kept[:, -step:] = 0
        reach += step
    reach = 1
    while reach < length:
        step = min(reach, length - reach)
        kept[:, step:] |= kept[:, :-step].copy()
        reach += step
    return kept


def find_rules(ink: NDArray[np.uint8], letter: float) -> list[NDArray[np.uint8]]:
    """Return two pictures (H, W), 1 where ink lies in rules: long, thin runs across, and down."""
    length = max(STRAIGHT.least_px, round(STRAIGHT.length * letter))
    thick = max(STRAIGHT.least_thick_px, round(STRAIGHT.thickness * letter))
    found = []
    for axis in (1, 0):
        runs = _runs(ink, length, axis) if ink.shape[axis] > length else np.zeros_like(ink)
        bold = _runs(runs, thick + 1, 1 - axis) if cv2.hasNonZero(runs) else runs
        if cv2.hasNonZero(bold):
            runs = cv2.subtract(runs, cv2.dilate(bold, np.ones((3, 3), np.uint8)))
        found.append(runs)
    return found


def corners_of_frames(
    labels: Labels,
    stats: NDArray[np.int32],
    across: tuple[NDArray[np.uint8], list[tuple[int, int, int, int]]],
    down: tuple[NDArray[np.uint8], list[tuple[int, int, int, int]]],
    letter: float,
) -> NDArray[np.bool_]:
    """Return which pieces are round corners and short sides of frames: they lie at rules.

    stats: of the pieces. across, down: rules as a picture (H, W), and their boxes.
    """
    *_, width, height, area = stats.T
    at_across, at_down = (_touching(labels, *part, len(area)) for part in (across, down))
    touching = at_across | at_down
    longer, shorter = np.maximum(width, height), np.minimum(width, height)
    fill = area / np.maximum(1, width * height)
    small = (fill < CORNER.fill) & (shorter < CORNER.wide * letter)
    sides = touching & (longer > CORNER.side * letter)
    straight = np.maximum(CORNER.straight * shorter, CORNER.straight_side * letter)
    return np.asarray((((at_across & at_down) | sides) & small) | (touching & (longer > straight)))


def _touching(
    labels: Labels,
    rules: NDArray[np.uint8],
    boxes: list[tuple[int, int, int, int]],
    count: int,
) -> NDArray[np.bool_]:
    """Return which pieces lie at a rule. boxes: of the rules."""
    touched = np.zeros(count, bool)
    for x, y, width, height in boxes:
        around = np.s_[max(0, y - 2) : y + height + 2, max(0, x - 2) : x + width + 2]
        near = cv2.dilate(rules[around], np.ones((5, 5), np.uint8)) > 0
        touched[labels[around][near]] = True
    touched[0] = False
    return touched


def broken_rules(
    stats: NDArray[np.int32],
    across: list[tuple[int, int, int, int]],
    down: list[tuple[int, int, int, int]],
    letter: float,
) -> NDArray[np.bool_]:
    """Return which pieces are parts of a rule that is broken in faint print or by a scanner.

    Upright hairlines higher than any stroke that stands alone are; others where they go on in the
    line of a rule. stats: of the page's pieces; across, down: boxes of the whole rules.
    """
    broken = np.zeros(len(stats), bool)
    for axis, rules, tall in ((1, down, HAIRLINE.tall), (0, across, math.inf)):
        start, end, middle, thickness = _spans(stats, axis)
        thin = (thickness < HAIRLINE.thickness * letter) & (end - start > HAIRLINE.long * letter)
        thin &= end - start > HAIRLINE.straight * thickness
        thin[0] = False
        found = thin & (end - start > tall * letter)
        # a stroke as high as its line of text stands over others in a table, not in a formula
        low = found & (end - start < HAIRLINE.sure * letter)
        aligned = np.abs(middle[low][:, None] - middle[found][None]) <= HAIRLINE.in_line_px
        found[low] = aligned.sum(1) >= HAIRLINE.stacked
        pieces = np.stack([start, end, middle])
        whole = np.stack(_spans(np.array(rules, np.int32).reshape(-1, 4), axis)[:3])
        ends = np.concatenate([whole, pieces[:, found]], 1)
        rest = np.flatnonzero(thin & ~found)
        while len(rest) and ends.size:
            gap = np.maximum(
                ends[0][None] - end[rest][:, None], start[rest][:, None] - ends[1][None]
            )
            in_line = np.abs(ends[2][None] - middle[rest][:, None]) <= HAIRLINE.in_line_px
            fits = (in_line & (gap < HAIRLINE.gap * letter)).any(1)
            found[rest[fits]] = True
            ends = pieces[:, rest[fits]]
            rest = rest[~fits]
        broken |= found
    return broken


def _spans(boxes: NDArray[np.int32], axis: int) -> tuple[NDArray[np.float64], ...]:
    """Return start and end of boxes along an axis, and their middle and thickness across it.

    boxes: left, top, width and height of each.
    """
    start, size = boxes[:, axis].astype(float), boxes[:, axis + 2]
    across, thickness = boxes[:, 1 - axis], boxes[:, 3 - axis].astype(float)
    return start, start + size, across + thickness / 2, thickness


def boxes_of_rules(rules: NDArray[np.uint8], pictures: list[Box]) -> list[Box]:
    """Return the boxes of rules outside pictures, those that touch as one."""
    if not cv2.hasNonZero(rules):
        return []
    # the soft edge that went with a rule parts it from the short sides of a box
    near = cv2.dilate(rules, np.ones((3, 3), np.uint8))
    found = [
        Box(float(x + 1), float(y + 1), float(x + w - 1), float(y + h - 1))
        for x, y, w, h in boxes_of_pieces(near)
    ]
    return [box for box in found if not any(area.contains(*box.middle) for area in pictures)]
