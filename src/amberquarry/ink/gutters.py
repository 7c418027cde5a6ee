"""Gutters: the upright strips of white, and the rules, between columns."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amberquarry.imaging.pieces import boxes_of_pieces
from amberquarry.ink.raster import COARSE, painted
from amberquarry.sheet.glyphs import Glyphs, core_letters
from amberquarry.values import Box

# least width and length of the white between columns, in letters, and how many lines it must part:
# the narrower, the longer
_GUTTERS = ((0.8, 42.0, 18.0), (1.15, 20.0, 8.0), (1.8, 12.0, 5.0), (2.4, 6.5, 2.7))


@dataclass(frozen=True, slots=True)
class White:
    """The white between columns; lengths in letters."""

    large: float = 1.25  # pieces higher than this are large;
    large_white: float = 1.2  # of what they are higher: white between two that parts nothing
    overhang: float = 1.6  # that a picture may hang over its column
    beyond: float = 2.0  # by which a gutter may reach over the lines that face each other
    feet: float = 0.45  # by which a line across may hang into the white under it
    rule: float = 8.0  # of a rule between columns, at least
    near: float = 3.0  # beside a strip, in which text is looked for
    beside: float = 0.12  # share of rows with text in there, on both sides
    clearest: float = 0.98  # share of rows in which the clearest part of the white goes on
    # beside the clearest part: share of rows with text after it, so many times as far, for the
    # marks of items hang into the white there
    lines_after: float = 0.35
    marks: float = 2.5
    lone: float = 0.9  # share of the rows of text beside it in which the white goes on


@dataclass(frozen=True, slots=True)
class WhiteInWords:
    """White around points and dashes in lines of one pitch; lengths in letters."""

    sign: float = 0.12  # of a point or dash, at least
    white: float = 1.6  # around one in words, at most
    near: float = 0.8  # beside it, in which letters stand
    lines: float = 5.0  # height of the lines that have letters there together, at least
    filled: float = 0.8  # share of these with such a sign, from which a strip parts no columns


WHITE, IN_WORDS = White(), WhiteInWords()


def _edges(glyphs: Glyphs, chosen: NDArray[np.bool_]) -> list[NDArray[np.float64]]:
    """Return the left, upper, right and lower edges of some pieces."""
    edges = (glyphs.left, glyphs.top, glyphs.right, glyphs.bottom)
    return [edge[chosen].astype(float) for edge in edges]


def _whole(glyphs: Glyphs, chosen: NDArray[np.bool_], letter: float) -> NDArray[np.uint8]:
    """Return pieces painted whole, with the white between those larger than usual.

    The white in a large heading is wider than that between columns.
    """
    shape = glyphs.shape
    edges = _edges(glyphs, chosen)
    raster = painted(shape, *edges)
    wider = WHITE.large_white * (edges[3] - edges[1] - WHITE.large * letter)
    large = wider > 0
    left, top, right, bottom = (edge[large] for edge in edges)
    after = painted(shape, right, top, right + wider[large], bottom)
    before = painted(shape, left - wider[large], top, left, bottom)
    return raster | (after & before)


@dataclass(frozen=True, slots=True)
class _Extent:
    """First and last column of a raster with something drawn in it, for each row."""

    first: NDArray[np.int64]  # (rows,), the raster's width where there is nothing
    last: NDArray[np.int64]  # (rows,), -1 where there is nothing

    @classmethod
    def of(cls, drawn: NDArray[np.uint8]) -> _Extent:
        """Return the extent of what is drawn (rows, columns)."""
        width = drawn.shape[1]
        some = drawn.any(1)
        first = np.where(some, drawn.argmax(1), width)
        return cls(first, np.where(some, width - 1 - drawn[:, ::-1].argmax(1), -1))

    def facing(self, top: int, bottom: int, left: int, right: int) -> NDArray[np.bool_]:
        """Return which rows have something drawn before column `left` and from `right` on."""
        return np.asarray((self.first[top:bottom] < left) & (self.last[top:bottom] >= right))


@dataclass(frozen=True, slots=True)
class _Search:
    """A page's white and what stands around it, with one width of gutters; lengths in cells."""

    white: NDArray[np.uint8]  # (rows, columns), 1 in white as wide and long as is looked for
    drawn: NDArray[np.uint8]  # letters
    marks: NDArray[np.uint8]  # pieces that are too small for letters
    extent: _Extent
    long: int  # rows of a strip, at least
    rows: float  # of it, with text on both sides
    letter: float  # height of the letters

    def cells(self, letters: float) -> int:
        """Return a length in letters as one in cells."""
        return round(letters * self.letter)

    def may_part(self, top: int, bottom: int, left: int, right: int) -> bool:
        """Return whether any columns from `left` to `right` may have text enough on both sides.

        Most white has none, and need not be looked at.
        """
        return bool(np.count_nonzero(self.extent.facing(top, bottom, right, left)) >= self.rows)


def find_gutters(
    glyphs: Glyphs, rules: NDArray[np.uint8], pictures: list[Box], letter: float
) -> list[Box]:
    """Return upright white strips with text to both sides: between columns of text or tables.

    rules: (H, W), 1 where a rule is drawn. pictures: their boxes.
    """
    letters = core_letters(glyphs, letter)
    drawn = _whole(glyphs, letters, letter)
    if cv2.hasNonZero(rules):
        rule = cv2.dilate(rules, np.ones((COARSE, 1), np.uint8))[::COARSE, ::COARSE]
        rule = cv2.morphologyEx(rule, cv2.MORPH_OPEN, np.ones((1, max(3, round(letter))), np.uint8))
        drawn[: rule.shape[0], : rule.shape[1]] |= rule
    for box in pictures:  # they may hang over into the white beside their column
        over = min(WHITE.overhang * letter, box.width / 4)
        drawn[
            int(box.y0) // COARSE : int(box.y1) // COARSE,
            int(box.x0 + over) // COARSE : int(box.x1 - over) // COARSE,
        ] = 1
    extent = _Extent.of(drawn)
    marks = painted(glyphs.shape, *_edges(glyphs, glyphs.usable & ~letters))
    gutters: list[Box] = []
    cells = letter / COARSE
    for width, length, least in _GUTTERS:
        wide, long = max(2, round(width * cells)), max(4, round(length * cells))
        white = cv2.morphologyEx(
            1 - drawn,
            cv2.MORPH_OPEN,
            np.ones((long, wide), np.uint8),
            borderType=cv2.BORDER_CONSTANT,
            borderValue=0,
        )
        search = _Search(white, drawn, marks, extent, long, least * 1.5 * cells, cells)
        for x, y, w, h in boxes_of_pieces(white):
            if search.may_part(y, y + h, x, x + w):
                gutters.extend(_strips(search, (x, y, w, h)))
    if any(strip.width <= IN_WORDS.white * letter for strip in gutters):
        signs = _signs(glyphs, letter)
        gutters = [g for g in gutters if not _within_words(g, drawn, signs, letter)]
    return gutters + _ruled_gutters(rules, extent, letter)


def _signs(glyphs: Glyphs, letter: float) -> NDArray[np.uint8]:
    """Return the pieces too low for letters, such as points and dashes, painted as high as a line.

    Specks are left out.
    """
    low = glyphs.usable & (glyphs.height < 0.5 * letter)
    large = np.maximum(glyphs.height, glyphs.width) >= IN_WORDS.sign * letter
    left, top, right, bottom = _edges(glyphs, low & large)
    return painted(glyphs.shape, left, top - letter, right, bottom + letter)


def _within_words(
    strip: Box, drawn: NDArray[np.uint8], signs: NDArray[np.uint8], letter: float
) -> bool:
    """Return whether a strip of white runs through words: signs stand in it between letters.

    In lines of one pitch below each other the white around a point or dash is one strip.
    """
    if strip.width > IN_WORDS.white * letter:
        return False
    x0, y0, x1, y1 = (int(edge) // COARSE for edge in strip)
    near = max(1, round(IN_WORDS.near * letter / COARSE))
    before = drawn[y0:y1, max(0, x0 - near) : x0].any(1)
    facing = before & drawn[y0:y1, x1 : x1 + near].any(1)
    if facing.sum() * COARSE < IN_WORDS.lines * letter:
        return False
    filled = facing & signs[y0:y1, max(0, x0 - 1) : x1 + 1].any(1)
    return bool(filled.sum() > IN_WORDS.filled * facing.sum())


def _ruled_gutters(rules: NDArray[np.uint8], extent: _Extent, letter: float) -> list[Box]:
    """Return the upright rules with text on both sides, as narrow gutters."""
    if not cv2.hasNonZero(rules):
        return []
    long = round(WHITE.rule * letter)
    coarse = _in_columns(rules)
    gap = round(letter)
    # most columns hold too little of rules to be covered with gaps of that size
    inked = cv2.reduce(coarse, 0, cv2.REDUCE_SUM, dtype=cv2.CV_32S)[0]
    columns = np.flatnonzero(inked * gap >= long)
    if not len(columns):
        return []
    upright = np.zeros_like(coarse)
    closed = cv2.morphologyEx(coarse[:, columns], cv2.MORPH_CLOSE, np.ones((gap, 1), np.uint8))
    upright[:, columns] = cv2.morphologyEx(closed, cv2.MORPH_OPEN, np.ones((long, 1), np.uint8))
    gutters = []
    for x, y, w, h in boxes_of_pieces(upright):
        if w * COARSE > letter:
            continue
        y0, y1 = y // COARSE, (y + h) // COARSE
        both = extent.facing(y0, y1, x, x + w).sum()
        if both * COARSE >= 0.5 * long:
            gutters.append(Box(x * COARSE, y0 * COARSE, (x + w) * COARSE, y1 * COARSE))
    return gutters


def _in_columns(drawn: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Return a picture with COARSE columns as one, 1 where any of them is drawn."""
    assert COARSE == 4  # four bytes are looked at as one number
    width = drawn.shape[1]
    padded = cv2.copyMakeBorder(drawn, 0, 0, 0, -width % COARSE, cv2.BORDER_CONSTANT, value=0)
    return np.asarray(padded.view(np.uint32) != 0).view(np.uint8)


def _long_runs(mask: NDArray[np.bool_], least: int) -> NDArray[np.bool_]:
    """Return a mask (N,) without its runs of fewer than `least` elements."""
    kept = mask.copy()
    for start, stop in _runs_of(mask):
        if stop - start < least:
            kept[start:stop] = False
    return kept


def _runs_of(mask: NDArray[np.bool_]) -> list[list[int]]:
    """Return start and end (exclusive) of each run in a mask (N,)."""
    padded = np.zeros(len(mask) + 2, bool)
    padded[1:-1] = mask
    edges: list[list[int]] = np.flatnonzero(padded[1:] != padded[:-1]).reshape(-1, 2).tolist()
    return edges


def _strips(page: _Search, region: tuple[int, int, int, int]) -> list[Box]:
    """Return the strips of one white region that have text on both sides."""
    x, y, w, h = region
    near, feet = page.cells(WHITE.near), page.cells(WHITE.feet)
    part = page.white[y : y + h, x : x + w]
    strips = []
    for first, last in _of_one_length(part.sum(0).tolist(), page.long):
        if not page.may_part(y, y + h, x + first, x + last + 1):
            continue
        around = page.drawn[y : y + h, max(0, x + first - near) : x + last + 1 + near]
        if x + first < near:
            around = np.pad(around, ((0, 0), (near - x - first, 0)))
        run = part[:, first : last + 1]
        corner = (x + first, y)
        faced: list[Box] = []
        for columns in _stretches(run, around, page.rows, near):
            faced += _faced(page, corner, run, columns)
        if not faced:
            # the marks of items hang into the white before them and break its middle
            facing = page.extent.facing(y, y + h, x + first, x + first + near)
            clean = run & (page.marks[y : y + h, x + first : x + last + 1] == 0)
            for columns in _clear_of(clean, np.flatnonzero(_long_runs(facing, feet))):
                clear = _faced(page, corner, run, columns)
                faced += [strip for strip in clear if _has_text_beside(strip, page.drawn, near)]
        strips += faced
    return strips


def _of_one_length(lengths: list[int], least: int) -> list[tuple[int, int]]:
    """Return first and last of each run of columns whose white is about equally long.

    lengths: rows of white of each column. least: those of less are left out.
    """
    runs = []
    column = 0
    while column < len(lengths):
        first = column
        column += 1
        if lengths[first] < least:
            continue
        slack = 0.25 * lengths[first]
        while (
            column < len(lengths)
            and lengths[column] >= least
            and abs(lengths[column] - lengths[first]) <= slack
        ):
            column += 1
        runs.append((first, column - 1))
    return runs


def _faced(
    page: _Search, corner: tuple[int, int], run: NDArray[np.uint8], columns: tuple[int, int]
) -> list[Box]:
    """Return a strip for each long stretch of white rows that has text on both sides.

    run: a part of the page's white, whose upper left cell is `corner`. columns: the first and last
    of those of it that are looked at.
    """
    start, stop = columns
    free = corner[1] + np.flatnonzero(run[:, (start + stop) // 2])
    x0, x1 = corner[0] + start, corner[0] + stop + 1
    beyond, feet = page.cells(WHITE.beyond), page.cells(WHITE.feet)
    strips = []
    for rows in np.split(free, np.flatnonzero(np.diff(free) > 1) + 1):
        if len(rows) < page.long:
            continue
        y0, y1 = int(rows[0]), int(rows[-1]) + 1
        both = np.flatnonzero(_long_runs(page.extent.facing(y0, y1, x0, x1), feet))
        if len(both) < page.rows:
            continue
        # lines begin and end in the white a little beyond the last that face each other
        top, foot = max(y0, y0 + int(both[0]) - beyond), y0 + int(both[-1]) + beyond
        strips.append(Box(*(COARSE * edge for edge in (x0, top, x1, min(y1, foot)))))
    return strips


def _has_text_beside(strip: Box, drawn: NDArray[np.uint8], near: int) -> bool:
    """Return whether lines end right before a strip, and others begin not far after it.

    So they do in columns of text; the cells of a table stand anywhere in their columns.
    """
    x0, y0, x1, y1 = (int(edge) // COARSE for edge in strip)
    before = float(drawn[y0:y1, max(0, x0 - near) : x0].any(1).mean())
    after = float(drawn[y0:y1, x1 : x1 + round(WHITE.marks * near)].any(1).mean())
    return before >= WHITE.beside and after >= WHITE.lines_after


def _clear_of(white: NDArray[np.uint8], rows: NDArray[np.int64]) -> list[tuple[int, int]]:
    """Return the first and last columns of those parts of white that hardly anything breaks.

    rows: those that text faces each other in; from the first of them to the last counts.
    """
    if not len(rows):
        return []
    clear = white[rows[0] : rows[-1] + 1].mean(0) > WHITE.clearest
    return [(start, stop - 1) for start, stop in _runs_of(clear)]


def _stretches(
    white: NDArray[np.uint8], text: NDArray[np.uint8], rows: float, near: int
) -> list[tuple[int, int]]:
    """Return the first and last columns of white (rows, columns): all, and parts white alone.

    Beside a short column of text the white between columns reaches into that under it: it is
    white by itself where that text is, over at least `rows` rows, with lines that end and begin
    at its edges.
    text: the same rows and columns of the page, with `near` more columns on both sides.
    """
    last = white.shape[1] - 1
    found = [(0, last)]
    lone = _long_runs(white.any(1) & (white[:, last // 2] == 0), round(rows))
    for top, bottom in _runs_of(lone):
        for start, stop in _runs_of(white[top:bottom].mean(0) > WHITE.lone):
            sides = (
                text[top:bottom, start : start + near],
                text[top:bottom, near + stop :][:, :near],
            )
            beside = min(side.any(1).mean() for side in sides)
            if beside >= WHITE.beside and (start, stop - 1) not in found:
                found.append((start, stop - 1))
    return found
