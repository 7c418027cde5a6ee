"""Wear drawn lines as printing, scanning and measuring do, into the net's form."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.reading.ground import (
    BASELINE_ROW,
    LINE_HEIGHT,
    WIDTH_STRETCH,
    X_HEIGHT,
    even_ground,
)
from amberquarry.training import degrade
from amberquarry.values import UNKNOWN

MOST_COLUMNS = 1600
ABOVE, BELOW = 2.5, 1.5  # room over and under the base line of a drawn line, in x-heights


@dataclass(frozen=True, slots=True)
class Sample:
    """A line picture in the net's form with what stands on it."""

    ink: NDArray[np.float32]  # (LINE_HEIGHT, W), 0 to 1
    classes: NDArray[np.int64]  # CTC classes of the text
    centres: NDArray[np.float32]  # column of each character's centre
    styles: NDArray[np.int8]  # (characters, len(STYLES)): 1, 0, or -1 where not known
    text: str


@dataclass(frozen=True, slots=True)
class Drawn:
    """A line of ink as it is drawn, with its text, and the middle and style of each letter."""

    ink: NDArray[np.float32]  # (rows, W), its base line ABOVE x-heights down
    text: str
    centres: list[float]  # columns
    styles: list[tuple[int, ...]]


@dataclass(frozen=True, slots=True)
class Scan:
    """How a line is scanned."""

    x_height: float  # pixels
    strength: float  # of wear, 0 to 1
    screen: bool = False  # drawn at its final size, as programs draw text
    office: bool = False  # by a cheap machine


@dataclass(frozen=True, slots=True)
class Type:
    """What of a face counts for its wear."""

    x_height: float  # pixels at which it is drawn
    fixed_pitch: bool = False
    old: bool = False  # hand-set


def scan_by_chance(chance: random.Random, strength: float) -> tuple[Scan, float]:
    """Return how a line is scanned, and the x-height in pixels at which it is drawn before."""
    screen = chance.random() < 0.05
    office = not screen and chance.random() < 0.4 * strength
    if screen:
        size = chance.uniform(5.0, 10.0)
        return Scan(size, strength, screen, office), size
    # x-height in the pixels of the scan; cheap machines scan at 150 dpi and little more
    size = chance.uniform(5.5, 11.0) if office else chance.triangular(5.5, 30, 11)
    return Scan(size, strength, screen, office), max(18.0, min(32.0, size * 1.5))


def add_company(
    ink: NDArray[np.float32],
    others: list[NDArray[np.float32]],
    chance: random.Random,
    x_height: float,
    before: int,
    after: int,
) -> NDArray[np.float32]:
    """Return ink with what may stand near a line: other lines, underlining, rules, frames.

    before, after: columns without text at the ends.
    """
    rows, columns = ink.shape
    base = round(ABOVE * x_height)
    thick = max(1, round(chance.uniform(0.04, 0.14) * x_height))
    draw = chance.random()
    if draw < 0.12 and others:  # feet of the line above, heads of the line below
        for sign in (-1, 1):
            other = chance.choice(others)
            if other.shape[1] < 8 or chance.random() < 0.3:
                continue
            scale = rows / other.shape[0]
            other = cv2.resize(other, (max(8, round(other.shape[1] * scale)), rows))
            repeats = -(-columns // other.shape[1])
            other = np.tile(other, (1, repeats))[:, :columns]
            shift = round(sign * chance.uniform(1.9, 2.6) * x_height)
            moved = np.zeros_like(ink)
            if sign < 0:
                moved[: rows + shift] = other[-shift:]
                moved[max(0, base - round(1.65 * x_height)) :] = 0
            else:
                moved[shift:] = other[: rows - shift]
                moved[: base + round(0.55 * x_height)] = 0
            ink = np.maximum(ink, moved)
    elif draw < 0.17:
        row = base + round(chance.uniform(0.12, 0.45) * x_height)
        first = chance.randrange(columns) if chance.random() < 0.3 else 0
        ink[row : row + thick, first:] = np.maximum(
            ink[row : row + thick, first:], chance.uniform(0.6, 1)
        )
    elif draw < 0.18:
        row = base - round(chance.uniform(0.35, 0.6) * x_height)
        ink[row : row + thick] = np.maximum(ink[row : row + thick], chance.uniform(0.5, 1))
    elif draw < 0.22:
        row = (
            base + round(chance.uniform(0.5, 0.9) * x_height)
            if chance.random() < 0.5
            else base - round(chance.uniform(1.7, 2.2) * x_height)
        )
        ink[row : row + thick] = chance.uniform(0.5, 1)
    elif draw < 0.25:  # a rule beside the line: of a column, a table, a frame
        room = before if chance.random() < 0.5 else after
        if room >= thick + 0.35 * x_height:
            column = round(chance.uniform(0, room - thick - 0.35 * x_height))
            column = column if room == before else columns - thick - column
            ink[:, column : column + thick] = chance.uniform(0.4, 1)
    return ink


def error_of_size(text: str, chance: random.Random) -> float:
    """Return by how much the size of a line's type is measured wrongly, as a factor."""
    error = chance.gauss(0, 0.05) if chance.random() < 0.7 else chance.uniform(-0.2, 0.2)
    factor = 1 + error
    without_x_height = not any(c.islower() for c in text)
    if text.count(UNKNOWN) > 0.5 * len(text):  # letters without a Latin x-height
        factor *= chance.uniform(0.6, 1.5)
    elif without_x_height and chance.random() < 0.4:
        factor *= chance.uniform(0.62, 0.85)  # capitals or figures taken for x-height
    return factor


def to_normal_form(
    picture: NDArray[np.uint8],
    x_height: float,
    error: float,
    chance: random.Random,
    base: float = BASELINE_ROW,
    off_base: float = 0.9,
) -> tuple[NDArray[np.uint8], float, float]:
    """Return the picture at the net's height with the errors that measuring a line makes.

    error: factor by which the size of the type is measured wrongly. base: row of the base line;
    off_base: rows by which that is measured wrongly, standard deviation.

    Also returns scale and offset from source columns to columns of the result.
    """
    scale = X_HEIGHT / x_height * error
    stretch = WIDTH_STRETCH * (chance.triangular(0.8, 1.3, 1.0))
    wide = scale * stretch
    left, right = chance.uniform(1, 14), chance.uniform(1, 14)
    row = base + chance.gauss(0, off_base)
    angle = chance.gauss(0, 0.004)
    columns = min(MOST_COLUMNS, max(8, round(picture.shape[1] * wide + left + right)))
    middle = picture.shape[1] / 2
    matrix = np.array(
        [
            [wide, 0, left],
            [scale * angle, scale, row - scale * (ABOVE * x_height) - scale * angle * middle],
        ]
    )
    ground = int(np.percentile(picture[::3, ::3], 90))
    shrink = scale < 0.6
    if shrink:  # average before sampling, as the reader does
        picture = cv2.blur(picture, (max(1, round(1 / wide)), max(1, round(1 / scale))))
    line = cv2.warpAffine(
        picture,
        matrix,
        (columns, LINE_HEIGHT),
        flags=cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_CONSTANT,
        borderValue=ground,
    )
    return line, wide, left


class Wear:
    """Wears lines one after the other; lines drawn before stand beside later ones."""

    def __init__(
        self,
        chance: random.Random,
        noise: np.random.Generator,
        class_of: dict[str, int],
        base: float = BASELINE_ROW,
        off_base: float = 0.9,
        error_of_size: Callable[[str, random.Random], float] = error_of_size,
    ) -> None:
        self._chance, self._noise, self._class_of = chance, noise, class_of
        self._bases, self._error_of_size = (base, off_base), error_of_size
        self._others: list[NDArray[np.float32]] = []

    def worn(self, drawn: Drawn, face: Type, scan: Scan) -> Sample | None:
        """Return a line in the net's form, None where it is too long for it."""
        chance, noise, rendered = self._chance, self._noise, face.x_height
        before, after = (round(chance.uniform(0.0, 1.6) * rendered) for _ in range(2))
        ink = drawn.ink
        if not scan.screen and chance.random() < (0.1 if face.fixed_pitch else 0.005):
            ink = degrade.dot_matrix(ink, noise, rendered)
        ink = np.pad(ink, ((0, 0), (before, after)))
        self._others = ([*self._others, drawn.ink])[-12:]
        ink = add_company(ink, self._others, chance, rendered, before, after)
        if chance.random() < 0.04:  # slanted by hand
            slant = chance.uniform(-0.1, 0.3)
            matrix = np.array([[1, -slant, slant * ABOVE * rendered], [0, 1, 0]])
            ink = cv2.warpAffine(ink, matrix, (ink.shape[1], ink.shape[0]))
        if chance.random() < 0.15 * scan.strength:  # wavy paper
            columns = np.arange(ink.shape[1], dtype=np.float32)
            wave = np.sin(columns * chance.uniform(0.5, 2) / (8 * rendered) + chance.uniform(0, 6))
            rows = np.arange(ink.shape[0], dtype=np.float32)[:, None]
            shift = rows + wave[None] * chance.uniform(0, 0.12) * rendered
            ink = cv2.remap(
                ink,
                np.broadcast_to(columns, ink.shape).copy(),
                shift.astype(np.float32),
                cv2.INTER_LINEAR,
            )
        hard = scan.office or (not scan.screen and chance.random() < 0.75)
        if hard and chance.random() < (0.85 if scan.office else 0.6):
            ink = degrade.wear_strokes(ink, noise, rendered, scan.strength)
        if hard and chance.random() < (0.3 if face.old else 0.08) * scan.strength:
            ink = degrade.ink_unevenly(ink, noise, rendered)
        if hard and chance.random() < 0.12 * scan.strength:
            ink = degrade.speckle(ink, noise, rendered)
        scale = scan.x_height / rendered
        size = (max(4, round(ink.shape[1] * scale)), max(8, round(ink.shape[0] * scale)))
        ink = cv2.resize(ink, size, interpolation=cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR)
        if hard and len(self._others) > 3 and chance.random() < 0.06 * scan.strength:
            ink = degrade.bleed_through(ink, chance.choice(self._others), noise)
        grey = degrade.lay_on_paper(ink, noise, scan.strength if hard else 0.15)
        if hard and chance.random() < 0.05 * scan.strength:
            grey = degrade.halftone(grey, noise)
        picture = degrade.scan(
            grey, noise, scan.x_height, scan.strength if hard else 0.0, scan.office
        )
        picture, enlarged = degrade.enlarge(picture, scan.x_height)
        scale *= enlarged
        error = self._error_of_size(drawn.text, chance)
        line, wide, left = to_normal_form(
            picture, scan.x_height * enlarged, error, chance, *self._bases
        )
        centres = [(c + before) * scale * wide + left for c in drawn.centres]
        if centres[-1] >= line.shape[1] - 2:
            return None
        return Sample(
            even_ground(line),
            np.array([self._class_of[c] for c in drawn.text], np.int64),
            np.array(centres, np.float32),
            np.array(drawn.styles, np.int8),
            drawn.text,
        )
