"""Wear line pictures as printing, ageing, scanning and cameras do."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.light import heal
from amberquarry.imaging.prepare import enlargement

_LETTER_HEIGHT = 1.15  # of the x-height: the median of a page's letters
_TEXTURES: list[NDArray[np.float32]] = []


def _texture(chance: np.random.Generator) -> NDArray[np.float32]:
    """Return one of a few large fields of smooth noise, made once (mean 0, deviation 1)."""
    if not _TEXTURES:
        maker = np.random.default_rng(11)
        for sigma in (0.0, 0.7, 1.0, 1.6, 3.0, 8.0, 20.0):
            field = maker.standard_normal((256, 2600)).astype(np.float32)
            if sigma:
                field = cv2.GaussianBlur(field, (0, 0), sigma)
            _TEXTURES.append((field - field.mean()) / field.std())
    return _TEXTURES[int(chance.integers(len(_TEXTURES)))]


def _patch(chance: np.random.Generator, shape: tuple[int, int]) -> NDArray[np.float32]:
    field = _texture(chance)
    height, width = shape
    if height > field.shape[0] or width > field.shape[1]:
        return chance.standard_normal(shape).astype(np.float32)
    top = int(chance.integers(field.shape[0] - height + 1))
    left = int(chance.integers(field.shape[1] - width + 1))
    return field[top : top + height, left : left + width]


def wear_strokes(
    ink: NDArray[np.float32], chance: np.random.Generator, x_height: float, strength: float
) -> NDArray[np.float32]:
    """Return ink (0 to 1) with strokes made thicker or thinner, broken or filled."""
    sigma = x_height * chance.uniform(0.02, 0.02 + 0.06 * strength)
    soft = cv2.GaussianBlur(ink, (0, 0), max(0.3, sigma))
    threshold = np.full_like(ink, 0.5 + chance.uniform(-0.3, 0.3) * strength)
    if chance.random() < 0.5 * strength:
        threshold = threshold + _patch(chance, ink.shape) * chance.uniform(0.02, 0.15) * strength
    return np.clip((soft - threshold) * chance.uniform(2.0, 6.0) + 0.5, 0, 1).astype(np.float32)


def ink_unevenly(
    ink: NDArray[np.float32], chance: np.random.Generator, x_height: float
) -> NDArray[np.float32]:
    """Return ink (0 to 1) as worn type or a tired press leaves it: some letters dark, some grey.

    Parts of strokes go where there is least; the parts are from half a letter to a word wide.
    """
    height, width = ink.shape
    columns = max(2, round(width / (x_height * chance.uniform(0.5, 3.0))))
    field = chance.random((3, columns)).astype(np.float32)
    field = cv2.resize(field, (width, height), interpolation=cv2.INTER_CUBIC)
    kept = 1 - chance.uniform(0.3, 0.85) * np.clip(field, 0, 1) ** chance.uniform(1.0, 3.0)
    return (ink * kept).astype(np.float32)


def dot_matrix(
    ink: NDArray[np.float32], chance: np.random.Generator, x_height: float
) -> NDArray[np.float32]:
    """Return ink as a printer with needles sets it: dots on a grid, through a worn ribbon."""
    height, width = ink.shape
    cell = x_height / float(chance.choice([6, 7, 8, 10]))
    grid = cv2.resize(
        ink,
        (max(1, round(width / cell)), max(1, round(height / cell))),
        interpolation=cv2.INTER_AREA,
    )
    struck = (grid > chance.uniform(0.3, 0.5)) * chance.uniform(0.55, 1.0, grid.shape)
    size = 8
    rows, columns = np.mgrid[:size, :size] - (size - 1) / 2
    needle = np.clip((chance.uniform(0.42, 0.72) * size - np.hypot(rows, columns)) + 0.5, 0, 1)
    dots = np.kron(struck, needle).astype(np.float32)
    return cv2.resize(dots, (width, height), interpolation=cv2.INTER_AREA)


def speckle(
    ink: NDArray[np.float32], chance: np.random.Generator, x_height: float
) -> NDArray[np.float32]:
    """Return ink with stray specks and with small holes in the strokes."""
    ink = ink.copy()
    height, width = ink.shape
    for _ in range(int(chance.integers(1, 4 + width // 40))):
        row, column = int(chance.integers(height)), int(chance.integers(width))
        radius = max(1, round(chance.uniform(0.02, 0.09) * x_height))
        cv2.circle(ink, (column, row), radius, float(chance.random() < 0.65), -1)
    return ink


def bleed_through(
    ink: NDArray[np.float32], other: NDArray[np.float32], chance: np.random.Generator
) -> NDArray[np.float32]:
    """Return ink with a mirrored, faint and blurred other line showing through the paper."""
    other = cv2.resize(other[:, ::-1], (ink.shape[1], ink.shape[0]), interpolation=cv2.INTER_AREA)
    shift = int(chance.integers(-ink.shape[0] // 2, ink.shape[0] // 2 + 1))
    other = cv2.GaussianBlur(np.roll(other, shift, axis=0), (0, 0), chance.uniform(0.8, 2.0))
    return np.maximum(ink, other * chance.uniform(0.08, 0.3))


def lay_on_paper(
    ink: NDArray[np.float32], chance: np.random.Generator, strength: float
) -> NDArray[np.float32]:
    """Return grey levels (0 to 255) of ink on paper with tint, texture and uneven light."""
    height, width = ink.shape
    paper = chance.uniform(255 - 110 * strength, 255)
    dark = chance.uniform(0, paper * (0.15 + 0.45 * strength))
    if chance.random() < 0.12 * strength:  # faint print, pencil, carbon copies
        dark = paper - chance.uniform(28, 70)
    light = np.ones((height, width), np.float32)
    if chance.random() < 0.45 * strength:
        ramp = np.linspace(0, 1, width, dtype=np.float32)
        light *= 1 - chance.uniform(0, 0.4) * (ramp if chance.random() < 0.5 else 1 - ramp)
    if chance.random() < 0.08 * strength:  # the edge of a shadow across the line
        edge = chance.uniform(0, width)
        columns = np.arange(width, dtype=np.float32)
        light *= 1 - chance.uniform(0.1, 0.45) * (
            0.5 - 0.5 * np.tanh((columns - edge) / chance.uniform(4, 80))
        )
    if chance.random() < 0.3 * strength:
        light *= 1 + _patch(chance, ink.shape) * chance.uniform(0.005, 0.05)
    return np.clip((paper - ink * (paper - dark)) * light, 0, 255)


def halftone(grey: NDArray[np.float32], chance: np.random.Generator) -> NDArray[np.float32]:
    """Return the picture with a dot screen under the text, as on coloured or shaded grounds."""
    height, width = grey.shape
    period, angle = chance.uniform(3, 9), chance.uniform(0, np.pi / 2)
    rows, columns = np.mgrid[:height, :width].astype(np.float32)
    first = np.cos((columns * np.cos(angle) + rows * np.sin(angle)) * 2 * np.pi / period)
    second = np.cos((rows * np.cos(angle) - columns * np.sin(angle)) * 2 * np.pi / period)
    dots = np.clip((first + second - chance.uniform(-0.2, 1.2)) * 2, 0, 1)
    return grey * (1 - dots * chance.uniform(0.1, 0.55))


def scan(
    grey: NDArray[np.float32],
    chance: np.random.Generator,
    x_height: float,
    strength: float,
    office: bool = False,
) -> NDArray[np.uint8]:
    """Return the picture after lens, sensor, codec and perhaps a threshold to 1 bit.

    office: whether a cheap machine scanned it: always soft, grainy, and hard coded or in 1 bit.
    """
    # letters of few pixels can bear little blur before they are lost to people too
    most = max(0.35, min(1.6, (0.09 + 0.07 * strength) * x_height))
    if office:
        grey = cv2.GaussianBlur(grey, (0, 0), chance.uniform(min(0.6, most), most))
    elif chance.random() < 0.25 + 0.6 * strength:
        grey = cv2.GaussianBlur(grey, (0, 0), chance.uniform(0.25, most))
    if chance.random() < 0.04 * strength:
        length = int(chance.integers(2, max(3, round(0.25 * x_height)) + 1))
        grey = cv2.blur(grey, (length, 1) if chance.random() < 0.6 else (1, length))
    if office or chance.random() < 0.7 * strength:
        spread = float(grey.max() - grey.min())
        sigma = min(chance.uniform(0.5, 14), 0.16 * spread)
        grey = grey + _patch(chance, grey.shape) * sigma
    picture = np.clip(grey, 0, 255).astype(np.uint8)
    coded = chance.random() < (0.5 if office else 0.4 * strength)
    if coded:
        quality = int(chance.integers(25 if x_height > 11 else 35, 92))
        quality = min(quality, 65) if office else quality
        data = cv2.imencode(".jpg", picture, [cv2.IMWRITE_JPEG_QUALITY, quality])[1]
        picture = np.asarray(cv2.imdecode(data, cv2.IMREAD_GRAYSCALE), np.uint8)
    bilevel = not coded if office else x_height > 6.5 and chance.random() < 0.28 * strength
    if bilevel:
        if chance.random() < 0.8:  # most machines follow the light over the page
            paper = cv2.dilate(picture, np.ones((picture.shape[0], 5), np.uint8))
            paper = cv2.blur(paper, (round(6 * x_height), 1))
            picture = cv2.divide(picture, np.maximum(paper, 1), scale=250)
        low, high = np.percentile(picture[::2, ::2], (1.5, 80))
        level = low + (high - low) * chance.uniform(0.35, 0.75)
        seen = picture.astype(np.float32)
        if chance.random() < 0.4 * strength:  # a level near the paper's grain: specks and holes
            grain = chance.standard_normal(picture.shape).astype(np.float32)
            seen += grain * (high - low) * chance.uniform(0.05, 0.3)
        picture = np.where(seen > level, 255, 0).astype(np.uint8)
        if chance.random() < 0.85:  # as the reader does with pictures of 1 bit
            picture = heal(picture)
    return picture


def enlarge(picture: NDArray[np.uint8], x_height: float) -> tuple[NDArray[np.uint8], float]:
    """Return the picture enlarged as the reader enlarges pages of small print, and by how much."""
    factor = enlargement(_LETTER_HEIGHT * x_height)
    if factor <= 1.0:
        return picture, 1.0
    size = (round(picture.shape[1] * factor), round(picture.shape[0] * factor))
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_CUBIC), np.uint8), factor
