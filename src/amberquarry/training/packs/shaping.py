"""Draw lines whose letters join, stack and change places: shaped by HarfBuzz, drawn by FreeType."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from itertools import groupby
from pathlib import Path

import freetype
import numpy as np
import uharfbuzz
from numpy.typing import NDArray

from amberquarry.reading.bidi import clusters_of, levels_of, reversed_runs, visual_order
from amberquarry.training.wear import ABOVE, BELOW, Drawn
from amberquarry.values import Direction


@dataclass(frozen=True, slots=True)
class Glyph:
    """A glyph where it is drawn: its mask, with its corner, and the sign that it begins at."""

    mask: NDArray[np.uint8]  # (H, W)
    left: int
    top: int  # rows over the base line
    at: int  # index of a sign of the text


class FontAt:
    """A font file at one size."""

    def __init__(self, path: Path, number: int, size_px: int) -> None:
        self._shaper, units = _shaper(str(path), number)
        self._scale = size_px / units
        self._face = _outlines(str(path), number)
        self._size_px = size_px
        self._masks: dict[int, tuple[NDArray[np.uint8], int, int]] = {}

    def _mask(self, glyph: int) -> tuple[NDArray[np.uint8], int, int]:
        known = self._masks.get(glyph)
        if known is None:
            self._face.set_pixel_sizes(0, self._size_px)
            self._face.load_glyph(glyph, freetype.FT_LOAD_RENDER | freetype.FT_LOAD_NO_HINTING)
            slot = self._face.glyph
            bitmap = slot.bitmap
            mask = np.array(bitmap.buffer, np.uint8).reshape(bitmap.rows, max(1, bitmap.pitch))
            known = mask[:, : bitmap.width], slot.bitmap_left, slot.bitmap_top
            self._masks[glyph] = known
        return known

    def shaped(self, text: str, rtl: bool) -> tuple[list[Glyph], float]:
        """Return the glyphs of a text of one direction from the left, and its width in pixels."""
        buffer = uharfbuzz.Buffer()
        buffer.add_str(text)
        buffer.direction = "rtl" if rtl else "ltr"
        buffer.cluster_level = uharfbuzz.BufferClusterLevel.MONOTONE_CHARACTERS
        buffer.guess_segment_properties()
        buffer.direction = "rtl" if rtl else "ltr"
        uharfbuzz.shape(self._shaper, buffer)
        found, x = [], 0.0
        for info, place in zip(buffer.glyph_infos, buffer.glyph_positions, strict=True):
            mask, left, top = self._mask(info.codepoint)
            at_x = round(x + place.x_offset * self._scale) + left
            found.append(Glyph(mask, at_x, top + round(place.y_offset * self._scale), info.cluster))
            x += place.x_advance * self._scale
        return found, x


def letter_box(font: FontAt, letter: str) -> tuple[int, int, bytes] | None:
    """Return top and foot of a letter over the base line, and its picture; None where empty."""
    glyphs, _ = font.shaped(letter, False)
    drawn = [glyph for glyph in glyphs if glyph.mask.any()]
    if not drawn:
        return None
    tops = [glyph.top for glyph in drawn]
    feet = [glyph.top - glyph.mask.shape[0] for glyph in drawn]
    return max(tops), min(feet), b"".join(glyph.mask.tobytes() for glyph in drawn)


@lru_cache(maxsize=200)
def _shaper(path: str, number: int) -> tuple[uharfbuzz.Font, int]:
    face = uharfbuzz.Face(uharfbuzz.Blob.from_file_path(path), number)
    return uharfbuzz.Font(face), face.upem


@lru_cache(maxsize=200)
def _outlines(path: str, number: int) -> freetype.Face:
    return freetype.Face(path, number)


@dataclass(frozen=True, slots=True)
class Manner:
    """How a line is set."""

    tracking: float = 0.0  # pixels between clusters beyond their advance
    space: float = 1.0  # of the font's own
    gap: float = 1.0  # of a space, where one in four is wider


class LineDrawer:
    """Draws lines in one face at one size.

    fonts: its files with the signs drawn from each. foot: pixels that its letters stand under the
    font's base line.
    """

    def __init__(
        self, fonts: list[tuple[FontAt, frozenset[str]]], x_height: float, foot: int
    ) -> None:
        self._fonts, self.x_height, self._foot = fonts, x_height, foot

    def holds(self, text: str) -> bool:
        """Return whether every sign of a text can be drawn."""
        return all(sign == " " or self._font_of(sign) is not None for sign in text)

    def _font_of(self, sign: str) -> FontAt | None:
        return next((font for font, signs in self._fonts if sign in signs), None)

    def draw(
        self,
        text: str,
        base: Direction,
        styles: tuple[int, ...],
        manner: Manner,
        chance: random.Random,
    ) -> Drawn | None:
        """Return a line, None where nothing shows; its text as it stands from left to right.

        text: in logical order, in signs that the face holds. styles: of every letter of it.
        """
        placed: list[Glyph] = []
        signs: list[str] = []
        centres: list[float] = []
        x = 0.0
        for run, rtl in visual_runs(text, base):
            for piece, font in _pieces(run, rtl, self._font_of):
                if font is None:
                    wide = max(self._space(), 0.4 * self.x_height) * manner.space
                    wide *= chance.uniform(0.93, 1.07)
                    if manner.gap > 1 and chance.random() < 0.25:
                        wide *= manner.gap
                    signs.append(" ")
                    centres.append(x + wide / 2)
                    x += wide
                    continue
                glyphs, width = font.shaped(piece, rtl)
                x += width + self._place(glyphs, piece, rtl, x, manner, (placed, signs, centres))
        return self._inked(placed, "".join(signs), centres, styles)

    def _space(self) -> float:
        return self._fonts[0][0].shaped(" ", False)[1]

    def _place(
        self,
        glyphs: list[Glyph],
        text: str,
        rtl: bool,
        x: float,
        manner: Manner,
        into: tuple[list[Glyph], list[str], list[float]],
    ) -> float:
        """Place the glyphs of a piece from `x` on; returns by how much tracking makes it wider."""
        placed, signs, centres = into
        clusters = clusters_of(text)
        first_of = np.cumsum([0, *map(len, clusters)])
        by_cluster: dict[int, list[Glyph]] = {}
        wider, last = 0.0, -1
        for glyph in glyphs:
            number = int(np.searchsorted(first_of, glyph.at, "right")) - 1
            if last not in (-1, number):
                wider += manner.tracking
            last = number
            moved = Glyph(glyph.mask, round(x + wider) + glyph.left, glyph.top, number)
            by_cluster.setdefault(number, []).append(moved)
            placed.append(moved)
        # clusters that are drawn as one share its width
        groups: list[list[int]] = []
        for number in range(len(clusters)):
            if number in by_cluster or not groups:
                groups.append([number])
            else:
                groups[-1].append(number)
        for group in groups[::-1] if rtl else groups:
            drawn = [g for n in group for g in by_cluster.get(n, []) if g.mask.size]
            if not drawn:
                continue
            own = [clusters[n] for n in (group[::-1] if rtl else group)]
            shown = "".join(visual_order(c, Direction.RIGHT_TO_LEFT) if rtl else c for c in own)
            left = min(g.left for g in drawn)
            width = max(g.left + g.mask.shape[1] for g in drawn) - left
            for place in range(len(shown)):
                centres.append(left + width * (place + 0.5) / len(shown))
            signs.extend(shown)
        return wider

    def _inked(
        self, placed: list[Glyph], text: str, centres: list[float], styles: tuple[int, ...]
    ) -> Drawn | None:
        boxes = [(g.left, g.left + g.mask.shape[1]) for g in placed if g.mask.size]
        if not boxes:
            return None
        left, right = min(x for x, _ in boxes), max(x for _, x in boxes)
        if right - left > 8000:
            return None
        rows, base = round((ABOVE + BELOW) * self.x_height), round(ABOVE * self.x_height)
        ink = np.zeros((rows, right - left), np.uint8)
        for glyph in placed:
            y = base - self._foot - glyph.top
            y0, y1 = max(0, y), min(rows, y + glyph.mask.shape[0])
            if y1 <= y0 or not glyph.mask.size:
                continue
            part = glyph.mask[y0 - y : y1 - y]
            target = ink[y0:y1, glyph.left - left :][:, : glyph.mask.shape[1]]
            np.maximum(target, part, out=target)
        shown = [styles if sign != " " else (-1,) * len(styles) for sign in text]
        return Drawn((ink / 255.0).astype(np.float32), text, [c - left for c in centres], shown)


def visual_runs(text: str, base: Direction) -> list[tuple[str, bool]]:
    """Return the runs of a text of one direction, as they stand from the left; True to the left.

    Each keeps the order in which it is read.
    """
    clusters = clusters_of(text)
    runs: list[tuple[str, int]] = []
    for level, part in groupby(
        zip(clusters, levels_of(clusters, base), strict=True), lambda pair: pair[1]
    ):
        runs.append(("".join(cluster for cluster, _ in part), level))
    levels = [level for _, level in runs]
    for least in range(max(levels, default=0), 0, -1):
        runs, levels = reversed_runs(runs, levels, least), reversed_runs(levels, levels, least)
    return [(run, bool(level % 2)) for run, level in runs]


def _pieces(
    run: str, rtl: bool, font_of: Callable[[str], FontAt | None]
) -> list[tuple[str, FontAt | None]]:
    """Return the pieces of a run that are shaped by one font, and spaces, from left to right."""
    pieces: list[tuple[str, FontAt | None]] = []
    for font, part in groupby(
        clusters_of(run), lambda cluster: None if cluster == " " else font_of(cluster[0])
    ):
        own = list(part)
        pieces += [(" ", None)] * len(own) if font is None else [("".join(own), font)]
    return pieces[::-1] if rtl else pieces
