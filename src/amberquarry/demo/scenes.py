"""Pages as cameras and books deliver them: photographed, bent, shaded, in other colours, in scenes.

Each maker takes a flat page (dark on white, 300 dpi) and a seed, and returns a `Scene` that knows
where every point of the flat page went. Written apart from the preparation that is measured on it.
"""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

Grey = NDArray[np.uint8]
Points = NDArray[np.float64]  # (N, 2): x, y

_PAPERS = ((255, 252, 244), (250, 248, 240), (245, 240, 222), (236, 240, 245))
_COLOURED_PAPERS = ((235, 214, 120), (226, 166, 170), (158, 200, 160), (160, 190, 222))
_DESKS = ((96, 66, 42), (58, 60, 66), (36, 34, 32), (120, 96, 70), (44, 72, 58), (176, 168, 156))


@dataclass(frozen=True, slots=True)
class Scene:
    """A picture with a page on it: file bytes, size, and where points of the flat page lie."""

    data: bytes
    suffix: str
    size: tuple[int, int]  # width, height
    place: Callable[[Points], Points]
    sheet: Points | None = None  # (4, 2) corners, clockwise from the page's top left


def _jpeg(picture: NDArray[np.floating], quality: int, dpi: float | None = None) -> bytes:
    out = io.BytesIO()
    image = Image.fromarray(np.clip(picture, 0, 255).astype(np.uint8))
    image.save(out, "JPEG", quality=quality, **({"dpi": (dpi, dpi)} if dpi else {}))
    return out.getvalue()


def _noise(
    chance: np.random.Generator, shape: tuple[int, int], sigma: float
) -> NDArray[np.float32]:
    """Return smooth noise of mean 0 and deviation 1 with detail of about `sigma` pixels."""
    step = max(1.0, sigma / 2)
    small = (max(3, round(shape[0] / step)), max(3, round(shape[1] / step)))
    field = cv2.GaussianBlur(chance.standard_normal(small).astype(np.float32), (0, 0), 2.0)
    field = cv2.resize(field, (shape[1], shape[0]), interpolation=cv2.INTER_LINEAR)
    return np.asarray((field - field.mean()) / (field.std() + 1e-6), np.float32)


def _grain(chance: np.random.Generator, shape: tuple[int, int]) -> NDArray[np.float32]:
    """Return the pattern of a table top: streaks along one side, or fine speckle."""
    if chance.random() < 0.5:
        streaks = _noise(chance, (shape[0], max(8, shape[1] // 40)), 6.0)
        wide = cv2.resize(streaks, (shape[1], shape[0]), interpolation=cv2.INTER_LINEAR)
        return 0.8 * wide + 0.3 * _noise(chance, shape, 3.0)
    return _noise(chance, shape, float(chance.uniform(2, 30)))


def _light(chance: np.random.Generator, shape: tuple[int, int], fall: float) -> NDArray[np.float32]:
    """Return light between about 1 - fall and 1 over a picture: brightest about one point."""
    rows, columns = np.mgrid[0 : 1 : shape[0] * 1j, 0 : 1 : shape[1] * 1j].astype(np.float32)
    x, y = chance.uniform(-0.2, 1.2, 2)
    distance = np.hypot(columns - x, rows - y)
    return (1 - fall * np.clip(distance / 1.2, 0, 1) ** 1.3).astype(np.float32)


def _shadow(
    chance: np.random.Generator, shape: tuple[int, int], depth: float, soft: float
) -> NDArray[np.float32]:
    """Return the factor of a shadow that reaches into the picture from an edge."""
    height, width = shape
    mask = np.zeros((height // 4, width // 4), np.float32)
    size = np.array([width, height]) / 4
    start = chance.uniform(0.1, 0.9, 2) * size
    angle = chance.uniform(0, 2 * np.pi)
    along = np.array([np.cos(angle), np.sin(angle)])
    across = np.array([-along[1], along[0]]) * chance.uniform(0.12, 0.35) * min(size)
    far = start + along * 3 * max(size)
    corners = np.array(
        [start - across * 0.5, start + across * 0.5, far + 2 * across, far - 2 * across]
    )
    cv2.fillPoly(mask, [corners.astype(np.int32)], 1.0)
    mask = cv2.GaussianBlur(mask, (0, 0), max(0.5, soft * min(size)))
    return 1 - depth * cv2.resize(mask, (width, height), interpolation=cv2.INTER_LINEAR)


def _printed(clean: Grey, paper: NDArray[np.float32], ink: float) -> NDArray[np.float32]:
    """Return a flat page in colour (H, W, 3): ink at its level on paper of a colour."""
    share = (clean.astype(np.float32) / 255)[..., None]
    return np.asarray(ink + share * (paper[None, None] - ink), np.float32)


def _expose(
    picture: NDArray[np.float32], chance: np.random.Generator, blur: float, noise: float
) -> NDArray[np.float32]:
    picture = cv2.GaussianBlur(picture, (0, 0), blur)
    grain = chance.standard_normal(picture.shape[:2]).astype(np.float32)[..., None] * noise
    return picture + grain


def photograph(clean: Grey, seed: int) -> Scene:
    """Return the page as a sheet on a table top, taken by hand with a camera."""
    chance = np.random.default_rng(seed)
    height, width = clean.shape
    frame = np.array([2448, 3264] if height > width else [3264, 2448], float)
    scale = chance.uniform(0.78, 0.92) * min(frame / (width, height))
    half = np.array([width, height]) * scale / 2
    angle = np.radians(chance.uniform(-7, 7))
    turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    corners = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * half @ turn.T
    corners *= 1 + chance.uniform(-0.06, 0.06, (4, 1))  # the camera was not straight above
    corners += frame / 2 + chance.uniform(-0.02, 0.02, 2) * frame
    if chance.random() < 0.25:  # a little of the sheet is cut off by the frame's edge
        corners[:, 0] += chance.choice([-1, 1]) * (frame[0] / 2 - 0.96 * np.ptp(corners[:, 0]) / 2)
    flat = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float32)
    matrix = cv2.getPerspectiveTransform(flat, corners.astype(np.float32))
    shape = (int(frame[1]), int(frame[0]))
    desk = np.array(_DESKS[chance.integers(len(_DESKS))], np.float32)
    paper = np.array(_PAPERS[chance.integers(len(_PAPERS))], np.float32)
    picture = desk[None, None] * (1 + chance.uniform(0.03, 0.14) * _grain(chance, shape)[..., None])
    cast = np.zeros(shape, np.float32)
    cv2.fillPoly(cast, [(corners + chance.uniform(4, 18, 2)).astype(np.int32)], 1.0)
    picture *= 1 - 0.45 * cv2.GaussianBlur(cast, (0, 0), chance.uniform(5, 18))[..., None]
    page = _printed(clean, paper, float(chance.uniform(10, 60)))
    page = cv2.GaussianBlur(page, (0, 0), max(0.3, 0.42 / scale))
    centred = _between_pixels(matrix)
    on_frame = cv2.warpPerspective(page, centred, (shape[1], shape[0]), flags=cv2.INTER_LINEAR)
    covered = cv2.warpPerspective(np.ones_like(clean, np.float32), centred, (shape[1], shape[0]))
    picture = picture * (1 - covered[..., None]) + on_frame * covered[..., None]
    light = _light(chance, shape, chance.uniform(0.1, 0.5)) * chance.uniform(0.75, 1.0)
    if chance.random() < 0.4:
        light = light * _shadow(
            chance, shape, chance.uniform(0.15, 0.45), chance.uniform(0.01, 0.1)
        )
    picture = _expose(
        picture * light[..., None], chance, chance.uniform(0.6, 1.5), chance.uniform(1, 6)
    )
    data = _jpeg(picture, int(chance.integers(60, 92)))
    return Scene(data, ".jpg", (shape[1], shape[0]), _through(matrix), corners)


def _between_pixels(matrix: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return a transform of our frame, pixel centres at halves, in OpenCV's, centres at wholes."""
    to_ours = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    back = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1.0]])
    return back @ matrix @ to_ours


def _through(matrix: NDArray[np.float64]) -> Callable[[Points], Points]:
    def place(points: Points) -> Points:
        moved = np.column_stack([points, np.ones(len(points))]) @ matrix.T
        return moved[:, :2] / moved[:, 2:]

    return place


def bend(clean: Grey, seed: int) -> Scene:
    """Return the page as it lies in an open book under a camera: bent near the spine."""
    chance = np.random.default_rng(seed)
    height, width = clean.shape
    scale = chance.uniform(0.6, 0.8)
    spine_left = chance.random() < 0.5
    reach, lift = chance.uniform(0.12, 0.35), chance.uniform(0.05, 0.16)  # of the page's width
    slope_down = chance.uniform(-0.25, 0.25)
    centre = height * (0.5 + chance.uniform(-0.25, 0.25))  # what the camera is above of
    along = np.arange(width + 1) / width
    from_spine = along if spine_left else 1 - along
    rise = lift * np.exp(-((from_spine / reach) ** 1.5))  # of the paper over the table
    step = np.hypot(1 / width, 0 * rise[:-1])
    flat_step = np.sqrt(np.maximum(step**2 - np.diff(rise) ** 2, (0.3 * step) ** 2))
    x_at = np.concatenate([[0], np.cumsum(flat_step)]) * width  # foreshortened towards the spine
    new_width, new_height = round(x_at[-1] * scale), round(height * scale * 1.12)

    def place(points: Points) -> Points:
        x = np.interp(points[:, 0], np.arange(width + 1), x_at)
        up = np.interp(points[:, 0], np.arange(width + 1), rise)
        y = centre + (points[:, 1] - centre) * (1 + 0.9 * up) + slope_down * up * width
        return np.column_stack([x, y + 0.06 * height]) * scale

    columns = (np.arange(new_width) + 0.5) / scale
    flat_x = np.interp(columns, x_at, np.arange(width + 1))
    up = np.interp(flat_x, np.arange(width + 1), rise)[None]
    rows = ((np.arange(new_height) + 0.5) / scale - 0.06 * height)[:, None]
    flat_y = (rows - slope_down * up * width - centre) / (1 + 0.9 * up) + centre
    soft = cv2.GaussianBlur(clean, (0, 0), max(0.3, 0.42 / scale)).astype(np.float32)
    page = cv2.remap(
        soft,
        np.broadcast_to(flat_x[None], flat_y.shape).astype(np.float32) - 0.5,
        flat_y.astype(np.float32) - 0.5,
        cv2.INTER_LINEAR,
        borderValue=255.0,
    )
    paper, ink = chance.uniform(215, 250), chance.uniform(15, 70)
    page = ink + page / 255 * (paper - ink)
    steep = np.abs(np.gradient(np.interp(flat_x, np.arange(width + 1), rise), flat_x / width))
    page *= 1 - np.clip(0.6 * steep, 0, 0.6)[None] * np.ones((new_height, 1))
    page *= _light(chance, page.shape[:2], chance.uniform(0.05, 0.3))
    outside = (flat_y < 0) | (flat_y >= height)
    page = np.where(outside, 40.0 + 5 * chance.standard_normal(page.shape), page)
    page = cv2.GaussianBlur(page, (0, 0), chance.uniform(0.5, 1.0))
    page = page + chance.standard_normal(page.shape) * chance.uniform(1, 5)
    return Scene(_jpeg(page, int(chance.integers(70, 92))), ".jpg", (new_width, new_height), place)


def reverse_areas(clean: Grey, boxes: NDArray[np.float64], seed: int) -> Scene:
    """Return the page with some of its blocks light on dark, others on a tint.

    boxes: (N, 4) of the blocks; those chosen are painted with room around them.
    """
    chance = np.random.default_rng(seed)
    height, width = clean.shape
    picture = np.repeat(clean[..., None], 3, 2).astype(np.float32)
    chosen = chance.permutation(len(boxes))[: max(1, min(4, len(boxes) // 2))]
    for count, number in enumerate(chosen):
        x0, y0, x1, y1 = boxes[number]
        room = chance.uniform(14, 40)
        left, right = (0, width) if chance.random() < 0.3 else (x0 - room, x1 + room)
        part = np.s_[
            max(0, round(y0 - room)) : min(height, round(y1 + room)),
            max(0, round(left)) : min(width, round(right)),
        ]
        dark = np.array(chance.choice(np.array(_DESKS[:5])), np.float32) * chance.uniform(0.4, 1.1)
        light = np.array(_PAPERS[chance.integers(len(_PAPERS))], np.float32)
        ground, letter = (dark, light)
        if count and chance.random() < 0.4:  # a tint under dark letters
            ground = np.array(_COLOURED_PAPERS[chance.integers(4)], np.float32)
            letter = np.array([20, 20, 30], np.float32)
        share = (clean[part].astype(np.float32) / 255)[..., None]
        picture[part] = letter + share * (ground - letter)
    dpi = float(chance.choice([200, 300]))
    scale = dpi / 300
    size = (round(width * scale), round(height * scale))
    picture = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    picture = _expose(picture, chance, chance.uniform(0.3, 0.8), chance.uniform(1, 4))
    return Scene(
        _jpeg(picture, int(chance.integers(70, 92)), dpi), ".jpg", size, lambda p: p * scale
    )


def shade(clean: Grey, seed: int) -> Scene:
    """Return the page with shadows across it, on coloured or stained paper, its ink faded."""
    chance = np.random.default_rng(seed)
    height, width = clean.shape
    papers = _COLOURED_PAPERS if chance.random() < 0.5 else _PAPERS
    paper = np.array(papers[chance.integers(4)], np.float32) * chance.uniform(0.75, 1.0)
    ink = float(chance.uniform(10, 60))
    if chance.random() < 0.4:
        ink = float(paper.mean() * chance.uniform(0.45, 0.7))
    dpi = float(chance.choice([200, 240, 300]))
    scale = dpi / 300
    size = (round(width * scale), round(height * scale))
    picture = cv2.resize(_printed(clean, paper, ink), size, interpolation=cv2.INTER_AREA)
    shape = (size[1], size[0])
    if chance.random() < 0.5:  # stains
        for _ in range(int(chance.integers(1, 5))):
            mask = np.zeros(shape, np.float32)
            at = (int(chance.integers(size[0])), int(chance.integers(size[1])))
            axes = (int(chance.integers(40, 260)), int(chance.integers(40, 260)))
            cv2.ellipse(mask, at, axes, float(chance.uniform(0, 180)), 0, 360, 1.0, -1)
            rim = cv2.GaussianBlur(mask, (0, 0), chance.uniform(3, 20))
            colour = np.array([0.75, 0.62, 0.42], np.float32)
            picture *= 1 - chance.uniform(0.3, 0.9) * rim[..., None] * (1 - colour)
    for _ in range(int(chance.integers(1, 3))):
        depth, soft = chance.uniform(0.2, 0.6), chance.choice([0.002, 0.01, 0.04])
        picture *= _shadow(chance, shape, float(depth), float(soft))[..., None]
    picture *= _light(chance, shape, chance.uniform(0.0, 0.4))[..., None]
    picture = _expose(picture, chance, chance.uniform(0.4, 0.9), chance.uniform(1, 5))
    return Scene(
        _jpeg(picture, int(chance.integers(65, 92)), dpi), ".jpg", size, lambda p: p * scale
    )


_STAMP_INKS = ((70, 60, 160), (170, 40, 50), (40, 90, 150), (60, 110, 70), (60, 60, 66))


def _stamps(chance: np.random.Generator, shape: tuple[int, int]) -> NDArray[np.float32]:
    """Return what light stamps of rings and wavy bars, without letters, let through (H, W, 3)."""
    through = np.ones((*shape, 3), np.float32)
    for _ in range(int(chance.integers(2, 5))):
        mask = np.zeros(shape, np.uint8)
        x, y = (float(chance.uniform(0.15, 0.85) * side) for side in shape[::-1])
        radius, thick = int(chance.integers(90, 230)), int(chance.integers(5, 13))
        for part in (1.0, 0.8):
            cv2.circle(mask, (int(x), int(y)), int(part * radius), 255, thick, cv2.LINE_AA)
        along = np.arange(0, 3.2 * radius)
        for bar in np.linspace(-0.6, 0.6, int(chance.integers(3, 6))):
            wave = y + bar * radius + 0.06 * radius * np.sin(along / (0.16 * radius))
            points = np.stack([x + 0.6 * radius + along, wave], 1).astype(np.int32)
            cv2.polylines(mask, [points], False, 255, thick, cv2.LINE_AA)
        turn = cv2.getRotationMatrix2D((x, y), float(chance.uniform(-40, 40)), 1.0)
        mask = np.asarray(cv2.warpAffine(mask, turn, shape[::-1]), np.uint8)
        worn = np.clip(0.75 + 0.3 * _noise(chance, shape, 5), 0, 1) * mask / 255
        ink = np.array(_STAMP_INKS[chance.integers(len(_STAMP_INKS))], np.float32) / 255
        strength = chance.uniform(0.5, 0.95)
        through *= 1 - strength * worn[..., None] * (1 - ink)
    return through


def _ruling(chance: np.random.Generator, shape: tuple[int, int]) -> NDArray[np.float32]:
    """Return what squared or ruled paper at 300 dpi lets through (H, W, 3)."""
    pitch, thick = float(chance.choice([59.06, 82.7, 94.5])), int(chance.integers(2, 5))
    lines = np.zeros(shape, bool)
    squared = chance.random() < 0.6
    for axis in (0, 1) if squared else (0,):
        places = np.arange(chance.uniform(0, pitch), shape[axis] - thick, pitch).astype(int)
        for at in places:
            lines[
                (slice(at, at + thick),) if axis == 0 else (slice(None), slice(at, at + thick))
            ] = 1
    colour = np.array(((150, 180, 225), (175, 175, 175), (225, 170, 160))[chance.integers(3)]) / 255
    return np.where(lines[..., None], colour, 1.0).astype(np.float32)


def _screen(chance: np.random.Generator, shape: tuple[int, int]) -> NDArray[np.float32]:
    """Return what tints printed as screens of dots let through (H, W, 3): bands over the page."""
    pitch, angle = chance.uniform(4.0, 7.5), np.radians(chance.choice([15.0, 45.0, 75.0]))
    rows, columns = np.mgrid[: shape[0], : shape[1]].astype(np.float32)
    u = (columns * np.cos(angle) + rows * np.sin(angle)) * (2 * np.pi / pitch)
    v = (rows * np.cos(angle) - columns * np.sin(angle)) * (2 * np.pi / pitch)
    share = chance.uniform(0.05, 0.22)
    dots = np.cos(u) + np.cos(v) > 2 - 4 * share
    low = int(chance.uniform(0.0, 0.3) * shape[0])
    inside = (rows >= low) & (rows < low + chance.uniform(0.4, 0.8) * shape[0])
    grey = chance.uniform(0.25, 0.6)
    return np.where(dots & inside, grey, 1.0).astype(np.float32)[..., None]


def mark_ground(clean: Grey, behind: Grey, kind: str, seed: int) -> Scene:
    """Return the page as a scan at 200 to 300 dpi with something else on its paper.

    kind: `stamped`, `ruled`, `screened`, or `bled`: print of the page behind shines through.
    """
    chance = np.random.default_rng(seed)
    shape = clean.shape
    paper = np.array(_PAPERS[chance.integers(len(_PAPERS))], np.float32)
    page = _printed(clean, paper, float(chance.uniform(10, 60)))
    if kind == "bled":
        height, width = min(shape[0], behind.shape[0]), min(shape[1], behind.shape[1])
        other = np.full(shape, 255, np.uint8)
        other[:height, :width] = behind[:height, :width]
        shines = cv2.GaussianBlur(other[:, ::-1], (0, 0), chance.uniform(1.5, 3.5)) / 255
        page = page * (1 - chance.uniform(0.15, 0.4) * (1 - shines.astype(np.float32)))[..., None]
    else:
        makers = {"stamped": _stamps, "ruled": _ruling, "screened": _screen}
        page = page * makers[kind](chance, shape)
    dpi = float(chance.choice([200, 240, 300]))
    scale = dpi / 300
    size = (round(shape[1] * scale), round(shape[0] * scale))
    picture = cv2.resize(page, size, interpolation=cv2.INTER_AREA)
    picture = _expose(picture, chance, chance.uniform(0.4, 0.8), chance.uniform(1, 4))
    return Scene(
        _jpeg(picture, int(chance.integers(65, 92)), dpi), ".jpg", size, lambda p: p * scale
    )


def spread(left: Grey, right: Grey, seed: int) -> tuple[Scene, Callable[[Points], Points]]:
    """Return two pages side by side as one scan, and where points of the right page lie.

    The scene's own `place` is the left page's.
    """
    chance = np.random.default_rng(seed)
    dpi = float(chance.choice([200, 240, 300]))
    scale = dpi / 300
    height = max(left.shape[0], right.shape[0])
    room = round(chance.uniform(0.0, 0.03) * height)
    canvas = np.full((height + 2 * room, left.shape[1] + right.shape[1] + 2 * room), 255, np.uint8)
    canvas[room : room + left.shape[0], room : room + left.shape[1]] = left
    fold = room + left.shape[1]
    canvas[room : room + right.shape[0], fold : fold + right.shape[1]] = right
    size = (round(canvas.shape[1] * scale), round(canvas.shape[0] * scale))
    page = cv2.resize(canvas, size, interpolation=cv2.INTER_AREA).astype(np.float32)
    paper, ink = chance.uniform(220, 252), chance.uniform(10, 60)
    page = ink + page / 255 * (paper - ink)
    columns = np.arange(size[0]) - fold * scale
    wide = chance.uniform(0.01, 0.05) * size[0]
    page *= 1 - chance.uniform(0.2, 0.7) * np.exp(-((columns / wide) ** 2))[None]
    if room:  # the lid or the table beyond the paper
        edge = round(room * scale)
        shown = np.zeros(page.shape, bool)
        shown[edge : size[1] - edge, edge : size[0] - edge] = True
        page = np.where(shown, page, chance.uniform(20, 70))
    page = cv2.GaussianBlur(page, (0, 0), chance.uniform(0.4, 0.9))
    page = page + chance.standard_normal(page.shape) * chance.uniform(1, 5)
    data = _jpeg(page, int(chance.integers(70, 92)), dpi)
    scene = Scene(data, ".jpg", size, lambda p: (p + room) * scale)
    return scene, lambda p: (p + np.array([fold, room])) * scale


def _bricks(chance: np.random.Generator, shape: tuple[int, int]) -> NDArray[np.float32]:
    high, wide, joint = chance.integers(36, 80), chance.integers(90, 200), chance.integers(3, 9)
    rows, columns = np.mgrid[: shape[0], : shape[1]]
    course = rows // high
    moved = columns + (course % 2) * (wide // 2)
    tone = np.random.default_rng(int(chance.integers(1 << 30))).uniform(0.75, 1.1, (400, 400))
    colour = np.array(((150, 78, 58), (168, 140, 110), (120, 110, 104))[chance.integers(3)], float)
    wall = colour * tone[course % 400, (moved // wide) % 400][..., None]
    mortar = ((rows % high) < joint) | ((moved % wide) < joint)
    wall[mortar] = chance.uniform(120, 200)
    return wall.astype(np.float32)


def _leaves(chance: np.random.Generator, shape: tuple[int, int]) -> NDArray[np.float32]:
    picture = np.full((*shape, 3), (30, 44, 24), np.uint8)
    for _ in range(2600):
        at = (int(chance.integers(shape[1])), int(chance.integers(shape[0])))
        axes = (int(chance.integers(10, 46)), int(chance.integers(5, 16)))
        colour = (np.array([70, 120, 50]) * chance.uniform(0.4, 1.6)).clip(0, 255)
        cv2.ellipse(picture, at, axes, float(chance.uniform(0, 180)), 0, 360, colour.tolist(), -1)
    return picture.astype(np.float32)


def _railings(chance: np.random.Generator, shape: tuple[int, int]) -> NDArray[np.float32]:
    rows = np.linspace(0, 1, shape[0], dtype=np.float32)[:, None, None]
    sky = (
        np.array([190, 205, 225], np.float32) * (1 - 0.4 * rows)
        + 8 * _noise(chance, shape, 60)[..., None]
    )
    pitch, bar = int(chance.integers(40, 120)), int(chance.integers(8, 22))
    columns = np.arange(shape[1])
    sky[:, columns % pitch < bar] = chance.uniform(20, 70)
    for at in chance.uniform(0.1, 0.9, 3):
        row = int(at * shape[0])
        sky[row : row + bar + 6] = chance.uniform(20, 70)
    return np.asarray(sky, np.float32)


def _ground(chance: np.random.Generator, shape: tuple[int, int]) -> NDArray[np.float32]:
    makers = (_bricks, _leaves, _railings)
    number = int(chance.integers(len(makers) + 1))
    if number < len(makers):
        return makers[number](chance, shape)
    colour = np.array(_DESKS[chance.integers(len(_DESKS))], np.float32)
    return colour * (1 + 0.15 * _grain(chance, shape)[..., None])


def place_boards(
    texts: list[list[str]], fonts: list[str], seed: int
) -> tuple[Scene, list[list[tuple[str, Points]]]]:
    """Return boards with lines of text before walls, leaves or railings; none for no texts.

    texts: of each board, line by line. Also returns for each board its words with their four
    corners, clockwise from the word's own top left.
    """
    chance = np.random.default_rng(seed)
    shape = (1500, 2000)
    picture = _ground(chance, shape)
    words: list[list[tuple[str, Points]]] = []
    wide = shape[1] / max(1, len(texts))
    for number, lines in enumerate(texts):
        dark = chance.random() < 0.5
        ground = np.array(
            _DESKS[chance.integers(5)] if dark else _PAPERS[chance.integers(4)], float
        )
        letter = np.array((245, 240, 225) if dark else (25, 30, 50), float)
        font = ImageFont.truetype(
            fonts[int(chance.integers(len(fonts)))], int(chance.integers(64, 110))
        )
        pitch = round(1.5 * font.size)
        space = font.getlength(" ") * 1.1
        widths = [[font.getlength(word) for word in line.split()] for line in lines]
        across = [sum(row) + space * (len(row) - 1) for row in widths]
        size = (round(max(across) + 1.6 * font.size), round(pitch * len(lines) + font.size))
        mask = Image.new("L", size, 0)
        draw = ImageDraw.Draw(mask)
        flat: list[tuple[str, Points]] = []
        for row, line in enumerate(lines):
            x, y = (size[0] - across[row]) / 2, 0.6 * font.size + pitch * row
            for word, advance in zip(line.split(), widths[row], strict=True):
                draw.text((x, y), word, font=font, fill=255)
                x0, y0, x1, y1 = draw.textbbox((x, y), word, font=font)
                flat.append((word, np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]], float)))
                x += advance + space
        face = np.asarray(mask, np.float32)[..., None] / 255
        board = ground + face * (letter - ground)
        fit = min(0.86 * wide / size[0], 0.7 * shape[0] / size[1], 1.0) * chance.uniform(0.75, 1.0)
        corners = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * np.array(size) * fit / 2
        angle = np.radians(chance.uniform(-8, 8))
        corners = corners @ np.array(
            [[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]]
        )
        corners *= 1 + chance.uniform(-0.12, 0.12, (4, 1))
        corners += (wide * (number + 0.5), shape[0] * chance.uniform(0.4, 0.6))
        edges = np.array([[0, 0], [size[0], 0], [size[0], size[1]], [0, size[1]]], np.float32)
        matrix = cv2.getPerspectiveTransform(edges, corners.astype(np.float32))
        board = cv2.GaussianBlur(board.astype(np.float32), (0, 0), max(0.3, 0.42 / fit))
        warped = cv2.warpPerspective(board, _between_pixels(matrix), (shape[1], shape[0]))
        cover = cv2.warpPerspective(
            np.ones(board.shape[:2], np.float32), _between_pixels(matrix), (shape[1], shape[0])
        )[..., None]
        picture = picture * (1 - cover) + warped * cover
        words.append([(word, _through(matrix)(quad)) for word, quad in flat])
    picture = picture * _light(chance, shape, chance.uniform(0.1, 0.5))[..., None]
    picture = _expose(picture, chance, chance.uniform(0.5, 1.2), chance.uniform(1, 6))
    data = _jpeg(picture, int(chance.integers(65, 92)))
    return Scene(data, ".jpg", (shape[1], shape[0]), lambda points: points), words
