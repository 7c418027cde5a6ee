"""Find a sheet of paper on a photograph, and lay it flat."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.shrink import in_blocks
from amberquarry.values import Mapping

Grey = NDArray[np.uint8]
Mask = NDArray[np.bool_]
Corners = NDArray[np.float64]  # (4, 2): x, y; clockwise from the sheet's top left


@dataclass(frozen=True, slots=True)
class Look:
    """The pictures on which the sides of a sheet are searched and measured: longer sides."""

    coarse: int = 480  # pixels: search
    fine: int = 1400  # pixels: measurement


@dataclass(frozen=True, slots=True)
class Side:
    """A side of a sheet in a photograph."""

    most: int = 10  # candidates in each direction, beside the frame's own edges
    steepest: float = 35.0  # degrees from upright or level
    step: float = 3.0  # pixels before and behind it where sheet and ground are compared
    contrast: float = 14.0  # grey levels by which the sheet stands out
    support: float = 0.55  # of each side that shows in the frame
    mean_support: float = 0.75  # of all of them
    sides: int = 3  # that show: a dark bar along one side of a page makes no sheet
    parallel: float = 0.4  # degrees between sides that count as parallel


@dataclass(frozen=True, slots=True)
class SheetShape:
    """What makes a sheet of four sides."""

    area: float = 0.2  # share of the frame, at least
    as_light: float = 0.92  # of its level: paper beside it, as of a facing page
    other: float = 0.5  # of its area, that such paper takes
    proportion: float = 3.2  # of the longer side to the shorter one


LOOK, SIDE, SHAPE = Look(), Side(), SheetShape()


@dataclass(frozen=True, slots=True)
class _Side:
    """A straight line that may bound the sheet, and how well it parts light from dark."""

    point: NDArray[np.float64]  # (2,)
    along: NDArray[np.float64]  # (2,) unit vector, to the right or down
    support: NDArray[np.float64] | None  # summed along the line for either sense; None: the frame
    start: float  # place along the line of the first sample


def find_sheet(grey: Grey) -> Corners | None:
    """Return the corners of a sheet that lies on a darker ground, None where none stands out.

    grey: (H, W). Corners are in its pixels and may lie beyond the frame. Sides are straight lines
    with the sheet lighter than the ground along most of them; at least three must show.
    """
    height, width = grey.shape
    scale = LOOK.coarse / max(height, width)
    if min(height, width) * scale < 60 or scale > 1:
        return None
    size = (round(width * scale), round(height * scale))
    blocks = in_blocks(grey, int(1 / scale))
    small = np.asarray(cv2.resize(blocks, size, interpolation=cv2.INTER_AREA), np.uint8)
    if _paper_all_around(small):
        return None
    # the letters go, the sheet and what lies around it stay
    calm = cv2.medianBlur(cv2.morphologyEx(small, cv2.MORPH_CLOSE, np.ones((7, 7), np.uint8)), 5)
    level, upright = _candidates(calm)
    best = _best_corners(level, upright, size)
    if best is None:
        return None
    if _paper_beside(small, best):
        return None  # one of two facing pages
    corners = _refined(grey, best / (size[0] / width, size[1] / height))
    if not _seen_askew(corners) and not _plain_around(small, corners * scale):
        return None  # a white part of a page with dark areas
    return corners


def _seen_askew(corners: Corners) -> bool:
    """Return whether opposite sides are not parallel, as a camera held by hand sees them."""
    sides = np.roll(corners, -1, 0) - corners
    angles = np.arctan2(sides[:, 1], sides[:, 0]) - np.radians([0, 90, 180, 270])
    apart = np.abs(np.remainder(angles[:2] - angles[2:] + np.pi, 2 * np.pi) - np.pi)
    return float(np.degrees(apart.max())) > SIDE.parallel


def _inside_and_around(small: Grey, corners: Corners) -> tuple[Mask, Mask]:
    """Return where a picture shows the sheet, and where what lies clear of it."""
    sheet = np.zeros(small.shape, np.uint8)
    cv2.fillPoly(sheet, [np.round(corners).astype(np.int32)], 1)
    return sheet > 0, cv2.dilate(sheet, np.ones((9, 9), np.uint8)) == 0


def _paper_beside(small: Grey, corners: Corners) -> bool:
    """Return whether much more than the sheet is as light as it is."""
    sheet, around = _inside_and_around(small, corners)
    beside = around & (small >= SHAPE.as_light * np.median(small[sheet]))
    return bool(beside.sum() > SHAPE.other * sheet.sum())


def _plain_around(small: Grey, corners: Corners) -> bool:
    """Return whether nothing but an even ground lies around the sheet, as on a scanner's lid."""
    _, around = _inside_and_around(small, corners)
    detail = cv2.absdiff(small, cv2.medianBlur(small, 9))
    return not around.any() or float((detail[around] > SIDE.contrast).mean()) < 0.005


def _paper_all_around(small: Grey) -> bool:
    """Return whether the frame's edges are as light as the paper: then nothing lies around it."""
    edge = max(2, round(0.012 * max(small.shape)))
    ring = [small[:edge], small[-edge:], small[:, :edge].T, small[:, -edge:].T]
    lightest = float(np.percentile(small, 90))
    dark = [float((part < lightest - SIDE.contrast).mean()) for part in ring]
    return sum(share > 0.3 for share in dark) < SIDE.sides - 1


def _candidates(calm: Grey) -> tuple[list[_Side], list[_Side]]:
    """Return lines that run across and lines that run down, the frame's edges among them."""
    height, width = calm.shape
    edges = cv2.Canny(calm, 20, 50)
    found = cv2.HoughLines(edges, 1, np.pi / 360, round(0.16 * min(height, width)))
    level: list[_Side] = []
    upright: list[_Side] = []
    for rho, theta in found[:, 0] if found is not None else ():
        normal = np.array([np.cos(theta), np.sin(theta)])
        along = np.array([-normal[1], normal[0]])
        across = abs(along[0]) > abs(along[1])
        steep = abs(along[1] / along[0]) if across else abs(along[0] / along[1])
        if steep > np.tan(np.radians(SIDE.steepest)):
            continue
        along = along * np.sign(along[0] if across else along[1])
        chosen = level if across else upright
        if len(chosen) >= SIDE.most or _near(chosen, rho * normal, along, calm.shape):
            continue
        chosen.append(_measured(calm, rho * normal, along))
    right, down = np.array([1.0, 0.0]), np.array([0.0, 1.0])
    for y in (0.0, float(height)):
        level.append(_Side(np.array([0.0, y]), right, None, 0.0))
    for x in (0.0, float(width)):
        upright.append(_Side(np.array([x, 0.0]), down, None, 0.0))
    return level, upright


def _near(
    sides: list[_Side],
    point: NDArray[np.float64],
    along: NDArray[np.float64],
    shape: tuple[int, int],
) -> bool:
    """Return whether a line runs within a few pixels of one that is there, across the picture."""
    ends = np.array([[0.0, 0.0], [shape[1], shape[0]]])
    main = 0 if abs(along[0]) > abs(along[1]) else 1
    for side in sides:
        gaps = [
            abs(
                _across_at(point, along, main, end[main])
                - _across_at(side.point, side.along, main, end[main])
            )
            for end in ends
        ]
        if max(gaps) < 4:
            return True
    return False


def _across_at(
    point: NDArray[np.float64], along: NDArray[np.float64], main: int, at: float
) -> float:
    return float(point[1 - main] + along[1 - main] / along[main] * (at - point[main]))


def _measured(calm: Grey, point: NDArray[np.float64], along: NDArray[np.float64]) -> _Side:
    """Return a line with its support, summed: where the right, or left, side of it is lighter."""
    reach = float(np.hypot(*calm.shape))
    middle = np.array([calm.shape[1], calm.shape[0]]) / 2
    start = float((middle - point) @ along) - reach
    at = start + np.arange(round(2 * reach))
    on_line = point + at[:, None] * along
    normal = np.array([-along[1], along[0]]) * SIDE.step
    sides = []
    for sign in (1, -1):
        x, y = (on_line + sign * normal).astype(np.float32).T
        sides.append(
            cv2.remap(calm, x[None], y[None], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)[0]
        )
    step = sides[0].astype(np.float64) - sides[1]
    share = np.stack([np.clip(step / SIDE.contrast, 0, 1), np.clip(-step / SIDE.contrast, 0, 1)])
    return _Side(point, along, np.pad(np.cumsum(share, 1), ((0, 0), (1, 0))), start)


def _support(
    side: _Side, first: NDArray[np.float64], last: NDArray[np.float64], sense: int
) -> float:
    """Return the share of a side between two points along which the sheet is lighter."""
    assert side.support is not None
    most = side.support.shape[1] - 1
    a = int(np.clip((first - side.point) @ side.along - side.start, 0, most))
    b = int(np.clip((last - side.point) @ side.along - side.start, 0, most))
    return float(side.support[sense, b] - side.support[sense, a]) / max(1, b - a)


def _crossing(one: _Side, other: _Side) -> NDArray[np.float64]:
    matrix = np.column_stack([one.along, -other.along])
    at = np.linalg.solve(matrix, other.point - one.point)
    return np.asarray(one.point + at[0] * one.along)


def _best_corners(
    level: list[_Side], upright: list[_Side], size: tuple[int, int]
) -> Corners | None:
    """Return the corners of the best supported quadrilateral, None where none is good enough."""
    width, height = size
    crossings = {
        (i, j): _crossing(a, b) for i, a in enumerate(level) for j, b in enumerate(upright)
    }
    best, chosen = 0.0, None
    for (i, top), (k, bottom) in itertools.permutations(enumerate(level), 2):
        for (j, left), (m, right) in itertools.permutations(enumerate(upright), 2):
            corners = np.array([crossings[i, j], crossings[i, m], crossings[k, m], crossings[k, j]])
            if corners[0, 1] >= corners[3, 1] or corners[0, 0] >= corners[1, 0]:
                continue
            if not _plausible(corners, width, height):
                continue
            # seen along the side, the sheet lies under the top and right of the left one
            sides = [
                (top, corners[0], corners[1], 0),
                (bottom, corners[3], corners[2], 1),
                (left, corners[0], corners[3], 1),
                (right, corners[1], corners[2], 0),
            ]
            shown = [_support(*side) for side in sides if side[0].support is not None]
            if len(shown) < SIDE.sides or min(shown) < SIDE.support:
                continue
            score = (
                float(np.mean(shown)) + 0.05 * len(shown) + 0.1 * _area(corners) / (width * height)
            )
            if np.mean(shown) >= SIDE.mean_support and score > best:
                best, chosen = score, corners
    return chosen


def _area(corners: Corners) -> float:
    x, y = corners.T
    return float(abs(x @ np.roll(y, -1) - y @ np.roll(x, -1))) / 2


def _plausible(corners: Corners, width: int, height: int) -> bool:
    room = 0.12 * max(width, height)
    if (corners < -room).any() or (corners > np.array([width, height]) + room).any():
        return False
    sides = np.roll(corners, -1, 0) - corners
    following = np.roll(sides, -1, 0)
    turns = sides[:, 0] * following[:, 1] - sides[:, 1] * following[:, 0]
    if (turns <= 0).any():
        return False
    lengths = np.hypot(*sides.T)
    if lengths.max() > SHAPE.proportion * lengths.min():
        return False
    opposite = lengths[:2] / lengths[2:]
    return bool(
        (np.maximum(opposite, 1 / opposite) < 1.7).all()
        and _area(corners) >= SHAPE.area * width * height
    )


def _refined(grey: Grey, corners: Corners) -> Corners:
    """Return corners measured anew: each side is laid through the steepest step near it."""
    scale = min(1.0, LOOK.fine / max(grey.shape))
    fine = cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    fine = cv2.GaussianBlur(fine, (0, 0), 1.2)
    height, width = fine.shape
    at = corners * scale
    reach = np.arange(-9.0, 9.5, 0.5)
    lines = []
    for first, last in zip(at, np.roll(at, -1, 0), strict=True):
        along = (last - first) / np.hypot(*(last - first))
        normal = np.array([-along[1], along[0]])  # into the sheet
        feet = first + np.linspace(0.04, 0.96, 60)[:, None] * (last - first)
        inside = ((feet > 12) & (feet < np.array([width, height]) - 12)).all(1)
        if inside.sum() < 12:
            lines.append((first, along))
            continue
        feet = feet[inside]
        points = (feet[:, None] + reach[:, None] * normal).astype(np.float32)
        values = cv2.remap(fine, points[..., 0], points[..., 1], cv2.INTER_LINEAR).astype(float)
        steps = values[:, 4:] - values[:, :-4]
        found = feet + (reach[2:-2][steps.argmax(1)])[:, None] * normal
        found = found[steps.max(1) > SIDE.contrast / 2]
        if len(found) < 12:
            lines.append((first, along))
            continue
        dx, dy, x, y = cv2.fitLine(found.astype(np.float32), cv2.DIST_HUBER, 0, 0.01, 0.01).ravel()
        lines.append((np.array([x, y], float), np.array([dx, dy], float)))
    sides = [_Side(point, along, None, 0.0) for point, along in lines]
    measured = np.array([_crossing(sides[n - 1], sides[n]) for n in range(4)])
    far = np.abs(measured - at).max() > 20
    return (at if far else measured) / scale


def proportion(corners: Corners, frame: tuple[int, int]) -> float:
    """Return width over height of the sheet whose corners are seen in a frame (width, height).

    Method: Zhang and He 2007, "Whiteboard scanning and image enhancement": the camera's focal
    length follows from the vanishing points, its axis taken to go through the frame's middle. Where
    the sheet is seen from straight above, the lengths of its sides say it.
    """
    lengths = np.hypot(*(np.roll(corners, -1, 0) - corners).T)
    plain = float((lengths[0] + lengths[2]) / (lengths[1] + lengths[3]))
    centred = corners - np.array(frame) / 2
    m1, m2, m4, m3 = (np.append(p, 1.0) for p in centred)  # top left, top right, bottom two
    k2 = float(np.cross(m1, m4) @ m3) / float(np.cross(m2, m4) @ m3)
    k3 = float(np.cross(m1, m4) @ m2) / float(np.cross(m3, m4) @ m2)
    across, down = k2 * m2 - m1, k3 * m3 - m1
    if min(abs(across[2]), abs(down[2])) < 0.02:
        return plain
    squared = -float(across[:2] @ down[:2]) / float(across[2] * down[2])
    if squared <= 0:
        return plain
    across[:2], down[:2] = across[:2] / np.sqrt(squared), down[:2] / np.sqrt(squared)
    told = float(np.linalg.norm(across) / np.linalg.norm(down))
    return told if 0.8 < told / plain < 1.25 else plain


def lay_flat(grey: Grey, corners: Corners) -> tuple[Grey, Mapping]:
    """Return the sheet as a rectangle at the picture's own resolution, and the mapping back."""
    lengths = np.hypot(*(np.roll(corners, -1, 0) - corners).T)
    width = float(max(lengths[0], lengths[2]))
    height = width / proportion(corners, (grey.shape[1], grey.shape[0]))
    return cut_rectangle(grey, corners, (max(8, round(width)), max(8, round(height))))


def cut_rectangle(grey: Grey, corners: Corners, size: tuple[int, int]) -> tuple[Grey, Mapping]:
    """Return what lies between four corners as a rectangle (width, height), and the mapping back.

    corners: (4, 2), from the rectangle's top left, clockwise.
    """
    flat = np.array([[0, 0], [size[0], 0], [size[0], size[1]], [0, size[1]]], np.float32)
    back = cv2.getPerspectiveTransform(flat, corners.astype(np.float32))
    shift = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])  # OpenCV's pixel centres
    between = np.linalg.inv(shift) @ back @ shift
    picture = cv2.warpPerspective(
        grey,
        between,
        size,
        flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_REPLICATE,
    )
    return np.asarray(picture, np.uint8), Mapping.of(np.asarray(back, np.float64))
