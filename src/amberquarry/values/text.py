"""What was read: words, lines, and how sure they are."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from amberquarry.values.geometry import Box, Quad

# Stands for any letter or sign of a script that the reader does not know.
UNKNOWN = "\ufffd"
_LEAST_PROBABILITY = 1e-3  # less tells no more


class Direction(StrEnum):
    """Which way a script runs along its lines."""

    LEFT_TO_RIGHT = "ltr"
    RIGHT_TO_LEFT = "rtl"


class Origin(StrEnum):
    """Where words come from."""

    SCAN = "scan"
    TEXT_LAYER = "text-layer"
    MIXED = "mixed"


class Style(StrEnum):
    """How a word is set apart from the text around it."""

    BOLD = "bold"
    ITALIC = "italic"
    SUPERSCRIPT = "superscript"
    SUBSCRIPT = "subscript"


@dataclass(slots=True, eq=False)  # known by itself, as its line is
class Word:
    """A word with its ink box; `start` and `end` are its span in the line's text."""

    text: str
    box: Box
    confidence: float
    start: int
    end: int
    quad: Quad | None = None
    styles: frozenset[Style] = frozenset()
    repaired: str | None = None  # what it should be by the language's spelling, where that is asked
    link: str | None = None  # where the file says that it leads


Baseline = tuple[tuple[float, float], tuple[float, float]]
"""The ends of a straight base line, from where the text begins."""


@dataclass(slots=True, eq=False)  # arrays have no one answer to ==
class Line:
    """A text line. Characters lie in arrays, one row for each code point of `text`."""

    text: str
    box: Box
    confidence: float
    words: list[Word]
    character_boxes: NDArray[np.float32]  # (N, 4); spaces have zero width
    character_confidences: NDArray[np.float32]  # (N,)
    quad: Quad | None = None
    x_height: float = 0.0  # of its small letters, in pixels of the boxes; 0 where not measured
    baseline: Baseline | None = None  # where its letters stand; None where not measured
    unsupported_script: bool = False  # most of it stands in letters that the reader doesn't know
    handwritten: bool = False  # its letters look written by hand
    fixed_pitch: bool | None = None  # whether its fonts are of fixed pitch, where a file tells
    direction: Direction = Direction.LEFT_TO_RIGHT
    origin: Origin = Origin.SCAN

    @property
    def start(self) -> float:
        """Where along its row it begins: what stands before another comes first by this."""
        return self.box.x0 if self.direction is Direction.LEFT_TO_RIGHT else -self.box.x1

    def part(self, words: list[Word]) -> Line:
        """Return a line of some of its words that follow each other; ValueError without words."""
        start, end = words[0].start, words[-1].end
        box = Box.around([word.box for word in words])
        inside = slice(start, end)
        return replace(
            self,
            text=self.text[inside],
            box=box,
            baseline=_between(self.baseline, box.x0, box.x1) if self.quad is None else None,
            confidence=weighted_confidence(words),
            words=[replace(word, start=word.start - start, end=word.end - start) for word in words],
            character_boxes=self.character_boxes[inside],
            character_confidences=self.character_confidences[inside],
        )


def legibility_of(lines: Iterable[Line]) -> float:
    """Return the geometric mean of the probabilities of the letters of lines, 0 without any.

    It asks how clear the print is, not which words are known: pages in the order of their
    legibility are nearly in the order of their errors.
    """
    letters = [line.character_confidences for line in lines if len(line.character_confidences)]
    if not letters:
        return 0.0
    return float(np.exp(np.log(np.maximum(np.concatenate(letters), _LEAST_PROBABILITY)).mean()))


def weighted_confidence(words: Iterable[Word]) -> float:
    """Return the mean confidence of words weighted by length, 0 if there are none.

    A row of dots counts as one sign: how many they are is often in doubt, and matters little.
    """
    total = weight = 0.0
    for word in words:
        own = len(word.text.strip(".")) or 1
        total += word.confidence * own
        weight += own
    return total / weight if weight else 0.0


def _between(line: Baseline | None, x0: float, x1: float) -> Baseline | None:
    """Return the part of a level base line from one x to another."""
    if line is None:
        return None
    (left, y0), (right, y1) = line
    slope = (y1 - y0) / max(1.0, right - left)
    return (x0, y0 + slope * (x0 - left)), (x1, y0 + slope * (x1 - left))
