"""Scanner levels for made pages: clean, office and poor, each page by its own seed.

Written apart from the training's wear: the reader is not measured on what it was trained on.
"""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

Points = NDArray[np.float64]  # (N, 2): x, y
LEVELS = ("clean", "office", "poor")


@dataclass(frozen=True, slots=True)
class Scan:
    """A scanned page: the file's bytes, and the affine from clean pixels to scanned ones."""

    data: bytes
    suffix: str
    matrix: NDArray[np.float64]  # (2, 3)
    size: tuple[int, int]
    dpi: float


def scan_page(clean: NDArray[np.uint8], level: str, seed: int, clean_dpi: float = 300.0) -> Scan:
    """Return the page as a scanner of the given level would deliver it."""
    chance = np.random.default_rng(seed)
    height, width = clean.shape
    if level == "clean":
        return Scan(_png(clean, 300), ".png", np.eye(3)[:2], (width, height), clean_dpi)
    poor = level == "poor"
    dpi = float(chance.choice([150, 170, 200] if poor else [200, 240, 300]))
    angle = np.radians(chance.uniform(-5, 5) if poor else chance.uniform(-2.5, 2.5))
    scale = dpi / clean_dpi
    new_width, new_height = round(width * scale), round(height * scale)
    turn = np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]]) * scale
    shift = np.array([new_width, new_height]) / 2 - turn @ (width / 2, height / 2)
    matrix = np.column_stack([turn, shift])
    page = clean.astype(np.float32)
    if poor and chance.random() < 0.4:  # the other side shows through
        other = cv2.GaussianBlur(np.roll(clean[:, ::-1], 37, 0).astype(np.float32), (0, 0), 2.5)
        page = np.minimum(page, 255 - (255 - other) * chance.uniform(0.08, 0.2))
    if poor and chance.random() < 0.5:  # filled or faded strokes
        kernel = np.ones((2, 2) if chance.random() < 0.6 else (3, 3), np.uint8)
        page = (
            cv2.erode(page, kernel) if chance.random() < 0.5 else cv2.dilate(page, np.ones((2, 2)))
        )
    small = cv2.GaussianBlur(page, (0, 0), max(0.3, 0.4 / scale))
    centre = matrix.copy()  # pixel centres lie at half numbers
    centre[:, 2] += matrix[:, :2] @ (0.5, 0.5) - 0.5
    page = cv2.warpAffine(
        small, centre, (new_width, new_height), flags=cv2.INTER_LINEAR, borderValue=255.0
    )
    paper, ink = (
        (chance.uniform(190, 250), chance.uniform(20, 90))
        if poor
        else (chance.uniform(225, 252), chance.uniform(5, 50))
    )
    page = ink + page / 255 * (paper - ink)
    rows, columns = np.mgrid[0 : 1 : new_height * 1j, 0 : 1 : new_width * 1j].astype(np.float32)
    slope = chance.uniform(0, 0.2 if not poor else 0.25)
    direction = chance.uniform(0, 2 * np.pi)
    light = 1 - slope * (
        0.5 + 0.5 * (np.cos(direction) * (columns - 0.5) + np.sin(direction) * (rows - 0.5)) * 1.4
    )
    page = page * light
    if poor and chance.random() < 0.4:
        band = round(chance.uniform(0.01, 0.03) * new_width)
        page[:, :band] = 25
    if poor and chance.random() < 0.3:  # punch holes
        for at in (0.35, 0.65):
            cv2.circle(
                page,
                (round(0.03 * new_width), round(at * new_height)),
                round(0.011 * new_height),
                40.0,
                -1,
            )
    for _ in range(int(chance.integers(5, 60 if not poor else 200))):
        x, y = int(chance.integers(new_width)), int(chance.integers(new_height))
        cv2.circle(page, (x, y), int(chance.integers(0, 2)), float(chance.uniform(30, 120)), -1)
    page = cv2.GaussianBlur(
        page, (0, 0), chance.uniform(0.7, 1.4) if poor else chance.uniform(0.4, 0.9)
    )
    page += chance.standard_normal(page.shape).astype(np.float32) * (
        chance.uniform(5, 14) if poor else chance.uniform(2, 6)
    )
    picture = np.clip(page, 0, 255).astype(np.uint8)
    if chance.random() < (0.5 if poor else 0.33):
        # A scanner sets its level between paper and the strokes as its lens sees them: blurred
        # ones are paler than the ink. Strokes fill some hundredths of a page.
        middle = (slice(new_height // 6, -new_height // 6), slice(new_width // 6, -new_width // 6))
        strokes = min(float(np.percentile((picture / light)[middle], 1.5)), 0.75 * paper)
        level_at = light * (strokes + (paper - strokes) * chance.uniform(0.4, 0.65))
        image = Image.fromarray(np.where(picture > level_at, 255, 0).astype(np.uint8)).convert("1")
        out = io.BytesIO()
        image.save(out, "TIFF", compression="group4", dpi=(dpi, dpi))
        return Scan(out.getvalue(), ".tif", matrix, (new_width, new_height), dpi)
    quality = int(chance.integers(35, 61) if poor else chance.integers(60, 86))
    out = io.BytesIO()
    Image.fromarray(picture).save(out, "JPEG", quality=quality, dpi=(dpi, dpi))
    return Scan(out.getvalue(), ".jpg", matrix, (new_width, new_height), dpi)


def _png(page: NDArray[np.uint8], dpi: float) -> bytes:
    out = io.BytesIO()
    Image.fromarray(page).save(out, "PNG", dpi=(dpi, dpi))
    return out.getvalue()


def through(matrix: NDArray[np.float64]) -> Callable[[Points], Points]:
    """Return the function that moves points (N, 2) by an affine (2, 3)."""
    return lambda points: points @ matrix[:, :2].T + matrix[:, 2]


def move_blocks(
    blocks: list[dict[str, Any]], place: Callable[[Points], Points]
) -> list[dict[str, Any]]:
    """Return copies of truth blocks with all boxes, down to the words, moved by `place`."""

    def move(box: list[float]) -> list[float]:
        x0, y0, x1, y1 = box
        points = place(np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]], float))
        return [round(float(v), 1) for v in (*points.min(0), *points.max(0))]

    moved = []
    for block in blocks:
        lines = [
            {
                **line,
                "box": move(line["box"]),
                "words": [{**word, "box": move(word["box"])} for word in line["words"]],
            }
            for line in block["lines"]
        ]
        moved.append({**block, "box": move(block["box"]), "lines": lines})
    return moved
