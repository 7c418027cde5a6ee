"""Render the line pictures that the reader is trained on."""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.reading.characters import CLASS_OF
from amberquarry.reading.ground import (
    BASELINE_ROW,
    LINE_HEIGHT,
    WIDTH_STRETCH,
    X_HEIGHT,
    even_ground,
)
from amberquarry.training import degrade
from amberquarry.training.faces import Face, GlyphDrawer
from amberquarry.training.texts import Corpus, sample_text

GROUP_WEIGHTS = {"core": 5.0, "other": 1.0, "hand": 0.5}
LINES_PER_FACE = 6  # drawn one after the other, so that fonts and glyphs are opened rarely
MOST_COLUMNS = 1600
_ABOVE, _BELOW = 2.5, 1.5  # room over and under the baseline, in x-heights


@dataclass(frozen=True, slots=True)
class Sample:
    """A line picture in the net's form with what stands on it."""

    ink: NDArray[np.float32]  # (LINE_HEIGHT, W), 0 to 1
    classes: NDArray[np.int64]  # CTC classes of the text
    centres: NDArray[np.float32]  # column of each character's centre
    text: str


@dataclass(frozen=True, slots=True)
class _Drawn:
    ink: NDArray[np.float32]
    text: str
    centres: list[float]


def draw_line(drawer: GlyphDrawer, text: str, chance: random.Random) -> _Drawn | None:
    """Return a line drawn glyph by glyph, or None where nothing would show."""
    height = drawer.x_height_px
    tracking = 0.0
    if chance.random() < 0.12:
        tracking = chance.uniform(-0.05, 0.35 if chance.random() < 0.3 else 0.1) * height
    space = chance.uniform(0.75, 1.3) if chance.random() < 0.6 else chance.uniform(0.55, 2.2)
    kerned = chance.random() < 0.5
    unsteady = chance.uniform(0.02, 0.1) * height if chance.random() < 0.05 else 0.0
    gap = chance.uniform(1.3, 3.5) if chance.random() < 0.1 else 1.0  # of a few spaces
    if drawer.fixed_pitch and chance.random() < 0.8:
        tracking, space, kerned = 0.0, 1.0, False
    figures = (chance.uniform(0.5, 0.75), chance.uniform(0.6, 1.0))
    set_small = chance.random() < 0.7
    clusters = drawer.clusters(text, ligatures=chance.random() < 0.6 and tracking <= 0)
    at, previous = 0.0, " "
    placed: list[tuple[NDArray[np.uint8], int, int]] = []
    centres: list[float] = []
    kept: list[str] = []
    for cluster in clusters:
        small = drawer.shifted(cluster, *figures) if set_small else None
        mask, left, top, advance = small or drawer.glyph(cluster)
        if cluster == " ":
            wide = max(advance, 0.3 * height) * space * chance.uniform(0.93, 1.07)
            if gap > 1 and chance.random() < 0.25:
                wide *= gap
            centres.append(at + wide / 2)
            kept.append(" ")
            at += wide
            previous = cluster
            continue
        if kerned:
            at += drawer.kerning(previous, cluster)
        shift = round(chance.gauss(0, unsteady)) if unsteady else 0
        placed.append((mask, round(at) + left, top + shift))
        if mask.size:  # the ink's own middle, not the advance's
            first, width = round(at) + left, mask.shape[1]
            for number in range(len(cluster)):
                centres.append(first + width * (number + 0.5) / len(cluster))
            kept.extend(cluster)
        at += advance + tracking
        previous = cluster
    boxes = [(x, x + m.shape[1]) for m, x, _ in placed if m.size]
    if not boxes:
        return None
    left = min(x for x, _ in boxes)
    right = max(x for _, x in boxes)
    if right - left > 8000:
        return None
    rows = round((_ABOVE + _BELOW) * height)
    base = round(_ABOVE * height)
    ink = np.zeros((rows, right - left), np.uint8)
    for mask, x, y in placed:
        y0, y1 = max(0, base + y), min(rows, base + y + mask.shape[0])
        if y1 <= y0 or not mask.size:
            continue
        part = mask[y0 - base - y : y1 - base - y]
        target = ink[y0:y1, x - left : x - left + mask.shape[1]]
        np.maximum(target, part, out=target)
    text = "".join(kept)
    return _Drawn((ink / 255.0).astype(np.float32), text, [c - left for c in centres])


def add_company(
    ink: NDArray[np.float32],
    others: list[NDArray[np.float32]],
    chance: random.Random,
    x_height: float,
) -> NDArray[np.float32]:
    """Return ink with what may stand near a line: other lines, underlining, rules, frames."""
    rows, columns = ink.shape
    base = round(_ABOVE * x_height)
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
    return ink


def to_normal_form(
    picture: NDArray[np.uint8], x_height: float, text: str, chance: random.Random
) -> tuple[NDArray[np.uint8], float, float]:
    """Return the picture at the net's height with the errors that measuring a line makes.

    Also returns scale and offset from source columns to columns of the result.
    """
    error = chance.gauss(0, 0.05) if chance.random() < 0.7 else chance.uniform(-0.2, 0.2)
    scale = X_HEIGHT / x_height * (1 + error)
    without_x_height = not any(c.islower() for c in text)
    if without_x_height and chance.random() < 0.4:
        scale *= chance.uniform(0.62, 0.85)  # capitals or figures taken for x-height
    stretch = WIDTH_STRETCH * (chance.triangular(0.8, 1.3, 1.0))
    wide = scale * stretch
    left, right = chance.uniform(1, 14), chance.uniform(1, 14)
    base = BASELINE_ROW + chance.gauss(0, 0.9)
    angle = chance.gauss(0, 0.004)
    columns = min(MOST_COLUMNS, max(8, round(picture.shape[1] * wide + left + right)))
    middle = picture.shape[1] / 2
    matrix = np.array(
        [
            [wide, 0, left],
            [scale * angle, scale, base - scale * (_ABOVE * x_height) - scale * angle * middle],
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


class LineSource:
    """An endless, seeded stream of training lines."""

    def __init__(
        self, data: Path, corpus: Corpus, faces: list[Face], seed: int, longest: int = 64
    ) -> None:
        self._fonts = data / "fonts"
        self._corpus = corpus
        self._chance = random.Random(seed)
        self._noise = np.random.default_rng(seed)
        self._longest = longest
        families: dict[str, list[Face]] = {}
        for face in faces:
            families.setdefault(face.family, []).append(face)
        self._families = [families[name] for name in sorted(families)]
        self._weights = [
            GROUP_WEIGHTS[faces[0].group] * (1.5 if len(faces) > 3 else 1.0)
            for faces in self._families
        ]
        self._others: list[NDArray[np.float32]] = []

    def lines(self, strength: float) -> Iterator[Sample]:
        """Yield the lines of one face; `strength` (0 to 1) is how badly they are worn."""
        chance = self._chance
        face = chance.choice(chance.choices(self._families, self._weights)[0])
        source = chance.triangular(6, 30, 12)  # x-height in the pixels of the scan
        render = max(18.0, min(32.0, source * 1.5))
        drawer = GlyphDrawer(face, self._fonts, render)
        made, tried = 0, 0
        while made < LINES_PER_FACE and tried < 5 * LINES_PER_FACE:
            tried += 1
            text = sample_text(self._corpus, chance, self._length())[: self._longest].strip()
            if not drawer.holds(text):
                text = "".join(c for c in text if drawer.holds(c)) if chance.random() < 0.3 else ""
                text = " ".join(text.split())
            if not text:
                continue
            drawn = draw_line(drawer, text, chance)
            if drawn is None or not drawn.text.strip():
                continue
            made += 1
            sample = self._worn(drawn, drawer.x_height_px, source, strength)
            if sample is not None:
                yield sample

    def _length(self) -> int:
        draw = self._chance.random()
        if draw < 0.14:
            return self._chance.randint(1, 5)
        if draw < 0.34:
            return self._chance.randint(5, 16)
        return self._chance.randint(14, self._longest)

    def _worn(
        self, drawn: _Drawn, rendered: float, source: float, strength: float
    ) -> Sample | None:
        chance, noise = self._chance, self._noise
        before, after = (round(chance.uniform(0.0, 1.6) * rendered) for _ in range(2))
        ink = np.pad(drawn.ink, ((0, 0), (before, after)))
        self._others = ([*self._others, drawn.ink])[-12:]
        ink = add_company(ink, self._others, chance, rendered)
        if chance.random() < 0.04:  # slanted by hand
            slant = chance.uniform(-0.1, 0.3)
            matrix = np.array([[1, -slant, slant * _ABOVE * rendered], [0, 1, 0]])
            ink = cv2.warpAffine(ink, matrix, (ink.shape[1], ink.shape[0]))
        if chance.random() < 0.15 * strength:  # wavy paper
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
        hard = chance.random() < 0.75
        if hard and chance.random() < 0.6:
            ink = degrade.wear_strokes(ink, noise, rendered, strength)
        if hard and chance.random() < 0.12 * strength:
            ink = degrade.speckle(ink, noise, rendered)
        scale = source / rendered
        size = (max(4, round(ink.shape[1] * scale)), max(8, round(ink.shape[0] * scale)))
        ink = cv2.resize(ink, size, interpolation=cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR)
        if hard and len(self._others) > 3 and chance.random() < 0.06 * strength:
            ink = degrade.bleed_through(ink, chance.choice(self._others), noise)
        grey = degrade.lay_on_paper(ink, noise, strength if hard else 0.15)
        if hard and chance.random() < 0.05 * strength:
            grey = degrade.halftone(grey, noise)
        picture = degrade.scan(grey, noise, source, strength if hard else 0.0)
        line, wide, left = to_normal_form(picture, source, drawn.text, chance)
        centres = [(c + before) * scale * wide + left for c in drawn.centres]
        if centres[-1] >= line.shape[1] - 2:
            return None
        classes = np.array([CLASS_OF[c] for c in drawn.text], np.int64)
        return Sample(even_ground(line), classes, np.array(centres, np.float32), drawn.text)
