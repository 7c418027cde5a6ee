"""Read the lines of a page."""

from __future__ import annotations

import math
import re

import numpy as np
from numpy.typing import NDArray

from amberquarry.document import Box, Line, Word
from amberquarry.layout import Components, TextLine
from amberquarry.reading.decode import Characters, decode
from amberquarry.reading.net import LineNetwork
from amberquarry.reading.normalise import cut_line
from amberquarry.reading.scripts import main_script, settle_scripts

# A line is believed to be text if its mean confidence reaches this; short ones, which specks and
# textures give, must be surer by up to the second figure.
_LEAST_CONFIDENCE, _SHORT_LINE_EXTRA = 0.4, 0.5
_LEADERS = re.compile(r"\.(?: ?\.){3,}")  # a row of dots, parted or not
_SHORT_LINE = 6.0  # characters over which the extra falls to a third


def read_lines(
    grey: NDArray[np.uint8],
    found: Components,
    lines: list[TextLine],
    network: LineNetwork,
) -> list[Line | None]:
    """Return what stands in each line, None where it is not believable as text.

    Boxes are in the prepared page's frame.
    """
    owner = np.full(len(found.area), -1, np.int64)
    for number, line in enumerate(lines):
        owner[line.pieces] = number
    readings: list[tuple[Characters, NDArray[np.float32]] | None] = []
    for number, line in enumerate(lines):
        foreign = (owner != number) & (owner >= 0)
        picture = cut_line(grey, found, line, foreign)
        read = decode(network.probabilities(picture.ink))
        readings.append((read, picture.page_x(read.columns)) if believable(read) else None)
    script = main_script(reading[0].text for reading in readings if reading)
    results: list[Line | None] = []
    for number, reading in enumerate(readings):
        if reading is None:
            results.append(None)
            continue
        read, centres = reading
        boxes = place_characters(found.labels, owner, number, lines[number], read.text, centres)
        text = settle_scripts(read.text, script)
        results.append(make_line(*space_leaders(text, boxes, read.confidences)))
    return results


def believable(found: Characters) -> bool:
    """Return whether what was read can be text: neither empty, nor doubtful throughout."""
    text = found.text.strip()
    if not text:
        return False
    least = _LEAST_CONFIDENCE + _SHORT_LINE_EXTRA * math.exp(-len(text) / _SHORT_LINE)
    return float(found.confidences.mean()) >= least


def place_characters(
    labels: NDArray[np.int32],
    owner: NDArray[np.int64],
    number: int,
    line: TextLine,
    text: str,
    centres: NDArray[np.float32],
) -> NDArray[np.float32]:
    """Return (N, 4) ink boxes of the characters of a line, from the columns of their centres.

    Neighbours are parted at the column with the least ink about half way; each box is then the
    extent of the line's own ink between two such columns. Where there is none, a box of the
    x-height stands around the centre.
    """
    x0, y0, x1, y1 = (int(v) for v in line.box)
    own = owner[labels[y0:y1, x0:x1]] == number
    cuts = _cuts_between(own.sum(0), np.clip(centres - x0, 0, max(0, x1 - x0 - 1)))
    inked = own.any(0)
    columns = np.flatnonzero(inked)
    before, after = np.searchsorted(columns, cuts[:-1]), np.searchsorted(columns, cuts[1:])
    base = np.polyval(line.baseline, centres)
    spaces = np.array([letter == " " for letter in text], bool)
    half = np.where(spaces, 0.0, 0.25 * line.x_height)
    boxes = np.stack([centres - half, base - line.x_height, centres + half, base], 1)
    whole = np.flatnonzero(~spaces & (after > before))
    if len(whole):
        first, last = columns[before[whole]], columns[after[whole] - 1] + 1
        ends = np.ravel(np.column_stack([first, last]))
        top = np.append(np.where(inked, own.argmax(0), y1 - y0), y1 - y0)
        bottom = np.append(np.where(inked, own.shape[0] - own[::-1].argmax(0), 0), 0)
        boxes[whole, 0], boxes[whole, 2] = x0 + first, x0 + last
        boxes[whole, 1] = y0 + np.minimum.reduceat(top, ends)[::2]
        boxes[whole, 3] = y0 + np.maximum.reduceat(bottom, ends)[::2]
    return boxes.astype(np.float32)


def _cuts_between(ink: NDArray[np.int64], at: NDArray[np.float32]) -> NDArray[np.int64]:
    """Return the N + 1 columns that bound N characters, from the ink of each column.

    A cut is the column with the least ink in the middle third between two centres.
    """
    width = len(ink)
    middle, reach = (at[1:] + at[:-1]) / 2, 0.32 * np.diff(at)
    first = np.clip((middle - reach).astype(int), 0, None)
    last = np.clip((middle + reach).astype(int) + 1, first + 1, width)
    columns = first[:, None] + np.arange(int((last - first).max(initial=1)))
    off = np.abs(columns + 0.5 - middle[:, None]) / np.maximum(1.0, reach)[:, None]
    cost = ink[np.minimum(columns, width - 1)] + 0.02 * off
    cost[columns >= last[:, None]] = np.inf
    inner = np.minimum(first + cost.argmin(1), width)
    return np.maximum.accumulate(np.concatenate([[0], inner, [width]]))


def space_leaders(
    text: str, boxes: NDArray[np.float32], confidences: NDArray[np.float32]
) -> tuple[str, NDArray[np.float32], NDArray[np.float32]]:
    """Return a line with spaces between dots that stand wide apart, as leaders are printed.

    The net reads a row of dots now as one run, now parted; their places tell how they are set.
    """
    for match in reversed(list(_LEADERS.finditer(text))):
        dots = np.array([n for n in range(*match.span()) if text[n] == "."])
        middle = (boxes[dots, 0] + boxes[dots, 2]) / 2
        width = float(np.median(boxes[dots, 2] - boxes[dots, 0]))
        spaced = float(np.median(np.diff(middle))) >= 2.5 * max(1.0, width)
        # rows of dots alone, then a gap before each but the first
        rows, sure = boxes[dots], confidences[dots]
        if spaced:
            gaps = rows[1:].copy()
            gaps[:, [0, 2]] = ((rows[:-1, 2] + rows[1:, 0]) / 2)[:, None]
            rows = np.insert(rows, np.arange(1, len(dots)), gaps, axis=0)
            sure = np.insert(sure, np.arange(1, len(dots)), sure[1:])
        first, last = match.span()
        boxes = np.concatenate([boxes[:first], rows, boxes[last:]])
        confidences = np.concatenate([confidences[:first], sure, confidences[last:]])
        text = text[:first] + (" " if spaced else "").join("." * len(dots)) + text[last:]
    return text, boxes, confidences


def make_line(text: str, boxes: NDArray[np.float32], confidences: NDArray[np.float32]) -> Line:
    """Return a line with its words; a word's confidence is the product over its characters."""
    words = []
    for match in re.finditer(r"\S+", text):
        span = slice(match.start(), match.end())
        box = Box(
            float(boxes[span, 0].min()),
            float(boxes[span, 1].min()),
            float(boxes[span, 2].max()),
            float(boxes[span, 3].max()),
        )
        words.append(Word(match[0], box, float(np.prod(confidences[span])), span.start, span.stop))
    return Line(
        text,
        Box.around([word.box for word in words]),
        float(confidences.mean()),
        words,
        boxes,
        confidences,
    )


def trial_lines(lines: list[TextLine], most: int) -> list[TextLine]:
    """Return a few lines to try a page with: of middle length, which tell as much as long ones."""
    lines = sorted(lines, key=lambda line: -len(line.pieces))
    return [line for line in lines if len(line.pieces) <= 45][:most] or lines[:most]


def trial_confidence(
    grey: NDArray[np.uint8], found: Components, lines: list[TextLine], network: LineNetwork
) -> float:
    """Return how surely lines are read as letters and figures; 0 without lines."""
    total, count = 0.0, 0
    foreign = np.zeros(len(found.area), bool)
    for line in lines:
        read = decode(network.probabilities(cut_line(grey, found, line, foreign).ink))
        total += float(
            sum(
                confidence
                for confidence, sign in zip(read.confidences, read.text, strict=True)
                if sign.isalnum()
            )
        )
        # dots lead on either way up and tell nothing
        tall = int((found.height[line.pieces] >= 0.5 * line.x_height).sum())
        count += max(tall // 2, len(re.sub(r"[ .·]", "", read.text)))
    return total / count if count else 0.0
