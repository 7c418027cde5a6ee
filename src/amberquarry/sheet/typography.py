"""Type as it is set: sizes, weights, pitch, rows, and what is usual on a page."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from statistics import median

import numpy as np
from numpy.typing import NDArray

from amberquarry.sheet.fixed_pitch import fit_grid
from amberquarry.sheet.measuring import CAPITAL_RATIO, lean_median, weighted_median
from amberquarry.values import Block, BlockKind, Line, Style

LOW_LETTERS = frozenset("acemnorsuvwxzавгежзиклмнопстхчшыьэюяαεικνοπστυω")
_LINE_NUMBER = re.compile(r"\d+ ")  # before a line of a listing, in other type


@dataclass(frozen=True, slots=True)
class Fixed:
    """Type in fixed pitch."""

    letters: int = 10  # of a line, that tell it
    share: float = 0.8  # of a block's letters, from which it is in fixed pitch
    uneven: float = 0.12  # mean deviation of the steps, over the usual one
    off: float = 0.3  # of the steps, that may be off then
    typewritten: float = 0.6  # of a page's letters in it: then it is no sign of code


@dataclass(frozen=True, slots=True)
class Listing:
    """Listings of programs."""

    signs: float = 0.04  # of letters, that are signs of code: prose has fewer
    printed: float = 0.2  # of them, in other lines: then what is in fixed pitch is a listing


@dataclass(frozen=True, slots=True)
class RunningText:
    """Which lines tell the usual size of a page."""

    low: int = 3  # small letters of a line, at least
    line: int = 30  # letters of a line of running text
    lines: int = 3  # such lines
    share: float = 0.15  # of a page's letters, beside listings


FIXED, LISTING, RUNNING = Fixed(), Listing(), RunningText()
_PITCHES = np.linspace(0.94, 1.06, 49)  # tried, in usual distances of letters side by side
_CODE_SIGNS = frozenset("{}[]()<>=;_\\#|^~")
SMALL = 0.93  # of the usual x-height: notes, captions
MOSTLY = 0.6  # of a line's letters in bold or italics


@dataclass(frozen=True, slots=True)
class Measures:
    """What is usual on a page."""

    size: float  # x-height of most text
    pitch: float  # between base lines of running text
    typewritten: bool
    middle: float  # of what stands on the page, from its top


def type_size(text: str, boxes: NDArray[np.float32]) -> float:
    """Return the x-height of a text from the boxes (N, 4) of its letters, 0 where none tells it.

    Small letters without ascenders tell it by themselves; capitals, figures and tall letters where
    there are hardly any.
    """
    heights = boxes[:, 3] - boxes[:, 1]
    low = np.array([sign in LOW_LETTERS for sign in text], bool)
    if low.sum() >= RUNNING.low:
        return lean_median(heights[low])
    tall = np.array([sign.isupper() or sign.isdigit() or sign in "bdfhkl" for sign in text])
    if low.sum() + tall.sum() == 0:
        return 0.0
    return lean_median(np.concatenate([heights[low], heights[tall] / CAPITAL_RATIO]))


def fixed_shares(lines: list[Line]) -> NDArray[np.float64]:
    """Return for each line how well its letters stand on a grid of one pitch, 0 to 1.

    That is the length of the mean of the letters' places as phases of the best pitch near the
    usual distance of neighbours (Rayleigh's measure): about 0.9 in faces of fixed pitch, less than
    0.5 in others; 0 for lines of few letters, which would fit by chance.
    """
    shares = np.zeros(len(lines))
    for number, line in enumerate(lines):
        if len(line.character_boxes) < FIXED.letters:
            continue
        if line.fixed_pitch is not None:
            shares[number] = 1.0 if line.fixed_pitch else FIXED.off
            continue
        there = np.frombuffer(line.text.encode("utf-32-le"), np.uint32) != ord(" ")
        number_before = _LINE_NUMBER.match(line.text)
        if number_before:
            there[: number_before.end()] = False
        boxes = line.character_boxes.astype(float)
        middle = (boxes[:, 0] + boxes[:, 2]) / 2
        steps = np.diff(middle)[there[1:] & there[:-1]]
        if there.sum() < FIXED.letters or len(steps) < FIXED.letters // 2:
            continue
        usual = lean_median(steps)
        if float(np.abs(steps - usual).sum()) > FIXED.uneven * usual * len(
            steps
        ):  # far from any grid
            shares[number] = FIXED.off
            continue
        _, _, shares[number] = fit_grid(middle[there], usual, _PITCHES)
    return shares


def pitch_of(lines: list[Line]) -> float:
    """Return the usual distance between the middles of letters that stand side by side."""
    steps = []
    for line in lines:
        middle = (line.character_boxes[:, 0] + line.character_boxes[:, 2]) / 2
        there = np.array([not sign.isspace() for sign in line.text], bool)
        steps.append(np.diff(middle)[there[1:] & there[:-1]])
    every = np.concatenate(steps) if steps else np.zeros(0)
    return max(1.0, float(np.median(every))) if len(every) else 1.0


def first_middle(line: Line) -> float:
    """Return x of the middle of a line's first letter, which tells its cell better than an edge."""
    return float(line.character_boxes[0, 0] + line.character_boxes[0, 2]) / 2


def is_fixed(lines: list[Line]) -> bool:
    """Return whether lines are set in fixed pitch; False where they are too short to tell."""
    shares = fixed_shares(lines)
    letters = np.array([len(line.text) for line in lines]) * (shares > 0)
    total = float(letters.sum())
    # few letters stand on some grid by chance
    return total > 0 and float((shares * letters).sum()) / total > FIXED.share + 2 / total


def looks_like_code(text: str) -> bool:
    """Return whether a text holds more of the signs of code than prose does."""
    return sum(sign in _CODE_SIGNS for sign in text) > LISTING.signs * len(text)


def measure(blocks: list[Block]) -> Measures | None:
    """Return what is usual on a page; None without lines."""
    flow = [block for block in blocks if block.kind is not BlockKind.FIGURE]
    lines = [line for block in flow for line in block.lines]
    if not lines:
        return None
    letters = np.array([len(line.text) for line in lines], float)
    sizes = np.array([line.x_height for line in lines])
    shares = fixed_shares(lines)
    fixed = shares > FIXED.share
    typed = "".join(line.text for line, own in zip(lines, fixed, strict=True) if own)
    listed = looks_like_code(typed)
    # listings stand among prose whose lines are far from any grid
    printed = (
        letters[(shares <= FIXED.off) & (letters > RUNNING.line)].sum()
        > LISTING.printed * letters.sum()
    )
    typewritten = len(typed) > FIXED.typewritten * letters.sum() and not listed and not printed
    # tables may be set smaller than the text beside them
    in_tables = {line for b in flow if b.kind is BlockKind.TABLE for line in b.lines}
    beside = np.array([line not in in_tables for line in lines])
    prose = letters * ~fixed
    if (letters[beside] > RUNNING.line).sum() >= RUNNING.lines:
        prose = prose * beside
    enough = prose.sum() > RUNNING.share * letters.sum()
    told = prose if enough and not typewritten else letters
    size = weighted_median(sizes, told)
    steps = np.array([
        b.box.y1 - a.box.y1 for block in flow for a, b in pairwise(block.lines)
        if b.box.y0 > a.box.middle[1]
    ])  # fmt: skip
    steps = steps[(steps > 1.2 * size) & (steps < 6 * size)]
    return Measures(
        size,
        float(np.median(steps)) if len(steps) else 2.6 * size,
        typewritten,
        (min(line.box.y0 for line in lines) + max(line.box.y1 for line in lines)) / 2,
    )


def rows_of(lines: list[Line]) -> list[list[Line]]:
    """Return lines in rows: what stands on one height, left to right."""
    rows: list[list[Line]] = []
    for line in sorted(lines, key=lambda line: line.box.middle[1]):
        middle = line.box.middle[1]
        if rows and any(other.box.y0 < middle < other.box.y1 for other in rows[-1]):
            rows[-1].append(line)
        else:
            rows.append([line])
    return [sorted(row, key=lambda line: line.start) for row in rows]


def join_runs(blocks: list[Block], belongs: Callable[[Block, Block], bool]) -> list[Block]:
    """Return blocks with each joined to the one before it where it belongs to that."""
    joined: list[Block] = []
    for block in blocks:
        last = joined[-1] if joined else None
        if last is not None and belongs(last, block):
            joined[-1] = last.part(last.kind, [*last.lines, *block.lines])
        else:
            joined.append(block)
    return joined


def size_of(block: Block) -> float:
    """Return the x-height of most lines of a block."""
    return median(line.x_height for line in block.lines)


def share_of(style: Style, line: Line) -> float:
    """Return the share of a line's letters in words of a style."""
    letters = sum(len(word.text) for word in line.words)
    return sum(len(w.text) for w in line.words if style in w.styles) / letters if letters else 0.0
