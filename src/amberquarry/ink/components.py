"""The connected pieces of a page's ink, with rules and pictures taken out."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.light import noise_level
from amberquarry.imaging.pieces import Labels, boxes_of_pieces, connected_pieces
from amberquarry.imaging.shrink import in_blocks
from amberquarry.ink.dotted import dotted_rules
from amberquarry.values import Box

_RULE_LETTERS = 4.0  # a straight run longer than this many letter heights is a rule
_RULE_THICKNESS = 0.45  # of the letter height, at most
_ROUGH_RULE = 0.9  # narrower than this in letters, a large piece is a rule
_TALLEST_LETTER = 6.0
_WIDEST_LETTER = 9.0
_HEADLINE, _MOST_HEADLINE = (2.0, 16.0), 2000  # letters high; more such pieces are a picture
_FRAME_FILL = 0.06  # a large piece that fills less of its box is an outline: others may lie inside
_SPECK = 0.11  # of the letter height, squared: pieces of less ink are dust
# Rounded corners and short sides of frames: share of their box that they fill; letters that a side
# is long at least, and a corner wide at most.
_CORNER_FILL, _SIDE, _CORNER = 0.35, 2.2, 1.2
# A straight side, no stem of a letter at a rule: over its width, and letters long at least.
_STRAIGHT, _STRAIGHT_SIDE = 8.0, 1.6
# Letters: thickness of hairlines at most; how high one that stands alone is, and how long one is
# that goes on in the line of a rule; its length over its thickness; pixels off that line; gap; how
# high one is that needs not stand over others, and how many do.
_HAIR_SURE, _HAIRS = 2.6, 3
_HAIR, _HAIR_TALL, _HAIR_LONG, _HAIR_STRAIGHT, _ONE_LINE, _HAIR_GAP = 0.14, 1.7, 0.4, 5.0, 2.0, 2.5
_PHOTO_BLOCK = 8
# Grey levels of photographs; the palest on smooth paper, and how much lower that lies for each
# level by which the noise of the paper deviates.
_MIDDLE_GREY, _PALE_GREY, _PALE_NOISE = (71, 214), 235, 10
_PURE, _PALE_ON_PURE = 0.8, 246  # share of pure white on a page that was printed, not scanned
# Of letters in a shadow: their sizes in usual ones, how many at least, share of the ink there.
_LETTER_SIZES, _FEWEST_LETTERS, _LETTERS = (0.45, 2.0), 12, 0.5
_ACROSS, _RULE_PX = 0.8, 3  # of a grid, that a rule runs through it; how thick that is
_PART = 0.2  # of the longest toned part of a photograph, that others have
_PAPER, _TONED = 235, 0.2  # level of plain paper; share of a row that is darker in a photograph


@dataclass(frozen=True)
class Components:
    """Pieces of ink as arrays, index 0 is the ground and never a piece."""

    labels: Labels  # (H, W)
    left: NDArray[np.int32]
    top: NDArray[np.int32]
    right: NDArray[np.int32]  # exclusive
    bottom: NDArray[np.int32]
    area: NDArray[np.int32]
    usable: NDArray[np.bool_]  # can belong to text
    rules: NDArray[np.uint8]  # (H, W), 1 where a rule or form line was taken out
    pictures: list[Box]
    strokes: list[Box]  # of drawn lines that are no straight rules
    rule_boxes: list[Box]  # of rules outside pictures, those that touch as one: frames and grids

    def upside_down(self) -> Components:
        """Return the same pieces on the page turned by 180 degrees."""
        height, width = self.labels.shape
        return Components(
            self.labels[::-1, ::-1],
            width - self.right,
            height - self.bottom,
            width - self.left,
            height - self.top,
            self.area,
            self.usable,
            self.rules[::-1, ::-1],
            *(
                [Box(width - b.x1, height - b.y1, width - b.x0, height - b.y0) for b in boxes]
                for boxes in (self.pictures, self.strokes, self.rule_boxes)
            ),
        )

    @cached_property
    def height(self) -> NDArray[np.int32]:
        """Height of each piece."""
        return self.bottom - self.top

    @cached_property
    def width(self) -> NDArray[np.int32]:
        """Width of each piece."""
        return self.right - self.left

    def boxes_of(self, pieces: NDArray[np.int64] | NDArray[np.bool_]) -> NDArray[np.float32]:
        """Return the boxes (N, 4) of some pieces, in pixels."""
        edges = (self.left, self.top, self.right, self.bottom)
        return np.stack([edge[pieces] for edge in edges], axis=1).astype(np.float32)

    def box_of(self, pieces: NDArray[np.int64]) -> Box:
        """Return the box around some pieces; ValueError without any."""
        return Box(
            float(self.left[pieces].min()),
            float(self.top[pieces].min()),
            float(self.right[pieces].max()),
            float(self.bottom[pieces].max()),
        )

    def frames(self, edge: float) -> list[Box]:
        """Return the boxes of rules that enclose an area with no rule in it.

        edge: how far from the box's own edges, in pixels, its rules may lie.
        """
        found = []
        for box in self.rule_boxes:
            x0, y0, x1, y1 = (
                round(v) for v in (box.x0 + edge, box.y0 + edge, box.x1 - edge, box.y1 - edge)
            )
            if x1 > x0 and y1 > y0 and not self.rules[y0:y1, x0:x1].any():
                found.append(box)
        return found

    def grids(self, least: float) -> list[list[list[Box]]]:
        """Return grids and frames of some size as rows of cells, from rule to rule.

        least: height and width of a grid, in pixels.
        """
        found: list[list[list[Box]]] = []
        for box in self.rule_boxes:
            if min(box.width, box.height) <= least:
                continue
            x0, y0, x1, y1 = (round(edge) for edge in box)
            drawn = self.rules[y0:y1, x0:x1]
            edges = [y0, *(y0 + _lines_in(drawn, 1)), y1]
            found.append([])
            for top, foot in pairwise(edges):
                if foot - top > _RULE_PX:
                    inner = drawn[top - y0 + _RULE_PX : max(top + 1, foot - _RULE_PX) - y0]
                    upright = [x0, *(x0 + _lines_in(inner, 0)), x1]
                    cells = [Box(a, top, b, foot) for a, b in pairwise(upright) if b - a > _RULE_PX]
                    found[-1].append(cells)
        return found


def _lines_in(drawn: NDArray[np.uint8], axis: int) -> NDArray[np.int64]:
    """Return where rules run through a grid: rows (axis 1) or columns (0), one for each rule."""
    if not drawn.size:
        return np.zeros(0, np.int64)
    kernel = np.ones((3, 1) if axis == 1 else (1, 3), np.uint8)
    through = np.flatnonzero(cv2.dilate(drawn, kernel).mean(axis) > _ACROSS)
    return through[np.diff(through, append=np.iinfo(np.int64).max) > 1]


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
        rows = np.flatnonzero(_holds_run(whole.view(np.uint64) == 0x0101010101010101, least, 1))
        if len(rows):
            result[rows] = _opened(ink[rows], length)
        return result
    blocks = ink[: height // block * block : block].copy()
    for row in range(1, block):
        blocks &= ink[row : height // block * block : block]
    columns = np.flatnonzero(_holds_run(blocks.astype(bool), least, 0))
    if len(columns):
        result[:, columns] = _opened(np.ascontiguousarray(ink[:, columns].T), length).T
    return result


def _holds_run(mask: NDArray[np.bool_], length: int, axis: int) -> NDArray[np.bool_]:
    """Return for each row (axis 1) or column (axis 0) whether it holds a run of `length`."""
    kept, reach = mask.copy(), 1
    while reach < length:
        step = min(reach, length - reach)
        if axis == 1:
            kept[:, :-step] &= kept[:, step:]
            kept[:, -step:] = False
        else:
            kept[:-step] &= kept[step:]
            kept[-step:] = False
        reach += step
    return np.asarray(kept.any(axis))


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
    length = max(24, round(_RULE_LETTERS * letter))
    thick = max(4, round(_RULE_THICKNESS * letter))
    found = []
    for axis in (1, 0):
        runs = _runs(ink, length, axis) if ink.shape[axis] > length else np.zeros_like(ink)
        bold = _runs(runs, thick + 1, 1 - axis) if cv2.hasNonZero(runs) else runs
        if cv2.hasNonZero(bold):
            runs = cv2.subtract(runs, cv2.dilate(bold, np.ones((3, 3), np.uint8)))
        found.append(runs)
    return found


def find_photographs(grey: NDArray[np.uint8], letter: float) -> NDArray[np.bool_]:
    """Return where middle greys prevail over an area no letters fill, in blocks of 8 pixels.

    A photograph that was evened like paper is pale grain; where paper itself is grainy, only what
    is darker tells.
    """
    thin = np.ascontiguousarray(grey[::2, ::2])
    if (thin == 255).mean() > _PURE:
        palest = _PALE_ON_PURE
    else:
        palest = max(_MIDDLE_GREY[1], round(_PALE_GREY - _PALE_NOISE * noise_level(grey)))
    middle = cv2.inRange(thin, _MIDDLE_GREY[0], palest)
    share = in_blocks(np.asarray(middle, np.uint8), _PHOTO_BLOCK // 2)
    window = max(3, round(2.0 * letter / _PHOTO_BLOCK)) | 1
    share = cv2.blur(share, (window, window))
    mask = (share > 0.5 * 255).astype(np.uint8)
    reach = max(3, round(3 * letter / _PHOTO_BLOCK))
    kernel = np.ones((reach, reach), np.uint8)
    mask = cv2.morphologyEx(cv2.morphologyEx(mask, cv2.MORPH_OPEN, kernel), cv2.MORPH_CLOSE, kernel)
    # the window blurs the edge of the picture: its last strokes belong to it too
    return cv2.dilate(mask, np.ones((window, window), np.uint8)).astype(bool)


def find_components(ink: NDArray[np.uint8], grey: NDArray[np.uint8], letter: float) -> Components:
    """Return the pieces of ink that may be text, the rules, and the boxes of pictures.

    letter: the usual height of letters in pixels.
    """
    across, down = find_rules(ink, letter)
    rules = across | down
    if cv2.hasNonZero(rules):
        # the rule's soft edge goes with it, but not what crosses it
        ink = cv2.subtract(ink, cv2.dilate(rules, np.ones((3, 3), np.uint8)))
    across_boxes, down_boxes = (
        boxes_of_pieces(part) if cv2.hasNonZero(part) else [] for part in (across, down)
    )
    labels, stats = connected_pieces(ink)
    left, top, width, height, area = stats.T
    large = (
        (height > _TALLEST_LETTER * letter)
        | (width > _WIDEST_LETTER * letter) & (height > 1.6 * letter)
        | (width > 25 * letter)
    )
    large[0] = False
    large &= ~_of_headlines(left, top, width, height, letter)
    fill = area / np.maximum(1, width * height)
    # rough or slanting rules, which no straight run covers, and frames
    drawn = large & ((np.minimum(width, height) < _ROUGH_RULE * letter) | (fill < _FRAME_FILL))
    both = drawn & (np.minimum(width, height) >= _ROUGH_RULE * letter)
    if cv2.hasNonZero(rules):  # rounded corners and short sides of frames
        at_across, at_down = (
            _touching(labels, part, boxes, len(area))
            for part, boxes in ((across, across_boxes), (down, down_boxes))
        )
        touching = at_across | at_down
        longer, shorter = np.maximum(width, height), np.minimum(width, height)
        small = (fill < _CORNER_FILL) & (shorter < _CORNER * letter)
        drawn |= ((at_across & at_down) | (touching & (longer > _SIDE * letter))) & small
        drawn |= touching & (longer > np.maximum(_STRAIGHT * shorter, _STRAIGHT_SIDE * letter))
    drawn |= _broken_rules(stats, across_boxes, down_boxes, letter)
    for dots, box in dotted_rules(stats, letter):
        drawn[dots] = True
        x0, y0, x1, y1 = map(round, box)
        rules[y0:y1, x0:x1] = 1
    for i in np.flatnonzero(drawn).tolist():
        own = np.s_[top[i] : top[i] + height[i], left[i] : left[i] + width[i]]
        rules[own] |= labels[own] == i
    pictures = [
        Box(left[i], top[i], left[i] + width[i], top[i] + height[i])
        for i in np.flatnonzero(large & ~drawn)
    ]
    photographs = find_photographs(grey, letter)
    if photographs.any():
        _, boxes = connected_pieces(photographs.astype(np.uint8))
        toned = [_trimmed(box, grey) for box in (_PHOTO_BLOCK * boxes[1:, :4]).tolist()]
        pictures += [box for box in toned if not _holds_letters(box, stats, letter)]
    pictures = merge_boxes(pictures, letter)
    usable = ~large & ~drawn & (area >= max(4, (_SPECK * letter) ** 2))
    usable[0] = False
    middle_x, middle_y = left + width / 2, top + height / 2
    for box in pictures:
        usable &= ~(
            (middle_x >= box.x0) & (middle_x < box.x1) & (middle_y >= box.y0) & (middle_y < box.y1)
        )
    strokes = [
        Box(left[i], top[i], left[i] + width[i], top[i] + height[i]) for i in np.flatnonzero(both)
    ]
    return Components(
        labels,
        left,
        top,
        left + width,
        top + height,
        area,
        usable,
        rules,
        pictures,
        strokes,
        _boxes_of_rules(rules, pictures),
    )


def core_letters(found: Components, letter: float) -> NDArray[np.bool_]:
    """Return which pieces are tall enough to say where a line runs."""
    return found.usable & (found.height >= 0.5 * letter) & (found.width >= 0.08 * letter)


def _holds_letters(box: Box, stats: NDArray[np.int32], letter: float) -> bool:
    """Return whether the ink in a toned area is letters: text in a shadow, and no photograph.

    stats: of the page's pieces, as `connected_pieces` gives them.
    """
    left, top, width, height, area = stats[1:].T
    x, y = left + width / 2, top + height / 2
    inside = (x >= box.x0) & (x < box.x1) & (y >= box.y0) & (y < box.y1)
    tall = (height > _LETTER_SIZES[0] * letter) & (height < _LETTER_SIZES[1] * letter)
    letters = inside & tall & (width < _LETTER_SIZES[1] * letter)
    return bool(
        letters.sum() >= _FEWEST_LETTERS and area[letters].sum() > _LETTERS * area[inside].sum()
    )


def _boxes_of_rules(rules: NDArray[np.uint8], pictures: list[Box]) -> list[Box]:
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


def _broken_rules(
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
    for axis, rules, tall in ((1, down, _HAIR_TALL), (0, across, math.inf)):
        start, end, middle, thickness = _spans(stats, axis)
        thin = (thickness < _HAIR * letter) & (end - start > _HAIR_LONG * letter)
        thin &= end - start > _HAIR_STRAIGHT * thickness
        thin[0] = False
        found = thin & (end - start > tall * letter)
        # a stroke as high as its line of text stands over others in a table, not in a formula
        low = found & (end - start < _HAIR_SURE * letter)
        aligned = np.abs(middle[low][:, None] - middle[found][None]) <= _ONE_LINE
        found[low] = aligned.sum(1) >= _HAIRS
        pieces = np.stack([start, end, middle])
        whole = np.stack(_spans(np.array(rules, np.int32).reshape(-1, 4), axis)[:3])
        ends = np.concatenate([whole, pieces[:, found]], 1)
        rest = np.flatnonzero(thin & ~found)
        while len(rest) and ends.size:
            gap = np.maximum(
                ends[0][None] - end[rest][:, None], start[rest][:, None] - ends[1][None]
            )
            in_line = np.abs(ends[2][None] - middle[rest][:, None]) <= _ONE_LINE
            fits = (in_line & (gap < _HAIR_GAP * letter)).any(1)
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


def _of_headlines(
    left: NDArray[np.int32],
    top: NDArray[np.int32],
    width: NDArray[np.int32],
    height: NDArray[np.int32],
    letter: float,
) -> NDArray[np.bool_]:
    """Return which pieces stand in a row with others of their height: large letters."""
    result = np.zeros(len(left), bool)
    index = np.flatnonzero(
        (height > _HEADLINE[0] * letter) & (height < _HEADLINE[1] * letter) & (width < 2 * height)
    )
    tall = index[height[index] > _TALLEST_LETTER * letter]
    if not len(tall) or len(index) > _MOST_HEADLINE:
        return result
    a, b = tall[:, None], index[None]
    shared = np.minimum(top[a] + height[a], top[b] + height[b]) - np.maximum(top[a], top[b])
    gap = np.maximum(left[a], left[b]) - np.minimum(left[a] + width[a], left[b] + width[b])
    beside = (gap > -0.2 * height[a]) & (gap < 0.8 * height[a])
    # letters that touch are as tall as an ascender and a descender: twice a small letter
    beside &= (height[b] > 0.4 * height[a]) & (height[b] < 2 * height[a]) & (a != b)
    beside &= shared > 0.5 * np.minimum(height[a], height[b])
    result[tall[beside.sum(1) >= 2]] = True
    return result


def _trimmed(area: list[int], grey: NDArray[np.uint8]) -> Box:
    """Return the box of a photograph without the paper and the first lines of text around it.

    area: left, top, width, height.
    """
    x, y, width, height = area
    toned = grey[y : y + height, x : x + width] < _PAPER
    rows, columns = (toned.mean(axis) > _TONED for axis in (1, 0))
    if not rows.any() or not columns.any():
        return Box(x, y, x + width, y + height)
    (top, foot), (left, right) = _main_part(rows), _main_part(columns)
    return Box(float(x + left), float(y + top), float(x + right), float(y + foot))


def _main_part(marked: NDArray[np.bool_]) -> tuple[int, int]:
    """Return from where to where the long runs of what is marked reach; something must be."""
    edges = np.flatnonzero(np.diff(marked, prepend=False, append=False)).reshape(-1, 2)
    lengths = edges[:, 1] - edges[:, 0]
    long = edges[lengths >= _PART * lengths.max()]
    return int(long[0, 0]), int(long[-1, 1])


def merge_boxes(boxes: list[Box], near: float) -> list[Box]:
    """Return boxes, those that overlap or lie nearer than `near` joined, tiny ones dropped."""
    boxes = list(boxes)
    joined = True
    while joined:
        joined = False
        kept: list[Box] = []
        for box in boxes:
            for number, other in enumerate(kept):
                if (
                    box.x0 - near < other.x1
                    and other.x0 - near < box.x1
                    and box.y0 - near < other.y1
                    and other.y0 - near < box.y1
                ):
                    kept[number] = Box.around([box, other])
                    joined = True
                    break
            else:
                kept.append(box)
        boxes = kept
    return [box for box in boxes if min(box.width, box.height) > 1.5 * near]
