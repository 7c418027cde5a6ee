"""Lines of text in photographs: on signs, boards and plates, before whatever stands behind them.

Regions that are darker or lighter than the middle between the extremes around them (Bernsen 1986)
are letters where their shape and the evenness of their strokes (Epshtein et al. 2010) allow it;
letters side by side, alike in height, stroke and tone, are a line. Whether it says anything is for
the reader to find out.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.pieces import connected_pieces
from amberquarry.imaging.sheet import cut_rectangle
from amberquarry.values import Box, Mapping
from amberquarry.values.groups import linked

Grey = NDArray[np.uint8]
Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class SceneLetter:
    """Regions of a photograph that may be letters (`benchmarks/scenes.py`, boards)."""

    look_px: int = 1400  # longer side of the picture in which letters are looked for
    windows: tuple[int, int] = (25, 61)  # pixels around one, against which it is light or dark
    lowest: int = 11  # pixels high, at least
    tallest: float = 0.35  # of the picture's height, at most
    largest: float = 0.02  # of the picture, at most
    narrowest: float = 0.07  # width over height
    widest: float = 2.2  # the same, at most
    fill: tuple[float, float] = (0.12, 0.92)  # of the box
    uneven: float = 0.75  # deviation of the stroke's width over its mean
    thickest: float = 0.42  # stroke over height
    contrast: float = 28.0  # grey levels between letter and background
    same: float = 0.55  # overlap over union from which two regions are one letter
    most: int = 2500  # of a picture, the clearest ones


@dataclass(frozen=True, slots=True)
class SceneRow:
    """Letters of a photograph that make a line; lengths in their heights unless said."""

    alike: float = 2.1  # ratio of heights, at most
    strokes: float = 2.0  # ratio of the widths of strokes, at most
    tones: float = 40.0  # grey levels between them, at most
    space: float = 1.1  # of white between neighbours
    level: float = 0.5  # that neighbours share, at least
    letters: int = 3  # at least
    room: tuple[float, float] = (0.35, 0.45)  # taken in above and below, before and after
    working_px: float = 44.0  # height of letters in straightened lines
    most: int = 120  # of a picture, the clearest ones
    leading: float = 1.4  # between lines of one board, at most


SEEN, ROW = SceneLetter(), SceneRow()


@dataclass(frozen=True, slots=True)
class _Letters:
    """Candidates: arrays with a row for each."""

    box: Floats  # (N, 4)
    tone: Floats
    stroke: Floats
    light: NDArray[np.bool_]  # whether lighter than what stands behind

    def take(self, rows: NDArray[np.intp]) -> _Letters:
        return _Letters(self.box[rows], self.tone[rows], self.stroke[rows], self.light[rows])

    @property
    def height(self) -> Floats:
        return self.box[:, 3] - self.box[:, 1]


@dataclass(frozen=True, slots=True)
class SceneLine:
    """A line cut out and laid level, dark on light, and where it was."""

    grey: Grey  # (H, W)
    to_source: Mapping  # from its pixels to the picture's

    def sheared(self, by: float) -> SceneLine:
        """Return the line with its letters leant over: up by one pixel, right by `by`."""
        height, width = self.grey.shape
        room = abs(by) * height
        forward = np.array([[1.0, -by, room if by > 0 else 0.0], [0.0, 1.0, 0.0]])
        flat = cv2.warpAffine(
            self.grey,
            forward,
            (round(width + room), height),
            flags=cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REPLICATE,
        )
        back = Mapping.of(np.asarray(cv2.invertAffineTransform(forward), np.float64))
        return SceneLine(np.asarray(flat, np.uint8), self.to_source.after(back))


def find_scene_lines(grey: Grey) -> list[SceneLine]:
    """Return lines of what may be text in a photograph (H, W), from the top down."""
    scale = max(1.0, max(grey.shape) / SEEN.look_px)
    size = (max(1, round(grey.shape[1] / scale)), max(1, round(grey.shape[0] / scale)))
    look = cv2.resize(grey, size, interpolation=cv2.INTER_AREA) if scale > 1 else grey
    letters = _letters(np.asarray(look, np.uint8))
    if not len(letters.box):
        return []
    found = []
    for members in _lines(letters):
        corners, height = _quadrilateral(letters.take(members))
        found.append((corners * scale, height * scale, members))
    found.sort(key=lambda line: float(line[0][:, 1].mean()))
    return [
        _straightened(grey, corners, height, bool(letters.light[members[0]]))
        for corners, height, members in found[: ROW.most]
    ]


def _letters(look: Grey) -> _Letters:
    """Return the regions of a picture that are shaped like letters."""
    height, width = look.shape
    most = int(SEEN.largest * height * width)
    if most <= 40:
        return _none()
    rows: list[tuple[float, ...]] = []
    for window in SEEN.windows:
        near = np.ones((window, window), np.uint8)
        high, low = cv2.dilate(look, near), cv2.erode(look, near)
        middle = (high.astype(np.int16) + low) // 2
        clear = high.astype(np.int16) - low >= SEEN.contrast
        for mask in (clear & (look < middle), clear & (look > middle)):
            rows += _shaped(look, mask.astype(np.uint8), most)
    if not rows:
        return _none()
    table = np.array(rows, np.float64)
    table = table[np.argsort(-table[:, 7], kind="stable")[: SEEN.most]]
    letters = _Letters(table[:, :4], table[:, 4], table[:, 5], table[:, 6] > 0)
    return letters.take(_distinct(letters))


def _shaped(look: Grey, mask: NDArray[np.uint8], most: int) -> list[tuple[float, ...]]:
    """Return the pieces of a mask that are shaped like letters, a row for each."""
    labels, stats = connected_pieces(mask)
    w, h, area = stats[:, 2], stats[:, 3], stats[:, 4]
    fits = (
        (h >= SEEN.lowest)
        & (h <= SEEN.tallest * look.shape[0])
        & (w >= SEEN.narrowest * h)
        & (w <= SEEN.widest * h)
        & (area >= SEEN.fill[0] * w * h)
        & (area <= SEEN.fill[1] * w * h)
        & (area <= most)
    )
    fits[0] = False
    rows: list[tuple[float, ...]] = []
    for number in np.flatnonzero(fits).tolist():
        left, top, wide, tall = stats[number, :4].tolist()
        own = labels[top : top + tall, left : left + wide] == number
        measured = _measure(look, own, left, top)
        if measured is not None:
            rows.append((left, top, left + wide, top + tall, *measured))
    return rows


def _none() -> _Letters:
    return _Letters(np.zeros((0, 4)), np.zeros(0), np.zeros(0), np.zeros(0, bool))


def _measure(
    look: Grey, inside: NDArray[np.bool_], x: int, y: int
) -> tuple[float, float, float, float] | None:
    """Return tone, stroke, 1 if light, and contrast of a region; None where it is no letter.

    inside: (h, w), the region in its box, whose corner lies at x, y.
    """
    h, w = inside.shape
    mask = np.pad(inside.astype(np.uint8), 1)
    depth = cv2.distanceTransform(mask, cv2.DIST_L2, 3)
    ridge = (depth >= cv2.dilate(depth, np.ones((3, 3), np.uint8))) & (mask > 0)
    widths = 2 * depth[ridge] - 0.5
    mean = float(widths.mean())
    if widths.std() > SEEN.uneven * mean or mean > SEEN.thickest * max(h, w):
        return None
    y0, y1 = max(0, y - 1), min(look.shape[0], y + h + 1)
    x0, x1 = max(0, x - 1), min(look.shape[1], x + w + 1)
    part = look[y0:y1, x0:x1]
    own = mask[y0 - y + 1 : y1 - y + 1, x0 - x + 1 : x1 - x + 1]
    behind = cv2.dilate(own, np.ones((5, 5), np.uint8)) == 0
    if not behind.any():
        return None
    tone, ground = float(np.median(part[own > 0])), float(np.median(part[behind]))
    if abs(tone - ground) < SEEN.contrast:
        return None
    return tone, mean, float(tone > ground), abs(tone - ground)


def _distinct(letters: _Letters) -> NDArray[np.intp]:
    """Return the rows of one region for each letter: the first, clearest one in each place."""
    boxes, areas = letters.box, (letters.box[:, 2:] - letters.box[:, :2]).prod(1)
    kept: list[int] = []
    for row in range(len(boxes)):
        if kept:
            others = np.array(kept)
            low = np.maximum(boxes[row, :2], boxes[others, :2])
            high = np.minimum(boxes[row, 2:], boxes[others, 2:])
            shared = np.clip(high - low, 0, None).prod(1)
            union = areas[row] + areas[others] - shared
            if ((shared > SEEN.same * union) & (letters.light[others] == letters.light[row])).any():
                continue
        kept.append(row)
    return np.array(kept, np.intp)


def _lines(letters: _Letters) -> list[NDArray[np.intp]]:
    """Return the rows of letters that stand in one line, left to right."""
    box, height = letters.box, letters.height
    larger = np.maximum(height[:, None], height[None])
    smaller = np.minimum(height[:, None], height[None])
    gap = np.maximum(box[:, None, 0], box[None, :, 0]) - np.minimum(
        box[:, None, 2], box[None, :, 2]
    )
    shared = np.minimum(box[:, None, 3], box[None, :, 3]) - np.maximum(
        box[:, None, 1], box[None, :, 1]
    )
    strokes = np.maximum(letters.stroke[:, None], letters.stroke[None]) / np.minimum(
        letters.stroke[:, None], letters.stroke[None]
    )
    near = (
        (larger < ROW.alike * smaller)
        & (gap < ROW.space * smaller)
        & (gap > -0.3 * smaller)
        & (shared > ROW.level * smaller)
        & (strokes < ROW.strokes)
        & (np.abs(letters.tone[:, None] - letters.tone[None]) < ROW.tones)
        & (letters.light[:, None] == letters.light[None])
    )
    group = linked(near)
    order = np.lexsort((box[:, 0], group))
    groups = np.split(order, np.flatnonzero(np.diff(group[order])) + 1)
    long = [members for members in groups if len(members) >= ROW.letters]
    # short words count where a line of like letters stands over or under them
    short = [
        members
        for members in groups
        if len(members) < ROW.letters and any(_beside(letters, members, line) for line in long)
    ]
    return long + short


def _beside(letters: _Letters, few: NDArray[np.intp], line: NDArray[np.intp]) -> bool:
    """Return whether a few letters stand right over or under a line, and look like its own."""
    if letters.light[few[0]] != letters.light[line[0]]:
        return False
    size, mine = float(np.median(letters.height[line])), float(letters.height[few].max())
    tone = abs(float(np.median(letters.tone[line])) - float(letters.tone[few].mean()))
    box = letters.box
    across = min(box[few, 2].max(), box[line, 2].max()) > max(box[few, 0].min(), box[line, 0].min())
    away = max(
        box[few, 1].min() - box[line, 3].max(),
        box[line, 1].min() - box[few, 3].max(),
    )
    return bool(across and 0.7 < mine / size < 1.5 and tone < ROW.tones and away < 1.2 * size)


def _quadrilateral(line: _Letters) -> tuple[Floats, float]:
    """Return the corners (4, 2) of a line with some room, from its top left, and its height."""
    height = float(np.percentile(line.height, 80))
    x = (line.box[:, 0] + line.box[:, 2]) / 2
    # letters stand on the base line or hang below it, and reach different heights: of all pairs
    # that lie well apart, most share the slope of the line
    slopes = []
    for edge in (line.box[:, 3], line.box[:, 1]):
        run, rise = x[None] - x[:, None], edge[None] - edge[:, None]
        far = run > max(1.5 * height, 0.3 * float(np.ptp(x)))
        slopes.append(rise[far] / run[far])
    known = np.concatenate(slopes)
    slope = float(np.clip(np.median(known), -0.6, 0.6)) if len(known) else 0.0
    up, aside = ROW.room[0] * height, ROW.room[1] * height
    level_top = line.box[:, 1] - slope * x
    level_foot = line.box[:, 3] - slope * x
    top, foot = float(level_top.min()) - up, float(level_foot.max()) + up
    left, right = float(line.box[:, 0].min()) - aside, float(line.box[:, 2].max()) + aside
    return (
        np.array(
            [
                [left, top + slope * left],
                [right, top + slope * right],
                [right, foot + slope * right],
                [left, foot + slope * left],
            ]
        ),
        height,
    )


def _straightened(grey: Grey, corners: Floats, height: float, light: bool) -> SceneLine:
    scale = ROW.working_px / height
    width = max(4, round(float(np.linalg.norm(corners[1] - corners[0])) * scale))
    tall = max(4, round(float(np.linalg.norm(corners[3] - corners[0])) * scale))
    if scale < 0.7:  # average before sampling
        grey = np.asarray(cv2.GaussianBlur(grey, (0, 0), 0.4 / scale), np.uint8)
    flat, to_source = cut_rectangle(grey, corners, (width, tall))
    return SceneLine(255 - flat if light else flat, to_source)


def group_boards(boxes: list[Box]) -> list[list[int]]:
    """Return which lines stand on one board, from top to bottom; boards left to right in rows."""
    box = np.array(boxes, float).reshape(-1, 4)
    height = box[:, 3] - box[:, 1]
    across = np.minimum(box[:, None, 2], box[None, :, 2]) - np.maximum(
        box[:, None, 0], box[None, :, 0]
    )
    gap = np.maximum(box[:, None, 1], box[None, :, 1]) - np.minimum(
        box[:, None, 3], box[None, :, 3]
    )
    smaller = np.minimum(height[:, None], height[None])
    near = (
        (across > 0) & (gap < ROW.leading * smaller) & (height[:, None] < ROW.alike * height[None])
    )
    group = linked(near & near.T)
    boards = [sorted(np.flatnonzero(group == n), key=lambda n: box[n, 1]) for n in np.unique(group)]
    rows: list[list[list[int]]] = []
    foot = -np.inf
    for board in sorted(boards, key=lambda board: float(box[board, 1].min())):
        members = [int(n) for n in board]
        top, low = float(box[members, 1].min()), float(box[members, 3].max())
        if rows and (top + low) / 2 < foot:
            rows[-1].append(members)
        else:
            rows.append([members])
            foot = low
    return [board for row in rows for board in sorted(row, key=lambda b: float(box[b, 0].min()))]
